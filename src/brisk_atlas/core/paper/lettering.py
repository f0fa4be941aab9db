"""Letters: how wide a text is, where its lines break, and their outlines."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

if TYPE_CHECKING:
    from fontTools.ttLib import TTFont

FOLDER = Path(__file__).parents[2] / "fonts"
FACES = {"sans": "SourceSans3-Regular.ttf", "sans-bold": "SourceSans3-Semibold.ttf",
         "sans-italic": "SourceSans3-It.ttf", "mono": "SourceCodePro-Regular.ttf"}  # fmt: skip
CAP_HEIGHT = 0.66  # of the size
LINE_HEIGHT = 1.25
CURVE_STEPS = 6  # of a curve of a letter


class Face(NamedTuple):
    """A font: what letters it has, and how wide they are, of the size; its file."""

    glyphs: dict[int, str]
    widths: dict[str, float]
    font: TTFont


@lru_cache(8)
def face(name: str) -> Face:
    """Return a face by its name."""
    from fontTools.ttLib import TTFont

    font = TTFont(FOLDER / FACES[name])
    em = font["head"].unitsPerEm
    widths = {glyph: width / em for glyph, (width, _) in font["hmtx"].metrics.items()}
    return Face(font.getBestCmap(), widths, font)


def text_width(text: str, size: float, name: str = "sans") -> float:
    """Return how wide a line of text is."""
    own = face(name)
    return size * sum(own.widths[own.glyphs.get(ord(character), ".notdef")] for character in text)


def measured(text: str, size: float) -> tuple[float, float]:
    """Return width and height of a text with line breaks, as labels are placed by."""
    lines = text.split("\n")
    return max(text_width(line, size) for line in lines), size * (1.08 + (len(lines) - 1) * LINE_HEIGHT)


def broken(text: str, size: float, width: float, name: str = "sans") -> list[str]:
    """Return a text in lines that are no wider; a word that is wider by itself is cut."""
    lines = []
    for paragraph in text.split("\n"):
        line = ""
        for word in paragraph.split(" "):
            longer = f"{line} {word}" if line else word
            if text_width(longer, size, name) <= width:
                line = longer
                continue
            if line:
                lines.append(line)
            while len(word) > 1 and text_width(word, size, name) > width:
                fits = next(
                    n for n in range(len(word) - 1, 0, -1) if n == 1 or text_width(word[:n], size, name) <= width
                )
                lines.append(word[:fits])
                word = word[fits:]
            line = word
        lines.append(line)
    return lines


def shortened(text: str, size: float, width: float, name: str = "sans") -> str:
    """Return a text that is no wider, with an ellipsis where it was cut."""
    if text_width(text, size, name) <= width:
        return text
    while text and text_width(text + "…", size, name) > width:
        text = text[:-1]
    return f"{text.rstrip()}…"


def letter_paths(text: str, size: float, name: str = "sans") -> list[np.ndarray]:
    """Return the outlines of a line of text, (vertices, 2) each, from the left end of its baseline; y grows down."""
    own, across, found = face(name), 0.0, []
    for character in text:
        glyph = own.glyphs.get(ord(character), ".notdef")
        found += [(path + (across, 0.0)) * size for path in _glyph_paths(name, glyph)]
        across += own.widths[glyph]
    return found


@lru_cache(4096)
def _glyph_paths(name: str, glyph: str) -> tuple[np.ndarray, ...]:
    """Return the outlines of a letter of size 1."""
    from fontTools.pens.recordingPen import DecomposingRecordingPen

    font = face(name).font
    pen = DecomposingRecordingPen(font.getGlyphSet())
    font.getGlyphSet()[glyph].draw(pen)
    em, paths, path = font["head"].unitsPerEm, [], []
    for what, points in pen.value:
        match what:
            case "moveTo":
                path = [points[0]]
            case "lineTo":
                path.append(points[0])
            case "qCurveTo":
                path += _through_quadratics(path[-1] if path else points[-1], points)
            case "curveTo":
                path += _on_cubic(path[-1], points)
            case _:
                paths.append(np.array(path, float) * (1 / em, -1 / em))
    return tuple(paths)


def _through_quadratics(start: Any, points: Any) -> list[tuple[float, float]]:
    """Return points along quadratic curves; between two of their controls lies a point on the curve."""
    from fontTools.pens.basePen import decomposeQuadraticSegment

    found, t = [], np.linspace(0, 1, CURVE_STEPS + 1)[1:, None]
    for control, end in decomposeQuadraticSegment(points):
        p0, p1, p2 = (np.array(each, float) for each in (start, control, end))
        found += [tuple(each) for each in ((1 - t) ** 2 * p0 + 2 * t * (1 - t) * p1 + t**2 * p2).tolist()]
        start = end
    return found


def _on_cubic(start: Any, points: Any) -> list[tuple[float, float]]:
    p0, p1, p2, p3 = (np.array(each, float) for each in (start, *points))
    t = np.linspace(0, 1, CURVE_STEPS + 1)[1:, None]
    curve = (1 - t) ** 3 * p0 + 3 * t * (1 - t) ** 2 * p1 + 3 * t**2 * (1 - t) * p2 + t**3 * p3
    return [tuple(each) for each in curve.tolist()]
