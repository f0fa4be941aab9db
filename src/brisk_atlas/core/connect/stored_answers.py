"""Answers of servers stored on the disk, within a limit: used again while fresh, asked about once they are not.

Source: RFC 9111, "HTTP Caching", as a private cache.
"""

from __future__ import annotations

import hashlib
import json
import logging
import os
import re
import time
from collections.abc import Mapping
from dataclasses import dataclass
from email.utils import parsedate_to_datetime
from pathlib import Path

from brisk_atlas.core.system.folders import cache_folder, make_private

log = logging.getLogger(__name__)
LIMIT_BYTES = 1_000_000_000  # of all answers; those unused for longest go first
HEAD_BYTES = 20_000  # that the head of a stored answer may take
GUESSED_SHARE = 0.1  # of the age of what states no term (RFC 9111, 4.2.2)
GUESSED_S = 60.0  # for what states neither a term nor an age
PRUNE_EVERY = 200  # answers stored


@dataclass(frozen=True)
class StoredAnswer:
    """What a server answered. `fresh_until` is in seconds since 1970; `etag` and `changed` are what to ask it with."""

    media_type: str
    body: bytes
    fresh_until: float = 0.0
    etag: str = ""
    changed: str = ""

    @property
    def is_fresh(self) -> bool:
        """Whether it may be used without asking."""
        return time.time() < self.fresh_until

    def conditions(self) -> dict[str, str]:
        """Return the headers that ask whether it still holds."""
        named = {"If-None-Match": self.etag, "If-Modified-Since": self.changed}
        return {name: value for name, value in named.items() if value}


def term_of(headers: Mapping[str, str]) -> float | None:
    """Return until when an answer is fresh, in seconds since 1970; None for one that must not be stored."""
    rules = headers.get("cache-control", "").lower()
    now = time.time()
    if "no-store" in rules:
        return None
    if "no-cache" in rules:
        return 0.0
    stated = re.search(r"max-age=(\d+)", rules)
    if stated:
        age = headers.get("age", "")
        return now + min(int(stated[1]), 10**9) - (int(age) if age.isdecimal() else 0)
    expires, changed = _date(headers.get("expires")), _date(headers.get("last-modified"))
    if expires is not None:
        return expires
    return now + (GUESSED_SHARE * max(0.0, now - changed) if changed is not None else GUESSED_S)


def _date(text: str | None) -> float | None:
    try:
        return parsedate_to_datetime(text).timestamp() if text else None
    except (ValueError, OverflowError):
        return 0.0


class AnswerStore:
    """A folder of answers by the question that they were given to. Safe for threads and for several processes: a file
    is written beside and moved into place."""

    def __init__(self, folder: Path | None = None, limit: int = LIMIT_BYTES) -> None:
        self._folder, self.limit = folder, limit
        self._stored = 0

    @property
    def folder(self) -> Path:
        """Where the answers are stored."""
        return self._folder or cache_folder("answers")

    def _file(self, question: str) -> Path:
        name = hashlib.sha256(question.encode("utf-8", "surrogateescape")).hexdigest()
        return self.folder / name[:2] / name[2:34]

    def get(self, question: str) -> StoredAnswer | None:
        """Return the answer stored for a question, fresh or not."""
        file = self._file(question)
        try:
            with file.open("rb") as source:
                head = json.loads(source.readline(HEAD_BYTES))
                answer = StoredAnswer(head["type"], source.read(), head["fresh_until"], head["etag"], head["changed"])
            os.utime(file)  # used now
        except (OSError, ValueError, KeyError, TypeError):
            return None
        return answer

    def put(self, question: str, answer: StoredAnswer) -> None:
        """Store an answer; one that can't be stored is asked for again."""
        head = {
            "type": answer.media_type, "fresh_until": answer.fresh_until, "etag": answer.etag,
            "changed": answer.changed,
        }  # fmt: skip
        file = self._file(question)
        beside = file.with_name(f".{file.name}.{os.getpid()}.{time.monotonic_ns()}")
        try:
            make_private(file.parent)
            beside.write_bytes(json.dumps(head).encode() + b"\n" + answer.body)
            beside.replace(file)
        except OSError:
            log.info("an answer can't be stored", exc_info=True)
            beside.unlink(missing_ok=True)
        self._stored += 1
        if self._stored % PRUNE_EVERY == 0:
            self.prune()

    def _files(self) -> list[tuple[float, int, Path]]:
        found = []
        for file in self.folder.rglob("*"):
            try:
                stat = file.stat()
            except OSError:  # another process removed it
                continue
            if file.is_file():
                found.append((stat.st_mtime, stat.st_size, file))
        return found

    @property
    def size_bytes(self) -> int:
        """How much is stored."""
        return sum(size for _, size, _ in self._files())

    def prune(self) -> None:
        """Remove the answers that were unused for longest, beyond the limit."""
        total = 0
        for _, size, file in sorted(self._files(), reverse=True):
            total += size
            if total > self.limit:
                file.unlink(missing_ok=True)

    def clear(self) -> None:
        """Remove all answers."""
        for _, _, file in self._files():
            file.unlink(missing_ok=True)


ANSWERS = AnswerStore()
