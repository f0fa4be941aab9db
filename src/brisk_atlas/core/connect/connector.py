"""What every kind of place can do, and which connector serves a reference."""

from __future__ import annotations

from datetime import datetime
from functools import cache
from importlib import import_module
from typing import NamedTuple, Protocol, cast

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind

_HOMES = {PlaceKind.FILE: "files", PlaceKind.MEMBER: "archives", PlaceKind.ADDRESS: "http", PlaceKind.INLINE: "inline"}
SERVICES = {"wms": "wms", "wmts": "wmts", "xyz": "xyz", "ogcapi": "ogcapi", "wfs": "wfs"}  # the file of each protocol
BUCKETS = ("s3", "gs")
POSTGRES = ("postgresql", "postgres")


class Item(NamedTuple):
    """Something in a place: a file, or a folder that can be listed in its turn.

    `modified` is in seconds since 1970, 0 where the place does not say; `state` differs once the item has changed.
    """

    ref: DataRef
    name: str
    is_folder: bool
    size_bytes: int
    modified: float
    state: str


class Connector(Protocol):
    """A kind of place. Every method raises CannotRead where the place does not give what is asked for."""

    def list(self, ref: DataRef) -> list[Item]:
        """Return what is in a folder, an archive or a bucket."""

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        """Return the bytes and the time of the last change; 0 and 1970 where the place does not say."""

    def fingerprint(self, ref: DataRef) -> str:
        """Return a text that differs once the data has changed."""

    def head(self, ref: DataRef, count: int) -> bytes:
        """Return the first bytes."""

    def localise(self, ref: DataRef) -> DataRef:
        """Return the data as a plain file or folder of this machine: itself, or a copy that is up to date."""


@cache
def _connector(home: str) -> Connector:
    return cast(Connector, import_module(f"brisk_atlas.core.connect.{home}").CONNECTOR)


def is_postgres(ref: DataRef) -> bool:
    """Return whether a reference means a PostgreSQL database, or what lies in one."""
    return ref.kind is PlaceKind.TABLE and ref.place.partition("://")[0] in POSTGRES


def connector_for(ref: DataRef) -> Connector:
    """Return what reaches the place of a reference. Raises CannotRead where nothing does."""
    scheme = ref.place.partition("://")[0]
    if is_postgres(ref):
        return _connector("postgres")
    home = SERVICES.get(ref.protocol) if ref.kind is PlaceKind.SERVICE else _HOMES.get(ref.kind)
    if home is None:
        raise CannotRead(ref, f"a {ref.protocol or ref.kind.value} can't be reached yet", "Export it to a file first.")
    return _connector("buckets" if ref.kind is PlaceKind.ADDRESS and scheme in BUCKETS else home)


def is_listed(ref: DataRef) -> bool:
    """Return whether a place is one that other things lie in, such as a database or a schema, and is no dataset."""
    if ref.kind is PlaceKind.SERVICE:
        return not ref.inner and ref.protocol != "xyz"
    return is_postgres(ref) and not import_module("brisk_atlas.core.connect.postgres").names_in(ref)[1]


def localise(ref: DataRef) -> DataRef:
    """Return the data as a plain file or folder of this machine. Raises CannotRead."""
    return connector_for(ref).localise(ref)


def fingerprint(ref: DataRef) -> str:
    """Return a text that differs once the data has changed. Raises CannotRead."""
    return connector_for(ref).fingerprint(ref)


def head_of(ref: DataRef, count: int) -> bytes:
    """Return the first bytes. Raises CannotRead."""
    return connector_for(ref).head(ref, count)
