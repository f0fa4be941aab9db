"""Looking at many datasets at once, in child processes that may die."""

from __future__ import annotations

import atexit
import json
import os
import select
import signal
import subprocess
import sys
import threading
from collections.abc import Callable, Iterable, Iterator
from functools import cache
from pathlib import Path
from queue import Empty, SimpleQueue

from brisk_atlas.core.model import DataRef

from .summary import Summary, faulty, from_text

PATIENCE_S = 60.0  # for one dataset
CHILDREN = max(1, min(4, os.cpu_count() or 1))


class Lookers:
    """A few child processes, started at the first need, each replaced when it dies. Safe for threads."""

    def __init__(self, count: int = CHILDREN, patience: float = PATIENCE_S) -> None:
        self._idle: SimpleQueue[_Child] = SimpleQueue()
        self._room = threading.Semaphore(count)
        self._all: set[_Child] = set()
        self._lock = threading.Lock()
        self._closed = False
        self.count, self.patience = count, patience

    def look(self, ref: DataRef, check: Callable[[], None] = lambda: None) -> Summary:
        """Return the row of what is at a place. `check` is called while waiting and may raise to stop."""
        with self._room:
            child = self._take()
            try:
                found = child.look(ref, self.patience, check)
            except BaseException:
                self._drop(child)
                raise
            if child.alive:
                self._idle.put(child)
            else:
                self._drop(child)
            return found

    def look_at(self, paths: Iterable[Path], check: Callable[[], None] = lambda: None) -> Iterator[Summary]:
        """Yield the rows of many paths as they come, several at the same time."""
        waiting = iter(paths)
        lock = threading.Lock()
        found: SimpleQueue[Summary | BaseException | None] = SimpleQueue()
        stop = threading.Event()

        def checked() -> None:
            if stop.is_set():
                raise InterruptedError

        def work() -> None:
            try:
                while not stop.is_set():
                    with lock:
                        path = next(waiting, None)
                    if path is None:
                        return
                    found.put(self.look(DataRef.file(path), checked))
            except InterruptedError:
                return
            except BaseException as error:
                found.put(error)
            finally:
                found.put(None)

        threads = [threading.Thread(target=work, daemon=True, name="look") for _ in range(self.count)]
        for thread in threads:
            thread.start()
        ended = 0
        try:
            while ended < len(threads):
                check()
                try:
                    each = found.get(timeout=0.05)
                except Empty:
                    continue
                if each is None:
                    ended += 1
                elif isinstance(each, BaseException):
                    raise each
                else:
                    yield each
        finally:
            stop.set()

    def _take(self) -> _Child:
        try:
            while not (child := self._idle.get_nowait()).ready:  # it was ended from outside while it waited
                self._drop(child)
            return child
        except Empty:
            child = _Child()
            with self._lock:
                self._all.add(child)
            return child

    def _drop(self, child: _Child) -> None:
        child.kill()
        with self._lock:
            self._all.discard(child)

    def warm(self) -> None:
        """Start the children ahead of need."""
        for child in [self._take() for _ in range(self.count)]:
            self._idle.put(child)

    def close(self) -> None:
        with self._lock:
            children, self._all = set(self._all), set()
        for child in children:
            child.kill()


@cache
def shared_lookers() -> Lookers:
    """Return the lookers of this process, closed at its end."""
    lookers = Lookers()
    atexit.register(lookers.close)
    return lookers


class _Child:
    """One process and the pipe to it."""

    def __init__(self) -> None:
        environment = {**os.environ, "OMP_NUM_THREADS": "1", "GDAL_NUM_THREADS": "1"}
        self._process = subprocess.Popen(
            [sys.executable, "-m", "brisk_atlas.core.find.looker"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env=environment,
            start_new_session=True,  # Ctrl+C in the terminal is for the window
        )
        self._rest = b""
        self.alive = True

    @property
    def ready(self) -> bool:
        return self.alive and self._process.poll() is None

    def look(self, ref: DataRef, patience: float, check: Callable[[], None]) -> Summary:
        assert self._process.stdin is not None and self._process.stdout is not None
        try:
            self._process.stdin.write(json.dumps(ref.as_json()).encode() + b"\n")
            self._process.stdin.flush()
        except OSError:
            return self._died(ref)
        waited = 0.0
        while b"\n" not in self._rest:
            ready, _, _ = select.select([self._process.stdout], [], [], 0.05)
            check()
            if not ready:
                waited += 0.05
                if waited > patience:
                    self.kill()
                    told = f"looking at it took longer than {patience:g} s"
                    return faulty(ref, told, "It may be damaged; ask for it again.", *_state(ref), danger=True)
                continue
            block = os.read(self._process.stdout.fileno(), 1 << 20)
            if not block:
                return self._died(ref)
            self._rest += block
        line, _, self._rest = self._rest.partition(b"\n")
        return from_text(line.decode("utf-8", "surrogateescape"))

    def _died(self, ref: DataRef) -> Summary:
        self.alive = False
        code = self._process.wait()
        how = signal.Signals(-code).name if code < 0 else f"code {code}"
        told = f"the library that reads it broke down on it ({how})"
        return faulty(
            ref, told, "It is damaged in a way that is dangerous to open; ask for it again.", *_state(ref), danger=True
        )

    def kill(self) -> None:
        self.alive = False
        self._process.kill()
        self._process.wait()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    continue


def _state(ref: DataRef) -> tuple[int, str]:
    try:
        return ref.path.stat().st_size, ""
    except (OSError, ValueError):
        return 0, ""
