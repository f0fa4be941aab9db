"""The four views of a record: brief, full, text, and two records side by side; and going to places in them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QStackedWidget

from brisk_atlas.core.model.language import tr

from ..session import Session
from ..theme import Theme
from .bar import BESIDE, BRIEF, FULL, TEXT
from .brief_view import BriefView
from .compare_view import CompareView
from .full_tree import FullTree
from .shown import Shown, derived_in
from .xml_view import RecordText

if TYPE_CHECKING:
    from brisk_atlas.core.record import Document, Finding, Standard
    from brisk_atlas.core.record.elements import Place

BRIEF_SECTIONS = {  # section of the model: its heading in the short reading
    tr("Who"): tr("Who and when"),
    tr("When"): tr("Who and when"),
    tr("Fields and values"): tr("Fields"),
}


class RecordViews(QStackedWidget):
    """Shows one record in one of the views; the others are filled when they come in sight.

    Signals:
        view_wanted(int): a place is to be shown in another view.
        everything_wanted(): a place stands among the elements that the record does not state.
        place_reached(tuple): where the hand is now.
    """

    view_wanted = pyqtSignal(int)
    everything_wanted = pyqtSignal()
    place_reached = pyqtSignal(tuple)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.brief = BriefView(session)
        self.tree = FullTree()
        self.text = RecordText()
        self.compare = CompareView()
        self._shown: Shown | None = None
        self._place: Place = ()  # where the hand was in the text, to show in the full reading
        for widget in (self.brief, self.tree, self.text, self.compare):
            self.addWidget(widget)
        self.tree.place_chosen.connect(self.place_reached)
        self.compare.place_chosen.connect(self.place_reached)
        self.text.line_chosen.connect(self._line_chosen)
        self.brief.place_chosen.connect(self._brief_chosen)

    # Showing

    def show_nothing(self) -> None:
        self._shown = None
        self.brief.show_record(None, [], None)
        self.tree.clear()
        self.text.show_text("", ".xml")
        self.compare.show_records(None, None, "", "", False)

    def show_record(
        self, shown: Shown, judged: Standard | None, findings: list[Finding], other: Document | None
    ) -> None:
        """Fill the view in sight; `other` is what it is compared with."""
        self._shown = shown
        draft, can_edit = shown.draft, bool(shown.one and shown.one.can_edit)
        view = self.currentIndex()
        if view == BRIEF:
            data = shown.ref if shown.is_data else None
            self.brief.show_record(draft.record if draft else None, shown.derived, data)
        elif view == FULL and draft is not None and judged is not None:
            self.tree.show_document(draft.document, judged, findings, derived_in(shown), can_edit)
            if self._place:
                self.tree.go_to(self._place)
                self._place = ()
        elif view == FULL:
            self.tree.clear()
        elif view == TEXT:
            self.text.show_text(draft.document.text if draft else "", draft.document.path.suffix if draft else ".xml")
        elif view == BESIDE:
            names = draft.document.path.name if draft else "", other.path.name if other else ""
            records = draft.record if draft else None, other.record if other else None
            self.compare.show_records(*records, *names, can_edit)

    # Going to places

    @property
    def _document(self) -> Document | None:
        draft = self._shown.draft if self._shown else None
        return draft.document if draft else None

    def go_to_section(self, name: str) -> None:
        if self.currentIndex() == FULL:
            self.tree.go_to_section(name)
        elif self.currentIndex() == TEXT:
            self._go_to_text_of(name)
        else:
            self.brief.reading.go_to_section(BRIEF_SECTIONS.get(name, name))

    def _go_to_text_of(self, section: str) -> None:
        """Show the first line that states something of a section."""
        from brisk_atlas.core.record.checks import section_of

        if self._document is None:
            return
        lines = [line for place, line in self._document.lines.items() if line and section_of(str(place[0])) == section]
        if lines:
            self.text.go_to(min(lines))

    def go_to_finding(self, finding: Finding) -> None:
        """Go to the field that a finding speaks of, or to its line where it is no field."""
        if finding.place:
            self.go_to_place(finding.place)
        elif finding.line:
            self.view_wanted.emit(TEXT)
            self.text.go_to(finding.line)

    def go_to_place(self, place: Place) -> None:
        """Show where a place stands, ready to be typed into; in the text where that is on show."""
        if self.currentIndex() == TEXT and self._document is not None:
            line = self._document.line_of(place)
            if line:
                self.text.go_to(line)
                self.place_reached.emit(place)
                return
        if self.currentIndex() != FULL:
            self.view_wanted.emit(FULL)
        if not self.tree.go_to(place):
            self.everything_wanted.emit()
            self.tree.go_to(place)
        self.tree.setFocus()
        self.place_reached.emit(place)

    def _line_chosen(self, line: int) -> None:
        """Follow the hand in the text: mark its section, and its row for when the full reading comes."""
        place = self._document.place_at(line) if self._document else None
        if place:
            self._place = place
            self.place_reached.emit(place)

    def _brief_chosen(self, place: Place) -> None:
        if self._document is not None:
            self.view_wanted.emit(FULL)
            self.go_to_place(place)

    def find_next(self, words: str) -> bool:
        """Go to the next place with some words in the view in sight; returns whether there is one."""
        return (self.brief, self.tree, self.text, self.compare)[self.currentIndex()].find_next(words)

    def use_theme(self, theme: Theme) -> None:
        self.tree.theme = theme
        for view in (self.brief, self.text, self.compare):
            view.repaint_theme(theme)
