"""A recipe over many inputs, unattended: planned, run by workers, noted as it goes, taken up again where it ended.

What is done of an input is moved into place when it is whole, so that a task that dies, or is done twice, leaves
nothing half-written; the journal says what was done, and is written after that.
"""

from __future__ import annotations

import hashlib
import itertools
import json
import logging
import os
import shutil
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.registry import known_suffixes

from .batch_task import DONE, RUNNING, SKIPPED, BatchTask, Runner, TaskOutcome
from .formats import table_format_of, table_in
from .recipe import SUFFIX, BadRecipe, Recipe
from .run_recipe import RecipeRun, target_of, targets
from .sources import FileSources
from .steps.write import WriteStep
from .tiled_input import Piece, tiled_input
from .tiled_task import TiledTask

log = logging.getLogger(__name__)
JOURNAL = ".brisk-atlas-batch.jsonl"
PARTS = ".brisk-atlas-parts"  # the folder of what pieces of tasks leave for others


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
        raise BadRecipe(
            ", ".join(map(str, places)), tr("no dataset is in it"), tr("Name datasets, or a folder of them.")
        )
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
        self._count = itertools.count()
        self.tasks = self._planned(inputs)
        self.outcomes = {task.number: TaskOutcome(task.source) for task in self.tasks}

    def _planned(self, inputs: Sequence[str]) -> list[BatchTask]:
        """Return the tasks. Raises BadRecipe where two would write one file."""
        sources = FileSources(self.base)
        if any(step.settings.get("append") for branch in self.recipe.branches for step in branch.steps):
            raise BadRecipe(
                self.recipe.title,
                tr("it adds to what is there, and a task that is repeated would add twice"),
                tr("Write each input by itself, then merge them by another recipe."),
            )
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
                    raise BadRecipe(self.recipe.title,
                                    tr("{both} would both be written to {target}", both=both, target=target),
                                    tr("Put ${name} into the name of the file."))  # fmt: skip
                if target_of(ref) == target:
                    raise BadRecipe(self.recipe.title,
                                    tr("{target} is a source, and originals are read-only", target=target),
                                    tr("Write to another folder."))  # fmt: skip
            tasks.append(BatchTask(number, source, values, key))
        return tasks

    @property
    def journal(self) -> Path:
        """The file that says what was done."""
        return self.out / JOURNAL

    def arguments(self, task: BatchTask, budget: int, piece: Piece | None = None) -> tuple[Any, ...]:
        """Return what a worker is given for a task, or for a piece of one."""
        return self.recipe.as_json(), dict(task.values), str(self.base) if self.base else None, budget, piece

    def run(
        self, runner: Runner, *, resume: bool = False, tiles: bool = False, memory: int = 0,
        check: Callable[[], None] = lambda: None,
        changed: Callable[[BatchTask, TaskOutcome], None] = lambda task, outcome: None,
    ) -> list[TaskOutcome]:  # fmt: skip
        """Do all tasks; returns their outcomes in the order of the inputs. A task that fails stops no other.

        resume : pass over what the journal says was done, of inputs that did not change, where its files are there
        tiles : let the tiles of a large grid or cloud be tasks, where its steps allow that
        memory : bytes that the work of one task may take; 0 for no limit but the machine's
        changed : called each time a task begins, gets on or ends
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
        divided = self._divided(left, anew=not resume) if tiles else {}
        with Journal(self.journal, anew=not resume) as journal:

            def ended(task: BatchTask, outcome: TaskOutcome) -> None:
                self.outcomes[task.number] = outcome
                journal.note(task, outcome)
                changed(task, outcome)

            def begun() -> Iterator[tuple[BatchTask, tuple[Any, ...]]]:
                for task in left:
                    self.outcomes[task.number].state = RUNNING
                    changed(task, self.outcomes[task.number])
                    if task.number not in divided:
                        yield task, self.arguments(task, memory)
                yield from self._pieces(divided, first=True, memory=memory)

            def came(task: BatchTask, outcome: TaskOutcome) -> None:
                pieces = divided.get(task.number)
                if pieces is None:
                    ended(task, outcome)
                    return
                pieces.add(outcome)
                self.outcomes[task.number].reason = pieces.progress
                changed(task, self.outcomes[task.number])

            for task, outcome in runner.run(begun(), check):
                came(self._whole(task), outcome)
            if divided:
                for task, outcome in runner.run(self._pieces(divided, first=False, memory=memory), check):
                    came(self._whole(task), outcome)
            for number, pieces in divided.items():
                ended(self.tasks[number], pieces.outcome())
        return [self.outcomes[task.number] for task in self.tasks]

    def _divided(self, tasks: Sequence[BatchTask], *, anew: bool) -> dict[int, TiledTask]:
        """Return the tasks that are done in pieces, by their number."""
        found = {}
        for task in tasks:
            folder = self.out / PARTS / task.key
            if anew:
                shutil.rmtree(folder, ignore_errors=True)
            try:
                tiled = tiled_input(self.recipe, task.values, self.base, folder)
            except AtlasError:
                continue  # it fails as a whole, with its reason
            if tiled is not None:
                folder.mkdir(parents=True, exist_ok=True)
                found[task.number] = TiledTask(task, tiled)
        return found

    def _pieces(
        self, divided: Mapping[int, TiledTask], *, first: bool, memory: int
    ) -> Iterator[tuple[BatchTask, tuple[Any, ...]]]:
        """Yield the pieces of tasks, those that come first or those that come then, with numbers of their own."""
        for task in divided.values():
            for piece in task.begin(first=first):
                number = len(self.tasks) * (next(self._count) + 1) + task.whole.number
                yield replace(task.whole, number=number), self.arguments(task.whole, memory, piece)

    def _whole(self, task: BatchTask) -> BatchTask:
        """Return the task that a piece is of."""
        return self.tasks[task.number % len(self.tasks)]

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
        return table_format_of(table).writer.is_there(table)
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
