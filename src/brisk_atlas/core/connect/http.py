"""Files on web servers, by HTTP."""

from __future__ import annotations

from contextlib import suppress
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path
from typing import IO, TYPE_CHECKING, cast

from brisk_atlas.core.model import CannotRead, DataRef

from .connector import Item
from .copies import COPY_LIMIT, copy_target, prune, store_copy
from .failures import explained
from .fetching import streamed
from .files import CONNECTOR as FILES
from .members import WITH_STEM
from .web_folder import list_web_folder

if TYPE_CHECKING:
    import httpx

NO_DATE = datetime.fromtimestamp(0, UTC)


class Http:
    """Files on a web server: read in place by the libraries that can, else fetched whole into the cache."""

    def list(self, ref: DataRef) -> list[Item]:
        return list_web_folder(ref)

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        stated = _headers(ref)
        size = stated.get("Content-Length") or "0"
        return int(size) if size.isdecimal() else 0, _modified(stated)

    def fingerprint(self, ref: DataRef) -> str:
        return _state(_headers(ref))

    def head(self, ref: DataRef, count: int) -> bytes:
        with streamed(ref, ref.place, headers={"Range": f"bytes=0-{count - 1}"}) as answer:
            return _Stream(answer).read(count)

    def localise(self, ref: DataRef) -> DataRef:
        stated = _headers(ref)
        target, modified = copy_target(ref, _state(stated)), _modified(stated).timestamp()
        if not target.exists():
            with streamed(ref, ref.place) as answer, explained(ref):
                store_copy(ref, cast(IO[bytes], _Stream(answer)), target, COPY_LIMIT, modified)
            self._fetch_members(ref, target, modified)
        prune()
        return FILES.localise(DataRef.file(target).with_part(ref.part))

    def _fetch_members(self, ref: DataRef, target: Path, modified: float) -> None:
        """Fetch the files that belong to one, such as the others of a shapefile, as far as the server has them."""
        for ending in WITH_STEM.get(target.suffix.lower(), ()):
            member = target.with_suffix(ending)
            other = DataRef(ref.kind, ref.place.removesuffix(target.suffix) + ending)
            if other.place == ref.place or "?" in ref.place:
                continue
            with suppress(CannotRead), streamed(other, other.place) as answer, explained(other):
                store_copy(other, cast(IO[bytes], _Stream(answer)), member, COPY_LIMIT, modified)


def _headers(ref: DataRef) -> httpx.Headers:
    with streamed(ref, ref.place, method="HEAD") as answer:
        return answer.headers


def _state(stated: httpx.Headers) -> str:
    """Return a text that differs once a file has changed."""
    return "|".join(stated.get(name, "") for name in ("ETag", "Content-Length", "Last-Modified"))


def _modified(stated: httpx.Headers) -> datetime:
    try:
        return parsedate_to_datetime(stated["Last-Modified"]) if "Last-Modified" in stated else NO_DATE
    except ValueError:
        return NO_DATE


class _Stream:
    """The content of an answer as a file that is read once."""

    def __init__(self, answer: httpx.Response) -> None:
        self._blocks = answer.iter_bytes()
        self._rest = b""

    def read(self, count: int = -1) -> bytes:
        parts, size = [self._rest], len(self._rest)
        while count < 0 or size < count:
            block = next(self._blocks, b"")
            if not block:
                break
            parts.append(block)
            size += len(block)
        whole = b"".join(parts)
        count = len(whole) if count < 0 else count
        self._rest = whole[count:]
        return whole[:count]


CONNECTOR = Http()
