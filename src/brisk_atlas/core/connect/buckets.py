"""Files in buckets of object stores, by their own protocol."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from typing import IO, Any, cast
from urllib.parse import parse_qsl, unquote

import pyarrow as pa
from pyarrow import fs

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.model.language import tr

from .connector import Item
from .copies import COPY_LIMIT, copy_target, prune, store_copy
from .files import CONNECTOR as FILES

NO_DATE = datetime.fromtimestamp(0, UTC)


class Buckets:
    """Keys and endpoints come from the environment, as the object store's own tools take them, or from the settings of
    an address, of which `anonymous=true` asks without keys."""

    def list(self, ref: DataRef) -> list[Item]:
        with _store(ref) as (store, key):
            found = store.get_file_info(fs.FileSelector(key))
        scheme, (_, mark, options) = ref.place.partition("://")[0], ref.place.partition("?")
        return [_item(DataRef(PlaceKind.ADDRESS, f"{scheme}://{info.path}{mark}{options}"), info) for info in found]

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        with _store(ref) as (store, key):
            info = store.get_file_info(key)
        if info.type is fs.FileType.NotFound:
            raise CannotRead(ref, tr("the bucket does not hold it"), tr("Check the address."))
        return info.size or 0, _date(info)

    def fingerprint(self, ref: DataRef) -> str:
        size, modified = self.stat(ref)
        return f"{size}|{modified.timestamp()}"

    def head(self, ref: DataRef, count: int) -> bytes:
        with _store(ref) as (store, key), store.open_input_file(key) as file:
            return file.read(count)

    def localise(self, ref: DataRef) -> DataRef:
        _, modified = self.stat(ref)
        target = copy_target(ref, self.fingerprint(ref))
        with _store(ref) as (store, key), store.open_input_stream(key, compression=None) as source:
            store_copy(ref, cast(IO[bytes], source), target, COPY_LIMIT, modified.timestamp())
        prune()
        return FILES.localise(DataRef.file(target).with_part(ref.part))


@contextmanager
def _store(ref: DataRef) -> Iterator[tuple[Any, str]]:
    """Give the object store of an address and the key in it. Raises CannotRead."""
    address, _, query = ref.place.partition("?")
    options = dict(parse_qsl(query))
    anonymous = options.pop("anonymous", "").lower() in ("1", "true", "yes")
    try:
        if anonymous and address.startswith("s3://"):
            yield fs.S3FileSystem(anonymous=True, **options), unquote(address.removeprefix("s3://"))
        else:
            yield fs.FileSystem.from_uri(ref.place)
    except (OSError, TypeError, pa.ArrowException) as error:
        why = str(error).splitlines()[0][:200]
        raise CannotRead(
            ref, tr("the bucket can't be read ({why})", why=why), tr("Check the address, the keys and the net.")
        ) from error


def _item(ref: DataRef, info: Any) -> Item:
    size, modified = info.size or 0, _date(info).timestamp()
    return Item(ref, info.base_name, not info.is_file, size, modified, f"{size:x}.{modified}")


def _date(info: Any) -> datetime:
    return info.mtime if isinstance(info.mtime, datetime) else NO_DATE


CONNECTOR = Buckets()
