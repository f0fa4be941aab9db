"""How much memory values take, and giving back what is no longer needed."""

from __future__ import annotations

import ctypes
import gc
import logging
import os
import threading
from dataclasses import fields, is_dataclass
from functools import cache, lru_cache
from pathlib import Path
from typing import Any

log = logging.getLogger(__name__)
SHARE = 0.35  # of the machine's memory, for what was read
M_MMAP_THRESHOLD = -3
LARGE_BLOCK = 8_000_000  # bytes; pictures of the window are smaller, and are made anew all the time
DEEPEST = 4  # values within values that are looked into
PLAIN = (str, int, float, bytes, type(None), Path)  # which hold no arrays
REMEMBERED = 1024  # classes whose fields are looked up once


def memory_budget() -> int:
    """Return how many bytes what was read may take."""
    return int(SHARE * os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"))


def size_of(value: Any, depth: int = 0, seen: set[int] | None = None) -> int:
    """Return about how many bytes the arrays and tables in a value take; each counts once."""
    if isinstance(value, PLAIN) or depth > DEEPEST:
        return 0
    seen = seen if seen is not None else set()
    if id(value) in seen:
        return 0
    seen.add(id(value))
    held = getattr(value, "_held", None)  # the columns of a lazy table that were read
    if isinstance(held, dict):
        return sum(size_of(each, depth + 1, seen) for each in list(held.values()))
    size = getattr(value, "nbytes", None)
    if isinstance(size, int):
        return size
    if isinstance(value, dict):
        return sum(size_of(each, depth + 1, seen) for each in list(value.values()))
    if isinstance(value, tuple | list):
        return sum(size_of(each, depth + 1, seen) for each in value[:1000])
    if names := _fields_of(type(value)):  # type: ignore[arg-type]  # classes can be keys
        return sum(size_of(getattr(value, name, None), depth + 1, seen) for name in names)
    return sum(size_of(each, depth + 1, seen) for each in list(getattr(value, "__dict__", {}).values()))


@lru_cache(REMEMBERED)
def _fields_of(kind: type) -> tuple[str, ...]:
    """Return the names of the fields of a data class, none for another class."""
    return tuple(field.name for field in fields(kind)) if is_dataclass(kind) else ()


@cache
def large_blocks_apart() -> None:
    """Have large blocks of memory mapped apart from now on, so that each goes back to the system when it is freed.

    The C library raises the size from which it does so with each block that is freed, up to 32 MB; what lies below
    stays with the process as long as anything above it is in use. Source: mallopt(3), M_MMAP_THRESHOLD.
    """
    try:
        ctypes.CDLL(None).mallopt(M_MMAP_THRESHOLD, LARGE_BLOCK)
    except (OSError, AttributeError):
        log.debug("the C library has no mallopt")


def give_back() -> None:
    """Return memory that nobody uses any more to the system.

    Values that hold each other are looked for on the main thread alone: among them may be widgets of a window, which
    must not be deleted on another.
    """
    import pyarrow as pa

    if threading.current_thread() is threading.main_thread():
        gc.collect()
    pa.default_memory_pool().release_unused()
    try:
        ctypes.CDLL(None).malloc_trim(0)
    except (OSError, AttributeError):
        log.debug("the C library has no malloc_trim")
