"""Maps of an album on paper, drawn as shapes where the page holds shapes, with where they lie."""

from __future__ import annotations

from collections.abc import Callable

from reportlab.pdfgen.canvas import Canvas

from brisk_atlas.core.draw.frame import Painter
from brisk_atlas.core.paper.box import POINTS, PageBox
from brisk_atlas.core.paper.map_frame import MapFrame, draw_map
from brisk_atlas.core.paper.pdf_places import PlacedFrame
from brisk_atlas.core.paper.pdf_surface import PdfSurface

from .page_parts import PictureMap

DOTS = 300  # in an inch, of what is drawn of pixels


class PaperMaps:
    """Draws the maps of one document. `placed` states where they are, `layers` names what can be switched, `faults`
    lists what could not be drawn."""

    def __init__(self, painter: Painter, check: Callable[[], None] = lambda: None) -> None:
        self.painter, self.check = painter, check
        self.placed: list[PlacedFrame] = []
        self.layers: dict[str, str] = {}
        self.faults: dict[str, None] = {}

    def draw(self, canvas: Canvas, drawn: PictureMap, name: str, low: float, width: float, height: float) -> None:
        """Draw a map into a rectangle of a canvas, in points, that stands at the origin `low` points up."""
        self.check()
        box = PageBox(0.0, 0.0, width / POINTS, height / POINTS)
        frame = MapFrame(box, drawn.view, drawn.stack, drawn.grid, framed=False, px=box.width / drawn.view.width)
        surface = PdfSurface(canvas, box.width, box.height, DOTS, self.layers)
        canvas.saveState()
        surface.begin(0.0, low + height)
        self.faults.update(dict.fromkeys(draw_map(surface, self.painter, frame, self.check)))
        canvas.restoreState()
        left, bottom = canvas.absolutePosition(0.0, low)
        if drawn.view.crs is not None:
            page = canvas.getPageNumber() - 1
            corners = tuple(frame.corners)
            self.placed.append(
                PlacedFrame(page, name, left, bottom, left + width, bottom + height, drawn.view.crs, corners)
            )
