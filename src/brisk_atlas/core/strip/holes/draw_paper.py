"""Strip logs on paper: PDF pages at a true scale, with lines as lines and letters as letters."""

from __future__ import annotations

import io
from collections.abc import Callable, Sequence
from dataclasses import replace
from math import ceil
from pathlib import Path

import numpy as np
from PIL import Image
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.direction import reads_leftwards
from brisk_atlas.core.paper.layout import PaperSize
from brisk_atlas.core.paper.lettering import broken, shortened, text_width
from brisk_atlas.core.paper.pdf_fonts import register_fonts
from brisk_atlas.core.paper.pdf_letters import write_at
from brisk_atlas.core.place.hole_path import FOOT_M
from brisk_atlas.core.system.atomic_write import written_beside

from .drawing import Align, BoxMark, ClipMark, Drawing, LineMark, PhotoMark, TextMark
from .log_drawing import GAP, HoleOnShow, head_height, log_drawing, width_of
from .patterns import Pattern
from .photographs import photograph
from .tracks import LogTemplate

PT_MM = 72 / 25.4
PAGES_MM = {str(size): size.millimetres for size in (PaperSize.A4, PaperSize.A3)}
MARGIN, FOOT = 12.0, 10.0
NARROWEST = 0.5  # of the width of tracks, to which they are made narrower to fit a page
LETTER = 1.36  # points of type to the height of its letters, in points
FILL_OPACITY = 0.25
PHOTO_DPI = 200


def write_pages(
    holes: Sequence[HoleOnShow], template: LogTemplate, path: Path, *, scale: float = 200.0, page: str = "A4",
    markers: Sequence[HoleMarker] = (), check: Callable[[], None] = lambda: None,
) -> int:  # fmt: skip
    """Write the log of holes as PDF at 1:`scale`, as many pages as it takes, heads on each; returns how many.

    Depths that are vertical are at a true scale too, and those along a hole as long as the hole. Raises AtlasError for
    tracks that are wider than the page.
    """
    register_fonts()
    width, height = PAGES_MM[page]
    template = _narrowed(template, len(holes), width - 2 * MARGIN)
    low, high = _ends(holes, template)
    room = height - 2 * MARGIN - FOOT - head_height(template)
    metres = room * scale / 1000.0
    step = metres / FOOT_M if template.depth.feet else metres
    first = log_drawing(holes, template, (low, low + step), height - 2 * MARGIN - FOOT, markers)
    if first.width > width - 2 * MARGIN + 0.01:
        wide = f"the tracks are {first.width:.0f} mm wide, and a page of {page} has {width - 2 * MARGIN:.0f} mm"
        raise AtlasError(path, wide, tr("Choose fewer or narrower tracks, or a larger page."))
    count = max(1, ceil((high - low) / step - 1e-9))
    names = ", ".join(each.data.hole.name for each in holes)
    with written_beside(path) as beside:
        canvas = Canvas(str(beside), pagesize=(width * PT_MM, height * PT_MM), pageCompression=1)
        canvas.setTitle(f"Strip log of {names}")
        for number in range(count):
            check()
            sight = (low + number * step, low + (number + 1) * step)
            drawing = log_drawing(holes, template, sight, height - 2 * MARGIN - FOOT, markers, px_mm=12.0)
            _Sheet(canvas, height).draw(drawing, MARGIN, MARGIN)
            words = f"1:{scale:g}   depths {template.depth.words()}   page {number + 1} of {count}"
            canvas.setFillColor("#5F6B73")
            write_at(canvas, MARGIN * PT_MM, MARGIN * PT_MM, f"{names}   {words}", "sans", 2.4 * LETTER * PT_MM)
            canvas.showPage()
        canvas.save()
    return count


def _narrowed(template: LogTemplate, holes: int, room: float) -> LogTemplate:
    """Return a template whose tracks are narrower, where that is enough for holes beside each other to have room."""
    share = (room - (holes - 1) * GAP) / (holes * width_of(template))
    if share >= 1.0 or share < NARROWEST:
        return template
    return replace(template, tracks=tuple(replace(track, width=track.width * share) for track in template.tracks))


def _ends(holes: Sequence[HoleOnShow], template: LogTemplate) -> tuple[float, float]:
    """Return the depths, as stated, between which there is anything of the holes."""
    ends = [each.shown(np.array(each.data.depth_range), template.depth) for each in holes]
    return float(min(each.min() for each in ends)), float(max(each.max() for each in ends))


class _Sheet:
    """Draws marks on a page; y grows upwards there."""

    def __init__(self, canvas: Canvas, height: float) -> None:
        self.canvas, self.height = canvas, height
        self._clipped = False

    def draw(self, drawing: Drawing, left: float, top: float) -> None:
        """Draw all marks with their origin at a place of the page, millimetres from the upper left."""
        self.left, self.top = left, top
        for mark in drawing.marks:
            match mark:
                case ClipMark():
                    self._clip(mark)
                case BoxMark():
                    self._box(mark)
                case LineMark():
                    self._line(mark)
                case TextMark():
                    self._words(mark)
                case PhotoMark():
                    self._photo(mark)
        self._clip(ClipMark())

    def _x(self, x: float) -> float:
        return (self.left + x) * PT_MM

    def _y(self, y: float) -> float:
        return (self.height - self.top - y) * PT_MM

    def _clip(self, mark: ClipMark) -> None:
        if self._clipped:
            self.canvas.restoreState()
        self._clipped = mark.width > 0
        if self._clipped:
            self.canvas.saveState()
            path = self.canvas.beginPath()
            path.rect(self._x(mark.x), self._y(mark.y + mark.height), mark.width * PT_MM, mark.height * PT_MM)
            self.canvas.clipPath(path, stroke=0)

    def _box(self, mark: BoxMark) -> None:
        self.canvas.setLineWidth(0.2 * PT_MM)
        if mark.fill:
            self.canvas.setFillColor(mark.fill)
        if mark.line:
            self.canvas.setStrokeColor(mark.line)
        place = (self._x(mark.x), self._y(mark.y + mark.height), mark.width * PT_MM, mark.height * PT_MM)
        self.canvas.rect(*place, stroke=int(bool(mark.line)), fill=int(bool(mark.fill)))
        if mark.pattern is not None:
            self._pattern(mark, mark.pattern)

    def _pattern(self, mark: BoxMark, pattern: Pattern) -> None:
        """Repeat a tile over a box; tiles lie on one grid for all boxes."""
        canvas = self.canvas
        canvas.saveState()
        area = canvas.beginPath()
        area.rect(self._x(mark.x), self._y(mark.y + mark.height), mark.width * PT_MM, mark.height * PT_MM)
        canvas.clipPath(area, stroke=0)
        canvas.setLineWidth(0.16 * PT_MM)
        canvas.setStrokeColor("#1D2A35")
        canvas.setFillColor("#1D2A35")
        upper, lower = max(mark.y, -MARGIN), min(mark.y + mark.height, self.height)
        path = canvas.beginPath()
        for row in range(int(upper // pattern.height), int(lower // pattern.height) + 1):
            for column in range(int(mark.x // pattern.width), int((mark.x + mark.width) // pattern.width) + 1):
                x, y = column * pattern.width, row * pattern.height
                for stroke in pattern.strokes:
                    if len(stroke) == 1:
                        canvas.circle(
                            self._x(x + stroke[0][0]), self._y(y + stroke[0][1]), 0.16 * PT_MM, stroke=0, fill=1
                        )
                        continue
                    path.moveTo(self._x(x + stroke[0][0]), self._y(y + stroke[0][1]))
                    for px, py in stroke[1:]:
                        path.lineTo(self._x(x + px), self._y(y + py))
        canvas.drawPath(path)
        canvas.restoreState()

    def _line(self, mark: LineMark) -> None:
        canvas = self.canvas
        path = canvas.beginPath()
        points = mark.points.tolist()
        path.moveTo(self._x(points[0][0]), self._y(points[0][1]))
        for x, y in points[1:]:
            path.lineTo(self._x(x), self._y(y))
        if mark.fill:
            canvas.saveState()
            canvas.setFillColor(mark.fill, alpha=FILL_OPACITY)
            path.close()
            canvas.drawPath(path, stroke=0, fill=1)
            canvas.restoreState()
            return
        canvas.setStrokeColor(mark.ink)
        canvas.setLineWidth(mark.width * PT_MM)
        canvas.setDash([2 * PT_MM, 1.2 * PT_MM] if mark.dashed else [])
        canvas.drawPath(path)
        canvas.setDash([])

    def _words(self, mark: TextMark) -> None:
        face = "mono" if mark.mono else "sans-bold" if mark.bold else "sans"
        size, width = mark.size * LETTER * PT_MM * 0.75, mark.width * PT_MM
        lines = broken(mark.text, size, width, face) if mark.wrapped else [mark.text]
        most = max(1, int(mark.height / (mark.size * LETTER))) if mark.wrapped else 1
        if len(lines) > most:
            lines[most - 1] += "…"
        self.canvas.setFillColor(mark.ink)
        for number, line in enumerate(lines[:most]):
            text = shortened(line, size, width, face)
            y = self._y(mark.y + mark.size * (1.05 + number * LETTER))
            write_at(self.canvas, self._x(mark.x) + _indent(mark, text, width, size, face), y, text, face, size)

    def _photo(self, mark: PhotoMark) -> None:
        picture = photograph(mark.ref, int(max(mark.width, mark.height) / 25.4 * PHOTO_DPI))
        if picture is None:
            return
        place = (self._x(mark.x), self._y(mark.y + mark.height), mark.width * PT_MM, mark.height * PT_MM)
        self.canvas.drawImage(_reader(mark.ref, picture), *place)


def _reader(ref: DataRef, picture: Image.Image) -> ImageReader:
    held = io.BytesIO()
    picture.save(held, "JPEG", quality=85)
    held.seek(0)
    return ImageReader(held)


def _indent(mark: TextMark, text: str, width: float, size: float, face: str) -> float:
    """Return how far from the left edge of its room a line begins."""
    left = width - text_width(text, size, face)
    match mark.align:
        case Align.LEFT:
            return left if reads_leftwards(text) else 0.0
        case Align.CENTRE:
            return left / 2
        case Align.RIGHT:
            return left
