"""Background work: threads, progress, cancelling and errors. No window is needed."""

from __future__ import annotations

import itertools
import threading
from collections.abc import Callable
from queue import SimpleQueue
from typing import Any

WORKERS = 4


class Cancelled(BaseException):
    """Raised inside work that was asked to stop; no Exception, so that nobody takes it for a failure."""


class Job:
    """One piece of work. `state` goes waiting, running, then done, failed or cancelled."""

    _numbers = itertools.count(1)

    def __init__(self, name: str, shown: bool = True) -> None:
        self.name, self.shown, self.id = name, shown, next(self._numbers)
        self.state = "waiting"
        self.progress = 0.0
        self.step = ""
        self.result: Any = None
        self.error: BaseException | None = None
        self._stop = threading.Event()
        self._announce: Callable[[Job], None] = lambda job: None

    def cancel(self) -> None:
        """Ask the work to stop; it does so at its next check."""
        self._stop.set()

    @property
    def stopping(self) -> bool:
        return self._stop.is_set()

    @property
    def finished(self) -> bool:
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


class Jobs:
    """Runs jobs on a few threads and tells listeners of every change, on the working thread."""

    def __init__(self, workers: int = WORKERS) -> None:
        self._queue: SimpleQueue[Callable[[], None] | None] = SimpleQueue()
        self._threads = [threading.Thread(target=self._serve, name=f"job {i}", daemon=True) for i in range(workers)]
        self._lock = threading.Lock()
        self._listeners: list[Callable[[Job], None]] = []
        self._open: dict[int, Job] = {}

    def listen(self, listener: Callable[[Job], None]) -> None:
        self._listeners.append(listener)

    @property
    def open(self) -> list[Job]:
        """Return the jobs that have not finished."""
        with self._lock:
            return list(self._open.values())

    def start(
        self, name: str, work: Callable[[Job], Any], done: Callable[[Job], None] | None = None, *, shown: bool = True
    ) -> Job:
        """Run `work(job)` in the background, then `done(job)` on the same thread, whatever came.

        `shown` is False for work that needs no line in the list of jobs, such as drawing.
        """
        job = Job(name, shown)
        job._announce = self._tell
        with self._lock:
            self._open[job.id] = job
        if not self._threads[0].is_alive():
            self._begin()
        self._queue.put(lambda: self._run(job, work, done))
        return job

    def _begin(self) -> None:
        """Start the threads, at the first job."""
        with self._lock:
            for thread in self._threads:
                if thread.ident is None:
                    thread.start()

    def _serve(self) -> None:
        while (task := self._queue.get()) is not None:
            task()

    def _run(self, job: Job, work: Callable[[Job], Any], done: Callable[[Job], None] | None) -> None:
        try:
            job.check()
            job.state = "running"
            self._tell(job)
            job.result = work(job)
            job.check()  # what nobody wants any more must not come after what was asked for since
            job.state, job.progress = "done", 1.0
        except Cancelled:
            job.state = "cancelled"
        except BaseException as error:
            job.state, job.error = "failed", error
        with self._lock:
            self._open.pop(job.id, None)
        self._tell(job)
        if done:
            done(job)

    def _tell(self, job: Job) -> None:
        for listener in self._listeners:
            listener(job)

    def close(self) -> None:
        """Cancel what runs and wait for it."""
        for job in self.open:
            job.cancel()
        for _ in self._threads:
            self._queue.put(None)
        for thread in self._threads:
            if thread.ident is not None:
                thread.join()
