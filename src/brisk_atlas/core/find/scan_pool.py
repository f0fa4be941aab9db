"""Looking at datasets in worker processes, which may die of a damaged file."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import cache
from itertools import islice

from brisk_atlas.core.connect import is_asked
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Lane
from brisk_atlas.core.system.workers import Call, WorkerDied, WorkerPool, WorkerTooSlow, shared_workers

from .summary import DatasetSummary, faulty

PATIENCE_S = 60.0  # for one dataset
TOGETHER = 4  # datasets in one call; more would keep what comes into view waiting
WORKER = "brisk_atlas.core.find.scan_worker"


class ScanPool:
    """Scans datasets for their summaries. What brings a worker down, or takes too long, is a row that says so."""

    def __init__(self, pool: WorkerPool, patience_s: float = PATIENCE_S) -> None:
        self.pool, self.patience_s = pool, patience_s

    def scan(self, ref: DataRef, check: Callable[[], None] = lambda: None) -> DatasetSummary:
        """Return the row of what is at a place. `check` is called while waiting and may raise to stop."""
        if is_asked(ref):  # no file is parsed, and passwords are known to this process alone
            from .scan_worker import summary_of

            return summary_of(ref)
        try:
            return self.pool.run(self._call(ref), check)
        except (WorkerDied, WorkerTooSlow) as error:
            return self._dangerous(ref, error)

    def scan_all(self, refs: Iterable[DataRef], check: Callable[[], None] = lambda: None) -> Iterator[DatasetSummary]:
        """Yield the rows of many paths as they come, several at the same time. A few go to a worker together; where one
        of them brings it down, each is tried alone."""
        waiting = iter(refs)
        batches = iter(lambda: tuple(islice(waiting, TOGETHER)), ())
        calls = (Call(f"{WORKER}:scan_several", (batch,), self.patience_s) for batch in batches)
        for call, found in self.pool.run_all(calls, check, lane=Lane.BATCH):
            (refs,) = call.arguments
            if isinstance(found, WorkerDied | WorkerTooSlow):
                yield from (self.scan(ref, check) for ref in refs)
            elif isinstance(found, Exception):
                raise found
            else:
                yield from found

    def _call(self, ref: DataRef) -> Call:
        return Call(f"{WORKER}:scan", (ref,), self.patience_s)

    def _dangerous(self, ref: DataRef, error: WorkerDied | WorkerTooSlow) -> DatasetSummary:
        if isinstance(error, WorkerDied):
            reason = tr("the library that reads it broke down on it ({how})", how=error.how)
            remedy = tr("It is damaged in a way that is dangerous to open; ask for it again.")
        else:
            reason = tr("looking at it took longer than {patience_s:g} s", patience_s=self.patience_s)
            remedy = tr("It may be damaged; ask for it again.")
        return faulty(ref, reason, remedy, _size(ref), "", danger=True)


def _size(ref: DataRef) -> int:
    try:
        return ref.path.stat().st_size
    except (OSError, ValueError):
        return 0


@cache
def shared_scan_pool() -> ScanPool:
    """Return the pool of this process."""
    return ScanPool(shared_workers())
