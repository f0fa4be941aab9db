"""What the page of a batch has a job do."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from brisk_atlas.core.handover.batch import Batch, watched_inputs
from brisk_atlas.core.handover.batch_task import BatchTask, Runner, TaskOutcome
from brisk_atlas.core.handover.recipe import Recipe, for_many
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job


@dataclass(frozen=True)
class BatchWork:
    """A recipe for inputs, or for what comes into a folder until the job is cancelled.

    address : of a Dask scheduler; "" for worker processes of this machine
    """

    recipe: Recipe
    out: Path
    workers: int
    address: str = ""
    tiles: bool = False
    resume: bool = False

    def batch(self, inputs: Sequence[str]) -> Batch:
        """Return the batch of some inputs. Raises BadRecipe."""
        return Batch(for_many(self.recipe), inputs, self.out)

    def run(self, batch: Batch, job: Job, came: Callable[[TaskOutcome], None]) -> list[TaskOutcome]:
        """Do all tasks of a batch; `came` is given each outcome as it changes."""
        ended = [0]

        def changed(task: BatchTask, outcome: TaskOutcome) -> None:
            ended[0] += outcome.state not in ("running", "waiting")
            job.report(ended[0] / len(batch.tasks), Path(outcome.source).name)
            came(outcome)

        return batch.run(self._runner(), resume=self.resume, tiles=self.tiles, check=job.check, changed=changed)

    def watch(self, folder: Path, job: Job, came: Callable[[TaskOutcome], None]) -> None:
        """Do what is in a folder, and what comes into it, until the job is cancelled."""
        for ready in watched_inputs(folder, check=job.check):
            self.run(self.batch(ready), job, came)
            job.report(1.0, tr("watching {name}", name=folder.name))

    def _runner(self) -> Runner:
        if self.address:
            from brisk_atlas.core.handover.batch_cluster import ClusterRunner

            return ClusterRunner(self.address)
        from brisk_atlas.core.handover.batch_worker import ProcessRunner

        return ProcessRunner(self.workers)
