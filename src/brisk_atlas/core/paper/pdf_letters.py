"""Lines of text in PDF: letters of the faces as letters; others as shapes, with letters behind that can be searched.

What writes PDF embeds TrueType outlines alone and places letters one by one, so letters that join, stand over others or
are of a font of the machine are drawn as shapes.
"""

from __future__ import annotations

import unicodedata

from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas
from reportlab.pdfgen.textobject import PDFTextObject

from .font_files import face_font
from .lettering import glyph_paths
from .pdf_fonts import shipped_font
from .shaping import GlyphRun, is_plain, shaped
from .whole_text import whole_text

STAND_IN = "x"
STROKED, FILLED, UNSEEN = 1, 0, 3  # ways in which letters are drawn, of ISO 32000-1, table 106


def write_at(canvas: Canvas, x: float, y: float, text: str, face: str, size: float) -> None:
    """Write a line from the left end of its baseline in the colour that the canvas fills with; y grows up."""
    canvas.saveState()
    canvas.translate(x, y)
    write_line(canvas, text, face, size)
    canvas.restoreState()


def write_line(canvas: Canvas, text: str, face: str, size: float, *, stroked: bool = False) -> None:
    """Write a line from the origin, where y grows up; `stroked` draws the edges of its letters alone."""
    text = whole_text(text)
    if is_plain(text, face):
        _letters(canvas, text, face, size, STROKED if stroked else FILLED)
        return
    for run in shaped(text, face).runs:
        canvas.saveState()
        canvas.translate(run.left * size, 0)
        if _is_letters(run, face):
            _letters(canvas, run.text, face, size, STROKED if stroked else FILLED)
        else:
            canvas._code.append(_shapes(run, size, "S" if stroked else "f"))
            if not stroked and run.width and run.text.strip():
                _behind(canvas, run, face, size)
        canvas.restoreState()


def _is_letters(run: GlyphRun, face: str) -> bool:
    """Return whether a run is letters of the face, one by one."""
    marks = any(unicodedata.category(each) in ("Mn", "Me", "Cf") for each in run.text)
    return run.font == face_font(face) and not run.leftwards and not marks


def _letters(canvas: Canvas, text: str, face: str, size: float, way: int) -> None:
    line = _begun(canvas, face, size, way)
    line.textOut(text)
    canvas.drawText(line)
    canvas.restoreState()


def _begun(canvas: Canvas, face: str, size: float, way: int) -> PDFTextObject:
    canvas.saveState()
    line = canvas.beginText(0, 0)
    line.setFont(face, size)
    line.setTextRenderMode(way)
    return line


def _behind(canvas: Canvas, run: GlyphRun, face: str, size: float) -> None:
    """Write the letters of a run unseen, in the order in which they are seen, as readers of PDF expect them."""
    letters = run.text[::-1] if run.leftwards else run.text
    name = shipped_font(run.font)
    line = _begun(canvas, name or face, size, UNSEEN)
    shown = letters if name else STAND_IN * len(letters)
    line.setHorizScale(100 * run.width / (stringWidth(shown, name or face, 1.0) or run.width))
    if name:
        line.textOut(letters)
    else:  # which state their letters (ISO 32000-1, 14.9.4)
        for letter in letters:
            line._code.append(f"/Span <</ActualText <FEFF{letter.encode('utf-16-be').hex().upper()}>>> BDC")
            line.textOut(STAND_IN)
            line._code.append("EMC")
    canvas.drawText(line)
    canvas.restoreState()


def _shapes(run: GlyphRun, size: float, end: str) -> str:
    """Return the operators of the letters of a run."""
    lines = []
    for number, x, y in run.glyphs:
        for path in glyph_paths(run.font, number):
            own = ((path * (1, -1) + (x, y)) * size).ravel().tolist()
            lines.append(("%.4f %.4f m\n" + "%.4f %.4f l\n" * (len(own) // 2 - 1)) % tuple(own) + "h\n")
    return "".join([*lines, f"{end}\n"]) if lines else ""
