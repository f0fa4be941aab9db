"""How a page is first arranged: the map as large as there is room, the rest below or beside it."""

from __future__ import annotations

from .box import PageBox
from .layout import PAGE_WORDS, BlockKind, PaperBlock, PaperSize

MARGIN, GAP = 10.0, 4.0
TITLE, FOOT = 12.0, 9.0  # heights
COLUMN = 0.24  # of the width of a wide page, for what stands beside the map
BAND = 0.2  # of the height of an upright page, for what stands below it


def first_blocks(sheet: PaperSize, wide: bool, *, maps: int = 1, is_map: bool = True) -> tuple[PaperBlock, ...]:
    """Return the blocks of a page. `maps` is 2 for a map that compares two sides; `is_map` is False for a plate that is
    a picture."""
    width, height = reversed(sheet.millimetres) if wide else sheet.millimetres
    size = min(width, height) / 210.0  # larger sheets are looked at from farther away
    room = PageBox(MARGIN, MARGIN, width - 2 * MARGIN, height - 2 * MARGIN)
    title = TITLE * size
    top, foot = room.y + title + GAP / 2, FOOT * size
    blocks = [
        _block(BlockKind.TITLE, PageBox(room.x, room.y, room.width, title), PAGE_WORDS[BlockKind.TITLE][0], 20 * size)
    ]
    space = PageBox(room.x, top, room.width, room.bottom - top - foot - GAP)
    credits = PageBox(room.x, room.bottom - foot, room.width, foot)
    if not is_map:
        return (*blocks, _block(BlockKind.PICTURE, space), _block(BlockKind.CREDITS, credits, size=7.5 * size))
    aside = _aside(space, wide, size)
    if wide:
        maps_box = PageBox(space.x, space.y, space.width - aside["legend"].width - GAP, space.height)
    else:
        maps_box = PageBox(space.x, space.y, space.width, aside["legend"].y - GAP - space.y)
    blocks += _maps(maps_box, maps, wide)
    blocks += [
        _block(BlockKind.LEGEND, aside["legend"], size=8.5 * size),
        _block(BlockKind.INSET, aside["inset"], framed=True),
        _block(BlockKind.TEXT, aside["text"], PAGE_WORDS[BlockKind.TEXT][0], 8.5 * size),
        _block(BlockKind.SCALE_BAR, aside["bar"], size=8 * size),
        _block(BlockKind.NORTH, aside["north"], size=9 * size),
        _block(BlockKind.CREDITS, credits, size=7.5 * size),
    ]
    return tuple(blocks)


def _block(kind: BlockKind, box: PageBox, text: str = "", size: float = 9.0, framed: bool = False) -> PaperBlock:
    return PaperBlock(str(kind), kind, 0, 0, 1, 1, text, round(size, 1), 0, framed).at(box)


def _maps(box: PageBox, maps: int, wide: bool) -> list[PaperBlock]:
    """Return one map, or two beside each other or one over the other."""
    if maps == 1:
        return [_block(BlockKind.MAP, box, framed=True)]
    if wide:
        half = (box.width - GAP) / 2
        boxes = [PageBox(box.x + side * (half + GAP), box.y, half, box.height) for side in (0, 1)]
    else:
        half = (box.height - GAP) / 2
        boxes = [PageBox(box.x, box.y + side * (half + GAP), box.width, half) for side in (0, 1)]
    return [_block(BlockKind.MAP, each, framed=True)._replace(id=f"map {'AB'[side]}", side=side)
            for side, each in enumerate(boxes)]  # fmt: skip


def _aside(space: PageBox, wide: bool, size: float) -> dict[str, PageBox]:
    """Return where the small things stand: a column beside the map, or a band below it."""
    bar, line, north = 11.0 * size, 5.0 * size, 14.0 * size
    if wide:
        across = space.width * COLUMN
        left, inset = space.right - across, min(across, space.height * 0.3)
        low = space.bottom
        return {
            "inset": PageBox(left, low - inset, across, inset),
            "text": PageBox(left, low - inset - GAP - line, across, line),
            "bar": PageBox(left, low - inset - 2 * GAP - line - bar, across - north - GAP, bar),
            "north": PageBox(space.right - north, low - inset - 2 * GAP - line - north, north, north),
            "legend": PageBox(left, space.y, across, low - inset - 3 * GAP - line - north - space.y),
        }
    high = space.height * BAND
    top, third = space.bottom - high, (space.width - 2 * GAP) / 3
    return {
        "legend": PageBox(space.x, top, third * 1.35, high),
        "bar": PageBox(space.x + third * 1.35 + GAP, top, third * 0.95 - north - GAP, bar),
        "text": PageBox(space.x + third * 1.35 + GAP, top + north + GAP, third * 0.95, high - north - GAP),
        "north": PageBox(space.x + third * 2.3 + GAP - north, top, north, north),
        "inset": PageBox(space.x + third * 2.3 + 2 * GAP, top, third * 0.7, high),
    }
