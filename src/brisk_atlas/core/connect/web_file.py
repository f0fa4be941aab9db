"""Files on web servers read by pieces, as the raster library asks for them.

The library's own reader holds Python's lock while it waits for a server, so that a slow one would stop the window; this
one waits without it.
"""

from __future__ import annotations

import io
import threading
from collections import OrderedDict
from typing import Any

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.model.errors import NotThere
from brisk_atlas.core.model.language import tr

from .fetching import fetch_range

BLOCK = 1 << 17  # bytes asked for at once, several blocks where they follow each other
HELD_BYTES = 128_000_000

_blocks: OrderedDict[tuple[str, int], bytes] = OrderedDict()
_sizes: dict[str, int] = {}
_lock = threading.Lock()


class WebFile(io.RawIOBase):
    """A file at an address, for reading. Raises FileNotFoundError without one, OSError for other faults."""

    def __init__(self, address: str) -> None:
        self._ref = DataRef(PlaceKind.ADDRESS, address)
        self._at = 0
        self._size = self._known_size()

    def _known_size(self) -> int:
        size = _sizes.get(self._ref.place)
        if size is None:
            self._fetched(0, 1)
            size = _sizes[self._ref.place]
        if size < 0:
            raise FileNotFoundError(self._ref.place)
        return size

    def _fetched(self, first: int, count: int) -> None:
        """Fetch some blocks, and note the size of the file."""
        start = first * BLOCK
        try:
            body, size = fetch_range(self._ref, self._ref.place, start, start + count * BLOCK - 1)
        except NotThere as error:
            _sizes[self._ref.place] = -1
            raise FileNotFoundError(self._ref.place) from error
        except CannotRead as error:
            raise OSError(error.reason) from error
        with _lock:
            _sizes[self._ref.place] = size
            for number in range(0, len(body), BLOCK):
                _blocks[self._ref.place, first + number // BLOCK] = body[number : number + BLOCK]
            while len(_blocks) * BLOCK > HELD_BYTES:
                _blocks.popitem(last=False)

    def _block(self, number: int) -> bytes | None:
        with _lock:
            found = _blocks.get((self._ref.place, number))
            if found is not None:
                _blocks.move_to_end((self._ref.place, number))
            return found

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def tell(self) -> int:
        return self._at

    def seek(self, offset: int, whence: int = io.SEEK_SET) -> int:
        self._at = offset + {io.SEEK_SET: 0, io.SEEK_CUR: self._at, io.SEEK_END: self._size}[whence]
        return self._at

    def read(self, count: int = -1) -> bytes:
        end = self._size if count is None or count < 0 else min(self._size, self._at + count)
        if end <= self._at:
            return b""
        first, last = self._at // BLOCK, (end - 1) // BLOCK
        missing = [number for number in range(first, last + 1) if self._block(number) is None]
        if missing:
            self._fetched(missing[0], missing[-1] - missing[0] + 1)
        pieces = [self._block(number) for number in range(first, last + 1)]
        if any(piece is None for piece in pieces):
            raise OSError(tr("the server sent less than it stated"))
        whole = b"".join(piece for piece in pieces if piece is not None)
        found = whole[self._at - first * BLOCK : end - first * BLOCK]
        self._at += len(found)
        return found


def open_web_file(address: str, *mode: Any, **choice: Any) -> WebFile:
    """Return a file at an address, as libraries open one that are given a function for it."""
    return WebFile(address)
