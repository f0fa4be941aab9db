"""Pages as PDF: shapes as shapes, letters as letters; layers that a reader can switch off."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from itertools import pairwise
from typing import Any

import numpy as np
from reportlab.lib.colors import HexColor
from reportlab.lib.utils import ImageReader
from reportlab.pdfgen.canvas import Canvas

from brisk_atlas.core.draw.outlines import Outlined, Outlines, Pen, Stamps
from brisk_atlas.core.model import Blend

from .box import POINTS, PageBox
from .pdf_fonts import register_fonts
from .pdf_letters import write_line
from .shaping import missing_letters
from .stored_picture import is_photo, jpeg_of, shown_image
from .surface import INK, Halo
from .whole_text import whole_text

GRAIN = 100  # positions are whole numbers of these parts of a millimetre
JOINS, CAPS = {"mitre": 0, "round": 1, "bevel": 2}, {"flat": 0, "round": 1, "square": 2}
MITRE_LIMIT = 4
BLENDS = {Blend.NORMAL: "Normal", Blend.MULTIPLY: "Multiply"}


def pdf_canvas(out: io.BytesIO, width: float, height: float, title: str, subject: str = "") -> Canvas:
    """Return a canvas of pages of so many millimetres."""
    register_fonts()
    canvas = Canvas(out, pagesize=(width * POINTS, height * POINTS), pageCompression=1, lang="en",
                    initialFontName="sans")  # fmt: skip
    canvas.setTitle(whole_text(title))
    canvas.setSubject(whole_text(subject))
    canvas.setCreator("Brisk Atlas")
    return canvas


class PdfSurface:
    """Pages of one size, or a part of one. `layers` are the names of the layers drawn, by the forms that hold them."""

    holds_outlines = True

    def __init__(
        self, canvas: Canvas, width: float, height: float, dots: float, layers: dict[str, str] | None = None
    ) -> None:
        """Draw on a canvas, on so many millimetres. `layers` are those of the document so far."""
        register_fonts()
        self.width, self.height, self.dots = width, height, dots
        self.layers: dict[str, str] = {} if layers is None else layers
        self.missing: set[str] = set()
        self._canvas = canvas

    def begin(self, left: float = 0.0, top: float | None = None) -> None:
        """Have the upper left corner lie at a place of the canvas, in points as it counts them."""
        self._canvas.translate(left, self.height * POINTS if top is None else top)
        self._canvas.scale(POINTS, -POINTS)

    def next_page(self) -> None:
        """Go on on a new page of the same size."""
        self._canvas.showPage()
        self.begin()

    def bookmark(self, title: str, name: str) -> None:
        """Have the page stand in the outline of the document."""
        self._canvas.bookmarkPage(name)
        self._canvas.addOutlineEntry(whole_text(title), name, 0)

    def _add(self, code: str) -> None:
        """Add operators of PDF, written in bulk: through the calls of the library each vertex would be one."""
        self._canvas._code.append(code)

    def draw(self, outlined: Sequence[Outlined], x: float = 0.0, y: float = 0.0, scale: float = 1.0) -> None:
        if not outlined:
            return
        self._add(f"q {1 / GRAIN:g} 0 0 {1 / GRAIN:g} {x:.4f} {y:.4f} cm")
        for each in outlined:
            if len(each.xy) and (each.fill or each.pen):
                self._add(_looks(each.fill, each.pen, scale * GRAIN))
                if isinstance(each, Outlines):
                    self._add(_shapes(each, scale * GRAIN))
                else:
                    self._add(_stamps(each, scale * GRAIN))
        self._add("Q")

    def picture(self, image: np.ndarray, box: PageBox) -> None:
        canvas, shown = self._canvas, shown_image(image)
        stored = jpeg_of(shown) if is_photo(image) else shown
        mask = "auto" if shown.mode == "RGBA" else None
        canvas.saveState()
        canvas.translate(box.x, box.bottom)
        canvas.scale(1, -1)
        canvas.drawImage(ImageReader(stored), 0, 0, box.width, box.height, mask=mask)
        canvas.restoreState()

    def text(
        self, text: str, x: float, y: float, size: float, *, face: str = "sans", colour: str = INK, angle: float = 0.0,
        halo: Halo | None = None,
    ) -> None:  # fmt: skip
        canvas = self._canvas
        self.missing.update(missing_letters(text, face))
        canvas.saveState()
        canvas.translate(x, y)
        canvas.rotate(angle)  # clockwise, as y grows down
        canvas.scale(1, -1)
        canvas.setFillColor(HexColor(colour))
        if halo is not None:
            canvas.setStrokeColor(HexColor(halo.colour))
            canvas.setLineWidth(halo.width)
            canvas.setLineJoin(JOINS["round"])
        for stroked in (True, False) if halo is not None else (False,):
            write_line(canvas, text, face, size, stroked=stroked)
        canvas.restoreState()

    @contextmanager
    def within(self, box: PageBox) -> Iterator[None]:
        self._canvas.saveState()
        self._add(f"{box.x:.4f} {box.y:.4f} {box.width:.4f} {box.height:.4f} re W n")
        yield
        self._canvas.restoreState()

    @contextmanager
    def layer(self, name: str, opacity: float, blend: Blend) -> Iterator[None]:
        canvas, form = self._canvas, f"layer{len(self.layers) + 1}"
        self.layers[form] = whole_text(name)
        canvas.beginForm(form, 0, 0, self.width, self.height)
        yield
        canvas.endForm()
        canvas.saveState()
        for which in ("ca", "CA"):
            canvas._extgstate.set(canvas, which, opacity)
        canvas.setBlendMode(BLENDS[blend])
        canvas.doForm(form)
        canvas.restoreState()


def _rgb(colour: str) -> str:
    return " ".join(f"{int(colour[at : at + 2], 16) / 255:.4g}" for at in (1, 3, 5))


def _looks(fill: str | None, pen: Pen | None, scale: float) -> str:
    """Return the operators that choose inks and a pen."""
    words = [f"{_rgb(fill)} rg"] if fill else []
    if pen is not None:
        dash = " ".join(f"{each * scale:.4g}" for each in pen.dash)
        words.append(f"{_rgb(pen.colour)} RG {pen.width * scale:.4g} w {JOINS[pen.join]} j {CAPS[pen.cap]} J "
                     f"{MITRE_LIMIT} M [{dash}] 0 d")  # fmt: skip
    return " ".join(words)


def _finish(each: Outlined, closed: bool) -> str:
    if not closed:
        return "S"
    return "B*" if each.fill and each.pen else "f*" if each.fill else "S"


def _shapes(outlines: Outlines, scale: float) -> str:
    """Return the operators of shapes: each is a path of its own, as the next may lie over it."""
    numbers = np.rint(outlines.xy * scale).astype(np.int64).tolist()
    starts, shapes = np.asarray(outlines.path_starts).tolist(), np.asarray(outlines.shape_starts).tolist()
    end, close = _finish(outlines, outlines.closed), "h\n" if outlines.closed else ""
    lines: list[str] = []
    for first, last in pairwise(shapes):
        for path in range(first, last):
            own = numbers[starts[path] : starts[path + 1]]
            if own:
                flat: list[Any] = [value for xy in own for value in xy]
                lines.append(("%d %d m\n" + "%d %d l\n" * (len(own) - 1)) % tuple(flat) + close)
        lines.append(end + "\n")
    return "".join(lines)


def _stamps(stamps: Stamps, scale: float) -> str:
    """Return the operators of one outline at many places."""
    own = np.rint(stamps.outline * scale).astype(np.int64).ravel().tolist()
    path = ("%d %d m\n" + "%d %d l\n" * (len(own) // 2 - 1)) % tuple(own) + f"h {_finish(stamps, True)} Q\n"
    places = np.rint(stamps.xy * scale).astype(np.int64).ravel().tolist()
    return ("q 1 0 0 1 %d %d cm\n" + path.replace("%", "%%")) * len(stamps.xy) % tuple(places)
