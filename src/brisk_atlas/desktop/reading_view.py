"""Sections of labels and texts as a page to read."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from html import escape
from typing import TYPE_CHECKING

from PyQt6.QtCore import QUrl, pyqtSignal
from PyQt6.QtWidgets import QTextBrowser

from brisk_atlas.core.model.language import tr

from .theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.record import Section

NOT_STATED = tr("not stated")
LABEL_PX = 126
MOST_LINES = 600  # that are laid out at once; more would hold up the window
THE_REST = "rest:"


class ReadingView(QTextBrowser):
    """Shows sections; what is not stated is quiet, so that gaps are seen. Text of files is escaped.

    Signals:
        place_chosen(object): the place of a record whose label was clicked.
    """

    place_chosen = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.setOpenLinks(False)
        self._sections: Sequence[Section] = ()
        self._title = ""
        self._whole = False
        self.anchorClicked.connect(self._clicked)

    def show_sections(self, sections: Sequence[Section], title: str = "", *, whole: bool = False) -> None:
        """Show sections; of very many lines the first, and a link to the others unless the `whole` is wanted."""
        self._sections, self._title, self._whole = sections, title, whole
        t = self.theme
        left = sys.maxsize if whole else MOST_LINES
        out = []
        if title:
            out.append(
                f"<p style='font-size:19px; font-weight:600; color:{t.ink}; margin:0 0 4px 0'>{escape(title)}</p>"
            )
        for number, section in enumerate(sections):
            if left <= 0:
                break
            out.append(
                f"<a name='s{number}'></a><p style='font-size:14px; font-weight:600; color:{t.ink}; "
                f"margin:12px 0 2px 0'>{escape(section.title)}</p><table cellspacing=0 cellpadding=2>"
            )
            for label, text, place in section.lines[:left]:
                colour = t.quiet if text == NOT_STATED else t.caution if label == tr("warning") else t.ink
                style = "font-style:italic" if text == NOT_STATED else ""
                name = escape(label)
                if place:
                    address = _address(place)
                    name = (
                        f"<a name='{address}'></a><a href='place:{address}' "
                        f"style='color:{t.quiet}; text-decoration:none'>{name}</a>"
                    )
                found = escape(text).replace("\n", "<br>")
                out.append(
                    f"<tr><td width={LABEL_PX} style='color:{t.quiet}'>{name}</td>"
                    f"<td style='color:{colour}; {style}'>{found}</td></tr>"
                )
            out.append("</table>")
            left -= len(section.lines)
        if left < 0 or (left == 0 and number + 1 < len(sections)):
            many = sum(len(section.lines) for section in sections) - MOST_LINES
            out.append(
                tr(
                    "<p><a href='{the_rest}' style='color:{second}'>Show {many:,} more lines</a></p>",
                    the_rest=THE_REST,
                    second=t.second,
                    many=many,
                )
            )
        self.setHtml("".join(out))

    def go_to(self, place: Sequence[str | int], section: str) -> None:
        """Scroll to the line of a place of a record, or to the section of that title."""
        self._show_whole()
        for section_ in self._sections:
            for line in section_.lines:
                if line.place and tuple(line.place[: len(place)]) == tuple(place)[: len(line.place)]:
                    self.scrollToAnchor(_address(line.place))
                    return
        self.go_to_section(section)

    def go_to_section(self, title: str) -> None:
        self._show_whole()
        for number, section in enumerate(self._sections):
            if section.title == title:
                self.scrollToAnchor(f"s{number}")

    def _show_whole(self) -> None:
        if not self._whole and sum(len(section.lines) for section in self._sections) > MOST_LINES:
            self.show_sections(self._sections, self._title, whole=True)

    def _clicked(self, url: QUrl) -> None:
        if url.toString() == THE_REST:
            at = self.verticalScrollBar().value()  # type: ignore[union-attr]
            self._show_whole()
            self.verticalScrollBar().setValue(at)  # type: ignore[union-attr]
            return
        address = url.toString().removeprefix("place:")
        steps = tuple(int(step) if step.isdigit() else step for step in address.split("/") if step)
        if url.toString().startswith("place:") and steps:
            self.place_chosen.emit(steps)

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.show_sections(self._sections, self._title, whole=self._whole)


def _address(place: Sequence[str | int]) -> str:
    return "/".join(map(str, place))
