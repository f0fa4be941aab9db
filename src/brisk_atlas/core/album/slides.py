"""An album as slides, whatever file they go to: one for each figure and passage, and where what stands on it.

All lengths are centimetres, from the left and the top of a slide.
"""

from __future__ import annotations

import base64
import io
from collections.abc import Iterator
from dataclasses import dataclass
from enum import Enum
from math import ceil
from typing import Any, NamedTuple

from lxml import html

from brisk_atlas.core.draw.legend_lines import LegendLines
from brisk_atlas.core.draw.overlays import bar_for
from brisk_atlas.core.model.digit_groups import grouped

from .markdown_text import paragraphs_of
from .page_parts import PageContent, PageFigure, PagePassage, PagePicture, PageTable

WIDTH, HEIGHT, EDGE = 28.0, 15.75, 1.2
HEAD, FOOT, GAP, CAPTION = 1.6, 0.9, 0.5, 2.6
LEGEND, LEGEND_LINE, SWATCH_WIDE, SWATCH_HIGH, RAMP_HIGH = 5.6, 0.55, 0.7, 0.4, 0.35
BAR_LONGEST, BAR_HIGH, PX = 5.0, 0.12, 2.54 / 96  # PX: centimetres of a pixel
ROW_HIGH, LETTER, MOST_FIELDS = 0.62, 0.21, 8  # of a table: a row, a letter, and how many fields are shown
MOST_TEXT = 2_000  # characters of a slide's text
INK, QUIET, PAPER, RULE = "#1D2A35", "#5F6B73", "#FFFDF8", "#D9D1C3"


class TextLook(Enum):
    """How a paragraph is set: its size in points, colour, and whether it is bold."""

    TITLE = (40, INK, True)
    HEAD = (26, INK, True)
    TEXT = (16, INK, False)
    LABEL = (11, INK, False)
    SMALL = (11, QUIET, False)


class SlideRun(NamedTuple):
    """Letters that are set alike; `link` is an address of the web, "" for none."""

    text: str
    bold: bool = False
    italic: bool = False
    link: str = ""


class SlideParagraph(NamedTuple):
    """A paragraph of a text."""

    look: TextLook
    runs: tuple[SlideRun, ...]


@dataclass(frozen=True)
class SlideItem:
    """What has a place on a slide."""

    left: float
    top: float
    width: float
    height: float


@dataclass(frozen=True)
class SlideText(SlideItem):
    """Paragraphs."""

    paragraphs: tuple[SlideParagraph, ...]


@dataclass(frozen=True)
class SlidePicture(SlideItem):
    """A picture, with words for those who don't see it."""

    data: bytes
    media_type: str
    words: str


@dataclass(frozen=True)
class SlideBox(SlideItem):
    """A rectangle that is filled."""

    colour: str


@dataclass(frozen=True)
class SlideTable(SlideItem):
    """Rows of texts under heads; which columns are numbers."""

    heads: tuple[str, ...]
    numbers: tuple[bool, ...]
    rows: tuple[tuple[str, ...], ...]


class Slide(NamedTuple):
    """A slide: a name that no other of the album has, and what is on it."""

    name: str
    items: tuple[SlideItem, ...]


def slides_of(content: PageContent) -> Iterator[Slide]:
    """Yield the slides of an album, one with its title first."""
    title = _text(EDGE, 5.0, WIDTH - 2 * EDGE, 5.0,
                  [_line(content.title, TextLook.TITLE), *_paragraphs(content.summary)])  # fmt: skip
    yield Slide(_name(1, content.title), tuple(title))
    for number, part in enumerate(content.parts, 2):
        items = _passage(part) if isinstance(part, PagePassage) else _figure(part)
        yield Slide(_name(number, part.title), tuple(items))


def as_jpeg(picture: PagePicture) -> tuple[bytes, str]:
    """Return a picture in a format that every program reads, and its media type."""
    from PIL import Image as PilImage

    if picture.media_type == "image/jpeg":
        return picture.data, picture.media_type
    out = io.BytesIO()
    with PilImage.open(io.BytesIO(picture.data)) as found:
        found.convert("RGB").save(out, "JPEG", quality=95, subsampling=0)
    return out.getvalue(), "image/jpeg"


def plain(text: str) -> str:
    """Return a text without characters that XML does not have."""
    return "".join(each for each in text if each in "\t\n" or 0x20 <= ord(each) < 0xD800 or 0xE000 <= ord(each) < 0xFFFE
                   or ord(each) > 0xFFFF)  # fmt: skip


def _name(number: int, title: str) -> str:
    return f"{number} {plain(title)[:60]}".strip()


def _text(left: float, top: float, width: float, height: float, paragraphs: list[SlideParagraph]) -> list[SlideText]:
    return [SlideText(left, top, width, height, tuple(paragraphs))] if height > 0 and paragraphs else []


def _line(text: str, look: TextLook) -> SlideParagraph:
    return SlideParagraph(look, (SlideRun(plain(text)[:MOST_TEXT]),))


def _paragraphs(markdown: str) -> list[SlideParagraph]:
    found = []
    for text, in_list in paragraphs_of(plain(markdown)[:MOST_TEXT]):
        runs = _runs(html.fragment_fromstring(text, create_parent="p"), SlideRun(""))
        found.append(SlideParagraph(TextLook.TEXT, (*([SlideRun("• ")] if in_list else []), *runs)))
    return found


def _runs(element: Any, look: SlideRun) -> Iterator[SlideRun]:
    """Yield the letters of an element of a page layout: text, strong, emphasis, links and breaks of a line."""
    look = look._replace(
        bold=look.bold or element.tag == "b",
        italic=look.italic or element.tag == "i",
        link=str(element.get("href") or "") if element.tag == "a" else look.link,
    )
    if element.tag == "br":
        yield look._replace(text="\n")
    if element.text:
        yield look._replace(text=plain(element.text))
    for each in element:
        yield from _runs(each, look)
        if each.tail:
            yield look._replace(text=plain(each.tail))


def _headed(title: str) -> tuple[list[SlideItem], float]:
    """Return the head of a slide, and where what follows begins."""
    if not title:
        return [], EDGE
    return [*_text(EDGE, EDGE, WIDTH - 2 * EDGE, HEAD, [_line(title, TextLook.HEAD)])], EDGE + HEAD


def _passage(passage: PagePassage) -> Iterator[SlideItem]:
    head, top = _headed(passage.title)
    yield from head
    yield from _text(EDGE, top, WIDTH - 2 * EDGE, HEIGHT - top - EDGE, _paragraphs(passage.text))


def _figure(figure: PageFigure) -> Iterator[SlideItem]:
    head, top = _headed(figure.title)
    yield from head
    caption = CAPTION if figure.caption else 0.0
    high = HEIGHT - top - caption - FOOT - EDGE
    wide = WIDTH - 2 * EDGE
    stated = [*figure.facts, *figure.sources, figure.note]
    if figure.pictures:
        beside = LEGEND + GAP if figure.legends else 0.0
        if figure.legends:
            yield from _legends(figure, WIDTH - EDGE - LEGEND, top, high)
        yield from _pictures(figure, top, wide - beside, high)
        stated = [*(each.name for each in figure.pictures if each.name), *stated]
    elif figure.table is not None and figure.table.fields:
        table = _table(figure.table, top, wide, high)
        yield table
        stated = [*_left_out(figure.table, table), *stated]
    yield from _text(EDGE, top + high + 0.1, wide, caption, _paragraphs(figure.caption))
    line = " · ".join(filter(None, stated))
    yield from _text(EDGE, HEIGHT - FOOT - 0.3, wide, FOOT, [_line(line, TextLook.SMALL)])


def _pictures(figure: PageFigure, top: float, wide: float, high: float) -> Iterator[SlideItem]:
    """Yield pictures beside each other, in rows where they are many, as large as there is room, each with its bar."""
    count = len(figure.pictures)
    rows = max(1, round((count * high / wide) ** 0.5)) if count > 3 else 1
    columns = ceil(count / rows)
    most_wide, most_high = ((room - GAP * (n - 1)) / n for room, n in ((wide, columns), (high, rows)))
    for number, picture in enumerate(figure.pictures):
        scale = min(most_wide / picture.width, most_high / picture.height)
        width, height = picture.width * scale, picture.height * scale
        left = EDGE + number % columns * (most_wide + GAP) + (most_wide - width) / 2
        upper = top + number // columns * (most_high + GAP)
        words = f"{figure.alt or figure.title}{f': {picture.name}' if picture.name else ''}"
        yield SlidePicture(left, upper, width, height, *as_jpeg(picture), plain(words))
        if figure.metres is not None:
            yield from _bar(figure.metres / scale, left, upper + height, min(BAR_LONGEST, width / 2))


def _bar(metres: float, left: float, bottom: float, longest: float) -> Iterator[SlideItem]:
    """Yield a bar of a round length on the lower left of a picture, of which a centimetre is so many metres."""
    bar = bar_for(metres, longest)
    if bar is None:
        return
    length, words = bar
    yield SlideBox(left + 0.2, bottom - 1.05, max(length, 2.4) + 0.4, 0.85, PAPER)
    yield from _text(left + 0.4, bottom - 1.0, max(length, 2.4), 0.6, [_line(words, TextLook.LABEL)])
    yield SlideBox(left + 0.4, bottom - 0.4, length, BAR_HIGH, INK)


def _legends(figure: PageFigure, left: float, top: float, high: float) -> Iterator[SlideItem]:
    """Yield what legends say, as much of it as there is room for."""
    bottom, at = top + high, top
    for name, legend in figure.legends:
        says_all = [words for _, _, words in legend.entries] == [name]  # a single look, called as the layer
        lines = (not says_all) + (2 if legend.ramp else min(1, len(legend.entries)))
        if at + lines * LEGEND_LINE > bottom:
            return
        if not says_all:
            title = f"{name}: {legend.title}" if legend.title and legend.title != name else name
            yield from _text(left, at, LEGEND, LEGEND_LINE, [_line(_cut(title, LEGEND), TextLook.SMALL)])
            at += LEGEND_LINE
        fitting = int((bottom - at) / LEGEND_LINE)
        yield from _entries(legend, left, at, fitting)
        at += (2 if legend.ramp else min(fitting, len(legend.entries))) * LEGEND_LINE + 0.2


def _entries(legend: LegendLines, left: float, top: float, fitting: int) -> Iterator[SlideItem]:
    """Yield the lines of a legend, the last of them says how many have no room."""
    if legend.ramp:
        yield _swatch(legend.ramp, left, top, LEGEND, RAMP_HIGH)
        words = f"{legend.low} … {legend.high}"
        yield from _text(left, top + RAMP_HIGH, LEGEND, LEGEND_LINE, [_line(words, TextLook.LABEL)])
        return
    shown = len(legend.entries) if len(legend.entries) <= fitting else fitting - 1
    for number, (picture, colour, words) in enumerate(legend.entries[:shown]):
        y = top + number * LEGEND_LINE
        if picture:
            yield _swatch(picture, left, y + 0.07, SWATCH_WIDE, SWATCH_HIGH)
        else:
            yield SlideBox(left, y + 0.07, SWATCH_WIDE, SWATCH_HIGH, colour[:7])
        beside = SWATCH_WIDE + 0.2
        label = _line(_cut(words, LEGEND - beside), TextLook.LABEL)
        yield from _text(left + beside, y, LEGEND - beside, LEGEND_LINE, [label])
    if shown < len(legend.entries):
        more = _line(f"and {grouped(len(legend.entries) - shown)} more", TextLook.SMALL)
        yield from _text(left, top + shown * LEGEND_LINE, LEGEND, LEGEND_LINE, [more])


def _swatch(address: str, left: float, top: float, width: float, height: float) -> SlidePicture:
    """Return a picture of a legend, that an address holds."""
    kind, _, data = address.removeprefix("data:").partition(";base64,")
    return SlidePicture(left, top, width, height, base64.b64decode(data), kind, "")


def _table(table: PageTable, top: float, wide: float, high: float) -> SlideTable:
    """Return the rows and fields that there is room for."""
    fields = min(len(table.fields), MOST_FIELDS)
    count = max(0, min(len(table.rows), int(high / ROW_HIGH) - 1))
    one = wide / fields
    rows = tuple(tuple(_cut(text, one) for text in row[:fields]) for row in table.rows[:count])
    heads = tuple(_cut(text, one) for text in table.fields[:fields])
    return SlideTable(EDGE, top, wide, ROW_HIGH * (count + 1), heads, table.numbers[:fields], rows)


def _left_out(table: PageTable, shown: SlideTable) -> list[str]:
    """Return how much of a table stands on a slide, in words."""
    rows, fields = len(shown.rows), len(table.fields) - len(shown.heads)
    words = [
        f"{grouped(rows)} of {grouped(table.total)} rows" if rows < table.total else f"{grouped(table.total)} rows"
    ]
    return [*words, f"{grouped(fields)} more fields are in the data"] if fields else words


def _cut(text: str, wide: float) -> str:
    """Return a text as one line so wide holds it."""
    line, most = " ".join(plain(text).split()), max(2, int(wide / LETTER))
    return line if len(line) <= most else line[: most - 1] + "…"
