"""Doing one task of a batch: in a worker process of this machine, or on another one."""

from __future__ import annotations

import resource
import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane
from brisk_atlas.core.system.workers import Call, WorkerDied, WorkerPool, WorkerTooSlow

from .batch_task import DONE, FAILED, BatchTask, TaskOutcome
from .recipe import Recipe
from .run_recipe import RecipeRun
from .sources import FileSources
from .tiled_input import Piece, do_piece

PATIENCE_S = 24 * 3600.0  # for one input
TRIES = 2  # of a task whose process ended
RUN_ONE = "brisk_atlas.core.handover.batch_worker:run_one"


def run_one(
    recipe: dict[str, Any], values: Mapping[str, Any], base: str | None, memory: int, piece: Piece | None = None
) -> dict[str, Any]:
    """Run a recipe for one input, or do a piece of that; returns a TaskOutcome as JSON holds it. Raises nothing that
    the data is to blame for."""
    start = time.perf_counter()
    source = str(values.get("input", ""))
    if memory:
        _, most = resource.getrlimit(resource.RLIMIT_AS)
        resource.setrlimit(resource.RLIMIT_AS, (_in_use() + memory, most))
    try:
        with RecipeRun(Recipe.from_json(recipe), FileSources(Path(base) if base else None), values) as run:
            branches = [each.as_json() for each in run.write()] if piece is None else do_piece(run, piece)
        state, reason = DONE, ""
    except AtlasError as error:
        branches, state, reason = [], FAILED, " ".join(str(error).split())
    except MemoryError:
        branches, state = [], FAILED
        reason = tr(
            "{source}: it needs more memory than a worker may take. Run fewer workers, or cut the input first.",
            source=source,
        )
    except Exception as error:
        branches, state, reason = [], FAILED, f"{source}: {type(error).__name__}: {' '.join(str(error).split())[:300]}"
    return {"source": source, "state": state, "seconds": time.perf_counter() - start, "reason": reason,
            "branches": branches}  # fmt: skip


def _in_use() -> int:
    """Return how many bytes of addresses this process uses now."""
    with Path("/proc/self/statm").open() as file:
        return int(file.read().split()[0]) * resource.getpagesize()


class ProcessRunner:
    """Does tasks in worker processes of this machine, one where `workers` is 1."""

    def __init__(self, workers: int) -> None:
        self.workers = max(1, workers)

    def run(
        self, tasks: Iterable[tuple[BatchTask, tuple[Any, ...]]], check: Callable[[], None]
    ) -> Iterator[tuple[BatchTask, TaskOutcome]]:
        pool = WorkerPool(self.workers)
        waiting: dict[int, tuple[BatchTask, tuple[Any, ...], Call]] = {}

        def calls(these: Iterable[tuple[BatchTask, tuple[Any, ...]]]) -> Iterator[Call]:
            for task, arguments in these:
                call = Call(RUN_ONE, arguments, PATIENCE_S)
                waiting[id(call)] = (task, arguments, call)
                yield call

        try:
            coming = tasks
            for tries_left in range(TRIES - 1, -1, -1):
                again: list[tuple[BatchTask, tuple[Any, ...]]] = []
                for call, value in pool.run_all(calls(coming), check, None, Lane.BATCH):
                    task, arguments, _ = waiting.pop(id(call))
                    if isinstance(value, WorkerDied) and tries_left:
                        again.append((task, arguments))
                    else:
                        yield task, outcome_of(task, value)
                coming = again
        finally:
            pool.close()


def outcome_of(task: BatchTask, value: Any) -> TaskOutcome:
    """Return the outcome of a task from what a worker gave, or from how it failed."""
    if isinstance(value, WorkerDied):
        reason = tr("its process ended ({how}); the machine may be out of memory", how=value.how)
        return TaskOutcome(task.source, FAILED, reason=f"{task.source}: {reason}.")
    if isinstance(value, WorkerTooSlow):
        return TaskOutcome(
            task.source, FAILED, reason=tr("{source}: it took longer than {value}.", source=task.source, value=value)
        )
    if isinstance(value, BaseException):
        return TaskOutcome(task.source, FAILED, reason=f"{task.source}: {value}")
    return TaskOutcome(**value)
