"""Text of any length by lines, read where it is looked at.

Where the lines begin is noted as the file is gone through, a stretch at a time, so that the first page
is there at once and the last of a file of gigabytes a while later.
"""

from __future__ import annotations

import mmap
from collections.abc import Callable

from brisk_atlas.core.connect import localise
from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.text_form import guess_form

EVERY = 256  # lines between two noted places
STRETCH = 1 << 22  # bytes gone through at a time
MOST_WIDE = 4000  # characters of a line that are given; the rest is reported to be there
TEXTUAL = frozenset(
    [
        ".csv",
        ".tsv",
        ".txt",
        ".dat",
        ".xml",
        ".kml",
        ".gml",
        ".gpx",
        ".rdf",
        ".vrt",
        ".json",
        ".geojson",
        ".topojson",
        ".geojsonl",
        ".geojsons",
        ".ndjson",
        ".jsonl",
        ".md",
        ".met",
        ".mgd77",
        ".mif",
        ".prj",
        ".asc",
        ".xyz",
        ".pts",
        ".dxf",
    ]
)


class TextPages:
    """One text file. `lines(first, count)` gives lines as far as `known` goes; `go_on` notes more."""

    def __init__(self, ref: DataRef) -> None:
        here = localise(ref).path
        self.ref = ref
        try:
            with here.open("rb") as file:
                self.size = here.stat().st_size
                self._data: mmap.mmap | bytes = b""
                if self.size:
                    self._data = mmap.mmap(file.fileno(), 0, access=mmap.ACCESS_READ)
        except (OSError, ValueError) as error:
            raise CannotRead(
                ref, tr("its text can't be read ({error})", error=error), tr("Check that you may read it.")
            ) from error
        encoding = guess_form(here).form.encoding
        self.encoding = encoding
        self._wide = encoding.startswith("utf-16")
        self._newline = "\n".encode(encoding)
        self._places = [0]  # where each EVERY-th line begins
        self._at, self._lines = 0, 0
        self.known = 0

    @property
    def complete(self) -> bool:
        """Whether all lines of the file are counted."""
        return self._at >= self.size

    def go_on(self) -> bool:
        """Note where the lines of the next stretch begin; returns whether there is more."""
        if self.complete:
            return False
        end = min(self.size, self._at + STRETCH)
        block = self._data[self._at : end]
        step = len(self._newline)
        found = block.find(self._newline)
        while found >= 0:
            if not self._wide or found % step == 0:
                self._lines += 1
                if self._lines % EVERY == 0:
                    self._places.append(self._at + found + step)
            found = block.find(self._newline, found + (step if not self._wide or found % step == 0 else 1))
        self._at = end
        tail = self.size and self._data[self.size - step : self.size] != self._newline
        self.known = self._lines + int(bool(self.complete and tail))
        return not self.complete

    def lines(self, first: int, count: int) -> list[str]:
        """Return lines from `first` (0 is the first), at most `count`."""
        if first >= max(self.known, 1) or not self.size:
            return []
        at = self._places[min(first // EVERY, len(self._places) - 1)]
        for _ in range(first - first // EVERY * EVERY):
            at = self._after_line(at)
        out: list[str] = []
        while len(out) < count and at < self.size:
            end = self._data.find(self._newline, at, min(self.size, at + 4 * MOST_WIDE))
            cut = end < 0
            text = self._data[at : (at + 4 * MOST_WIDE if cut else end)].decode(self.encoding, "replace")
            text = text.lstrip("\ufeff").rstrip("\r")
            out.append(text[:MOST_WIDE] + (" …" if len(text) > MOST_WIDE else ""))
            at = self._after_line(at)
        return out

    def _after_line(self, at: int) -> int:
        found = self._data.find(self._newline, at)
        while self._wide and found >= 0 and (found - at) % 2:
            found = self._data.find(self._newline, found + 1)
        return self.size if found < 0 else found + len(self._newline)

    def find(self, text: str, start_line: int, check: Callable[[], None] = lambda: None) -> int | None:
        """Return the next line, from `start_line` on and around the end, that has `text` in it, whatever
        its case; None where none has. `check` may raise to stop."""
        wanted = text.lower()
        if not wanted:
            return None
        while not self.complete:
            check()
            self.go_on()
        order = [*range(start_line, self.known, EVERY), *range(0, min(start_line, self.known), EVERY)]
        for first in order:
            check()
            for number, line in enumerate(self.lines(first, EVERY), first):
                if wanted in line.lower():
                    return number
        return None

    def close(self) -> None:
        if isinstance(self._data, mmap.mmap):
            self._data.close()


def is_textual(ref: DataRef) -> bool:
    """Return whether a file is text that can be looked at."""
    return ref.suffix in TEXTUAL
