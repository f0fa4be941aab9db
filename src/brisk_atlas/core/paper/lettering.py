"""Letters: how wide a text is, where its lines break, and their outlines."""

from __future__ import annotations

import unicodedata
from bisect import bisect_right
from functools import lru_cache
from typing import Any

import numpy as np

from .direction import reads_leftwards
from .font_files import FontFile, advances, face_font, opened
from .shaping import is_plain, shaped

CAP_HEIGHT = 0.66  # of the size
LINE_HEIGHT = 1.25
LEFT_TO_RIGHT, RIGHT_TO_LEFT = "\u200e", "\u200f"  # marks of direction of Unicode
CURVE_STEPS = 6  # of a curve of a letter


def text_width(text: str, size: float, name: str = "sans") -> float:
    """Return how wide a line of text is."""
    if not is_plain(text, name):
        return size * shaped(text, name).width
    widths = advances(face_font(name))
    return size * sum(widths[ord(character)] for character in text)


def measured(text: str, size: float) -> tuple[float, float]:
    """Return width and height of a text with line breaks, as labels are placed by."""
    lines = text.split("\n")
    return max(text_width(line, size) for line in lines), size * (1.08 + (len(lines) - 1) * LINE_HEIGHT)


def broken(text: str, size: float, width: float, name: str = "sans") -> list[str]:
    """Return a text in lines that are no wider; a word that is wider by itself is cut."""
    lines = list[str]()
    for paragraph in text.split("\n"):
        line, first = "", len(lines)
        for word in paragraph.split(" "):
            longer = f"{line} {word}" if line else word
            if text_width(longer, size, name) <= width:
                line = longer
                continue
            if line:
                lines.append(line)
            while (fits := _fitting(word, size, width, name)) < len(word):
                lines.append(word[:fits])
                word = word[fits:]
            line = word
        lines.append(line)
        lines[first:] = [_as_paragraph(each, paragraph) for each in lines[first:]]
    return lines


def _as_paragraph(line: str, paragraph: str) -> str:
    """Return a line of a paragraph with a mark of its direction where its first letter has the other one."""
    leftwards = reads_leftwards(paragraph)
    return line if reads_leftwards(line) == leftwards else (RIGHT_TO_LEFT if leftwards else LEFT_TO_RIGHT) + line


def shortened(text: str, size: float, width: float, name: str = "sans") -> str:
    """Return a text that is no wider, with an ellipsis where it was cut."""
    if text_width(text, size, name) <= width:
        return text
    text = text[: _fitting(text, size, width - text_width("…", size, name), name)]
    while text and text_width(text + "…", size, name) > width:
        text = text[:-1]
    return f"{text.rstrip()}…"


def _fitting(text: str, size: float, width: float, name: str) -> int:
    """Return how many characters from the begin of a text are no wider, one where none is; marks stay with their
    letters. Few widths are asked for, as a text may be long."""
    most = 16
    while most < len(text) and text_width(text[:most], size, name) <= width:
        most *= 2
    most = min(most, len(text))
    count = bisect_right(range(1, most + 1), width, key=lambda n: text_width(text[:n], size, name))
    while 1 < count < len(text) and unicodedata.category(text[count])[0] == "M":
        count -= 1
    while count > 1 and text_width(text[:count], size, name) > width:  # where letters join, fewer can be wider
        count -= 1
    return max(1, count) if text else 0


def letter_paths(text: str, size: float, name: str = "sans") -> list[np.ndarray]:
    """Return the outlines of a line of text, (vertices, 2) each, from the left end of its baseline; y grows down."""
    found = []
    if is_plain(text, name):
        font, across = face_font(name), 0.0
        for character in text:
            number = opened(font).get_nominal_glyph(ord(character)) or 0
            found += [(path + (across, 0.0)) * size for path in glyph_paths(font, number)]
            across += advances(font)[ord(character)]
        return found
    for run in shaped(text, name).runs:
        for number, x, y in run.glyphs:
            found += [(path + (run.left + x, -y)) * size for path in glyph_paths(run.font, number)]
    return found


@lru_cache(4096)
def glyph_paths(font: FontFile, number: int) -> tuple[np.ndarray, ...]:
    """Return the outlines of a letter of size 1, from its origin; y grows down."""
    from fontTools.pens.recordingPen import DecomposingRecordingPen

    pen = DecomposingRecordingPen({})
    opened(font).draw_glyph_with_pen(number, pen)
    em, paths, path = opened(font).face.upem, [], []
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
