"""Running recipes: over the layers of a workspace, or over many inputs, unattended."""

from __future__ import annotations

import json
import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.handover.batch import Batch, inputs_in, watched_inputs
from brisk_atlas.core.handover.batch_report import report_json, totals, write_report
from brisk_atlas.core.handover.batch_task import DONE, FAILED, BatchTask, TaskOutcome
from brisk_atlas.core.handover.batch_worker import ProcessRunner
from brisk_atlas.core.handover.recipe import INPUT, BadRecipe, Recipe, differences, read_recipe, recipe_schema
from brisk_atlas.core.handover.run_recipe import RecipeRun
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.system.shares import CORES

from .operation import Operation, Progress, Written, argument, silent
from .recipe_sources import WorkspaceSources

if TYPE_CHECKING:
    from brisk_atlas.core.handover.batch_task import Runner
    from brisk_atlas.core.workspace.workspace import Workspace

MEMORY_SHARE = 0.7  # of the machine's, for all workers together


@dataclass(frozen=True)
class BatchResult:
    """What came of a recipe for each input."""

    recipe: Recipe
    outcomes: tuple[TaskOutcome, ...]
    seconds: float
    plan: tuple[str, ...] = ()

    @property
    def failed(self) -> int:
        """How many inputs failed."""
        return sum(outcome.state == FAILED for outcome in self.outcomes)

    def lines(self) -> list[str]:
        if self.plan:
            return list(self.plan)
        found = []
        for outcome in self.outcomes:
            files = ", ".join(each["path"] for each in outcome.written)
            found.append(
                outcome.reason or f"{outcome.source} → {files} ({grouped(outcome.count)}, {outcome.seconds:.2f} s)"
            )
            found += [f"  {text}" for text in outcome.warnings]
        ended = ", ".join(f"{grouped(count)} {state}" for state, count in totals(self.outcomes).items() if count)
        return [
            *found,
            tr(
                "{count:,} inputs in {seconds:.1f} s: {ended}",
                count=len(self.outcomes),
                seconds=self.seconds,
                ended=ended,
            ),
        ]

    def as_json(self) -> dict[str, Any]:
        return {"plan": list(self.plan)} if self.plan else report_json(self.recipe, self.outcomes, self.seconds)


@dataclass(frozen=True)
class RunRecipe(Operation):
    """Run a recipe for inputs, each by itself, or once where it needs none.

    A folder stands for the datasets in it. An input that fails stops no other; the exit code is 1 then.
    """

    recipe: Path = argument(tr("the recipe"), placed=True)
    inputs: tuple[str, ...] = argument(tr("datasets, or folders of them"), (), placed=True)
    out: Path | None = argument(tr("the folder to write to, ${out} in the recipe"), None)
    set: tuple[str, ...] = argument(tr("values of parameters, as name=value"), ())
    workers: int = argument(tr("how many inputs at a time; as many as there are cores if not given"), 0)
    scheduler: str = argument(tr("the address of a Dask scheduler whose workers do it"), "")
    resume: bool = argument(tr("pass over what was done before"), False)
    tiles: bool = argument(tr("let the tiles of a large grid or cloud be tasks, not whole inputs"), False)
    dry_run: bool = argument(tr("state what would be written, and write nothing"), False)
    report: Path | None = argument(tr("write a report: a page, or JSON by the ending .json"), None)
    watch: bool = argument(tr("go on, and run for what comes into the folder, until it is stopped"), False)
    memory: float = argument(tr("gigabytes that each worker may take; a share of the machine's if not given"), 0.0)

    def run(self, workspace: Workspace, progress: Progress = silent) -> BatchResult:
        recipe, base = read_recipe(self.recipe), self.recipe.absolute().parent
        values = dict(self._pair(text) for text in self.set)
        if not self.inputs:
            return self._once(recipe, base, values, workspace, progress)
        out = (self.out or Path()).absolute()
        if self.watch:
            return self._watching(recipe, base, values, out, progress)
        inputs = inputs_in(self.inputs, self.recipe)
        return self._batch(Batch(recipe, inputs, out, values, base), progress)

    @staticmethod
    def _pair(text: str) -> tuple[str, str]:
        name, equals, value = text.partition("=")
        if not equals:
            raise BadRecipe(text, tr("it is no value of a parameter"), tr("Write name=value."))
        return name, value

    def _runner(self) -> Runner:
        if self.scheduler:
            from brisk_atlas.core.handover.batch_cluster import ClusterRunner

            return ClusterRunner(self.scheduler)
        return ProcessRunner(self.workers or CORES)

    def _budget(self) -> int:
        if self.memory:
            return int(self.memory * 1e9)
        machine = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
        return 0 if self.scheduler else int(MEMORY_SHARE * machine / (self.workers or CORES))

    def _batch(self, batch: Batch, progress: Progress) -> BatchResult:
        if self.dry_run:
            return BatchResult(batch.recipe, (), 0.0, tuple(batch.plan()))
        start, ended = time.perf_counter(), [0]

        def changed(task: BatchTask, outcome: TaskOutcome) -> None:
            ended[0] += outcome.state not in ("running", "waiting")
            progress(min(1.0, ended[0] / len(batch.tasks)), Path(task.source).name)

        outcomes = batch.run(
            self._runner(), resume=self.resume, tiles=self.tiles, memory=self._budget(), changed=changed,
            check=lambda: progress(min(0.999, ended[0] / len(batch.tasks)), ""),
        )  # fmt: skip
        seconds = time.perf_counter() - start
        if self.report is not None:
            write_report(batch.recipe, outcomes, seconds, self.report)
        return BatchResult(batch.recipe, tuple(outcomes), seconds)

    def _watching(
        self, recipe: Recipe, base: Path, values: dict[str, str], out: Path, progress: Progress
    ) -> BatchResult:
        """Run for what comes into the folder, until `progress` raises."""
        (folder,) = self.inputs
        outcomes: dict[str, TaskOutcome] = {}
        start = time.perf_counter()
        for ready in watched_inputs(Path(folder), check=lambda: progress(0.0, tr("watching"))):
            batch = Batch(recipe, ready, out, values, base)
            done = batch.run(
                self._runner(), resume=True, tiles=self.tiles, memory=self._budget(), check=lambda: progress(0.0, "")
            )
            outcomes |= {each.source: each for each in done}
            if self.report is not None:
                write_report(recipe, list(outcomes.values()), time.perf_counter() - start, self.report)
        return BatchResult(recipe, tuple(outcomes.values()), time.perf_counter() - start)

    def _once(
        self, recipe: Recipe, base: Path, values: dict[str, str], workspace: Workspace, progress: Progress
    ) -> BatchResult:
        if any(branch.source == INPUT for branch in recipe.branches):
            raise AtlasError(self.recipe, tr("it needs an input"), tr("Name a dataset, or a folder of them."))
        start = time.perf_counter()
        given = {**values, **({"out": str(self.out)} if self.out is not None else {})}
        sources = WorkspaceSources(workspace, base)
        with RecipeRun(recipe, sources, given, check=lambda: progress(0.0, "")) as run:
            if self.dry_run:
                names = [b.name for b in recipe.branches]
                plan = [f"{name} → {s.path}" for name in names for s in run.write_steps(run.branch(name))]
                return BatchResult(recipe, (), 0.0, tuple(plan))
            branches = [each.as_json() for each in run.write(progress)]
        seconds = time.perf_counter() - start
        outcome = TaskOutcome(recipe.title or self.recipe.name, DONE, seconds, "", branches)
        if self.report is not None:
            write_report(recipe, [outcome], seconds, self.report)
        return BatchResult(recipe, (outcome,), seconds)


@dataclass(frozen=True)
class WriteRecipeSchema(Operation):
    """Write the JSON Schema of recipes, with the settings of every step."""

    path: Path = argument(tr("the file to write"))

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        write_whole(self.path, (json.dumps(recipe_schema(), indent=2) + "\n").encode())
        return Written((self.path,), tr("the schema of recipes"))


@dataclass(frozen=True)
class RecipeDifferences:
    """What differs between two recipes, a line each."""

    changes: tuple[str, ...]

    def lines(self) -> list[str]:
        return list(self.changes) or [tr("They are alike.")]

    def as_json(self) -> dict[str, Any]:
        return {"changes": list(self.changes)}


@dataclass(frozen=True)
class CompareRecipes(Operation):
    """State what differs between two recipes."""

    before: Path = argument(tr("the earlier recipe"), placed=True)
    after: Path = argument(tr("the later recipe"), placed=True)

    def run(self, workspace: Workspace, progress: Progress = silent) -> RecipeDifferences:
        return RecipeDifferences(tuple(differences(read_recipe(self.before), read_recipe(self.after))))
