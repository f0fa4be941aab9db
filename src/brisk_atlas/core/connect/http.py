"""Files on web servers, by HTTP."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from pathlib import Path
from typing import IO, cast

import httpx

from brisk_atlas.core.model import CannotRead, DataRef

from .connector import Item
from .copies import COPY_LIMIT, copy_target, prune, store_copy
from .failures import explained
from .files import CONNECTOR as FILES
from .members import WITH_STEM
from .web_folder import list_web_folder

PATIENCE_S = 15.0
NO_DATE = datetime.fromtimestamp(0, UTC)


class Http:
    """Files on a web server: read in place by the libraries that can, else fetched whole into the cache."""

    def list(self, ref: DataRef) -> list[Item]:
        return list_web_folder(ref)

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        with _answer(ref, "HEAD") as answer:
            changed = answer.headers.get("Last-Modified")
            size = answer.headers.get("Content-Length") or "0"
        try:
            modified = parsedate_to_datetime(changed) if changed else NO_DATE
        except ValueError:
            modified = NO_DATE
        return int(size) if size.isdecimal() else 0, modified

    def fingerprint(self, ref: DataRef) -> str:
        with _answer(ref, "HEAD") as answer:
            return "|".join(answer.headers.get(name, "") for name in ("ETag", "Content-Length", "Last-Modified"))

    def head(self, ref: DataRef, count: int) -> bytes:
        with _answer(ref, "GET", {"Range": f"bytes=0-{count - 1}"}) as answer:
            return _Stream(answer).read(count)

    def localise(self, ref: DataRef) -> DataRef:
        _, modified = self.stat(ref)
        target = copy_target(ref, self.fingerprint(ref))
        if not target.exists():
            with _answer(ref, "GET") as answer, explained(ref):
                store_copy(ref, cast(IO[bytes], _Stream(answer)), target, COPY_LIMIT, modified.timestamp())
            self._fetch_members(ref, target, modified.timestamp())
        prune()
        return FILES.localise(DataRef.file(target).with_part(ref.part))

    def _fetch_members(self, ref: DataRef, target: Path, modified: float) -> None:
        """Fetch the files that belong to one, such as the others of a shapefile, as far as the server has them."""
        for ending in WITH_STEM.get(target.suffix.lower(), ()):
            member = target.with_suffix(ending)
            other = DataRef(ref.kind, ref.place.removesuffix(target.suffix) + ending)
            if other.place == ref.place or "?" in ref.place:
                continue
            with suppress(CannotRead), _answer(other, "GET") as answer, explained(other):
                store_copy(other, cast(IO[bytes], _Stream(answer)), member, COPY_LIMIT, modified)


@contextmanager
def _answer(ref: DataRef, method: str, headers: dict[str, str] | None = None) -> Iterator[httpx.Response]:
    """Give a server's answer, its content not read yet. Raises CannotRead."""
    headers = {"Accept-Encoding": "identity", **(headers or {})}
    try:
        with httpx.stream(method, ref.place, headers=headers, timeout=PATIENCE_S, follow_redirects=True) as answer:
            answer.raise_for_status()
            yield answer
    except httpx.HTTPStatusError as error:
        reason = f"the server answers {error.response.status_code} {error.response.reason_phrase}"
        raise CannotRead(ref, reason, "Check the address.") from error
    except (httpx.HTTPError, httpx.InvalidURL, httpx.StreamError) as error:
        why = str(error) or type(error).__name__
        raise CannotRead(ref, f"the server can't be reached ({why})", "Check the address and the net.") from error


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
