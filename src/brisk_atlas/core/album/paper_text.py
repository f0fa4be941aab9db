"""Text on paper pages of an album, in any script."""

from __future__ import annotations

import re
from html import unescape

from reportlab.lib.enums import TA_RIGHT
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import Flowable, Paragraph

from brisk_atlas.core.paper.direction import reads_leftwards
from brisk_atlas.core.paper.lettering import broken, text_width
from brisk_atlas.core.paper.pdf_letters import write_at
from brisk_atlas.core.paper.shaping import is_plain

LINE_BREAK, TAG = re.compile(r"<br ?/>"), re.compile(r"<[^>]*>")


def paragraph(markup: str, style: ParagraphStyle, bullet: str | None = None) -> Flowable:
    """Return a paragraph of a page by its text with tags. Where letters must be joined, or are read from right to left,
    or are not in the fonts of the page, they are set by us, all in one style."""
    text = unescape(TAG.sub("", LINE_BREAK.sub("\n", markup)))
    if is_plain(text.replace("\n", " "), "sans"):
        return Paragraph(markup, style, bulletText=bullet)
    return ScriptParagraph(text, style, bullet or "")


class ScriptParagraph(Flowable):
    """A paragraph in lines of any script; those that are read from right to left end at the right edge."""

    def __init__(self, text: str, style: ParagraphStyle, bullet: str = "") -> None:
        super().__init__()
        self.text, self.style, self.bullet = text, style, bullet
        self._lines: list[str] = []

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        self.width = width
        self._lines = broken(self.text, self.style.fontSize, width - self._indent, self.style.fontName)
        self.height = len(self._lines) * self.style.leading
        return self.width, self.height

    @property
    def _indent(self) -> float:
        return self.style.fontSize if self.bullet else 0.0

    def split(self, width: float, height: float) -> list[Flowable]:
        self.wrap(width, height)
        count = int(height // self.style.leading)
        if count < 1 or count >= len(self._lines):
            return []
        parts = "\n".join(self._lines[:count]), "\n".join(self._lines[count:])
        return [ScriptParagraph(parts[0], self.style, self.bullet), ScriptParagraph(parts[1], self.style)]

    def draw(self) -> None:
        style, top = self.style, self.height - self.style.fontSize
        leftwards = reads_leftwards(self.text)
        self.canv.setFillColor(style.textColor)
        if self.bullet:
            at = self.width - text_width(self.bullet, style.fontSize) if leftwards else 0.0
            write_at(self.canv, at, top, self.bullet, "sans", style.fontSize)
        for number, line in enumerate(self._lines):
            room = self.width - self._indent - text_width(line, style.fontSize, style.fontName)
            at = room if reads_leftwards(line) or style.alignment == TA_RIGHT else 0.0
            at += 0.0 if leftwards else self._indent
            write_at(self.canv, at, top - number * style.leading, line, style.fontName, style.fontSize)
