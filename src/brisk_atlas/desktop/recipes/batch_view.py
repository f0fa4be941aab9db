"""A recipe over many inputs: the table of inputs, how each stands, and what failed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QDragEnterEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.system.jobs import Lane
from brisk_atlas.core.system.shares import CORES

from ..plain_text import PlainLabel, plain_tip
from ..session import Session
from ..theme import LIGHT, Theme, mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.handover.batch_task import TaskOutcome
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.system.jobs import Job

HEADS = (tr("Input"), tr("State"), tr("Rows"), tr("Time"), tr("Remarks"))
INPUT, STATE, ROWS, TIME, REMARKS = range(5)
EMPTY = tr("Add files or a folder: the recipe is run for each of them. They can be dropped here too.")


class BatchView(QWidget):
    """Inputs, values of parameters, where to, how many at a time; then what came of each.

    Signals:
        open_wanted(list): files and tables that were written are to be opened, by their names.
    """

    open_wanted = pyqtSignal(list)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self.recipe_of: Callable[[], Recipe | None] = lambda: None
        self.inputs: list[str] = []
        self.watched: Path | None = None
        self.recipe: Recipe | None = None  # that was run
        self.job: Job | None = None
        self.outcomes: dict[str, TaskOutcome] = {}  # by source
        self.setAcceptDrops(True)
        self.title, self.state = PlainLabel(tr("Run for many inputs")), PlainLabel(EMPTY)
        self.title.setObjectName("title")
        self.state.setObjectName("quiet")
        self.state.setWordWrap(True)
        names = (tr("Add files…"), tr("Add a folder…"), tr("Watch a folder…"), tr("Clear"))
        self.add_files, self.add_folder, self.watch, self.clear = (QPushButton(name) for name in names)
        self.watch.setToolTip(tr("Run for what is in a folder and for what comes into it, until it is cancelled"))
        self.out, self.browse = QLineEdit(str(Path.home() / "handed_over")), QPushButton(tr("Choose…"))
        self.out.setObjectName("batch out")
        self.out.setAccessibleName(tr("The folder to write to"))
        self.out.setFont(mono_font())
        self.workers = QSpinBox()
        self.workers.setRange(1, 64)
        self.workers.setValue(CORES)
        self.workers.setAccessibleName(tr("How many inputs at a time"))
        self.cluster = QLineEdit()
        self.cluster.setPlaceholderText(tr("this machine, or the address of a scheduler, such as tcp://10.0.0.5:8786"))
        self.cluster.setAccessibleName(tr("The address of a Dask scheduler"))
        self.tiles = QCheckBox(tr("Divide a large grid or cloud into tiles"))
        self.tiles.setToolTip(tr("So that all workers, or machines, can do parts of one input"))
        self.table = QTableWidget(0, len(HEADS))
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("batch")
        self.table.setAccessibleName(tr("Inputs and what came of them"))
        self.table.setHorizontalHeaderLabels(list(HEADS))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setShowGrid(False)
        self.table.setAlternatingRowColors(True)
        side, head = self.table.verticalHeader(), self.table.horizontalHeader()
        assert side is not None and head is not None
        side.hide()
        side.setDefaultSectionSize(24)
        for column, width in ((INPUT, 200), (STATE, 84), (ROWS, 84), (TIME, 72)):
            self.table.setColumnWidth(column, width)
        head.setSectionResizeMode(REMARKS, QHeaderView.ResizeMode.Stretch)
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        for column in (ROWS, TIME):
            over = self.table.horizontalHeaderItem(column)
            assert over is not None
            over.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.go, self.again, self.stop = (
            QPushButton(tr("Run for all")),
            QPushButton(tr("Only what is not done")),
            QPushButton(tr("Cancel")),
        )
        self.go.setObjectName("main")
        self.again.setToolTip(tr("Pass over the inputs that were done with this recipe before"))
        self.report, self.open = QPushButton(tr("Write a report…")), QPushButton(tr("Open what was written"))
        self.progress = QProgressBar()
        self._lay_out()
        self._connect()
        self._refresh()

    def _lay_out(self) -> None:
        above, below, out = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        above.addWidget(self.title, 1)
        for widget in (self.add_files, self.add_folder, self.watch, self.clear):
            above.addWidget(widget)
        out.addWidget(self.out, 1)
        out.addWidget(self.browse)
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow(tr("Folder"), out)
        where = QHBoxLayout()
        where.addWidget(self.workers)
        where.addWidget(PlainLabel(tr("on")))
        where.addWidget(self.cluster, 1)
        form.addRow(tr("At a time"), where)
        form.addRow("", self.tiles)
        below.addWidget(self.go)
        below.addWidget(self.again)
        below.addWidget(self.stop)
        below.addWidget(self.progress)
        below.addStretch(1)
        for widget in (self.report, self.open):
            below.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addLayout(above)
        column.addLayout(form)
        column.addWidget(self.table, 1)
        column.addWidget(self.state)
        column.addLayout(below)

    def _connect(self) -> None:
        self.add_files.clicked.connect(self._browse_files)
        self.add_folder.clicked.connect(self._browse_folder)
        self.watch.clicked.connect(self._browse_watched)
        self.clear.clicked.connect(lambda checked=False: self.show_inputs([]))
        self.browse.clicked.connect(self._browse_out)
        self.go.clicked.connect(lambda checked=False: self.run())
        self.again.clicked.connect(lambda checked=False: self.run(resume=True))
        self.stop.clicked.connect(lambda checked=False: self.job.cancel() if self.job else None)
        self.report.clicked.connect(self._write_report)
        self.open.clicked.connect(self._open_written)

    @property
    def busy(self) -> bool:
        """Whether the batch runs."""
        return self.job is not None and not self.job.finished

    # Inputs

    def add(self, places: list[str]) -> None:
        """Add files, and the datasets of folders."""
        from brisk_atlas.core.handover.batch import inputs_in
        from brisk_atlas.core.model import AtlasError

        try:
            found = inputs_in(places)
        except AtlasError as error:
            self._say(str(error), bad=True)
            return
        self.show_inputs(list(dict.fromkeys([*self.inputs, *found])))

    def watch_folder(self, folder: Path) -> None:
        """Have the recipe run for what is in a folder, and what comes into it."""
        self.show_inputs([])
        self.watched = folder
        self._say(tr("“Run and watch” runs the recipe for all that is in {folder} or comes into it.", folder=folder))
        self._refresh()

    def show_inputs(self, inputs: list[str]) -> None:
        """Show inputs that nothing came of yet."""
        self.inputs, self.outcomes, self.watched = inputs, {}, None
        self.table.setRowCount(len(inputs))
        for row, source in enumerate(inputs):
            self._show_row(row, source, None)
        self._say(EMPTY if not inputs else tr("{count:,} inputs", count=len(inputs)))
        self._refresh()

    def _browse_files(self) -> None:
        paths, _ = QFileDialog.getOpenFileNames(self, tr("Inputs"))
        if paths:
            self.add(paths)

    def _browse_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("A folder of inputs"))
        if folder:
            self.add([folder])

    def _browse_watched(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("A folder to watch"))
        if folder:
            self.watch_folder(Path(folder))

    def _browse_out(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("The folder to write to"), self.out.text())
        if folder:
            self.out.setText(folder)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None:
            self.add([url.toLocalFile() for url in mime.urls() if url.isLocalFile()])

    def event(self, event: QEvent | None) -> bool:
        own = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Delete
        if event is not None and own and event.type() == QEvent.Type.ShortcutOverride:
            event.accept()  # so that it is no command of the window
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        if event.key() == Qt.Key.Key_Delete and rows and not self.busy:
            self.show_inputs([each for row, each in enumerate(self.inputs) if row not in rows])
        else:
            super().keyPressEvent(event)

    # Running

    def run(self, *, resume: bool = False) -> None:
        """Run the recipe for all inputs in the background, or for a watched folder until it is cancelled."""
        from brisk_atlas.core.model import AtlasError

        from .batch_work import BatchWork

        recipe, watched = self.recipe_of(), self.watched
        if recipe is None or self.busy or not (self.inputs or watched):
            return
        asked = BatchWork(recipe, Path(self.out.text()).expanduser(), self.workers.value(), self.cluster.text().strip(),
                          self.tiles.isChecked(), resume or watched is not None)  # fmt: skip
        try:
            batch = asked.batch(self.inputs)
        except AtlasError as error:
            self._say(str(error), bad=True)
            return
        self.recipe, self.outcomes = batch.recipe, {}
        for row, source in enumerate(self.inputs):
            self._show_row(row, source, None)

        def work(job: Job) -> list[TaskOutcome]:
            def came(outcome: TaskOutcome) -> None:
                self.session.call_in_gui(lambda found: self._came(*found), (job, replace(outcome)))

            if watched is None:
                return asked.run(batch, job, came)
            asked.watch(watched, job, came)
            return []

        many = (
            tr("for {count:,} inputs", count=len(self.inputs))
            if watched is None
            else tr("for what comes into {name}", name=watched.name)
        )
        self.job = self.session.run(
            tr("Running {title} {many}", title=recipe.title or tr("a recipe"), many=many),
            work,
            self._done,
            lane=Lane.BATCH,
            failed=self._failed,
        )
        if watched is not None:
            self._say(tr("Watching {watched}. Cancel ends it.", watched=watched))
        self.session.job_changed.connect(self._progressed)
        self._refresh()

    def _came(self, job: Job, outcome: TaskOutcome) -> None:
        if job is not self.job:
            return
        if outcome.source not in self.inputs:
            self.inputs.append(outcome.source)
            self.table.setRowCount(len(self.inputs))
        self.outcomes[outcome.source] = outcome
        self._show_row(self.inputs.index(outcome.source), outcome.source, outcome)

    def _progressed(self, job: Job) -> None:
        if job is not self.job:
            return
        self.progress.setValue(round(100 * job.progress))
        if job.finished:
            self.session.job_changed.disconnect(self._progressed)
            if job.state == "cancelled":
                goes_on = tr("“Only what is not done”") if self.watched is None else tr("“Run and watch”")
                self._say(tr("Cancelled. What was done is whole; {goes_on} goes on from here.", goes_on=goes_on))
            self._refresh()

    def _done(self, outcomes: list[TaskOutcome]) -> None:
        from brisk_atlas.core.handover.batch_report import totals

        self.outcomes = {outcome.source: outcome for outcome in outcomes}
        for row, source in enumerate(self.inputs):
            self._show_row(row, source, self.outcomes.get(source))
        ended = ", ".join(f"{grouped(count)} {shown(state)}" for state, count in totals(outcomes).items() if count)
        self._say(
            tr("{count:,} inputs: {ended}", count=len(outcomes), ended=ended),
            bad=any(o.state == "failed" for o in outcomes),
        )
        self._refresh()

    def _failed(self, error: BaseException) -> None:
        from brisk_atlas.core.model import AtlasError

        self._say(str(error), bad=True)
        self._refresh()
        if not isinstance(error, AtlasError):
            self.session.fault(error)

    def _show_row(self, row: int, source: str, outcome: TaskOutcome | None) -> None:
        state = outcome.state if outcome is not None else "waiting"
        texts = [Path(source).name, shown(state), "", "", ""]
        if outcome is not None and outcome.state in ("done", "done before"):
            texts[ROWS], texts[TIME] = grouped(outcome.count), f"{outcome.seconds:.2f} s"
            texts[REMARKS] = " · ".join(outcome.warnings)
        elif outcome is not None and outcome.reason:
            texts[REMARKS] = outcome.reason.removeprefix(f"{source}: ")
        inks = {"failed": self.theme.fault, "done": self.theme.good, "done before": self.theme.quiet,
                "waiting": self.theme.quiet, "running": self.theme.second}  # fmt: skip
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip(plain_tip(text if column == REMARKS else source if column == INPUT else ""))
            if column in (ROWS, TIME):
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                item.setFont(mono_font())
            if column == STATE or (column == REMARKS and state == "failed"):
                item.setForeground(QColor(inks[state]))
            self.table.setItem(row, column, item)

    def _say(self, text: str, *, bad: bool = False) -> None:
        self.state.setObjectName("fault" if bad else "quiet")
        style = self.state.style()
        assert style is not None
        style.polish(self.state)
        self.state.setText(text)

    def _refresh(self) -> None:
        busy, ended = self.busy, bool(self.outcomes) and not self.busy
        self.go.setText(tr("Run for all") if self.watched is None else tr("Run and watch"))
        self.go.setEnabled(bool(self.inputs or self.watched) and not busy)
        self.again.setEnabled(bool(self.inputs) and not busy)
        self.again.setVisible(self.watched is None)
        self.stop.setVisible(busy)
        self.progress.setVisible(busy)
        for widget in (self.report, self.open):
            widget.setVisible(ended)
        for widget in (self.add_files, self.add_folder, self.watch, self.clear):
            widget.setEnabled(not busy)
        self.tiles.setEnabled(not busy)

    def _write_report(self) -> None:
        from brisk_atlas.core.handover.batch_report import write_report
        from brisk_atlas.core.model import AtlasError

        from ..save_path import ask_save_path

        path = ask_save_path(self, tr("Write a report"), "report", {".html": tr("Page"), ".json": "JSON"})
        if path is None or self.recipe is None:
            return
        outcomes = [self.outcomes[source] for source in self.inputs if source in self.outcomes]
        try:
            write_report(self.recipe, outcomes, sum(o.seconds for o in outcomes), path)
        except AtlasError as error:
            self._say(str(error), bad=True)
            return
        self._say(tr("Wrote {path}", path=path))

    def _open_written(self) -> None:
        from brisk_atlas.core.handover.formats import opens

        rows = sorted({index.row() for index in self.table.selectedIndexes()})
        sources = [self.inputs[row] for row in rows] or self.inputs
        found = [each["path"] for source in sources if source in self.outcomes
                 for each in self.outcomes[source].written if opens(each["path"])]  # fmt: skip
        if found:
            self.open_wanted.emit(found)
