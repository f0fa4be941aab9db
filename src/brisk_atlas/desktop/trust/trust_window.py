"""What was found in a layer's data, beside the map: the worst first; a line goes to its rows and places, one by one."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.trust import TrustFinding, TrustReport
from brisk_atlas.core.trust.names_of_tests import name_of_test

from ..plain_text import PlainLabel
from ..theme import Theme
from ..wrapped_list import WrappedList

SIGNS = {"fault": "✕", "caution": "!", "note": "·"}
FINDING = Qt.ItemDataRole.UserRole
WIDTH_PX, HEIGHT_PX = 400, 520
SOUND = tr("Nothing wrong or strange was found in it.")


class TrustWindow(QDialog):
    """The report on one layer.

    Signals:
        rows_wanted(list): numbers of rows to pick and to go to.
        place_wanted(float, float): a position, in the CRS of the data, to go to.
        again_wanted(): look at the data again.
        record_wanted(), page_wanted(): write what was found into a record, or as a page.
    """

    rows_wanted = pyqtSignal(list)
    place_wanted = pyqtSignal(float, float)
    again_wanted = pyqtSignal()
    record_wanted = pyqtSignal()
    page_wanted = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = theme
        self.report: TrustReport | None = None
        self._at = -1  # the number of the place that is gone to
        self.setWindowTitle(tr("Can it be trusted?"))
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.name, self.summary = PlainLabel(""), PlainLabel("")
        self.name.setObjectName("title")
        self.summary.setObjectName("quiet")
        self.summary.setWordWrap(True)
        self.list = WrappedList()
        self.list.setAccessibleName(tr("What was found"))
        self.passed = PlainLabel("")
        self.passed.setObjectName("quiet")
        self.passed.setWordWrap(True)
        self.back, self.on, self.where = QPushButton(tr("Back")), QPushButton(tr("Next place")), PlainLabel("")
        self.rows = QPushButton(tr("Pick the rows"))
        self.again, self.record = QPushButton(tr("Look again")), QPushButton(tr("Into a record…"))
        self.page = QPushButton(tr("As a page…"))
        self.record.setToolTip(tr("A copy of its record with what was found as results by ISO 19157"))
        column = QVBoxLayout(self)
        for widget, stretch in ((self.name, 0), (self.summary, 0), (self.list, 1), (self.passed, 0)):
            column.addWidget(widget, stretch)
        for widgets in ((self.rows, self.back, self.on, self.where), (self.again, self.record, self.page)):
            row = QHBoxLayout()
            for each in widgets:
                row.addWidget(each)
            row.addStretch(1)
            column.addLayout(row)
        self.list.currentItemChanged.connect(lambda item, before: self._choose())
        self.list.itemActivated.connect(lambda item: self._go(1))
        self.rows.clicked.connect(lambda checked=False: self._pick())
        self.back.clicked.connect(lambda checked=False: self._go(-1))
        self.on.clicked.connect(lambda checked=False: self._go(1))
        self.again.clicked.connect(lambda checked=False: self.again_wanted.emit())
        self.record.clicked.connect(lambda checked=False: self.record_wanted.emit())
        self.page.clicked.connect(lambda checked=False: self.page_wanted.emit())
        self.begin("")

    @property
    def finding(self) -> TrustFinding | None:
        """The finding that is chosen."""
        item = self.list.currentItem()
        return item.data(FINDING) if item is not None else None

    def begin(self, name: str) -> None:
        """Say that a layer is being looked at."""
        self.report = None
        self.name.setText(name)
        self.summary.setText(tr("Looking at its data…"))
        self.list.clear()
        self.passed.setText("")
        self._choose()
        self.record.setEnabled(False)
        self.page.setEnabled(False)

    def show_report(self, report: TrustReport) -> None:
        """Show what was found."""
        self.report = report
        self.name.setText(report.name)
        found = report.summary if report.findings else SOUND
        self.summary.setText(". ".join(filter(None, (found[:1].upper() + found[1:], report.sampled))))
        self.list.clear()
        colours = {"fault": self.theme.fault, "caution": self.theme.caution, "note": self.theme.quiet}
        for each in report.findings:
            item = QListWidgetItem(f"{SIGNS[each.severity]}  {each.text}")
            item.setForeground(QColor(colours[each.severity]))
            item.setData(FINDING, each)
            item.setToolTip(name_of_test(each.test))
            self.list.addItem(item)
        self.list.fit()
        passed = ", ".join(map(name_of_test, report.passed))
        self.passed.setText(tr("In order: {passed}.", passed=passed) if passed else "")
        self._choose()
        self.record.setEnabled(bool(report.findings))
        self.page.setEnabled(True)

    def fail(self, words: str) -> None:
        """Say why a layer can't be looked at."""
        self.summary.setText(words)

    def _choose(self) -> None:
        self._at = -1
        finding = self.finding
        places = len(finding.places) if finding is not None else 0
        self.on.setText(tr("First place") if places > 1 else tr("Go there"))
        self.on.setEnabled(places > 0)
        self.back.setVisible(places > 1)
        self.back.setEnabled(False)
        self.rows.setVisible(finding is not None and len(finding.rows) > 0)
        self.where.setText(tr("{places:,} places", places=places) if places > 1 else "")

    def _pick(self) -> None:
        finding = self.finding
        if finding is not None and len(finding.rows):
            self.rows_wanted.emit(finding.rows.tolist())

    def _go(self, by: int) -> None:
        """Go to the next place of the finding, or to the one before."""
        finding = self.finding
        if finding is None or not len(finding.places):
            self._pick()
            return
        self._at = (self._at + by) % len(finding.places)
        several = len(finding.places) > 1
        self.where.setText(tr("{at:,} of {count:,}", at=self._at + 1, count=len(finding.places)) if several else "")
        self.on.setText(tr("Next place") if several else tr("Go there"))
        self.back.setEnabled(several)
        self.place_wanted.emit(*finding.places[self._at].tolist())
