"""Making the next thing while the last one is worked on."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import TypeVar

from .jobs import for_this_job

Thing = TypeVar("Thing")
_END = object()


def made_ahead(things: Iterator[Thing]) -> Iterator[Thing]:
    """Yield things, the next one of which another thread makes meanwhile, for the same job."""
    make = for_this_job(lambda: next(things, _END))
    with ThreadPoolExecutor(1, thread_name_prefix="ahead") as beside:
        coming = beside.submit(make)
        while (thing := coming.result()) is not _END:
            coming = beside.submit(make)
            yield thing  # type: ignore[misc]
