"""Looking at the steps of a recipe in the background: checkpoint by checkpoint, the latest wish alone."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane

from ..later import Later
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.handover.checkpoints import Checkpoint
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.system.jobs import Job

WAIT_MS = 150  # after the last change, before the steps run


class RecipeLooker(QObject):
    """Runs the steps of all branches for a look, on a sample or on all of the data.

    Signals:
        found(str, int, object): the checkpoint of a branch and a step, -1 for its source.
        outlook(str, int, object, str): what a step that writes would write, a LookAhead; or None and why it can't.
        ended(): all of it was looked at, or it failed.
    """

    found = pyqtSignal(str, int, object)
    outlook = pyqtSignal(str, int, object, str)
    ended = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._recipe: Recipe | None = None
        self._whole = False
        self.dropped = False
        self._job: Job | None = None
        self._store: Any = None
        self._timer = Later(self, WAIT_MS, self._begin)

    @property
    def busy(self) -> bool:
        """Whether steps are waiting or running."""
        return self._timer.isActive() or (self._job is not None and not self._job.finished)

    @property
    def store(self) -> Any:
        """The checkpoints that are stored."""
        from brisk_atlas.core.handover.checkpoints import CheckpointStore

        if self._store is None:
            self._store = CheckpointStore()
        return self._store

    def look(self, recipe: Recipe, *, whole: bool) -> None:
        """Run the steps of a recipe soon; an earlier wish is dropped."""
        if self._job is not None:
            self._job.cancel()
        self._recipe, self._whole, self.dropped = recipe, whole, False
        self._timer.start()

    def stop(self) -> None:
        """Drop what was wished; `dropped` is true where some of it was left undone."""
        self.dropped = self.dropped or self.busy
        self._timer.stop()
        if self._job is not None:
            self._job.cancel()

    def close(self) -> None:
        """Stop, and remove what is stored."""
        self.stop()
        if self._store is not None:
            self._store.clear()

    def _begin(self) -> None:
        from brisk_atlas.core.operations.recipe_sources import WorkspaceSources
        from brisk_atlas.core.workspace.workspace import FrozenWorkspace

        recipe, whole = self._recipe, self._whole
        assert recipe is not None
        sources, store = WorkspaceSources(FrozenWorkspace(self.session.workspace)), self.store

        def work(job: Job) -> None:
            from brisk_atlas.core.handover.run_recipe import RecipeRun

            with RecipeRun(recipe, sources, sampled=not whole, stored=store, check=job.check) as run:
                for branch in recipe.branches:
                    _look_at(run, branch.name, job, report)

        def report(job: Job, signal: Any, *values: Any) -> None:
            if not job.stopping:
                self.session.call_in_gui(lambda v: signal.emit(*v) if self._job is job else None, values)

        def _look_at(run: Any, name: str, job: Job, report: Any) -> None:
            branch = run.branch(name)
            places = [-1, *(at for at, step in enumerate(branch.steps) if not step.off)]
            seen: list[Checkpoint] = []
            for at, checkpoint in zip(places, run.checkpoints(name)):
                seen.append(checkpoint)
                report(job, self.found, name, at, checkpoint)
            if seen[-1].account.error is None:
                for at, outlook, fault in run.outlooks(name, seen):
                    report(job, self.outlook, name, at, outlook, fault)

        name = tr("Looking at all of the recipe") if whole else tr("Looking at the recipe")
        self._job = self.session.run(
            name, work, lambda nothing: self.ended.emit(), shown=whole, lane=Lane.BATCH if whole else Lane.INTERACTIVE,
            failed=self._failed,
        )  # fmt: skip

    def _failed(self, error: BaseException) -> None:
        from brisk_atlas.core.model import AtlasError

        self.ended.emit()
        if not isinstance(error, AtlasError):
            self.session.fault(error)
