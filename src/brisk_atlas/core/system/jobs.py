"""Background work: threads in two lanes, progress, cancelling and errors. No window is needed."""

from __future__ import annotations

import itertools
import logging
import os
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from enum import Enum
from queue import SimpleQueue
from typing import Any, TypeVar

from . import shares

WORKERS = 4  # in each lane
MOST_PATIENCE_S = 0.1  # after cancelling, for work to stop by itself before it is abandoned
CLOSING_S = 2.0
SWITCH_S = 0.0005  # how long a thread holds Python's lock while others want it
log = logging.getLogger(__name__)
Result = TypeVar("Result")
_here = threading.local()  # the job that a thread works on


class Cancelled(BaseException):
    """Raised inside work that was asked to stop; no Exception, so that nobody takes it for a failure."""


class Lane(Enum):
    """What the analyst waits for is never behind what takes long by its nature: exports, indexing, statistics."""

    INTERACTIVE = "interactive"
    BATCH = "batch"


NICENESS = {Lane.INTERACTIVE: 2, Lane.BATCH: 15}  # of 19; the window's own thread has 0


class Job:
    """One piece of work. `state` goes waiting, running, then done, failed or cancelled."""

    _numbers = itertools.count(1)

    def __init__(self, name: str, shown: bool = True, lane: Lane = Lane.INTERACTIVE) -> None:
        self.name, self.shown, self.lane, self.id = name, shown, lane, next(self._numbers)
        self.state = "waiting"
        self.progress = 0.0
        self.step = ""
        self.result: Any = None
        self.error: BaseException | None = None
        self._stop = threading.Event()
        self._stoppers: list[Callable[[], None]] = []
        self._announce: Callable[[Job], None] = lambda job: None
        self._abandon: Callable[[Job], None] = lambda job: None

    def cancel(self) -> None:
        """Ask the work to stop. It does so at its next check; where none comes soon, nobody waits for it any
        more: the job is over, and what the work still brings is dropped."""
        if not self._stop.is_set():
            self._stop.set()
            for stopper in list(self._stoppers):
                threading.Thread(target=stopper, daemon=True, name="stopper").start()  # it may ask a server
            self._abandon(self)

    @property
    def stopping(self) -> bool:
        """Whether the job was asked to stop."""
        return self._stop.is_set()

    @property
    def finished(self) -> bool:
        """Whether the job has ended, in whichever way."""
        return self.state in ("done", "failed", "cancelled")

    def check(self) -> None:
        """Raise Cancelled if the analyst asked to stop. Called by the work, often."""
        if self._stop.is_set():
            raise Cancelled(self.name)

    def report(self, progress: float, step: str = "") -> None:
        """Say how far the work is (0 to 1); also a place to stop."""
        self.check()
        self.progress, self.step = min(max(progress, 0.0), 1.0), step or self.step
        self._announce(self)


@contextmanager
def stopped_by(stopper: Callable[[], None]) -> Iterator[None]:
    """Have a function called once the job of this thread is cancelled while the block runs: for work that waits for
    something outside, such as a server, which can be asked to give up."""
    job: Job | None = getattr(_here, "job", None)
    if job is None:
        yield
        return
    job.check()
    job._stoppers.append(stopper)
    try:
        yield
    finally:
        job._stoppers.remove(stopper)


def for_this_job(work: Callable[[], Result]) -> Callable[[], Result]:
    """Return work that a thread of its own does for the job of this one: it is stopped with it, and what it shares out
    comes as late."""
    job: Job | None = getattr(_here, "job", None)
    yields = shares.yields()

    def done() -> Result:
        if yields:
            shares.yield_to_others()
        _here.job = job
        try:
            return work()
        finally:
            _here.job = None

    return done


Done = Callable[[Job], None] | None


def _come_after(niceness: int) -> None:
    """Have this thread, and those that it starts, come after others on the processor."""
    try:
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), niceness)
    except OSError:
        log.debug("the priority of a thread can't be lowered")


class Jobs:
    """Runs jobs on a few threads in each lane and tells listeners of every change, on the working thread."""

    def __init__(self, workers: int = WORKERS) -> None:
        self._queues: dict[Lane, SimpleQueue[Callable[[], bool] | None]] = {lane: SimpleQueue() for lane in Lane}
        self._workers = workers
        self._threads: list[threading.Thread] = []
        self._lock = threading.Lock()
        self._listeners: list[Callable[[Job], None]] = []
        self._open: dict[int, tuple[Job, Done]] = {}
        self._cancelled: SimpleQueue[tuple[float, Job]] = SimpleQueue()
        self._reaper: threading.Thread | None = None
        self._closed = False

    def listen(self, listener: Callable[[Job], None]) -> None:
        """Have a function called with each job that begins, advances or ends, on the job's thread."""
        self._listeners.append(listener)

    @property
    def open(self) -> list[Job]:
        """Return the jobs that have not finished."""
        with self._lock:
            return [job for job, _ in self._open.values() if not job.finished]

    @property
    def idle(self) -> bool:
        """Whether every job has finished and what follows its end was called."""
        with self._lock:
            return not self._open

    def start(
        self,
        name: str,
        work: Callable[[Job], Any],
        done: Done = None,
        *,
        shown: bool = True,
        lane: Lane = Lane.INTERACTIVE,
    ) -> Job:
        """Run `work(job)` in the background, then `done(job)` on the same thread, whatever came.

        `shown` is False for work that needs no line in the list of jobs, such as drawing.
        """
        job = Job(name, shown, lane)
        job._announce, job._abandon = self._tell, self._abandon
        with self._lock:
            self._open[job.id] = (job, done)
            if not self._threads:  # at the first job
                shares.pool()
                for each in Lane:
                    for _ in range(self._workers):
                        self._add_thread(each)
        self._queues[lane].put(lambda: self._run(job, work))
        return job

    def _add_thread(self, lane: Lane) -> None:
        thread = threading.Thread(target=self._serve, args=(lane,), name=f"{lane.value} job", daemon=True)
        self._threads.append(thread)
        thread.start()

    def _serve(self, lane: Lane) -> None:
        sys.setswitchinterval(SWITCH_S)
        if lane is Lane.BATCH:
            shares.yield_to_others()
        _come_after(NICENESS[lane])
        while (task := self._queues[lane].get()) is not None:
            if not task():
                return  # another thread took this one's place when its work was abandoned

    def _run(self, job: Job, work: Callable[[Job], Any]) -> bool:
        """Do the work of a job; returns whether this thread goes on, which it does unless another took its place."""
        result, error = None, None
        with self._lock:
            if job.finished:  # cancelled while it waited
                return True
            job.state = "running"
        try:
            job.check()
            self._tell(job)
            _here.job = job
            result = work(job)
            job.check()  # what nobody wants any more must not come after what was asked for since
            state = "done"
        except Cancelled:
            state = "cancelled"
        except BaseException as raised:
            if job.stopping:  # it gave up because it was asked to, whatever it calls that
                state = "cancelled"
            else:
                state, error = "failed", raised
        finally:
            _here.job = None
        return self._end(job, state, result, error)

    def _end(
        self, job: Job, state: str, result: Any = None, error: BaseException | None = None, *, abandoning: bool = False
    ) -> bool:
        """Note how a job ended and tell of it; returns whether it had not ended before. Where it is abandoned while
        its work goes on, another thread takes the place of the one that is lost to it."""
        with self._lock:
            _, done = self._open.get(job.id, (job, None))
            if job.finished:
                return False
            if abandoning and job.state == "running" and not self._closed:
                log.info("%s does not stop; it is left to itself", job.name)
                self._add_thread(job.lane)
            job.state, job.result, job.error = state, result, error
            job.progress = 1.0 if state == "done" else job.progress
        try:
            self._tell(job)
            if done:
                done(job)
        finally:
            with self._lock:
                self._open.pop(job.id, None)
        return True

    def _abandon(self, job: Job) -> None:
        """End a job that was cancelled, soon, whether or not its work listens."""
        self._cancelled.put((time.monotonic() + MOST_PATIENCE_S, job))
        if self._reaper is None:
            self._reaper = threading.Thread(target=self._reap, daemon=True, name="cancelled jobs")
            self._reaper.start()

    def _reap(self) -> None:
        while True:
            due, job = self._cancelled.get()
            time.sleep(max(0.0, due - time.monotonic()))
            self._end(job, "cancelled", abandoning=True)

    def _tell(self, job: Job) -> None:
        for listener in self._listeners:
            listener(job)

    def close(self, patience: float = CLOSING_S) -> bool:
        """Cancel what runs and wait a while for it; returns whether all of it has ended."""
        self._closed = True
        for job in self.open:
            job.cancel()
        for lane in Lane:
            for _ in self._threads:
                self._queues[lane].put(None)
        end = time.monotonic() + patience
        for thread in list(self._threads):
            thread.join(max(0.0, end - time.monotonic()))
        return not any(thread.is_alive() for thread in self._threads)
