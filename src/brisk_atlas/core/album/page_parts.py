"""What a page of an album is made of. Values; pictures and texts are whole, nothing is looked up any more."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from brisk_atlas.core.draw.legend_lines import LegendLines
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import Layer
from brisk_atlas.core.paper.layout import PaperGrid
from brisk_atlas.core.paper.map_frame import Overlay


class PictureGroup(StrEnum):
    """How pictures that belong together are looked at: two with a curtain between them or by turns, more one by one."""

    CURTAIN = "curtain"
    BLINK = "blink"
    SERIES = "series"


@dataclass(frozen=True, eq=False)
class PictureMap:
    """What a picture of a map is drawn of, bottom first, for pages that hold shapes."""

    stack: tuple[Layer | Overlay, ...]
    view: View
    grid: PaperGrid


@dataclass(frozen=True)
class PagePicture:
    """A picture as a browser reads it, and its size on a page in pixels of 1/96 inch. `name` says what it shows where
    it is one of several, `map` what it was drawn of, None where that is not asked for or is not as it was."""

    data: bytes
    media_type: str
    width: int
    height: int
    name: str = ""
    map: PictureMap | None = None


@dataclass(frozen=True, eq=False)
class PageSeries:
    """Values over time of features. `title` says what they are, with their unit; `lines` are times as ISO 8601 with
    values; `of_rows` is for each feature the number of its line, None without one; `is_thinned` where some values are
    left out."""

    title: str
    source: str
    lines: tuple[tuple[tuple[str, float], ...], ...]
    of_rows: tuple[int | None, ...]
    is_thinned: bool = False


@dataclass(frozen=True, eq=False)
class PageFeatures:
    """Features that a click finds: rings and lines in pixels of the picture.

    Attributes
    ----------
    layer : what they are of
    fields : names, with units where known
    rows : for each feature its values, as texts; "" for a missing one
    kinds : for each feature "point", "line" or "area"
    paths : for each feature its paths, (n, 2) arrays
    left_out : how many more there are
    series : values over time that they have
    keys : what tables know them by, for each feature, where that was asked for
    """

    layer: str
    fields: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    kinds: tuple[str, ...]
    paths: tuple[tuple[np.ndarray, ...], ...]
    left_out: int = 0
    series: PageSeries | None = None
    keys: tuple[str, ...] = ()


@dataclass(frozen=True)
class PageTable:
    """Rows as texts; which of the fields are numbers; how many rows there are in all."""

    fields: tuple[str, ...]
    numbers: tuple[bool, ...]
    rows: tuple[tuple[str, ...], ...]
    total: int


@dataclass(frozen=True, eq=False)
class PageRelief:
    """A relief that can be turned: `model` is binary glTF 2.0 in metres, y up, heights exaggerated. It is first looked
    at from `distance` metres towards `azimuth`, degrees clockwise from north, `tilt` degrees below the horizon, with
    `field` degrees from the top to the bottom."""

    model: bytes
    distance: float
    azimuth: float
    tilt: float
    field: float
    exaggeration: float


@dataclass(frozen=True, eq=False)
class PageFigure:
    """A picture, or several that belong together, with what is to be known of it.

    `metres` is what a pixel is across, None where a scale bar would have no meaning; `north` is where north lies,
    degrees clockwise from up, None where it is not known. `credits` are names of layers with whom they are credited to.
    `link` opens the view in the application, "" where others can't reach what it shows.
    """

    id: str
    title: str
    pictures: tuple[PagePicture, ...]
    caption: str = ""
    alt: str = ""
    compared: PictureGroup | None = None
    legends: tuple[tuple[str, LegendLines], ...] = ()
    metres: float | None = None
    north: float | None = None
    facts: tuple[str, ...] = ()
    credits: tuple[tuple[tuple[str, ...], str], ...] = ()
    features: tuple[PageFeatures, ...] = ()
    table: PageTable | None = None
    note: str = ""
    relief: PageRelief | None = None
    link: str = ""

    @property
    def sources(self) -> tuple[str, ...]:
        """What its data is from, in words: names of layers with whom they are credited to."""
        return tuple(f"{', '.join(names)}{f' ({credit})' if credit else ''}" for names, credit in self.credits)


@dataclass(frozen=True)
class PagePassage:
    """Text between figures; Markdown."""

    id: str
    title: str
    text: str = ""


@dataclass(frozen=True, eq=False)
class PageContent:
    """All of a page."""

    title: str
    summary: str
    parts: tuple[PageFigure | PagePassage, ...]
