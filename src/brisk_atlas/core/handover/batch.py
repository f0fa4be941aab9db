"""A recipe over many inputs, unattended: planned, run by workers, noted as it goes, taken up again where it ended.

What is done of an input is moved into place when it is whole, so that a task that dies, or is done twice, leaves
nothing half-written; the journal says what was done, and is written after that.
"""

from __future__ import annotations

import hashlib
import json
import logging
import os
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Protocol

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read.registry import known_suffixes

from .formats import table_in
from .recipe import SUFFIX, BadRecipe, Recipe
from .run_recipe import RecipeRun, target_of, targets
from .sources import FileSources
from .steps.write import WriteStep

log = logging.getLogger(__name__)
JOURNAL = ".brisk-atlas-batch.jsonl"
WAITING, RUNNING, DONE, FAILED, SKIPPED = "waiting", "running", "done", "failed", "done before"


@dataclass(frozen=True)
class BatchTask:
    """One input with the values of its run. `key` tells it from the same input in another state or by another
    recipe."""

    number: int
    source: str
    values: Mapping[str, Any]
    key: str


@dataclass
class TaskOutcome:
    """How a task stands, and what came of it. `branches` are what `BranchRun.as_json` gives."""

    source: str
    state: str = WAITING
    seconds: float = 0.0
    reason: str = ""
    branches: list[dict[str, Any]] = field(default_factory=list)

    @property
    def written(self) -> list[dict[str, Any]]:
        """The files that were written."""
        return [each for branch in self.branches for each in branch["written"]]

    @property
    def count(self) -> int:
        """How many rows, cells or points were written."""
        return sum(each["count"] for each in self.written)

    @property
    def warnings(self) -> list[str]:
        """What the steps warned of, once each."""
        found = [text for branch in self.branches for step in branch["steps"] for text in step["warnings"]]
        return list(dict.fromkeys(found))


class Runner(Protocol):
    """Who does tasks: worker processes of this machine, or of others."""

    def run(
        self, tasks: Iterable[tuple[BatchTask, tuple[Any, ...]]], check: Callable[[], None]
    ) -> Iterator[tuple[BatchTask, TaskOutcome]]:
        """Yield each task with its outcome as it ends; `arguments` are those of `batch_worker.run_one`."""


def inputs_in(places: Sequence[str | Path], recipe_path: Path | None = None) -> list[str]:
    """Return the inputs that places mean: files and references as they are, of a folder that is no dataset by itself
    the datasets in it, by name. Raises BadRecipe where there is none."""
    found: list[str] = []
    for place in places:
        path = Path(str(place)).expanduser()
        if path.is_dir() and path.suffix.lower() not in known_suffixes():
            known = known_suffixes()
            inside = sorted(p for p in path.iterdir() if p.suffix.lower() in known and not p.name.startswith("."))
            names = {p.name for p in inside}
            found += [str(p) for p in inside if not p.name.endswith(SUFFIX) and not _belongs(p, names)]
        else:
            found.append(str(path.absolute()) if path.exists() else str(place))
    found = [each for each in dict.fromkeys(found) if recipe_path is None or Path(each) != recipe_path.absolute()]
    if not found:
        raise BadRecipe(", ".join(map(str, places)), "no dataset is in it", "Name datasets, or a folder of them.")
    return found


MAIN_ENDINGS = {".dbf": ".shp", ".shx": ".shp", ".prj": ".shp", ".cpg": ".shp", ".mid": ".mif"}


def _belongs(path: Path, names: set[str]) -> bool:
    """Return whether a file is a part of another dataset of the folder, or its record."""
    ending = path.suffix.lower()
    if ending == ".xml":
        return True
    main = MAIN_ENDINGS.get(ending)
    return main is not None and path.stem + main in names


class Batch:
    """A recipe over inputs into a folder.

    values : of parameters, for all inputs
    base : the folder that relative sources of the recipe are from
    """

    def __init__(
        self, recipe: Recipe, inputs: Sequence[str], out: Path, values: Mapping[str, Any] = {}, base: Path | None = None
    ) -> None:  # fmt: skip
        recipe.check()
        recipe.values(values)
        self.recipe, self.out, self.base = recipe, out.absolute(), base
        self._given = dict(values)
        self.tasks = self._planned(inputs)
        self.outcomes = {task.number: TaskOutcome(task.source) for task in self.tasks}

    def _planned(self, inputs: Sequence[str]) -> list[BatchTask]:
        """Return the tasks. Raises BadRecipe where two would write one file."""
        sources = FileSources(self.base)
        if any(step.settings.get("append") for branch in self.recipe.branches for step in branch.steps):
            raise BadRecipe(self.recipe.title, "it adds to what is there, and a task that is repeated would add twice",
                            "Write each input by itself, then merge them by another recipe.")  # fmt: skip
        stored = json.dumps(self.recipe.as_json() | {"version": 0}, sort_keys=True, default=str)
        tasks: list[BatchTask] = []
        writer_of: dict[Path | DataRef, str] = {}
        for number, source in enumerate(inputs):
            ref = sources.ref(source)
            name = f"{ref.whole.stem}_{ref.part}" if ref.part else ref.stem
            values = {**self._given, "input": source, "name": name, "out": str(self.out)}
            try:
                state = sources.state(ref)
            except (AtlasError, OSError):
                state = "not there"
            key = hashlib.sha256(f"{stored} {sorted(values.items())} {state}".encode()).hexdigest()[:24]
            for target in targets(self.recipe, values):
                other = writer_of.setdefault(target, source)
                if other != source:
                    both = f"{Path(other).name} and {Path(source).name}"
                    raise BadRecipe(self.recipe.title, f"{both} would both be written to {target}",
                                    "Put ${name} into the name of the file.")  # fmt: skip
                if target_of(ref) == target:
                    raise BadRecipe(self.recipe.title, f"{target} is a source, and originals are read-only",
                                    "Write to another folder.")  # fmt: skip
            tasks.append(BatchTask(number, source, values, key))
        return tasks

    @property
    def journal(self) -> Path:
        """The file that says what was done."""
        return self.out / JOURNAL

    def arguments(self, task: BatchTask, budget: int) -> tuple[Any, ...]:
        """Return what a worker is given for a task."""
        return self.recipe.as_json(), dict(task.values), str(self.base) if self.base else None, budget

    def run(
        self, runner: Runner, *, resume: bool = False, memory: int = 0, check: Callable[[], None] = lambda: None,
        changed: Callable[[BatchTask, TaskOutcome], None] = lambda task, outcome: None,
    ) -> list[TaskOutcome]:  # fmt: skip
        """Do all tasks; returns their outcomes in the order of the inputs. A task that fails stops no other.

        resume : pass over what the journal says was done, of inputs that did not change, where its files are there
        memory : bytes that the work of one task may take; 0 for no limit but the machine's
        changed : told each time a task began or ended
        """
        self.out.mkdir(parents=True, exist_ok=True)
        done = self._done_before() if resume else {}
        left = []
        for task in self.tasks:
            before = done.get(task.key)
            if before is not None and all(_is_there(each["path"]) for each in before.written):
                self.outcomes[task.number] = replace(before, state=SKIPPED)
                changed(task, self.outcomes[task.number])
            else:
                left.append(task)
        with Journal(self.journal, anew=not resume) as journal:

            def begun() -> Iterator[tuple[BatchTask, tuple[Any, ...]]]:
                for task in left:
                    self.outcomes[task.number].state = RUNNING
                    changed(task, self.outcomes[task.number])
                    yield task, self.arguments(task, memory)

            for task, outcome in runner.run(begun(), check):
                self.outcomes[task.number] = outcome
                journal.note(task, outcome)
                changed(task, outcome)
        return [self.outcomes[task.number] for task in self.tasks]

    def _done_before(self) -> dict[str, TaskOutcome]:
        return {key: outcome for key, outcome in Journal.read(self.journal).items() if outcome.state in (DONE, SKIPPED)}

    def plan(self) -> list[str]:
        """Return what would be written, a line each, without reading more than what says what the inputs are."""
        lines = []
        for task in self.tasks:
            try:
                with RecipeRun(self.recipe, FileSources(self.base), task.values, sampled=True) as run:
                    for branch in self.recipe.branches:
                        if any(step.do == WriteStep.word and not step.off for step in branch.steps):
                            flow = run.flow(branch.name)
                            for step in run.write_steps(branch):
                                step.check(flow)
                                lost = "".join(f"; {loss.text}" for loss in step.losses(flow))
                                lines.append(f"{task.source} → {step.path}{lost}")
            except AtlasError as error:
                lines.append(f"{task.source}: {' '.join(str(error).split())}")
        return lines


def _is_there(written: str) -> bool:
    """Return whether a file or table that was written is still there."""
    table = table_in(written)
    if table is None:
        return Path(written).exists()
    try:
        return bool(open_dataset(table).parts)
    except AtlasError:
        return False


class Journal:
    """A file with a line for each task that ended, safe against being cut off: a line that is not whole is passed
    over."""

    def __init__(self, path: Path, *, anew: bool) -> None:
        self._path = path
        self._file = path.open("ab")
        if anew:
            self._file.truncate(0)
        elif path.stat().st_size and not path.read_bytes().endswith(b"\n"):
            self._file.write(b"\n")

    def __enter__(self) -> Journal:
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()

    def note(self, task: BatchTask, outcome: TaskOutcome) -> None:
        """Add a line, and have it on the disk."""
        stored = {"key": task.key, "at": datetime.now(UTC).isoformat(timespec="seconds"), **asdict(outcome)}
        self._file.write(json.dumps(stored, ensure_ascii=False, default=str).encode() + b"\n")
        self._file.flush()
        os.fsync(self._file.fileno())

    @staticmethod
    def read(path: Path) -> dict[str, TaskOutcome]:
        """Return the last outcome of each task by its key."""
        found: dict[str, TaskOutcome] = {}
        try:
            lines = path.read_bytes().splitlines()
        except OSError:
            return found
        for line in lines:
            try:
                stored = json.loads(line)
                key = stored.pop("key")
                stored.pop("at", None)
                found[key] = TaskOutcome(**stored)
            except (ValueError, TypeError, KeyError, AttributeError):
                log.info("a line of %s is not whole", path)
        return found


def watched_inputs(folder: Path, stable_s: float = 2.0, poll_s: float = 1.0, check: Callable[[], None] = lambda: None,
                   seen: Mapping[str, str] = {}) -> Iterator[list[str]]:  # fmt: skip
    """Yield the inputs of a folder that are new or changed since they were yielded, each time there are some that did
    not grow for a while. It ends when `check` raises."""
    sources = FileSources()
    known = dict(seen)
    waiting: dict[str, tuple[str, float]] = {}
    while True:
        check()
        ready = []
        try:
            here = inputs_in([folder])
        except BadRecipe:
            here = []
        for source in here:
            state = sources.state(DataRef.parse(source))
            if known.get(source) == state:
                waiting.pop(source, None)
                continue
            before = waiting.get(source)
            if before is None or before[0] != state:
                waiting[source] = state, time.monotonic()
            elif time.monotonic() - before[1] >= stable_s:
                known[source] = state
                waiting.pop(source)
                ready.append(source)
        if ready:
            yield ready
        time.sleep(poll_s)
