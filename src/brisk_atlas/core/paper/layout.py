"""Where things stand on paper. Values; a plate of the album holds one."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

from brisk_atlas.core.model.digit_groups import grouped

from .box import PageBox

MINIMUM_MM = 3.0  # of a block, each way


class PaperSize(StrEnum):
    """Sizes of paper: of ISO 216, and the usual ones in inches."""

    A0 = "A0"
    A1 = "A1"
    A2 = "A2"
    A3 = "A3"
    A4 = "A4"
    A5 = "A5"
    LETTER = "Letter"
    TABLOID = "Tabloid"

    @property
    def millimetres(self) -> tuple[float, float]:
        """Its short and its long side."""
        return _SIDES[self]


_SIDES = {PaperSize.A0: (841.0, 1189.0), PaperSize.A1: (594.0, 841.0), PaperSize.A2: (420.0, 594.0),
          PaperSize.A3: (297.0, 420.0), PaperSize.A4: (210.0, 297.0), PaperSize.A5: (148.0, 210.0),
          PaperSize.LETTER: (215.9, 279.4), PaperSize.TABLOID: (279.4, 431.8)}  # fmt: skip


class BlockKind(StrEnum):
    """What stands in a block of a page."""

    MAP = "map"
    INSET = "inset"  # where the map lies within a wider one
    TITLE = "title"
    TEXT = "text"
    LEGEND = "legend"
    SCALE_BAR = "scale bar"
    NORTH = "north"
    CREDITS = "credits"
    PICTURE = "picture"  # of a plate that is no map


class PaperGrid(StrEnum):
    """Lines of equal coordinates on a map."""

    NONE = ""
    PROJECTED = "projected"
    GEOGRAPHIC = "geographic"


class PaperBlock(NamedTuple):
    """A block of a page: millimetres from the upper left corner of the paper. `text` is that of a title or text, with
    words in braces that each page fills (`page_words`), `size` of its letters in points; `side` is 0 for A and 1 for B
    of a map that compares two; `framed` draws a line around it."""

    id: str
    kind: BlockKind
    x: float
    y: float
    width: float
    height: float
    text: str = ""
    size: float = 9.0
    side: int = 0
    framed: bool = False

    @property
    def box(self) -> PageBox:
        """Where it stands."""
        return PageBox(self.x, self.y, self.width, self.height)

    def at(self, box: PageBox) -> PaperBlock:
        """Return it elsewhere, no smaller than can be taken hold of."""
        return self._replace(x=round(box.x, 2), y=round(box.y, 2), width=round(max(MINIMUM_MM, box.width), 2),
                             height=round(max(MINIMUM_MM, box.height), 2))  # fmt: skip


class PagesByFeature(NamedTuple):
    """A page for each feature of a layer: `name` is the field that names the pages, `order` the field that they are
    sorted by, "" for the order of the layer. With `fits` each page has the round scale at which its feature finds room,
    otherwise all have that of the paper. `faded` pales what lies outside the feature."""

    layer: str
    name: str
    order: str = ""
    fits: bool = True
    faded: bool = True


PAGE_WORDS = {BlockKind.TITLE: ("{title}", "{title}: {zone}"),
              BlockKind.TEXT: ("1 : {scale} · {crs}", "1 : {scale} · {crs} · page {page} of {pages}")}  # fmt: skip


class Paper(NamedTuple):
    """A plate on paper: its sheet, `wide` on its long side; the number below one of the map's scale; the middle of the
    map in its CRS, None for that of the plate; blocks, the lowest first; dots in an inch of what is drawn of pixels."""

    sheet: PaperSize
    wide: bool
    scale: float
    blocks: tuple[PaperBlock, ...]
    centre: tuple[float, float] | None = None
    grid: PaperGrid = PaperGrid.NONE
    pages: PagesByFeature | None = None
    dots: int = 300

    @property
    def size(self) -> tuple[float, float]:
        """Width and height in millimetres."""
        width, height = self.sheet.millimetres
        return (height, width) if self.wide else (width, height)

    def block(self, block_id: str) -> PaperBlock | None:
        """Return a block by its id."""
        return next((each for each in self.blocks if each.id == block_id), None)

    def of_kind(self, kind: BlockKind) -> tuple[PaperBlock, ...]:
        """Return the blocks of a kind."""
        return tuple(each for each in self.blocks if each.kind is kind)

    def changed(self, block: PaperBlock) -> Paper:
        """Return it with another block in the place of the one of this id."""
        return self._replace(blocks=tuple(block if each.id == block.id else each for each in self.blocks))

    def without(self, block_id: str) -> Paper:
        """Return it without a block."""
        return self._replace(blocks=tuple(each for each in self.blocks if each.id != block_id))

    def by_feature(self, pages: PagesByFeature | None) -> Paper:
        """Return it with a page for each feature of a layer, or with one alone; texts that were not changed by hand say
        which page it is."""
        before, after = (0, 1) if pages is not None else (1, 0)
        blocks = tuple(
            each._replace(text=PAGE_WORDS[each.kind][after])
            if each.kind in PAGE_WORDS and each.text == PAGE_WORDS[each.kind][before] else each
            for each in self.blocks
        )  # fmt: skip
        return self._replace(pages=pages, blocks=blocks)

    def on_sheet(self, sheet: PaperSize) -> Paper:
        """Return it on another size of paper, everything grown or shrunk with it but the map's scale."""
        before, after = self.size, self._replace(sheet=sheet).size
        fx, fy = after[0] / before[0], after[1] / before[1]
        grown = (
            each._replace(size=round(each.size * min(fx, fy), 1)).at(
                PageBox(each.x * fx, each.y * fy, each.width * fx, each.height * fy)
            )
            for each in self.blocks
        )
        return self._replace(sheet=sheet, blocks=tuple(grown))

    def with_block(self, block: PaperBlock) -> Paper:
        """Return it with one more block on top, under an id that nothing in it has."""
        taken = {each.id for each in self.blocks}
        free = next(name for n in range(1, len(taken) + 2) if (name := f"{block.kind} {n}") not in taken)
        return self._replace(blocks=(*self.blocks, block._replace(id=free)))


def scale_text(scale: float) -> str:
    """Return the number below one of a scale as it is written."""
    return grouped(scale, ",.0f") if scale >= 100 else f"{scale:g}"


def round_scale(needed: float) -> float:
    """Return the next scale up that is read easily: 1, 2, 2.5 or 5 times a power of ten."""
    from math import floor, log10

    power = 10.0 ** floor(log10(needed))
    return next(n * power for n in (1.0, 2.0, 2.5, 5.0, 10.0) if n * power >= needed * (1 - 1e-9))
