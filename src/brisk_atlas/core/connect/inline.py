"""Data that a reference carries itself: it is written to the cache when something needs a file."""

from __future__ import annotations

import hashlib
import io
import time
from datetime import UTC, datetime
from pathlib import Path

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .connector import Item
from .copies import copies_folder, store_copy
from .failures import explained

LARGEST = 8_000_000  # characters that a reference may carry
FOLDER = "inline"
UNUSED_S = 7 * 86_400  # after which a copy is removed


class Inline:
    """The text of a reference is its content; it never changes, as another text is another reference."""

    def list(self, ref: DataRef) -> list[Item]:
        return []

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        return len(ref.place.encode()), datetime.fromtimestamp(0, UTC)

    def fingerprint(self, ref: DataRef) -> str:
        return hashlib.sha256(ref.place.encode("utf-8", "surrogatepass")).hexdigest()[:32]

    def head(self, ref: DataRef, count: int) -> bytes:
        return ref.place.encode()[:count]

    def localise(self, ref: DataRef) -> DataRef:
        if len(ref.place) > LARGEST:
            raise CannotRead(
                ref,
                tr("it carries more than {largest:,} characters", largest=LARGEST),
                tr("Write it to a file and open that."),
            )
        folder = copies_folder() / FOLDER
        name = ref.name.replace("/", "_").lstrip(".") or "data.geojson"
        target = folder / self.fingerprint(ref) / name
        content = ref.place.encode("utf-8", "surrogatepass")
        with explained(ref):
            if not target.exists():
                _remove_unused(folder)
            store_copy(ref, io.BytesIO(content), target, LARGEST * 4, time.time())
        return DataRef.file(target).with_part(ref.part)


def _remove_unused(folder: Path) -> None:
    """Remove copies that nothing has asked for in a while."""
    old = time.time() - UNUSED_S
    for each in folder.glob("*"):
        if each.stat().st_mtime < old:
            for file in each.iterdir():
                file.unlink(missing_ok=True)
            each.rmdir()


CONNECTOR = Inline()
