"""Sections of labels and texts as a page to read."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QTextBrowser

from .theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.record import Section

NOT_SAID = "not said"


class ReadingView(QTextBrowser):
    """Shows sections; what is not said is quiet, so that gaps are seen. Text of files is escaped."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.setOpenLinks(False)
        self._sections: Sequence[Section] = ()

    def show_sections(self, sections: Sequence[Section]) -> None:
        self._sections = sections
        t = self.theme
        out = []
        for number, section in enumerate(sections):
            out.append(
                f"<a name='s{number}'></a><p style='font-size:14px; font-weight:600; color:{t.ink}; "
                f"margin:12px 0 2px 0'>{escape(section.title)}</p><table cellspacing=0 cellpadding=2>"
            )
            for label, text in section.lines:
                colour = t.quiet if text == NOT_SAID else t.caution if label == "warning" else t.ink
                style = "font-style:italic" if text == NOT_SAID else ""
                out.append(
                    f"<tr><td width=118 style='color:{t.quiet}'>{escape(label)}</td>"
                    f"<td style='color:{colour}; {style}'>{escape(text)}</td></tr>"
                )
            out.append("</table>")
        self.setHtml("".join(out))

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.show_sections(self._sections)
