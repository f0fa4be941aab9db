"""Functions that are compiled to machine code when they are first called.

The compiler takes a third of a second and fifty megabytes to load, which much of what is asked never needs.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from functools import update_wrapper
from pathlib import Path
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

    @property
    def is_stored(self) -> bool:
        """Whether its compiled code lies in the cache, so that the first call does not wait for the compiler."""
        name = f"{Path(self._function.__code__.co_filename).stem}.{self._function.__name__}"
        folder = getattr(self.dispatcher(), "stats").cache_path  # noqa: B009  of what Numba made
        return folder is not None and any(Path(folder).glob(f"{name}-*.nbi"))

    def dispatcher(self) -> Callable[..., Any]:
        """Return what Numba made, with all that its module names, as the compiler looks for what it calls there."""
        with _lock:
            if self._made is None:
                import numba

                self._made = numba.njit(**self._options)(self._function)
                names = self._function.__globals__
                for name, value in list(names.items()):
                    if isinstance(value, CompiledLater):
                        names[name] = value.dispatcher()
                self._compiled = self._made  # from now on other threads call it without the lock
            return self._made


def njit(**options: Any) -> Callable[[Callable[..., Any]], CompiledLater]:
    """Return a decorator as `numba.njit` is, for functions that are compiled when they are first called."""
    return lambda function: CompiledLater(function, options)
