"""What every kind of place can do, and which connector serves a reference."""

from __future__ import annotations

from datetime import datetime
from functools import cache
from importlib import import_module
from typing import NamedTuple, Protocol, cast

from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.model.language import tr

from .table_names import names_in

_HOMES = {PlaceKind.FILE: "files", PlaceKind.MEMBER: "archives", PlaceKind.INLINE: "inline"}  # the file of each kind
ADDRESSES = {"http": "http", "https": "http", "s3": "buckets", "gs": "buckets"}  # by the scheme, as databases are
SERVICES = (
    "wms",
    "wmts",
    "xyz",
    "ogcapi",
    "wfs",
    "geoservices",
    "stac",
    "wcs",
    "csw",
    "records",
    "vectortiles",
    "copy",
)  # each in the file of its name
CATALOGUES = ("stac", "records", "csw")  # whose collections are folders, and what lies behind a slash is not
DATABASES = {"postgresql": "postgres", "postgres": "postgres", "mariadb": "mariadb", "mysql": "mariadb"}


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


def is_asked(ref: DataRef) -> bool:
    """Return whether a reference means what is asked by questions, of a database or a service, and is no file."""
    return ref.kind in (PlaceKind.TABLE, PlaceKind.SERVICE)


def connector_for(ref: DataRef) -> Connector:
    """Return what reaches the place of a reference. Raises CannotRead where nothing does."""
    scheme = _scheme(ref)
    match ref.kind:
        case PlaceKind.SERVICE:
            home = ref.protocol if ref.protocol in SERVICES else None
        case PlaceKind.TABLE:
            home = DATABASES.get(scheme)
        case PlaceKind.ADDRESS:
            home = ADDRESSES.get(scheme)
        case _:
            home = _HOMES.get(ref.kind)
    if home is None and scheme == "depot":
        raise CannotRead(
            ref,
            tr("what a Depot holds is read through its outlets"),
            tr("Serve it on Hand over, Depot, and open the address of the outlet."),
        )
    if home is None:
        raise CannotRead(
            ref,
            tr("a place of '{protocol}' can't be reached yet", protocol=ref.protocol or scheme),
            tr("Export it to a file first."),
        )
    return _connector(home)


def is_listed(ref: DataRef) -> bool:
    """Return whether a place is one that other things lie in, such as a database or a schema, and is no dataset."""
    if ref.kind is PlaceKind.SERVICE:
        if ref.protocol in CATALOGUES:
            return "/" not in ref.inner.partition("?")[0]
        return not ref.inner and ref.protocol != "xyz"
    if ref.kind is PlaceKind.ADDRESS:
        return ref.place.partition("?")[0].endswith("/")
    return ref.kind is PlaceKind.TABLE and _scheme(ref) in DATABASES and not names_in(ref)[1]


def _scheme(ref: DataRef) -> str:
    return ref.place.partition("://")[0]


def localise(ref: DataRef) -> DataRef:
    """Return the data as a plain file or folder of this machine. Raises CannotRead."""
    return connector_for(ref).localise(ref)


def fingerprint(ref: DataRef) -> str:
    """Return a text that differs once the data has changed. Raises CannotRead."""
    return connector_for(ref).fingerprint(ref)


def head_of(ref: DataRef, count: int) -> bytes:
    """Return the first bytes. Raises CannotRead."""
    return connector_for(ref).head(ref, count)
