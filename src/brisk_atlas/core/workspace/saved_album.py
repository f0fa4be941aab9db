"""Albums as project files store them."""

from __future__ import annotations

from base64 import b64decode, b64encode
from pathlib import Path
from typing import Literal

from pydantic import Field

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.layout import BlockKind, PagesByFeature, Paper, PaperBlock, PaperGrid, PaperSize

from .comparison import SIDE_NAMES, Comparison, Divide, Way
from .groups import Group
from .plates import Album, Passage, Plate, PlateKind, PlateSeries, PlateSource, PlateTable, PlateView
from .saved_layers import Finite, SavedEye, SavedGroup, SavedLayer, SavedValue, layer_from, saved_layer

MOST_OF_PICTURE = 40_000_000  # characters of one, in base64
MOST_ITEMS, MOST_ROWS, MOST_BLOCKS = 2_000, 10_000, 500
MOST_OF_TEXT = 20_000  # characters of a block on paper


class SavedComparison(SavedValue):
    sides: list[tuple[str, ...]] = Field(min_length=2, max_length=len(SIDE_NAMES))
    way: Way
    divide: Divide = Divide.UPRIGHT

    @property
    def value(self) -> Comparison:
        return Comparison(tuple(self.sides), self.way, self.divide)


class _SavedView(SavedValue):
    layers: list[SavedLayer] = Field(max_length=10_000)
    groups: list[SavedGroup] = Field(default_factory=list, max_length=10_000)
    subject: str | None = None
    crs: str | None = None
    comparison: SavedComparison | None = None
    x: Finite = 0.0
    y: Finite = 0.0
    resolution: Finite = Field(1.0, gt=0)
    turn: float = Field(0.0, ge=-180.0, le=180.0)
    width: int = Field(1, gt=0, le=100_000)
    height: int = Field(1, gt=0, le=100_000)
    grid: str = ""
    eye: SavedEye | None = None
    grounds: tuple[str, ...] = ()
    drawer: str = Field("", max_length=50)


class _SavedSource(SavedValue):
    layer: str
    name: str
    credit: str = ""
    fingerprint: str = ""


class _SavedTable(SavedValue):
    fields: tuple[str, ...]
    numbers: tuple[bool, ...]
    rows: tuple[tuple[str, ...], ...] = Field(max_length=MOST_ROWS)
    total: int = Field(ge=0)


class _SavedSeries(SavedValue):
    layer: str
    key: str
    table: str
    table_key: str
    time: str
    value: str


class _SavedBlock(SavedValue):
    id: str
    kind: BlockKind
    x: Finite
    y: Finite
    width: Finite = Field(gt=0)
    height: Finite = Field(gt=0)
    text: str = Field("", max_length=MOST_OF_TEXT)
    size: float = Field(9.0, gt=0, le=1000)
    side: int = Field(0, ge=0, le=1)
    framed: bool = False


class _SavedPages(SavedValue):
    layer: str
    name: str
    order: str = ""
    fits: bool = True
    faded: bool = True


class _SavedPaper(SavedValue):
    sheet: PaperSize
    wide: bool
    scale: Finite = Field(gt=0)
    blocks: list[_SavedBlock] = Field(max_length=MOST_BLOCKS)
    centre: tuple[Finite, Finite] | None = None
    grid: PaperGrid = PaperGrid.NONE
    pages: _SavedPages | None = None
    dots: int = Field(300, ge=36, le=1200)

    @classmethod
    def of(cls, paper: Paper) -> _SavedPaper:
        blocks = [_SavedBlock(**each._asdict()) for each in paper.blocks]
        pages = _SavedPages(**paper.pages._asdict()) if paper.pages is not None else None
        return cls(**paper._asdict() | {"blocks": blocks, "pages": pages})

    @property
    def value(self) -> Paper:
        if len({each.id for each in self.blocks}) < len(self.blocks):
            raise ValueError(tr("two blocks of a page have one id"))
        blocks = tuple(PaperBlock(**dict(each)) for each in self.blocks)
        pages = PagesByFeature(**dict(self.pages)) if self.pages is not None else None
        return Paper(**dict(self) | {"blocks": blocks, "pages": pages})


class _SavedPlate(SavedValue):
    type: Literal["plate"] = "plate"
    id: str
    title: str
    kind: PlateKind
    view: _SavedView | None = None
    picture: str = Field("", max_length=MOST_OF_PICTURE)
    other: str = Field("", max_length=MOST_OF_PICTURE)
    density: float = Field(1.0, gt=0, le=8)
    caption: str = ""
    alt: str = ""
    captured: str = ""
    sources: list[_SavedSource] = Field(default_factory=list, max_length=10_000)
    table: _SavedTable | None = None
    joined: bool = False
    series: _SavedSeries | None = None
    paper: _SavedPaper | None = None


class _SavedPassage(SavedValue):
    type: Literal["passage"] = "passage"
    id: str
    title: str
    text: str = ""


class SavedAlbum(SavedValue):
    title: str = ""
    summary: str = ""
    items: list[_SavedPlate | _SavedPassage] = Field(default_factory=list, max_length=MOST_ITEMS)


def saved_album(album: Album, folder: Path) -> SavedAlbum:
    """Return an album as a file in a folder stores it."""
    items = [_saved_plate(each, folder) if isinstance(each, Plate) else _SavedPassage(**each._asdict())
             for each in album.items]  # fmt: skip
    return SavedAlbum(title=album.title, summary=album.summary, items=items)


def album_from(saved: SavedAlbum, folder: Path) -> Album:
    """Return the album that a file in a folder stores. Raises TypeError, ValueError."""
    items = tuple(_plate(each, folder) if isinstance(each, _SavedPlate) else Passage(each.id, each.title, each.text)
                  for each in saved.items)  # fmt: skip
    if len({each.id for each in items}) < len(items):
        raise ValueError(tr("two items of the album have one id"))
    return Album(saved.title, saved.summary, items)


def _saved_plate(plate: Plate, folder: Path) -> _SavedPlate:
    values = plate._asdict() | {
        "view": _saved_view(plate.view, folder) if plate.view is not None else None,
        "picture": b64encode(plate.picture).decode(), "other": b64encode(plate.other).decode(),
        "sources": [_SavedSource(**each._asdict()) for each in plate.sources],
        "series": _SavedSeries(**plate.series._asdict()) if plate.series is not None else None,
        "paper": _SavedPaper.of(plate.paper) if plate.paper is not None else None,
        "table": _SavedTable(**plate.table._asdict()) if plate.table is not None else None,
    }  # fmt: skip
    return _SavedPlate(**values)


def _saved_view(view: PlateView, folder: Path) -> _SavedView:
    values = view._asdict() | {
        "layers": [saved_layer(layer, folder) for layer in view.layers],
        "groups": [SavedGroup(**group._asdict()) for group in view.groups],
        "comparison": SavedComparison(**view.comparison._asdict()) if view.comparison is not None else None,
    }
    return _SavedView(**values)


def _plate(saved: _SavedPlate, folder: Path) -> Plate:
    view = None
    if saved.view is not None:
        values = dict(saved.view)
        values["layers"] = tuple(layer_from(each, folder) for each in saved.view.layers)
        values["groups"] = tuple(Group(**each.model_dump()) for each in saved.view.groups)
        values["comparison"] = saved.view.comparison.value if saved.view.comparison is not None else None
        view = PlateView(**values)
    return Plate(
        saved.id, saved.title, saved.kind, view, b64decode(saved.picture, validate=True),
        b64decode(saved.other, validate=True), saved.density, saved.caption, saved.alt, saved.captured,
        tuple(PlateSource(**each.model_dump()) for each in saved.sources),
        PlateTable(**dict(saved.table)) if saved.table is not None else None, saved.joined,
        PlateSeries(**dict(saved.series)) if saved.series is not None else None,
        saved.paper.value if saved.paper is not None else None,
    )  # fmt: skip
