"""Worker processes for what may bring its process down, or holds Python's lock.

One pool serves all of it: looking at files that nobody has opened yet, decoding points, reading many records, drawing
reliefs. A worker that dies or hangs is replaced; only the call that it was at fails. Each lane has as many workers as
the machine has cores, so that what the analyst waits for is never behind a long row of batch work.
"""

from __future__ import annotations

import atexit
import os
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from functools import cache
from multiprocessing.connection import Pipe
from multiprocessing.reduction import send_handle
from queue import Empty, SimpleQueue
from typing import Any

from .jobs import Lane
from .shares import CORES

START_S = 120.0  # for a worker to be ready, on a machine that is busy too
PATIENCE_S = 600.0
POLL_S = 0.05  # how soon a cancelled call ends
BATCHES_AHEAD = 3  # of what was asked for in order, for each worker
PRELOADED = ("brisk_atlas.core.find.scan_worker",)  # what an idle worker loads ahead of its first call


class WorkerDied(Exception):
    """The process ended while it was at a call; `how` is the name of the signal, or the code it ended with."""

    def __init__(self, how: str) -> None:
        super().__init__(how)
        self.how = how


class WorkerTooSlow(Exception):
    """The call took longer than its patience; its process was ended."""


@dataclass(frozen=True)
class Call:
    """What a worker is to do: call `function`, written `package.module:name`, with `arguments`.

    `descriptors` are open files of this process; the function gets them, opened anew, as the list `descriptors`.
    Where it `reports`, it is given `report(share)`. Arguments and result travel pickled.
    """

    function: str
    arguments: tuple[Any, ...] = ()
    patience_s: float = PATIENCE_S
    descriptors: tuple[int, ...] = ()
    reports: bool = False


Check = Callable[[], None]
Report = Callable[[float], None]


class Worker:
    """One process, and the pipe to it."""

    def __init__(self) -> None:
        self._pipe, theirs = Pipe()
        environment = {
            **os.environ,
            "OMP_NUM_THREADS": "1",
            "GDAL_NUM_THREADS": "1",
            "PYTHONPATH": os.pathsep.join(p for p in sys.path if p),
        }
        self._process = subprocess.Popen(
            [sys.executable, "-m", "brisk_atlas.core.system.worker_main", str(theirs.fileno()), *PRELOADED],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            pass_fds=[theirs.fileno()],
            env=environment,
            start_new_session=True,  # Ctrl+C in the terminal is for the window
        )
        theirs.close()
        self._ready = False
        self._alive = True

    @property
    def alive(self) -> bool:
        """Whether its process runs."""
        return self._alive and self._process.poll() is None

    @property
    def process_id(self) -> int:
        """The number of its process."""
        return self._process.pid

    def run(self, call: Call, check: Check = lambda: None, report: Report = lambda share: None) -> Any:
        """Return what the function returns; its errors are raised here.

        `check` is called while waiting, and may raise to stop, which ends the process. Raises WorkerDied and
        WorkerTooSlow.
        """
        try:
            if not self._ready:
                self._answer(START_S, check)
                self._ready = True
            self._send(call)
            self._answer(START_S, check)  # it has loaded what the function needs
            word, value = self._answer(call.patience_s, check)
            while word == "share":
                report(value)
                word, value = self._answer(call.patience_s, check)
        except BaseException:
            self.kill()
            raise
        if word == "error":
            raise value
        return value

    def _send(self, call: Call) -> None:
        try:
            self._pipe.send((call.function, call.arguments, call.patience_s, len(call.descriptors), call.reports))
            for descriptor in call.descriptors:
                send_handle(self._pipe, descriptor, self._process.pid)
        except OSError as error:
            raise self._death() from error

    def _answer(self, patience_s: float, check: Check) -> tuple[str, Any]:
        waited = 0.0
        while not self._pipe.poll(POLL_S):
            check()
            waited += POLL_S
            if waited > patience_s:
                raise WorkerTooSlow(f"{patience_s:g} s")
        try:
            return self._pipe.recv()
        except (EOFError, OSError) as error:
            raise self._death() from error

    def _death(self) -> WorkerDied:
        code = self._process.wait()
        return WorkerDied(signal.Signals(-code).name if code < 0 else f"code {code}")

    def kill(self) -> None:
        """End its process at once."""
        self._alive = False
        self._process.kill()
        self._process.wait()
        self._pipe.close()


class WorkerPool:
    """Worker processes, started at the first need, each replaced when it ends. Safe for threads."""

    def __init__(self, count: int = CORES) -> None:
        self.count = count
        self._idle: SimpleQueue[Worker] = SimpleQueue()
        self._all: set[Worker] = set()
        self._lock = threading.Lock()
        self._room = {lane: threading.Semaphore(count) for lane in Lane}

    @property
    def workers(self) -> tuple[Worker, ...]:
        """The workers that there are now."""
        with self._lock:
            return tuple(self._all)

    def run(
        self,
        call: Call,
        check: Check = lambda: None,
        report: Report = lambda share: None,
        lane: Lane = Lane.INTERACTIVE,
    ) -> Any:
        """Have a worker make one call; see `Worker.run`."""
        room = self._room[lane]
        while not room.acquire(timeout=POLL_S):
            check()
        try:
            worker = self._take()
            try:
                return worker.run(call, check, report)
            finally:
                self._give_back(worker)
        finally:
            room.release()

    def run_all(
        self, calls: Iterable[Call], check: Check = lambda: None, report: Report | None = None, lane: Lane = Lane.BATCH
    ) -> Iterator[tuple[Call, Any]]:
        """Yield calls with what came of them, an exception that was raised too, as they end; several are under way
        at a time. `calls` is drawn from as workers become free. `report` gets the share that the furthest is
        at, and may raise to stop."""
        for _, call, value in self._run_all(calls, check, report, lane, 0):
            yield call, value

    def run_in_order(
        self, calls: Iterable[Call], check: Check = lambda: None, lane: Lane = Lane.BATCH
    ) -> Iterator[tuple[Call, Any]]:
        """Yield calls with what came of them, as `run_all` does, but in the order of the calls."""
        early: dict[int, tuple[Call, Any]] = {}
        due = 0
        for number, call, value in self._run_all(calls, check, None, lane, BATCHES_AHEAD * self.count):
            early[number] = call, value
            while due in early:
                yield early.pop(due)
                due += 1

    def _run_all(
        self, calls: Iterable[Call], check: Check, report: Report | None, lane: Lane, ahead: int
    ) -> Iterator[tuple[int, Call, Any]]:
        """Yield (number, call, result). `ahead` is how far results may be from the first that is missing; 0: any."""
        waiting = enumerate(calls)
        taking, stop = threading.Lock(), threading.Event()
        ended: SimpleQueue[tuple[int, Call, Any] | BaseException | None] = SimpleQueue()
        window = threading.Semaphore(ahead or 1)
        furthest = [0.0]

        def check_stop() -> None:
            if stop.is_set():
                raise InterruptedError

        def note(share: float) -> None:
            furthest[0] = max(furthest[0], share)

        def work() -> None:
            try:
                while not stop.is_set():
                    while ahead and not window.acquire(timeout=POLL_S):
                        check_stop()
                    with taking:
                        number, call = next(waiting, (-1, None))
                    if call is None:
                        return
                    try:
                        value = self.run(call, check_stop, note, lane)
                    except Exception as error:
                        check_stop()
                        value = error
                    ended.put((number, call, value))
            except InterruptedError:
                return
            except BaseException as error:
                ended.put(error)
            finally:
                ended.put(None)

        threads = [threading.Thread(target=work, daemon=True, name="wait for a worker") for _ in range(self.count)]
        for thread in threads:
            thread.start()
        running = len(threads)
        due, seen = 0, set[int]()
        try:
            while running:
                check()
                if report is not None:
                    report(furthest[0])
                try:
                    each = ended.get(timeout=POLL_S)
                except Empty:
                    continue
                if each is None:
                    running -= 1
                elif isinstance(each, BaseException):
                    raise each
                else:
                    yield each
                    if ahead:
                        seen.add(each[0])
                        while due in seen:
                            seen.remove(due)
                            due += 1
                            window.release()
        finally:
            stop.set()

    def warm(self) -> None:
        """Start workers ahead of need."""
        for worker in [self._take() for _ in range(self.count)]:
            self._idle.put(worker)

    def close(self) -> None:
        with self._lock:
            workers, self._all = set(self._all), set()
        for worker in workers:
            worker.kill()

    def _take(self) -> Worker:
        try:
            while not (worker := self._idle.get_nowait()).alive:  # it was ended from outside while it waited
                self._drop(worker)
            return worker
        except Empty:
            worker = Worker()
            with self._lock:
                self._all.add(worker)
            return worker

    def _give_back(self, worker: Worker) -> None:
        if worker.alive:
            self._idle.put(worker)
        else:
            self._drop(worker)

    def _drop(self, worker: Worker) -> None:
        worker.kill()
        with self._lock:
            self._all.discard(worker)


@cache
def shared_workers() -> WorkerPool:
    """Return the pool of this process; its workers end with it."""
    pool = WorkerPool()
    atexit.register(pool.close)
    return pool
