"""What a service gives, whatever it speaks: layers that it draws as tiles, and layers of features that it hands out.

A protocol is one file of this folder with a `CONNECTOR`; what it describes are values, so that readers and painters
know no protocol.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime
from typing import ClassVar, NamedTuple, Self

import numpy as np

from brisk_atlas.core.model import Band, CannotRead, Capability, DataRef, Extent, FeatureQuery, Field
from brisk_atlas.core.model.dimension import band_at, places_of
from brisk_atlas.core.model.errors import NotThere
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TileGrid, TilePlace

from .connector import Item
from .fetching import fetch
from .stated_dimensions import StatedDimension
from .stored_answers import StoredAnswer

TILE_BYTES = 20_000_000  # of one tile
NO_DATE = datetime.fromtimestamp(0, UTC)
Check = Callable[[], None]


class Contents(NamedTuple):
    """One layer of a service, as its list names it. `state` differs once what the service states of it has changed."""

    name: str
    title: str
    state: str = ""


@dataclass(frozen=True)
class LayerAbout:
    """What a service says of a layer. `record` is the address of its metadata record, "" for none; `notes` are facts
    that only this protocol has."""

    name: str
    title: str
    abstract: str = ""
    keywords: tuple[str, ...] = ()
    attribution: str = ""
    record: str = ""
    notes: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class TileSource(ABC):
    """A layer that comes in tiles of `grid` within `extent`."""

    accepted: ClassVar[str] = "*/*"  # media types
    ref: DataRef
    about: LayerAbout
    grid: TileGrid
    extent: Extent

    @property
    def key(self) -> tuple[str, str]:
        """What distinguishes its tiles from those of other sources: the layer, and what of it is shown."""
        return str(self.ref), ""

    @abstractmethod
    def address(self, place: TilePlace) -> str:
        """Return where a tile is fetched."""

    def tile(self, place: TilePlace, check: Check = lambda: None) -> StoredAnswer | None:
        """Return a tile as it is sent, None where there is none. Raises CannotRead."""
        try:
            found = fetch(self.ref, self.address(place), accept=self.accepted, limit=TILE_BYTES, check=check)
        except NotThere:
            return None
        return found if found.body else None


class DrawnStyle(NamedTuple):
    """A style that a service can draw a layer in. `legend` is the address of a picture of its legend, "" for none."""

    name: str
    title: str
    legend: str = ""


@dataclass(frozen=True)
class Pictures(TileSource):
    """A layer that a service draws: each tile is a picture.

    `styles` are those that it can be drawn in, `dimensions` those along which there are further pictures. `style` is
    the name of the one that is shown, "" for the one that the service chooses; `band` says where along the dimensions
    it is, as their places together (from 1), 0 for where the service shows it unasked.
    """

    accepted = "image/*"
    styles: tuple[DrawnStyle, ...] = field(default=(), kw_only=True)
    dimensions: tuple[StatedDimension, ...] = field(default=(), kw_only=True)
    style: str = field(default="", kw_only=True)
    band: int = field(default=0, kw_only=True)

    @property
    def key(self) -> tuple[str, str]:
        return str(self.ref), f"{self.style} {self.band}"

    @property
    def usual_band(self) -> int:
        """Where along the dimensions the service shows the layer unasked; 0 without dimensions."""
        found = [each.dimension for each in self.dimensions]
        return band_at(found, [each.usual for each in self.dimensions]) if found else 0

    def drawn_as(self, style: str, band: int) -> Self:
        """Return the same layer in another style and at another place along its dimensions."""
        known = any(each.name == style for each in self.styles)
        return replace(self, style=style if known else self.style, band=band if self.dimensions else 0)

    def moments(self) -> dict[str, str]:
        """Return the settings that say where along the dimensions a picture is asked for."""
        if not self.dimensions:
            return {}
        places = places_of([each.dimension for each in self.dimensions], self.band or self.usual_band)
        return {each.setting: each.names[place] for each, place in zip(self.dimensions, places)}

    @property
    def shown_style(self) -> DrawnStyle | None:
        """The style that it is shown in: the one that was chosen, else the first, which services show unasked."""
        return next((each for each in self.styles if self.style in ("", each.name)), None)

    def question_at(self, place: TilePlace, column: float, row: float) -> tuple[str, ...]:
        """Return addresses that say, each in another format, what lies at a pixel of a tile; none if it can't say."""
        return ()


@dataclass(frozen=True)
class Coverage(TileSource):
    """A layer of numbers: each tile is a GeoTIFF of `bands`. `size` is the columns and rows of all of it at its finest
    level, `nodata` what stands for no number, None for nothing."""

    accepted = "image/tiff, */*;q=0.5"
    bands: tuple[Band, ...]
    dtype: str
    size: tuple[int, int]
    nodata: float | None

    def cells(self, place: TilePlace, check: Check = lambda: None) -> np.ndarray | None:
        """Return a tile as (rows, cols, bands) float32, NaN without data, where its place does not send it as a file;
        None where it does. Raises CannotRead."""
        return None


@dataclass(frozen=True)
class VectorTiles(TileSource):
    """A layer whose features come in vector tiles, simplified for each level and cut at the edges of tiles."""

    fields: tuple[Field, ...]
    geometry_type: str

    @abstractmethod
    def body(self, place: TilePlace, check: Check = lambda: None) -> bytes:
        """Return a tile as it is stored, b"" where there is none. Raises CannotRead."""


@dataclass(frozen=True)
class FeatureSource(ABC):
    """A layer of features that a service hands out page by page.

    `able` is what of a query it minds itself; `count` None where it does not say; `crs` is the one that its features
    come in, and that of `extent`. `changes` is where it says what changed since it was asked last, "" for nowhere.
    """

    ref: DataRef
    about: LayerAbout
    fields: tuple[Field, ...]
    geometry_type: str | None
    crs: str | None
    extent: Extent | None
    count: int | None
    able: Capability
    changes: str = field(default="", kw_only=True)

    @abstractmethod
    def pages(self, query: FeatureQuery, check: Check = lambda: None) -> Iterator[bytes]:
        """Yield what is asked for in files that the vector library reads, at least one."""


class Service(ABC):
    """A protocol. As a connector it lists its layers; what has no bytes has no copy on the disk."""

    @abstractmethod
    def contents(self, ref: DataRef) -> list[Contents]:
        """Return the layers. Raises CannotRead."""

    def pictures(self, ref: DataRef) -> Pictures | None:
        """Return a layer that is drawn by the service, None for one that is not. Raises CannotRead."""
        return None

    def coverage(self, ref: DataRef) -> Coverage | None:
        """Return a layer of numbers, None for one that has none. Raises CannotRead."""
        return None

    def vector_tiles(self, ref: DataRef) -> VectorTiles | None:
        """Return a layer whose features come in tiles, None for one that has none. Raises CannotRead."""
        return None

    def features(self, ref: DataRef) -> FeatureSource | None:
        """Return a layer of features, None for one that has none. Raises CannotRead."""
        return None

    def list(self, ref: DataRef) -> list[Item]:
        whole, today = DataRef(ref.kind, ref.place), date.today().isoformat()  # each day layers are looked at anew
        return [
            Item(DataRef(whole.kind, whole.place, each.name), each.title or each.name, False, 0, 0.0,
                 f"{today} {each.state}".rstrip())
            for each in self.contents(whole)
        ]  # fmt: skip

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        return 0, NO_DATE

    def fingerprint(self, ref: DataRef) -> str:
        return ""

    def head(self, ref: DataRef, count: int) -> bytes:
        return b""

    def localise(self, ref: DataRef) -> DataRef:
        raise CannotRead(ref, tr("a layer of a service is no file"), tr("Export it to a file first."))
