"""Writing what a recipe makes: the button, progress, and what was written."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.handover.run_recipe import BranchRun


class HandOverBar(QWidget):
    """Runs a recipe on all of the data and says what was written.

    Signals:
        wanted(): the button was pressed.
        open_wanted(list): what was written is to be opened, by its names.
        posting_wanted(object): what was posted is to be shown, a DataRef.
    """

    wanted = pyqtSignal()
    open_wanted = pyqtSignal(list)
    posting_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.job: Job | None = None
        self.written: list[str] = []
        self.posted: DataRef | None = None
        self.go, self.stop, self.open, self.show_posting = (
            QPushButton(tr("Hand over")),
            QPushButton(tr("Cancel")),
            QPushButton(tr("Open what was written")),
            QPushButton(tr("Show it under Depot")),
        )
        self.go.setObjectName("main")
        self.progress, self.result = QProgressBar(), PlainLabel()
        self.result.setWordWrap(True)
        self.result.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        deeds = QHBoxLayout()
        deeds.setSpacing(8)
        deeds.addWidget(self.go)
        deeds.addWidget(self.stop)
        deeds.addWidget(self.progress)
        deeds.addWidget(self.open)
        deeds.addWidget(self.show_posting)
        deeds.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 6, 12, 10)
        column.setSpacing(4)
        column.addLayout(deeds)
        column.addWidget(self.result)
        for widget in (self.stop, self.open, self.show_posting):
            widget.hide()
        self.progress.hide()
        self.go.clicked.connect(lambda checked=False: self.wanted.emit())
        self.stop.clicked.connect(lambda checked=False: self.job.cancel() if self.job else None)
        self.open.clicked.connect(lambda checked=False: self.open_wanted.emit(self.written))
        self.show_posting.clicked.connect(lambda checked=False: self.posting_wanted.emit(self.posted))

    @property
    def busy(self) -> bool:
        """Whether something is being written."""
        return self.job is not None and not self.job.finished

    def run(self, recipe: Recipe) -> None:
        """Run a recipe on all of the data and write, in the background."""
        from brisk_atlas.core.operations.recipe_sources import WorkspaceSources
        from brisk_atlas.core.workspace.workspace import FrozenWorkspace

        if self.busy:
            return
        frozen = FrozenWorkspace(self.session.workspace)

        def work(job: Job) -> list[BranchRun]:
            from brisk_atlas.core.handover.run_recipe import RecipeRun, check_targets

            check_targets(recipe, [layer.ref for layer in frozen.work.layers])
            with RecipeRun(recipe, WorkspaceSources(frozen), check=job.check) as run:
                return run.write(job.report)

        self.result.setText("")
        self.open.hide()
        self.show_posting.hide()
        self.go.setEnabled(False)
        self.progress.setValue(0)
        self.stop.show()
        self.progress.show()
        name = tr("Handing over {title}", title=recipe.title)

        def done(runs: list[BranchRun]) -> None:
            self.session.note_done(name, recipe, frozen.work.layers)
            self._done(runs)

        self.job = self.session.run(name, work, done, lane=Lane.BATCH, failed=self._failed)
        self.session.job_changed.connect(self._progressed)

    def _progressed(self, job: Job) -> None:
        if job is not self.job:
            return
        self.progress.setValue(round(job.progress * 100))
        if job.finished:
            self.session.job_changed.disconnect(self._progressed)
            self.stop.hide()
            self.progress.hide()
            self.go.setEnabled(True)
            if job.state == "cancelled":
                self.say(tr("Cancelled; nothing was written."))

    def _done(self, runs: list[BranchRun]) -> None:
        from brisk_atlas.core.handover.formats import opens

        files = [each for run in runs for each in run.written]
        self.written = [str(each.path) for each in files if each.format != "record" and opens(str(each.path))]
        refs = [each.path for each in files if isinstance(each.path, DataRef)]
        self.posted = next((each for each in refs if not opens(str(each))), None)
        self.say("\n".join(tr("Wrote {words} to {path}", words=each.words, path=each.path) for each in files))
        self.open.setVisible(bool(self.written))
        self.show_posting.setVisible(self.posted is not None)
        (self.open if self.written else self.show_posting).setFocus()

    def _failed(self, error: BaseException) -> None:
        from brisk_atlas.core.model import AtlasError

        self.say(str(error) if isinstance(error, AtlasError) else tr("It failed: {error}", error=error), bad=True)
        if not isinstance(error, AtlasError):
            self.session.fault(error)

    def say(self, text: str, *, bad: bool = False) -> None:
        """Show what happened."""
        self.result.setObjectName("fault" if bad else "")
        style = self.result.style()
        assert style is not None
        style.polish(self.result)
        self.result.setText(text)
