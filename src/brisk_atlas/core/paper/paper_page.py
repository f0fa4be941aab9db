"""Pages of a map on paper: what stands in each block, drawn on any surface."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from brisk_atlas.core.draw.frame import Painter
from brisk_atlas.core.draw.legend import Legend
from brisk_atlas.core.draw.outlines import Pen, ring
from brisk_atlas.core.draw.overlays import north_of
from brisk_atlas.core.model import Extent, Layer, Style, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Shapes

from .box import PX_MM
from .layout import BlockKind, Paper, PaperBlock, scale_text
from .map_frame import MapFrame, Overlay, corner_of, draw_map, scale_to_fit, view_on_paper
from .paper_legend import draw_legend
from .small_parts import (
    draw_credits,
    draw_frame,
    draw_north,
    draw_picture,
    draw_scale_bar,
    draw_text,
    draw_title,
    filled,
)
from .surface import PageSurface

SHOWN_PEN, SMALLEST_SHOWN = Pen("#C2452D", 0.4, "mitre"), 3.0  # of the rectangle by which an inset shows the map, mm
MOST_LETTERS = 20  # that are named


@dataclass(frozen=True, eq=False)
class PaperPage:
    """One of the pages: its name, where its map looks in the CRS of the map, the number below one of its scale, what
    its words are, and the feature that it is of."""

    name: str
    centre: tuple[float, float]
    scale: float
    words: Mapping[str, str] = field(default_factory=dict)
    zone: Shapes | None = None


@dataclass(frozen=True, eq=False)
class PaperContent:
    """All that pages show. sides : what the maps are drawn of, bottom first: one, or A and B; inset : layers of the
    wider map, and all that it shows; picture : (rows, cols, 4) uint8 premultiplied RGBA of a plate that is no map."""

    paper: Paper
    words: Mapping[str, str]
    sides: tuple[tuple[Layer | Overlay, ...], ...] = ()
    side_names: tuple[str, ...] = ()
    crs: str | None = None
    turn: float = 0.0
    inset: tuple[Layer, ...] = ()
    inset_extent: Extent | None = None
    legends: tuple[tuple[str, Legend], ...] = ()
    credits: str = ""
    picture: np.ndarray | None = None
    pages: tuple[PaperPage, ...] = ()


def map_frames(content: PaperContent, number: int) -> list[tuple[PaperBlock, MapFrame]]:
    """Return the maps of a page."""
    paper, page = content.paper, content.pages[number]
    found = []
    for block in paper.of_kind(BlockKind.MAP):
        view = view_on_paper(block.box, content.crs, page.centre, page.scale, content.turn)
        zone = page.zone if paper.pages is not None and paper.pages.faded else None
        stack = content.sides[min(block.side, len(content.sides) - 1)]
        found.append((block, MapFrame(block.box, view, stack, paper.grid, zone, block.framed)))
    return found


def draw_page(
    surface: PageSurface, painter: Painter, content: PaperContent, number: int, check: Callable[[], None] = lambda: None
) -> list[str]:
    """Draw a page; returns what of it could not be drawn, in words."""
    page, count = content.pages[number], len(content.pages)
    words = {**content.words, **page.words, "page": f"{number + 1}", "pages": f"{count}", "zone": page.name,
             "scale": scale_text(page.scale)}  # fmt: skip
    frames = map_frames(content, number)
    drawn = {block.id: frame for block, frame in frames}
    faults: list[str] = []
    for block in content.paper.blocks:
        check()
        match block.kind:
            case BlockKind.MAP:
                faults += draw_map(surface, painter, drawn[block.id], check)
                if len(content.side_names) > 1:
                    _draw_side(surface, block, content.side_names[block.side])
            case BlockKind.INSET:
                faults += _draw_inset(surface, painter, block, content, frames, check)
            case BlockKind.TITLE:
                draw_title(surface, block, filled(block.text, words))
            case BlockKind.TEXT:
                draw_text(surface, block, filled(block.text, words))
            case BlockKind.LEGEND:
                draw_legend(surface, block, content.legends)
            case BlockKind.SCALE_BAR:
                if content.crs:
                    draw_scale_bar(surface, block, page.scale)
            case BlockKind.NORTH:
                north = north_of(frames[0][1].view) if frames else None
                if north is not None:
                    draw_north(surface, block, north)
            case BlockKind.CREDITS:
                draw_credits(surface, block, content.credits)
            case BlockKind.PICTURE:
                if content.picture is not None:
                    draw_picture(surface, block.box, content.picture)
        if block.framed and block.kind is not BlockKind.MAP:
            draw_frame(surface, block.box)
    if surface.missing:
        letters = " ".join(sorted(surface.missing)[:MOST_LETTERS])
        faults.append(tr("No font of this machine has {letters}: drawn as boxes. Install a font that has them.",
                         letters=letters))  # fmt: skip
    return list(dict.fromkeys(faults))


def _draw_side(surface: PageSurface, block: PaperBlock, name: str) -> None:
    """Write which side a map shows in its upper right corner."""
    from .box import PT_MM
    from .lettering import CAP_HEIGHT, shortened, text_width
    from .surface import PAPER, Halo

    size = 9.5 * PT_MM
    text = shortened(f"{'AB'[block.side]}: {name}", size, block.width - 4)
    left = block.box.right - 2 - text_width(text, size, "sans-bold")
    surface.text(text, left, block.y + 2 + size * CAP_HEIGHT, size, face="sans-bold", halo=Halo(PAPER, 1.0))


def _draw_inset(
    surface: PageSurface, painter: Painter, block: PaperBlock, content: PaperContent,
    frames: list[tuple[PaperBlock, MapFrame]], check: Callable[[], None],
) -> list[str]:  # fmt: skip
    """Draw where the map lies within a wider one."""
    if content.inset_extent is None or not frames:
        return []
    scale = scale_to_fit(block.box, content.crs, content.inset_extent)
    view = view_on_paper(block.box, content.crs, content.inset_extent.centre, scale)
    frame = MapFrame(block.box, view, content.inset, framed=False)
    plain = tuple(replace(layer, style=_without_labels(layer)) for layer in content.inset)
    faults = draw_map(surface, painter, replace(frame, stack=plain), check)
    shown = frames[0][1]
    x, y = corner_of(frame)
    places = [(x + px * PX_MM, y + py * PX_MM) for px, py in (view.to_pixel(*corner) for corner in shown.corners)]
    middle, reach = np.mean(places, axis=0), max(np.ptp(np.array(places), axis=0))
    grown = (np.array(places) - middle) * max(1.0, SMALLEST_SHOWN / reach) + middle if reach > 0 else np.array(places)
    with surface.within(block.box):
        surface.draw([ring(*map(tuple, grown.tolist()), pen=SHOWN_PEN)])
    return faults


def _without_labels(layer: Layer) -> Style | None:
    """Return the style of a layer without its texts, which a small map has no room for."""
    style = layer.style
    if not isinstance(style, VectorStyle):
        return style
    rules = tuple(replace(rule, style=replace(rule.style, label=None)) for rule in style.rules)
    return replace(style, label=None, rules=rules)
