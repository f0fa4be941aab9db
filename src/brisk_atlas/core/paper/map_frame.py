"""A map in a frame of a page, at a true scale: layers as shapes where the page holds shapes, else as pixels."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from math import ceil

import numpy as np

from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.composite import lay_picture
from brisk_atlas.core.draw.frame import Frame, Painter
from brisk_atlas.core.draw.labels import BOX_PX, PlacedLabel
from brisk_atlas.core.draw.outlines import Outlines, Pen, Stamps, line, ring
from brisk_atlas.core.draw.overlays import edge_place, grid_lines
from brisk_atlas.core.draw.symbols import outline
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.model import Blend, Extent, Layer
from brisk_atlas.core.model.shapes import AREA, LINE, POLYGON, Shapes
from brisk_atlas.core.place import ground_metres

from .box import INCH_MM, PT_MM, PX_MM, PageBox
from .layout import PaperGrid
from .lettering import CAP_HEIGHT, LINE_HEIGHT, measured, text_width
from .surface import INK, PAPER, Halo, PageSurface

Check = Callable[[], None]
Overlay = Callable[[View, Check], np.ndarray]
"""Draws (rows, cols, 4) uint8 premultiplied RGBA of a view: what stands between layers and is none."""

HALO_PX = 3.0
FADE = 0.62  # how strongly what lies outside a page's feature is paled
GRID_PEN, GRID_PT = Pen(INK, 0.12), 6.5
ZONE_PEN = Pen("#C2452D", 0.5)
MOST_PIXELS = 25_000  # of a frame, each way


@dataclass(frozen=True, eq=False)
class MapFrame:
    """A map on paper. stack : what it is drawn of, bottom first; zone : a feature in the CRS of the view that the rest
    is paled around, None for none; px : millimetres of a pixel of the view."""

    box: PageBox
    view: View
    stack: tuple[Layer | Overlay, ...]
    grid: PaperGrid = PaperGrid.NONE
    zone: Shapes | None = None
    framed: bool = True
    px: float = PX_MM

    @property
    def corners(self) -> list[tuple[float, float]]:
        """The positions of the corners of its box in the CRS of the view, clockwise from the upper left one."""
        wide, high = self.box.width / self.px, self.box.height / self.px
        left, top = (self.view.width - wide) / 2, (self.view.height - high) / 2
        return [self.view.to_map(left + x * wide, top + y * high) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]


def view_on_paper(box: PageBox, crs: str | None, centre: tuple[float, float], scale: float, turn: float = 0.0) -> View:
    """Return the view, a pixel for 1/96 inch, whose middle is that of a box, at a scale of one to `scale` there."""
    resolution = scale * PX_MM / 1000 / ground_metres(crs, *centre)
    return View(*centre, resolution, ceil(box.width / PX_MM), ceil(box.height / PX_MM), crs, 1.0, turn)


def scale_to_fit(box: PageBox, crs: str | None, extent: Extent, turn: float = 0.0, margin: float = 0.05) -> float:
    """Return the number below one of the scale at which an extent fills a box."""
    view = View.fitting(
        extent, max(1, int(box.width / PX_MM)), max(1, int(box.height / PX_MM)), margin=margin, turn=turn
    )
    return view.resolution * ground_metres(crs, *extent.centre) * 1000 / PX_MM


def corner_of(frame: MapFrame) -> tuple[float, float]:
    """Return where the upper left corner of a frame's view lies on the page: the view may be a little larger."""
    x, y = frame.box.middle
    return x - frame.view.width * frame.px / 2, y - frame.view.height * frame.px / 2


def draw_map(surface: PageSurface, painter: Painter, frame: MapFrame, check: Check = lambda: None) -> list[str]:
    """Draw a map with its grid and frame; returns what of it could not be drawn, in words."""
    faults: list[str] = []
    with surface.within(frame.box):
        surface.draw([ring(*_corners(frame.box), fill=PAPER)])
        _draw_stack(surface, painter, frame, faults, check)
        if frame.zone is not None:
            _draw_zone(surface, frame, frame.zone)
        _draw_grid(surface, frame)
        layers = [each for each in frame.stack if isinstance(each, Layer)]
        for label in painter.labels(layers, frame.view, measured, check):
            if _has_room(frame, label):
                _draw_label(surface, frame, label)
    if frame.framed:
        surface.draw([ring(*_corners(frame.box), pen=Pen(INK, 0.25, "mitre"))])
    return faults


def _corners(box: PageBox) -> tuple[tuple[float, float], ...]:
    return (box.x, box.y), (box.right, box.y), (box.right, box.bottom), (box.x, box.bottom)


def _draw_stack(surface: PageSurface, painter: Painter, frame: MapFrame, faults: list[str], check: Check) -> None:
    """Draw layers from the bottom: each that can be as shapes, those between as pixels; one that darkens what is below
    it by itself."""
    waiting: list[Layer | Overlay] = []
    lowest = True
    for each in frame.stack:
        check()
        if not isinstance(each, Layer):
            waiting.append(each)
            continue
        if not each.visible or each.opacity <= 0 or each.style is None or not frame.view.shows_at(each.scales):
            continue
        try:
            shapes = painter.outlines(each, frame.view, check) if surface.holds_outlines else None
        except Exception as error:  # the others are drawn all the same
            faults.append(painter.fault(each, error))
            continue
        if shapes is None and each.blend == Blend.NORMAL:
            waiting.append(each)
            continue
        _lay_pixels(surface, painter, frame, waiting, faults, check, lowest=lowest)
        waiting, lowest = [], False
        if shapes is None:
            plain = replace(each, blend=Blend.NORMAL)
            _lay_pixels(surface, painter, frame, [plain], faults, check, blend=each.blend)
        elif shapes:
            with surface.layer(each.name, each.opacity, each.blend):
                surface.draw(shapes, *corner_of(frame), frame.px)
    _lay_pixels(surface, painter, frame, waiting, faults, check, lowest=lowest)


def _lay_pixels(
    surface: PageSurface, painter: Painter, frame: MapFrame, stack: Sequence[Layer | Overlay], faults: list[str],
    check: Check, *, blend: Blend = Blend.NORMAL, lowest: bool = False,
) -> None:  # fmt: skip
    """Lay what is drawn of pixels on the page, as sharp as the surface has it; with the paper in it where it is the
    lowest, as a picture without holes takes less room."""
    if not stack:
        return
    density = min(surface.dots / INCH_MM * frame.px, MOST_PIXELS / max(frame.view.width, frame.view.height))
    sharp = replace(frame.view, resolution=frame.view.resolution / density, density=density,
                    width=ceil(frame.view.width * density), height=ceil(frame.view.height * density))  # fmt: skip
    run: list[Layer] = []
    image = np.full((sharp.height, sharp.width, 4), 255 if lowest else 0, np.uint8)
    seen = sharp.on_pixels()

    def lay_run() -> None:
        if run:
            drawn: Frame = whole_frame(painter, list(run), sharp, check)
            lay_picture(image, drawn.image)
            faults.extend(drawn.faults.values())
            run.clear()

    for each in stack:
        if isinstance(each, Layer):
            run.append(each)
        else:
            lay_run()
            lay_picture(image, each(seen, check))
    lay_run()
    names = ", ".join(each.name for each in stack if isinstance(each, Layer)) or "Difference"
    if (image < 255).any() if lowest else image.any():
        with surface.layer(names, 1.0, blend):
            surface.picture(image, _box_of(frame, seen))


def _box_of(frame: MapFrame, seen: View) -> PageBox:
    """Return where a picture of about the view of a frame stands on the page."""
    (left, upper), (own_left, own_upper) = frame.view.origin, seen.origin
    x, y = corner_of(frame)
    per_unit = frame.px / frame.view.resolution
    side = seen.resolution * per_unit
    return PageBox(x + (own_left - left) * per_unit, y + (upper - own_upper) * per_unit, seen.width * side,
               seen.height * side)  # fmt: skip


def _draw_zone(surface: PageSurface, frame: MapFrame, zone: Shapes) -> None:
    """Pale what lies outside an area, and draw the outline of a feature."""
    x, y = corner_of(frame)
    paths = [_pixels(frame.view, path) for path in zone.paths(0)]
    areas = [path for path, kind in zip(paths, zone.path_kinds) if kind in (POLYGON, AREA)]
    if areas:
        rim = (np.array(_corners(frame.box.inner(-1.0)), float) - (x, y)) / frame.px
        with surface.layer("Outside", FADE, Blend.NORMAL):
            surface.draw([_shape([*areas, rim], closed=True, fill=PAPER)], x, y, frame.px)
    pen = ZONE_PEN._replace(width=ZONE_PEN.width / frame.px)
    for kind, closed in ((POLYGON, True), (LINE, False)):
        own = [path for path, each in zip(paths, zone.path_kinds) if each == kind]
        if own:
            surface.draw([_shape(own, closed=closed, pen=pen)], x, y, frame.px)


def _shape(paths: list[np.ndarray], *, closed: bool, fill: str | None = None, pen: Pen | None = None) -> Outlines:
    """Return paths as one shape."""
    starts = np.concatenate([[0], np.cumsum([len(path) for path in paths])])
    return Outlines(np.concatenate(paths), starts, np.array([0, len(paths)]), closed, fill, pen)


def _pixels(view: View, xy: np.ndarray) -> np.ndarray:
    return np.column_stack(view.to_pixel(xy[:, 0], xy[:, 1]))  # type: ignore[arg-type]


def _draw_grid(surface: PageSurface, frame: MapFrame) -> None:
    """Draw lines of equal coordinates with their values at the upper and left edge."""
    if not frame.grid:
        return
    x, y = corner_of(frame)
    size, halo = GRID_PT * PT_MM, Halo(PAPER, 0.7)
    lines = grid_lines(frame.view, geographic=frame.grid is PaperGrid.GEOGRAPHIC)
    for each in lines:
        count = len(each.points)
        points = Outlines(each.points * frame.px, np.array([0, count]), np.array([0, 1]), False, None, GRID_PEN)
        surface.draw([points], x, y)
    inner = frame.box.inner(1.0)
    for each in lines:
        at = edge_place(each, frame.view.width, frame.view.height)
        if at is None:
            continue
        wide = text_width(each.text, size, "mono")
        px, py = x + at[0] * frame.px, y + at[1] * frame.px
        if each.upright:
            left = min(max(px - wide / 2, inner.x), inner.right - wide)
            surface.text(each.text, left, inner.y + size * CAP_HEIGHT, size, face="mono", halo=halo)
        elif py > inner.y + 3 * size:  # clear of those along the upper edge
            low = min(py + size * CAP_HEIGHT / 2, inner.bottom)
            surface.text(each.text, inner.x, low, size, face="mono", halo=halo)


def _has_room(frame: MapFrame, label: PlacedLabel) -> bool:
    """Return whether all of a label lies within the frame: on paper nobody moves the map to read the rest."""
    wide, high = measured(label.text, label.look.size)
    (x, y), corner = frame.view.to_pixel(label.x, label.y), corner_of(frame)
    c, s = abs(np.cos(np.radians(label.angle))), abs(np.sin(np.radians(label.angle)))
    half_w, half_h = (wide * c + high * s) / 2 * frame.px, (wide * s + high * c) / 2 * frame.px
    x, y, box = corner[0] + x * frame.px, corner[1] + y * frame.px, frame.box
    return box.x + half_w <= x <= box.right - half_w and box.y + half_h <= y <= box.bottom - half_h


def _draw_label(surface: PageSurface, frame: MapFrame, label: PlacedLabel) -> None:
    """Write a label of a feature as the map has it."""
    x, y = corner_of(frame)
    px, py = frame.view.to_pixel(label.x, label.y)
    at, look = (x + px * frame.px, y + py * frame.px), label.look
    size, lines = look.size * frame.px, label.text.split("\n")
    halo = Halo(look.halo, HALO_PX * frame.px)
    if label.anchor is not None:
        _draw_callout(surface, frame, label, at)
        halo = Halo(look.halo, 0.0)
    turn = np.radians(label.angle)
    across, down = np.array([np.cos(turn), np.sin(turn)]), np.array([-np.sin(turn), np.cos(turn)])
    for number, text in enumerate(lines):
        low = CAP_HEIGHT * size / 2 + (number - (len(lines) - 1) / 2) * size * LINE_HEIGHT
        left = np.array(at) - across * text_width(text, size) / 2 + down * low
        surface.text(text, float(left[0]), float(left[1]), size, colour=look.colour, angle=label.angle,
                     halo=halo if halo.width else None)  # fmt: skip


def _draw_callout(surface: PageSurface, frame: MapFrame, label: PlacedLabel, at: tuple[float, float]) -> None:
    """Draw the box of a callout and the line from it to its feature."""
    assert label.anchor is not None
    corner, look, pad = corner_of(frame), label.look, BOX_PX * frame.px
    wide, high = (each * frame.px for each in measured(label.text, look.size))
    box = PageBox(at[0] - wide / 2 - pad, at[1] - high / 2 - pad, wide + 2 * pad, high + 2 * pad)
    there = frame.view.to_pixel(*label.anchor)
    anchor = corner[0] + there[0] * frame.px, corner[1] + there[1] * frame.px
    near = min(max(anchor[0], box.x), box.right), min(max(anchor[1], box.y), box.bottom)
    pen = Pen(look.colour, frame.px)
    surface.draw([
        line(near, anchor, pen=Pen(look.halo, 3 * frame.px)), line(near, anchor, pen=pen),
        ring(*_corners(box), fill=look.halo, pen=pen),
        Stamps(np.array([anchor]), outline("circle") * 2.2 * frame.px, look.colour),
    ])  # fmt: skip
