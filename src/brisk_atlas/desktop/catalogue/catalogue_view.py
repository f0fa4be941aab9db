"""The Catalogue half of Hand over: what a site is made of and called at the left, what it will have at the right."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.system.jobs import Lane

from ..later import Later
from ..plain_text import PlainLabel
from ..session import Session
from ..side_by_side import put_side_by_side
from .planned_table import PlannedTable

if TYPE_CHECKING:
    from brisk_atlas.core.operations import CatalogueSite
    from brisk_atlas.core.operations.catalogue_plan import PlannedDataset, SiteState
    from brisk_atlas.core.operations.catalogue_site import SiteMade
    from brisk_atlas.core.system.jobs import Job

REST_MS = 400  # from the last key until the source is looked at
LARGEST_MB = 100_000
INTRODUCTION = tr(
    "A catalogue site shows others what there is: a page for each dataset with its map, rows, record and files, a "
    "search, and forms that machines read. It is a folder of files, for any web server or a disk."
)
SAME, AS_THEY_ARE = "as it is", tr("as they are")
FIRST = tr("Choose a folder of data and a folder for the site. What the site will have is listed here.")


class CatalogueView(QWidget):
    """Makes a site of a folder, a database or a service, and makes it anew where something changed."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.site: Path | None = None  # the folder of a site that is there
        self._running: list[Job] = []
        self._making: Job | None = None
        self._looking: Job | None = None
        self._asked = 0  # plans, of which the last one counts
        self._chosen = ""  # the source that was confirmed: no address is reached while it is typed
        self.source = QComboBox()
        self.source.setEditable(True)
        self.source.setObjectName("catalogue source")
        self.source.setAccessibleName(tr("What the site is made of"))
        self.source.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.out = QLineEdit()
        self.out.setObjectName("catalogue folder")
        self.out.setAccessibleName(tr("Folder of the site"))
        self.out.setPlaceholderText(tr("A new folder, or that of the site"))
        self.choose_source, self.choose_out = QPushButton(tr("Folder…")), QPushButton(tr("Folder…"))
        self.title, self.address = QLineEdit(), QLineEdit()
        self.title.setPlaceholderText(tr("The name of the folder"))
        self.address.setPlaceholderText(tr("https://…, where it will be found"))
        self.address.setToolTip(tr("Harvesters and search engines need it; the pages work without"))
        self.summary = QPlainTextEdit()
        self.summary.setPlaceholderText(tr("What the site is about, in a few sentences"))
        self.summary.setMaximumHeight(96)
        self.summary.setTabChangesFocus(True)
        self.largest = QSpinBox()
        self.largest.setRange(1, LARGEST_MB)
        self.largest.setValue(200)
        self.largest.setSuffix(" MB")
        self.largest.setToolTip(tr("Larger files are described, and not handed out"))
        self.check = QCheckBox(tr("Check the descriptions by the shapes of DCAT-AP"))
        self.check.setChecked(True)
        self.make = QPushButton(tr("Make the site"))
        self.make.setObjectName("main")
        self.look = QPushButton(tr("Look at it"))
        self.look.setToolTip(tr("Open the site in a browser"))
        self.result = PlainLabel("")
        self.result.setObjectName("quiet")
        self.result.setWordWrap(True)
        self.head, self.table = PlainLabel(FIRST), PlannedTable()
        self.head.setWordWrap(True)
        self._rest = Later(self, REST_MS, self.look_ahead)
        self._lay_out()
        self._connect()
        self._fill_sources()
        self._show_state()

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(16, 12, 12, 12)
        column.setSpacing(8)
        about = PlainLabel(INTRODUCTION)
        about.setObjectName("quiet")
        about.setWordWrap(True)
        column.addWidget(about)
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        for label, field, button in (
            (tr("Data"), self.source, self.choose_source),
            (tr("Site"), self.out, self.choose_out),
        ):
            row = QHBoxLayout()
            row.addWidget(field, 1)
            row.addWidget(button)
            form.addRow(label, row)
        for label, widget in (
            (tr("Title"), self.title),
            (tr("Summary"), self.summary),
            (tr("Address"), self.address),
            (tr("Files up to"), self.largest),
        ):
            form.addRow(label, widget)
        column.addLayout(form)
        column.addWidget(self.check)
        row = QHBoxLayout()
        row.addWidget(self.make)
        row.addWidget(self.look)
        row.addStretch(1)
        column.addLayout(row)
        column.addWidget(self.result)
        column.addStretch(1)
        right = QWidget()
        column = QVBoxLayout(right)
        column.setContentsMargins(12, 12, 12, 12)
        column.setSpacing(8)
        column.addWidget(self.head)
        column.addWidget(self.table, 1)
        put_side_by_side(self, left, right)

    def _connect(self) -> None:
        for line in (self.out, self.title, self.address):
            line.textChanged.connect(self._rest.start)
        self.source.currentTextChanged.connect(self._rest.start)
        self.source.activated.connect(lambda at: self._go_there())
        typed = self.source.lineEdit()
        assert typed is not None
        typed.returnPressed.connect(self._go_there)
        self.largest.valueChanged.connect(self._rest.start)
        self.summary.textChanged.connect(self._rest.start)
        self.out.editingFinished.connect(self._read_site)
        self.choose_source.clicked.connect(lambda checked=False: self._choose_source())
        self.choose_out.clicked.connect(lambda checked=False: self._choose_out())
        self.make.clicked.connect(lambda checked=False: self.build())
        self.look.clicked.connect(lambda checked=False: self._open())

    def _fill_sources(self) -> None:
        """Offer the shelves."""
        shelves = self.session.shelves
        places = [str(path) for path in shelves.pinned]
        places += [str(each.ref) for each in shelves.connections]
        self.source.addItems(dict.fromkeys(places))

    def _choose_source(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("The folder of data"), self.source.currentText())
        if chosen:
            self.source.setEditText(chosen)

    def _choose_out(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("The folder of the site"), self.out.text())
        if chosen:
            self.out.setText(chosen)
            self._read_site()

    @property
    def busy(self) -> bool:
        """Whether the source is looked at, or the site is made."""
        self._running = [job for job in self._running if not job.finished]
        return bool(self._running) or self._rest.isActive()

    def wish(self) -> CatalogueSite | None:
        """Return the site that is asked for, None while something is missing."""
        from brisk_atlas.core.operations import CatalogueSite

        source, out = self.source.currentText().strip(), self.out.text().strip()
        if not source or not out:
            return None
        try:
            ref = DataRef.typed(source)
        except AtlasError:
            return None
        return CatalogueSite(
            ref, Path(out).expanduser(), title=self.title.text().strip(),
            summary=self.summary.toPlainText().strip(), address=self.address.text().strip(),
            largest_mb=self.largest.value(), check=self.check.isChecked(),
        )  # fmt: skip

    # Looking ahead

    def _go_there(self) -> None:
        """Look at the source that was chosen, wherever it lies."""
        self._chosen = self.source.currentText()
        self.look_ahead()

    def _read_site(self) -> None:
        """Take over how the site in the folder was asked for."""
        from brisk_atlas.core.operations.catalogue_plan import stored_site

        out = Path(self.out.text().strip()).expanduser()
        if not self.out.text().strip() or out == self.site:
            return

        def done(state: SiteState | None) -> None:
            self.site = out if state is not None else None
            if state is not None:
                self.title.setText(state.wish.title)
                self.summary.setPlainText(state.wish.summary)
                self.address.setText(state.wish.address)
                self.largest.setValue(state.wish.largest_mb)
            self._show_state()

        self._run(tr("The site"), lambda job: stored_site(out), done)

    def look_ahead(self) -> None:
        """List what the site will have."""
        wish = self.wish()
        self._asked += 1
        turn = self._asked
        if wish is None:
            self.head.setText(FIRST)
            self.table.rows.show_rows([])
            self._show_state()
            return
        if "://" in self.source.currentText() and self.source.currentText() != self._chosen:
            self.head.setText(tr("Press Enter in Data to look at what that address has."))
            self.table.rows.show_rows([])
            self._show_state()
            return
        self.head.setText(tr("Looking at what is there…"))

        def done(rows: list[PlannedDataset]) -> None:
            if turn == self._asked:
                self.show_plan(rows)

        def failed(error: BaseException) -> None:
            if turn == self._asked:
                self.table.rows.show_rows([])
                self.head.setText(" ".join(str(error).split()))

        if self._looking is not None:
            self._looking.cancel()
        self._looking = self._run(tr("Looking ahead"), lambda job: wish.plan(job.report), done, failed)
        self._show_state()

    def show_plan(self, rows: list[PlannedDataset]) -> None:
        """Show what the site will have, and say it in numbers."""
        self.table.rows.show_rows(rows)
        counts = Counter(row.build for row in rows)
        bare = sum(row.entry is not None and row.entry.is_listed and not row.entry.has_record for row in rows)
        words = [trn("{count:,} dataset", "{count:,} datasets", len(rows))]
        words += [
            f"{grouped(count)} {AS_THEY_ARE if count > 1 and build == SAME else shown(build)}"
            for build, count in counts.items()
        ]
        text = f"{words[0]}: {', '.join(words[1:])}." if rows else tr("There is no data.")
        if bare:
            text += tr(" {bare:,} without a record: their pages state what the data says.", bare=bare)
        self.head.setText(text)

    def _show_state(self) -> None:
        self.make.setEnabled(self.wish() is not None)
        self.make.setText(tr("Make the site anew") if self.site is not None else tr("Make the site"))
        self.look.setEnabled(self.site is not None)

    # Making

    def build(self) -> None:
        """Make the site in the background."""
        wish = self.wish()
        if wish is None or (self._making is not None and not self._making.finished):
            return
        self.result.setText(tr("The site is made; the page can be left meanwhile."))

        def done(made: SiteMade) -> None:
            self.site = made.path
            self.result.setText("\n".join(made.lines()))
            self._show_state()
            self.look_ahead()

        def failed(error: BaseException) -> None:
            self.result.setText("")
            self._show_state()
            self.session.fault(error)

        self._making = self.session.run_operation(tr("Site in {name}", name=wish.out.name), wish, done, failed=failed)
        self._running.append(self._making)

    def _open(self) -> None:
        if self.site is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.site / "index.html")))

    def _run(self, name: str, work: Any, done: Any, failed: Any = None) -> Job:
        job = self.session.run(name, work, done, shown=False, lane=Lane.BATCH, failed=failed)
        self._running.append(job)
        return job
