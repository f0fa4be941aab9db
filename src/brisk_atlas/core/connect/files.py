"""Files and folders on the disks of this machine."""

from __future__ import annotations

import gzip
import os
from datetime import UTC, datetime
from pathlib import Path
from typing import IO, cast

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.model.language import tr

from .connector import Item
from .copies import copy_folder, prune, store_copy, unpacked_limit
from .failures import explained

PACKED = ".gz"
GONE = "gone"  # the state of an item that can't be read


class Files:
    """Plain files are read where they lie; those packed with gzip are unpacked into the cache."""

    def list(self, ref: DataRef) -> list[Item]:
        try:
            with os.scandir(ref.place) as scan:
                return [_item(item) for item in scan if not item.name.startswith(".")]
        except OSError as error:
            remedy = tr("Check that the folder is there and that you may read it.")
            raise CannotRead(ref, error.strerror or str(error), remedy) from error

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        with explained(ref):
            stat = Path(ref.place).stat()
        return stat.st_size, datetime.fromtimestamp(stat.st_mtime, UTC)

    def fingerprint(self, ref: DataRef) -> str:
        with explained(ref):
            stat = Path(ref.place).stat()
        return f"{stat.st_size}|{stat.st_mtime_ns}"

    def head(self, ref: DataRef, count: int) -> bytes:
        with explained(ref), Path(ref.place).open("rb") as file:
            return file.read(count)

    def localise(self, ref: DataRef) -> DataRef:
        if not ref.place.lower().endswith(PACKED):
            return ref
        path = Path(ref.place)
        target = copy_folder(ref, self.fingerprint(ref)) / path.name.removesuffix(path.suffix)
        with explained(ref), gzip.open(path) as plain:
            stat = path.stat()
            store_copy(ref, cast(IO[bytes], plain), target, unpacked_limit(stat.st_size), stat.st_mtime)
        prune()
        return DataRef.file(target).with_part(ref.part)


def _item(item: os.DirEntry) -> Item:
    ref = DataRef(PlaceKind.FILE, item.path)
    try:
        stat = item.stat()
        state = f"{stat.st_size:x}.{stat.st_mtime_ns:x}"
        return Item(ref, item.name, item.is_dir(), stat.st_size, stat.st_mtime, state)
    except OSError:  # a link that leads nowhere or in a circle stays an item, which says so when it is opened
        return Item(ref, item.name, False, 0, 0.0, GONE)


CONNECTOR = Files()
