"""What catalogues of metadata records share: references to what is searched for, and copies of records on the disk.

The inner part of a reference is a collection, a record behind a slash, or what is searched for behind a question mark,
such as `records?q=lava&bbox=-21,-39,-20,-38`.
"""

from __future__ import annotations

import hashlib
import io
import time
from abc import ABC, abstractmethod
from dataclasses import dataclass
from datetime import UTC, datetime
from urllib.parse import parse_qsl, quote, unquote, urlencode

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .connector import Item
from .copies import copy_folder, prune, store_copy
from .failures import explained
from .files import CONNECTOR as FILES
from .service import NO_DATE

MAX_RECORDS = 500  # that are listed of a catalogue or a search
PAGE = 100
RECORD_BYTES = 16_000_000


@dataclass(frozen=True)
class RecordSearch:
    """What is searched for: in which collection, which words, and where (west, south, east, north in degrees)."""

    collection: str
    words: str = ""
    box: tuple[float, float, float, float] | None = None

    def place(self, catalogue: DataRef) -> DataRef:
        """Return the reference to what is found in a catalogue."""
        sides = ",".join(f"{side:.6g}" for side in self.box) if self.box else ""
        query = urlencode({name: value for name, value in (("q", self.words), ("bbox", sides)) if value}, safe=",")
        inner = f"{self.collection}?{query}" if query else self.collection
        return DataRef(catalogue.kind, catalogue.place, inner)

    @classmethod
    def of(cls, ref: DataRef) -> RecordSearch:
        """Return the search that a reference means. Raises CannotRead."""
        name, _, query = ref.inner.partition("?")
        stated = dict(parse_qsl(query))
        return cls(name, stated.get("q", ""), box_in(ref, stated.get("bbox", "")))


def box_in(ref: DataRef, text: str) -> tuple[float, float, float, float] | None:
    """Return west, south, east and north as a search states them, None for an empty text. Raises CannotRead."""
    if not text:
        return None
    try:
        west, south, east, north = (float(side) for side in text.split(","))
    except ValueError as error:
        raise CannotRead(
            ref, tr("the box of the search can't be followed ({error})", error=error), tr("Search again.")
        ) from error
    return west, south, east, north


class RecordCatalogue(ABC):
    """A catalogue as a connector: it lists records, each of which is a file of metadata once it was fetched."""

    @abstractmethod
    def list(self, ref: DataRef) -> list[Item]:
        """Return the records of a catalogue or of a search in it, or the collections of one that has several."""

    @abstractmethod
    def record(self, ref: DataRef) -> tuple[bytes, str]:
        """Return a record and the ending that its file has. Raises CannotRead."""

    @staticmethod
    def item(ref: DataRef, collection: str, name: str, title: str, state: str) -> Item:
        """Return the line of a record."""
        own = DataRef(ref.kind, ref.place, f"{quote(collection)}/{quote(name, safe='')}")
        return Item(own, title or name, False, 0, 0.0, state)

    @staticmethod
    def name_in(ref: DataRef) -> str:
        """Return the identifier of the record that a reference means."""
        return unquote(ref.inner.partition("/")[2])

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        return 0, NO_DATE

    def fingerprint(self, ref: DataRef) -> str:
        return ""

    def head(self, ref: DataRef, count: int) -> bytes:
        return self.record(ref)[0][:count]

    def localise(self, ref: DataRef) -> DataRef:
        body, ending = self.record(ref)
        digest = hashlib.sha256(body).hexdigest()[:16]
        target = copy_folder(ref, f"{ref.inner}|{digest}") / f"record{ending}"
        with explained(ref):
            store_copy(ref, io.BytesIO(body), target, RECORD_BYTES, time.time())
        prune()
        return FILES.localise(DataRef.file(target))


def moment_in(text: str) -> datetime:
    """Return the time that a text states, NO_DATE for another text."""
    try:
        found = datetime.fromisoformat(text.replace("Z", "+00:00"))
    except ValueError:
        return NO_DATE
    return found if found.tzinfo else found.replace(tzinfo=UTC)
