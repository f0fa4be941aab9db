"""Plates: views of the work that were captured with their pictures, and the album that they stand in. Values; `Work`
holds them as steps of undo."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

from .comparison import Comparison
from .groups import Group, as_drawn
from .named_places import StoredEye

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.paper.layout import Paper


class PlateKind(StrEnum):
    """What a plate is a picture of."""

    MAP = "map"
    RELIEF = "relief"
    STRIP = "strip"
    SHEET = "sheet"
    CHART = "chart"
    RECORD = "record"
    OUTSIDE = "outside"  # a picture from elsewhere


class PlateView(NamedTuple):
    """What the Desk showed: its layers and how they were compared, and the map: its centre in `crs`, units a pixel,
    turn in degrees, size in pixels and lines of equal coordinates. `eye` is where the relief was seen from,
    `grounds` are the ids of the grids that were its ground; `drawer` is the name of that which a chart stood in,
    "strip" below the map, "" in the sheet."""

    layers: tuple[Layer, ...]
    groups: tuple[Group, ...] = ()
    subject: str | None = None
    crs: str | None = None
    comparison: Comparison | None = None
    x: float = 0.0
    y: float = 0.0
    resolution: float = 1.0
    turn: float = 0.0
    width: int = 1
    height: int = 1
    grid: str = ""
    eye: StoredEye | None = None
    grounds: tuple[str, ...] = ()
    drawer: str = ""

    @property
    def shown(self) -> tuple[Layer, ...]:
        """The layers that are drawn, the topmost first, as their groups show them."""
        drawn = (as_drawn(layer, self.groups) for layer in self.layers)
        return tuple(layer for layer in drawn if layer.visible and layer.style is not None)


class PlateSource(NamedTuple):
    """Where a plate's data is from: the layer, whom its record credits, and what the file was when it was drawn."""

    layer: str
    name: str
    credit: str = ""
    fingerprint: str = ""


class PlateTable(NamedTuple):
    """Rows that a plate shows, as texts; which of the fields are numbers; and how many rows there are in all."""

    fields: tuple[str, ...]
    numbers: tuple[bool, ...]
    rows: tuple[tuple[str, ...], ...]
    total: int


class PlateSeries(NamedTuple):
    """Values over time that the features of a layer have: from a table (both by their ids), by a key of both."""

    layer: str
    key: str
    table: str
    table_key: str
    time: str
    value: str


class Plate(NamedTuple):
    """A captured view with its caption (Markdown). `picture` is a WebP or JPEG of it, `other` one of side B where two
    were compared; `density` is the pixels of the picture for one of the screen; `joined` shows it and the next plate as
    before and after; `paper` is how it stands on paper."""

    id: str
    title: str
    kind: PlateKind
    view: PlateView | None = None
    picture: bytes = b""
    other: bytes = b""
    density: float = 1.0
    caption: str = ""
    alt: str = ""
    captured: str = ""
    sources: tuple[PlateSource, ...] = ()
    table: PlateTable | None = None
    joined: bool = False
    series: PlateSeries | None = None
    paper: Paper | None = None


class Passage(NamedTuple):
    """Text between plates: a heading, "" for none, and Markdown."""

    id: str
    title: str
    text: str = ""


AlbumItem = Plate | Passage


class Album(NamedTuple):
    """Plates and passages in order, under a title."""

    title: str = ""
    summary: str = ""
    items: tuple[AlbumItem, ...] = ()

    @property
    def plates(self) -> tuple[Plate, ...]:
        """Its plates, in order."""
        return tuple(each for each in self.items if isinstance(each, Plate))

    def item(self, item_id: str) -> AlbumItem | None:
        """Return a plate or passage by its id."""
        return next((each for each in self.items if each.id == item_id), None)

    def free_id(self) -> str:
        """Return an id that nothing in it has."""
        taken = {each.id for each in self.items}
        return next(name for number in range(1, len(taken) + 2) if (name := f"item-{number}") not in taken)

    def with_item(self, item: AlbumItem, after: str | None = None) -> Album:
        """Return it with one more item behind another, or at its end."""
        at = self._at(after) + 1 if self.item(after or "") is not None else len(self.items)
        return self._replace(items=(*self.items[:at], item, *self.items[at:]))

    def changed(self, item: AlbumItem) -> Album:
        """Return it with another item in the place of the one of this id."""
        return self._replace(items=tuple(item if each.id == item.id else each for each in self.items))

    def without(self, item_id: str) -> Album:
        """Return it without an item."""
        return self._replace(items=tuple(each for each in self.items if each.id != item_id))

    def moved(self, item_id: str, by: int) -> Album:
        """Return it with an item so many lines later; it stops at the ends."""
        at = self._at(item_id)
        items = [each for each in self.items if each.id != item_id]
        items.insert(min(max(0, at + by), len(items)), self.items[at])
        return self._replace(items=tuple(items))

    def _at(self, item_id: str | None) -> int:
        return next((at for at, each in enumerate(self.items) if each.id == item_id), len(self.items) - 1)


def restored(view: PlateView, open_layers: Sequence[Layer]) -> tuple[Layer, ...]:
    """Return the layers of the work once it shows a plate's view: those of the view as they were, and others that are
    open below them, hidden."""
    from dataclasses import replace

    own = {layer.id for layer in view.layers}
    others = (replace(layer, visible=False, group=None) for layer in open_layers if layer.id not in own)
    return (*view.layers, *others)
