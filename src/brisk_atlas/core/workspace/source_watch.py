"""Whether the files that layers show are still where and as they were when they were read."""

from __future__ import annotations

import threading
from collections.abc import Iterable
from enum import Enum
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef, Layer


class SourceState(Enum):
    """What became of a file since it was read."""

    AS_READ = "as read"
    CHANGED = "changed"
    MISSING = "missing"


class SourceWatch:
    """Compares the fingerprints of files with those they had when they were read. Safe for threads; reaches only this
    machine's disks."""

    def __init__(self) -> None:
        self._as_read: dict[DataRef, str] = {}
        self._lock = threading.Lock()

    def states(self, layers: Iterable[Layer]) -> dict[str, SourceState]:
        """Return the state of each layer's source that is not as it was read, by layer id; what is seen for the first
        time is as read."""
        found: dict[DataRef, SourceState] = {}
        states = {}
        for layer in layers:
            place = layer.ref.whole
            if place not in found:
                found[place] = self._state(place)
            if found[place] is not SourceState.AS_READ:
                states[layer.id] = found[place]
        return states

    def _state(self, place: DataRef) -> SourceState:
        from brisk_atlas.core.connect import fingerprint
        from brisk_atlas.core.model import AtlasError

        if not place.is_local:
            return SourceState.AS_READ
        try:
            now = fingerprint(place)
        except (AtlasError, OSError):
            return SourceState.MISSING
        with self._lock:
            before = self._as_read.setdefault(place, now)
        return SourceState.AS_READ if now == before else SourceState.CHANGED

    def read_again(self, place: DataRef) -> None:
        """Take the file as it is now for the one that was read."""
        with self._lock:
            self._as_read.pop(place.whole, None)


def found_beside(missing: Iterable[DataRef], old: DataRef, new: DataRef) -> dict[DataRef, DataRef]:
    """Return where moved files lie now, when one of them is known: it, and those that lay below the same folder and lie
    below the new one in the same way."""
    from brisk_atlas.core.model import DataRef

    found = {old.whole: new.whole}
    if old.folder is None or new.folder is None:
        return found
    for place in missing:
        if place.is_local and place.whole not in found:
            try:
                inside = place.path.relative_to(old.folder)
            except ValueError:
                continue
            if (new.folder / inside).exists():
                found[place.whole] = DataRef.parse(new.folder / inside).whole
    return found
