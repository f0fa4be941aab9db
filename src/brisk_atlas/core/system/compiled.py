"""Functions that are compiled to machine code when they are first called.

The compiler takes a third of a second and fifty megabytes to load, which much of what is asked never needs.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from contextlib import suppress
from functools import update_wrapper
from pathlib import Path
from shutil import copyfile
from typing import Any

_lock = threading.RLock()


class CompiledLater:
    """A function that Numba compiles, or reads from its cache, on the first call."""

    def __init__(self, function: Callable[..., Any], options: dict[str, Any]) -> None:
        update_wrapper(self, function)
        self._function, self._options = function, options
        self._made: Callable[..., Any] | None = None
        self._compiled: Callable[..., Any] | None = None  # once all that it calls can be compiled too

    def __call__(self, *given: Any) -> Any:
        return (self._compiled or self.dispatcher())(*given)

    def _take_shipped(self, folder: str | None) -> None:
        """Have what was compiled beside the sources in Numba's folder, where that is another: it leaves a folder that
        can't be written to, as of an installed program, aside, and would compile all of it again."""
        shipped = Path(self._function.__code__.co_filename).parent / "__pycache__"
        if folder is None or Path(folder) == shipped:
            return
        files = sorted(
            shipped.glob(f"{_stored_name(self._function)}-*.nb[ic]")
        )  # the code before the index that names it
        for file in files:
            if not (Path(folder) / file.name).exists():
                with suppress(OSError):
                    copyfile(file, Path(folder) / file.name)

    def dispatcher(self) -> Callable[..., Any]:
        """Return what Numba made, with all that its module names, as the compiler looks for what it calls there."""
        with _lock:
            if self._made is None:
                import numba

                self._made = numba.njit(**self._options)(self._function)
                self._take_shipped(getattr(self._made, "stats").cache_path)  # noqa: B009
                names = self._function.__globals__
                for name, value in list(names.items()):
                    if isinstance(value, CompiledLater):
                        names[name] = value.dispatcher()
                self._compiled = self._made  # from now on other threads call it without the lock
            return self._made


def njit(**options: Any) -> Callable[[Callable[..., Any]], CompiledLater]:
    """Return a decorator as `numba.njit` is, for functions that are compiled when they are first called."""
    return lambda function: CompiledLater(function, options)


def is_stored(kernel: Any) -> bool:
    """Return whether the compiled code of a kernel lies in the cache, so that its first call does not wait for the
    compiler."""
    made: Any = kernel.dispatcher() if isinstance(kernel, CompiledLater) else kernel
    return made.stats.cache_path is not None and any(
        Path(made.stats.cache_path).glob(f"{_stored_name(made.py_func)}-*.nbi")
    )


def _stored_name(function: Callable[..., Any]) -> str:
    """Return how the names of the files begin that Numba stores of a function."""
    return f"{Path(function.__code__.co_filename).stem}.{function.__qualname__}"
