"""Choosing a coordinate reference system: what is likely here, or by name, code or area."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from .later import Later
from .plain_text import PlainLabel, plain_tip
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.find.questions import Suggestion
    from brisk_atlas.core.place import CrsEntry
    from brisk_atlas.core.system.jobs import Job

CODE = Qt.ItemDataRole.UserRole
TYPING_MS = 120
UNKNOWN = tr("leave it unknown")


class CrsPicker(QWidget):
    """A line to type in and the list of what fits.

    Signals:
        chosen(object): the code that was chosen, such as `EPSG:32727`, or None for leaving it unknown.
    """

    chosen = pyqtSignal(object)

    def __init__(self, session: Session, *, may_be_unknown: bool = True) -> None:
        super().__init__()
        self.session, self.may_be_unknown = session, may_be_unknown
        self.code: str | None = None
        self._suggestions: Sequence[Suggestion] = ()
        self._near: tuple[float, float] | None = None
        self._job: Job | None = None
        self.line = QLineEdit()
        self.line.setObjectName("crs search")
        self.line.setPlaceholderText(tr("Search by name, code or area, such as 'UTM 27S' or '4326'"))
        self.line.setClearButtonEnabled(True)
        self.list = QListWidget()
        self.list.setObjectName("crs list")
        self.list.setAccessibleName(tr("Coordinate reference systems that fit"))
        self.list.setUniformItemSizes(True)
        self.message = PlainLabel()
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        for widget in (self.line, self.list, self.message):
            column.addWidget(widget, int(widget is self.list))
        self._typed = Later(self, TYPING_MS, self._search)
        self.line.textChanged.connect(lambda text: self._typed.start())
        self.line.returnPressed.connect(self._take_first)
        self.list.currentItemChanged.connect(lambda item, before: self._take(item))

    @property
    def busy(self) -> bool:
        return self._typed.isActive() or (self._job is not None and not self._job.finished)

    def offer(self, suggestions: Sequence[Suggestion], code: str | None, near: tuple[float, float] | None) -> None:
        """Show what is likely, with one chosen. `near` is a place in degrees that results should fit first."""
        self._suggestions, self.code, self._near = suggestions, code, near
        self._show_suggestions()

    def _show_suggestions(self) -> None:
        from brisk_atlas.core.place import crs_label, crs_name

        self.list.blockSignals(True)
        self.list.clear()
        for each in self._suggestions:
            self._add(each.crs, f"{crs_label(each.crs)}   {each.reason}", f"{crs_name(each.crs)}\n{each.reason}")
        if self.may_be_unknown:
            self._add("", UNKNOWN)
        row = next((i for i in range(self.list.count()) if self._at(i).data(CODE) == (self.code or "")), -1)
        if row < 0 and self.code:
            self._add(self.code, crs_name(self.code))
            row = self.list.count() - 1
        self.list.setCurrentRow(row)
        self.list.blockSignals(False)
        self._say()

    def _at(self, row: int) -> QListWidgetItem:
        item = self.list.item(row)
        assert item is not None
        return item

    def _add(self, code: str, text: str, tip: str = "") -> None:
        item = QListWidgetItem(text)
        item.setData(CODE, code)
        item.setToolTip(plain_tip(tip or text))
        self.list.addItem(item)

    def _search(self) -> None:
        text = self.line.text().strip()
        if self._job:
            self._job.cancel()
        if not text:
            self._show_suggestions()
            return
        near = self._near

        def work(job: Job) -> list[CrsEntry]:
            from brisk_atlas.core.place import search_crs

            return search_crs(text, near)

        self._job = self.session.run(tr("Searching reference systems"), work, self._show_found, shown=False)

    def _show_found(self, found: list[CrsEntry]) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        for entry in found:
            self._add(
                entry.code,
                f"{entry.code}   {entry.name}",
                tr("{name}, {kind}\nMade for: {area}", name=entry.name, kind=entry.kind, area=entry.area),
            )
        self.list.setCurrentRow(-1)
        self.list.blockSignals(False)
        self._say(
            "" if found else tr("Nothing in the register has all words of '{text}'. ", text=self.line.text().strip())
        )

    def _take_first(self) -> None:
        if self._typed.isActive():
            self._typed.stop()
            from brisk_atlas.core.place import search_crs

            self._show_found(search_crs(self.line.text().strip(), self._near))
        if self.list.count() and self.list.currentRow() < 0:
            self.list.setCurrentRow(0)

    def _take(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        self.code = item.data(CODE) or None
        self._say()
        self.chosen.emit(self.code)

    def _say(self, before: str = "") -> None:
        """Say what is chosen, whatever the list shows."""
        from brisk_atlas.core.place import crs_name

        self.message.setText(
            before + (tr("Chosen: {crs_name}", crs_name=crs_name(self.code)) if self.code else tr("Chosen: none"))
        )
