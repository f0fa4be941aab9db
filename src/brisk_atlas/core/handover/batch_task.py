"""The tasks of a batch: what each is, how it stands, and who does it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

WAITING, RUNNING, DONE, FAILED, SKIPPED = "waiting", "running", "done", "failed", "done before"


@dataclass(frozen=True)
class BatchTask:
    """One input with the values of its run. `key` is another one for the same input in another state, or by
    another recipe."""

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
    """Who does tasks: worker processes of this machine, or of others. The numbers of tasks tell them apart."""

    def run(
        self, tasks: Iterable[tuple[BatchTask, tuple[Any, ...]]], check: Callable[[], None]
    ) -> Iterator[tuple[BatchTask, TaskOutcome]]:
        """Yield each task with its outcome as it ends; `arguments` are those of `batch_worker.run_one`."""
