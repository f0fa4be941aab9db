"""Which tasks of a batch go to a worker of a cluster together: as many small ones as take half a second."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from typing import Any

from .batch_task import BatchTask

GROUP_S, MOST_IN_GROUP = 0.5, 32  # handing one out takes a sixth of a small one, however many go together
Given = tuple[BatchTask, tuple[Any, ...]]  # a task with its arguments


class TaskGroups:
    """Tasks that are handed out in groups, until each of them has ended.

    Of a group whose worker ended, or of several that one worker held, any task may be to blame: such tasks are done one
    by one, with nothing beside them, before a failure is theirs.
    """

    def __init__(self, tasks: Iterator[Given]) -> None:
        self._coming = tasks
        self._left: dict[int, Given] = {}  # handed out, and not ended
        self._again: deque[int] = deque()
        self._suspects: deque[int] = deque()
        self._alone: int | None = None
        self._last: deque[float] = deque(maxlen=10)  # seconds of the last tasks

    @property
    def is_empty(self) -> bool:
        """Whether no task is under way or was given back."""
        return not self._left

    def hand_out(self) -> list[Given]:
        """Return the tasks that go next, none where there are none or others must end first."""
        found: list[int] = []
        if self._alone is not None:
            return []
        if self._suspects:
            if len(self._left) == len(self._suspects) + len(self._again):  # nothing is under way
                self._alone = self._suspects.popleft()
                found.append(self._alone)
            return [self._left[number] for number in found]
        while len(found) < self._together:
            if self._again:
                found.append(self._again.popleft())
            elif (each := next(self._coming, None)) is not None:
                self._left[each[0].number] = each
                found.append(each[0].number)
            else:
                break
        return [self._left[number] for number in found]

    def ended(self, task: BatchTask, seconds: float) -> None:
        """Note that a task ended, well or not, after so many seconds."""
        del self._left[task.number]
        self._last.append(seconds)
        if self._alone == task.number:
            self._alone = None

    def give_back(self, tasks: list[BatchTask]) -> bool:
        """Take tasks back whose worker failed; returns whether they will be tried again, each alone."""
        if tasks[0].number == self._alone:
            return False
        self._suspects.extend(task.number for task in tasks)
        return True

    def begin_again(self) -> None:
        """Take back all that is under way, as who did it is gone."""
        self._again, self._suspects, self._alone = deque(self._left), deque(), None

    @property
    def _together(self) -> int:
        if not self._last:
            return 1
        usual = max(1e-3, sum(self._last) / len(self._last))
        return max(1, min(MOST_IN_GROUP, round(GROUP_S / usual)))
