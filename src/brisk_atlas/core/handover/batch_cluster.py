"""Doing the tasks of a batch on a Dask cluster, by the address of its scheduler."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .batch_groups import TaskGroups
from .batch_task import BatchTask, TaskOutcome
from .batch_worker import outcome_of, run_one

log = logging.getLogger(__name__)
CONNECT_S = 10.0  # for the scheduler to answer
GONE_S = 120.0  # for a scheduler that went to be back
POLL_S = 0.05
COUNT_S = 2.0  # after which the workers of the scheduler are counted again
AHEAD = 3  # groups of tasks for each worker that the scheduler holds


class ClusterRunner:
    """Does tasks on the workers of a scheduler; they must reach the files by the same paths. A scheduler that goes and
    comes back is given what was not done again."""

    def __init__(self, address: str) -> None:
        self.address = address

    def run(
        self, tasks: Iterable[tuple[BatchTask, tuple[Any, ...]]], check: Callable[[], None]
    ) -> Iterator[tuple[BatchTask, TaskOutcome]]:
        groups = TaskGroups(iter(tasks))
        gone_since: float | None = None
        while True:
            try:
                with self._client() as client:
                    gone_since = None
                    yield from self._until_gone(client, groups, check)
                    return
            except (OSError, TimeoutError) as error:
                if groups.is_empty and gone_since is None and not isinstance(error, _SchedulerGone):
                    raise self._refused(error) from error
                gone_since = gone_since or time.monotonic()
                if time.monotonic() - gone_since > GONE_S:
                    raise self._refused(error) from error
                log.warning("the scheduler at %s is gone; it is tried again", self.address)
                check()
                time.sleep(1.0)

    def _refused(self, error: BaseException) -> AtlasError:
        return AtlasError(
            self.address, tr("no scheduler answers ({error})", error=error), tr("Start one, or check the address.")
        )

    def _client(self) -> Any:
        from distributed import Client

        return Client(self.address, timeout=CONNECT_S, set_as_default=False)

    def _until_gone(
        self, client: Any, groups: TaskGroups, check: Callable[[], None]
    ) -> Iterator[tuple[BatchTask, TaskOutcome]]:
        groups.begin_again()  # with what was under way when the scheduler was lost
        running: dict[Any, list[BatchTask]] = {}
        room, counted = 0, float("-inf")
        try:
            while True:
                check()
                if client.status not in ("running", "connecting"):
                    raise _SchedulerGone(tr("the connection was lost"))
                if time.monotonic() - counted > COUNT_S:
                    room, counted = AHEAD * max(1, len(client.scheduler_info()["workers"])), time.monotonic()
                while len(running) < room and (given := groups.hand_out()):
                    key = f"{given[0][0].key}-{given[0][0].number}-{time.time_ns()}"
                    future = client.submit(run_some, [arguments for _, arguments in given], pure=False, key=key)
                    running[future] = [task for task, _ in given]
                if not running:
                    return
                ended = [future for future in running if future.done()]
                if any(future.status in ("lost", "cancelled") for future in ended):
                    raise _SchedulerGone(tr("tasks were lost"))
                whole = [future for future in ended if future.status == "finished"]
                values = dict(zip(whole, client.gather(whole)))  # at once: each question takes as long as a small task
                for future in ended:
                    tasks = running.pop(future)
                    if future not in values and groups.give_back(tasks):
                        continue
                    for task, value in zip(tasks, values[future] if future in values else [future.exception()]):
                        outcome = outcome_of(task, value)
                        groups.ended(task, outcome.seconds)
                        yield task, outcome
                if not ended:
                    time.sleep(POLL_S)
        finally:
            for future in running:
                future.cancel() if client.status == "running" else None


def run_some(arguments: Sequence[tuple[Any, ...]]) -> list[dict[str, Any]]:
    """Do several tasks in turn; returns what `run_one` does, for each."""
    return [run_one(*each) for each in arguments]


class _SchedulerGone(OSError):
    """The connection to the scheduler was lost while tasks were under way."""
