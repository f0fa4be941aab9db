"""The Record page: what the data tells of itself, and what its record says."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QSplitter, QVBoxLayout, QWidget

from brisk_atlas.core.jobs import Job
from brisk_atlas.core.record import NOT_SAID, Section

from ..reading_view import ReadingView
from ..session import Session

EMPTY = "Open a layer, or choose a dataset on Find, to read its record."


class RecordPage(QWidget):
    """An outline on the left, the reading on the right. Speaks of the subject, or of what Find sent."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.path: Path | None = None
        self._sent: Path | None = None
        self._job: Job | None = None
        self.title = QLabel(EMPTY)
        self.title.setObjectName("title")
        self.said = QLabel("")
        self.said.setObjectName("quiet")
        self.outline = QListWidget()
        self.outline.setObjectName("record outline")
        self.outline.setAccessibleName("Sections of the record")
        self.reading = ReadingView()
        self.reading.setObjectName("record reading")
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 12, 6, 10)
        heading = QLabel("Sections")
        heading.setObjectName("heading")
        column.addWidget(heading)
        column.addWidget(self.outline, 1)
        right = QWidget()
        rows = QVBoxLayout(right)
        rows.setContentsMargins(14, 12, 14, 8)
        rows.addWidget(self.title)
        rows.addWidget(self.said)
        rows.addWidget(self.reading, 1)
        split = QSplitter()
        split.addWidget(left)
        split.addWidget(right)
        split.setStretchFactor(1, 1)
        split.setSizes([250, 1030])
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)
        self.outline.currentRowChanged.connect(lambda row: self.reading.scrollToAnchor(f"s{row}") if row >= 0 else None)
        session.work_changed.connect(self._work_changed)

    @property
    def busy(self) -> bool:
        return self._job is not None and not self._job.finished

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "file", "layers"):
            self._sent = None if what == "subject" else self._sent
            if self.isVisible():
                self.refresh()

    def showEvent(self, event: object) -> None:
        self.refresh()

    def read_path(self, path: Path) -> None:
        """Read the record of a dataset that need not be open."""
        self._sent = path
        self.refresh()

    def refresh(self) -> None:
        subject = self.session.work.subject
        path = self._sent or (subject.path if subject else None)
        part = subject.part if subject and path == subject.path and not self._sent else None
        if path is None:
            self.title.setText(EMPTY)
            self.said.setText("")
            self.outline.clear()
            self.reading.show_sections([])
            return
        self.path = path

        def work(job: Job) -> tuple[list[Section], list[Section], list[str]]:
            from brisk_atlas.core import record

            dataset = self.session.holdings.dataset(path)
            found = record.record_of(dataset)
            standards = [f"{p.name} ({standard})" for p, standard in record.records_of(dataset)]
            return record.derived_sections(dataset, part), record.sections_of(found) if found else [], standards

        def done(found: tuple[list[Section], list[Section], list[str]]) -> None:
            if self.path == path:
                self._show(path, *found)

        if self._job:
            self._job.cancel()
        self._job = self.session.run("Reading the record", work, done, shown=False)

    def _show(self, path: Path, derived: list[Section], said: list[Section], standards: list[str]) -> None:
        self.title.setText(path.name)
        if said:
            gaps = sum(text == NOT_SAID for section in said for _, text in section.lines)
            self.said.setText(f"Record: {', '.join(standards)}" + (f" · {gaps} things not said" if gaps else ""))
        elif standards:
            self.said.setText(
                f"Record: {', '.join(standards)}. Its standard is recognised, its content is not read yet; "
                "below is what the data tells."
            )
        else:
            self.said.setText("No record beside the data; below is what the data itself tells.")
        sections = [*said, *derived]
        self.outline.clear()
        for section in sections:
            gaps = sum(text == NOT_SAID for _, text in section.lines)
            item = QListWidgetItem(section.title + (f"   {gaps} not said" if gaps else ""))
            item.setData(Qt.ItemDataRole.UserRole, gaps)
            self.outline.addItem(item)
        self.reading.show_sections(sections)
