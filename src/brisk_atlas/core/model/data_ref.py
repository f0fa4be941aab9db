"""Where data lies and which part of it is meant, as a value: parsed, printed, compared and stored in this one place."""

from __future__ import annotations

import os
import re
from base64 import b64decode
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import quote, unquote

from .kinds import Quantity
from .passwords import remember, without_key, without_login, without_password

ARCHIVE_SUFFIXES = (".zip",)
PART_MARK = "#part="  # after the name of a place, before that of a part in it
QUANTITY_MARK = "&as="  # after the name of a part, before what its numbers are turned into
CRS_MARK = "&crs="  # after these, before the CRS that it is taken to be in
INLINE_MARK = "data:application/geo+json"  # before the name and the text of what a reference carries itself
COPY = "copy"  # what stands for the protocol of a copy of an outlet
READABLE = "/?&=,:"  # marks that stand in the inner part of a service's reference as they are
_SCHEME = re.compile(r"^([A-Za-z][A-Za-z0-9.-]*(?:\+[A-Za-z0-9.-]+)?):/{1,2}(?=[^/])")
_NO_HOST = re.compile(
    r"^(postgresql(?=:///\?)|postgres(?=:///\?)|depot(?=://[/~#]))://"
)  # a service file says where the database is; a Depot may lie in a folder
_SERVICES = (
    "wms+",
    "wfs+",
    "wmts+",
    "xyz+",
    "ogcapi+",
    "wcs+",
    "vectortiles+",
    "csw+",
    "records+",
    "stac+",
    "geoservices+",
    f"{COPY}+",
)  # before the scheme of a service's address
_DATABASES = ("postgresql", "postgres", "mariadb", "mysql", "depot")
_ADDRESSES = ("http", "https", "s3", "gs", "az")


class PlaceKind(StrEnum):
    """What kind of place data lies in."""

    FILE = "file"  # or a folder that is one dataset
    MEMBER = "member"  # of an archive
    ADDRESS = "address"  # a file on a server or in a bucket
    TABLE = "table"  # of a database
    SERVICE = "service"  # a layer of one
    INLINE = "inline"  # none: the reference carries the data itself


@dataclass(frozen=True, slots=True)
class DataRef:
    """A place that data comes from, and optionally a part of what lies there.

    `place` is the absolute path of a file, folder or archive, or the address of a file, database or service; `inner`
    is the member of the archive, the table of the database or the layer of the service. Of data that the reference
    carries itself, `place` is the text and `inner` the name of the file that it would be. `quantity` is what the
    numbers of a part are turned into, None for those stored. `crs` is what a part is taken to be in, where what
    it states is wrong; None for what it states.

    >>> ref = DataRef.parse("https://survey.tolvane.example/2031/zones.gpkg")
    >>> ref.kind.value, ref.name, ref.suffix
    ('address', 'zones.gpkg', '.gpkg')
    >>> str(ref.with_part("closed zones"))
    'https://survey.tolvane.example/2031/zones.gpkg#part=closed%20zones'
    >>> str(DataRef.inline("notes.geojson", '{"type": "Point"}'))
    'data:application/geo+json;name=notes.geojson,%7B%22type%22%3A%20%22Point%22%7D'
    >>> str(DataRef.file("/data/scene.txt").with_part("thermal").with_quantity(Quantity.TEMPERATURE))
    '/data/scene.txt#part=thermal&as=temperature'
    """

    kind: PlaceKind
    place: str
    inner: str = ""
    part: str | None = None
    quantity: Quantity | None = None
    crs: str | None = None

    @classmethod
    def file(cls, path: str | Path) -> DataRef:
        """Return the reference to a file or folder on the disk, whatever its name looks like."""
        return cls(PlaceKind.FILE, _absolute(str(path)))

    @classmethod
    def member(cls, archive: str | Path, inner: str) -> DataRef:
        """Return the reference to a member of an archive."""
        return cls(PlaceKind.MEMBER, cls.file(archive).place, inner)

    @classmethod
    def inline(cls, name: str, text: str) -> DataRef:
        """Return the reference that carries the text of a GeoJSON file itself; `name` is that of the file."""
        return cls(PlaceKind.INLINE, text, name)

    @classmethod
    def service(cls, protocol: str, address: str, layer: str = "") -> DataRef:
        """Return the reference to a service, or to a layer of it, without the password and the keys in its address;
        they are remembered for this run.

        >>> str(DataRef.service("wms", "https://survey.tolvane.example/wms", "lava flows"))
        'wms+https://survey.tolvane.example/wms#lava%20flows'
        """
        return cls(PlaceKind.SERVICE, f"{protocol}+{without_key(address)[0]}", layer)

    @classmethod
    def parse(cls, text: str | Path | DataRef, folder: Path | None = None) -> DataRef:
        """Return the reference that a text means: as it prints, as a person types it, or relative to `folder`. The
        password in the address of a database does not become part of it; it is remembered for this run.

        A path that goes on after the name of an archive on the disk means a member of it.
        """
        if isinstance(text, DataRef):
            return text
        text = str(text)
        scheme = _SCHEME.match(text) or _NO_HOST.match(text)
        if scheme and (scheme[1].lower() in (*_ADDRESSES, *_DATABASES) or scheme[1].lower().startswith(_SERVICES)):
            return cls._parse_address(scheme[1].lower(), text[scheme.end() :])
        if text.startswith(INLINE_MARK):
            return cls._parse_inline(text)
        if text.lower().startswith("file://"):
            text = unquote(text[7:])
        named = ""
        if PART_MARK in text and not Path(text).exists():
            text, _, named = text.rpartition(PART_MARK)
        text = os.path.expanduser(text)  # noqa: PTH111  a Path would be made for nothing, once for each of many
        ref = cls.file(text if folder is None else os.path.normpath(folder / text))
        if any(f"{suffix}/" in ref.place.lower() for suffix in ARCHIVE_SUFFIXES):
            for outer in Path(ref.place).parents:
                if outer.suffix.lower() in ARCHIVE_SUFFIXES and outer.is_file():
                    ref = cls.member(outer, Path(ref.place).relative_to(outer).as_posix())
                    break
        return ref._with_named(named)

    @classmethod
    def typed(cls, text: str, folder: Path | None = None) -> DataRef:
        """Return the reference that a text means, as `parse` does; the part of a file may stand behind `#` alone."""
        place, mark, part = text.rpartition("#")
        is_short = mark and not part.startswith("part=") and ((folder or Path()) / Path(place).expanduser()).exists()
        return cls.parse(place, folder).with_part(part) if is_short else cls.parse(text, folder)

    @classmethod
    def _parse_address(cls, scheme: str, rest: str) -> DataRef:
        rest, _, named = rest.partition(PART_MARK)
        if scheme in _ADDRESSES:
            address = f"{scheme}://{rest}"
            place = without_login(address) if "@" in rest and scheme in ("http", "https") else address
            return cls(PlaceKind.ADDRESS, place)._with_named(named)
        rest, _, inner = rest.partition("#")
        if scheme not in _DATABASES:
            return cls.service(
                scheme.partition("+")[0], f"{scheme.partition('+')[2]}://{rest}", unquote(inner)
            )._with_named(named)
        address, password = without_password(f"{scheme}://{rest}")
        if password is not None:
            remember(address, password)
        return cls(PlaceKind.TABLE, address, unquote(inner))._with_named(named)

    @classmethod
    def _parse_inline(cls, text: str) -> DataRef:
        """Return what a `data:` address (RFC 2397) with GeoJSON means."""
        address, _, named = text.partition(PART_MARK)
        head, _, body = address[len(INLINE_MARK) :].partition(",")
        settings = dict(each.partition("=")[::2] for each in head.split(";") if each)
        name = unquote(settings.get("name", "")) or "data.geojson"
        content = b64decode(unquote(body)).decode() if "base64" in settings else unquote(body)
        return cls.inline(name, content)._with_named(named)

    def _with_named(self, text: str) -> DataRef:
        """Return the reference to the part that stands after the mark, if any, and its quantity."""
        if not text:
            return self
        text, _, crs = text.partition(CRS_MARK)
        name, _, quantity = text.partition(QUANTITY_MARK)
        known = quantity in {each.value for each in Quantity}
        part = unquote(name if known else text)
        return replace(self, part=part, quantity=Quantity(quantity) if known else None, crs=unquote(crs) or None)

    def __str__(self) -> str:
        match self.kind:
            case PlaceKind.FILE | PlaceKind.ADDRESS:
                text = self.place
            case PlaceKind.MEMBER:
                text = f"{self.place}/{self.inner}"
            case PlaceKind.INLINE:
                text = f"{INLINE_MARK};name={quote(self.inner)},{quote(self.place, safe='')}"
            case PlaceKind.TABLE:
                text = f"{self.place}#{quote(self.inner)}" if self.inner else self.place
            case PlaceKind.SERVICE:
                text = f"{self.place}#{quote(self.inner, safe=READABLE)}" if self.inner else self.place
        if self.part is None:
            return text
        text = f"{text}{PART_MARK}{quote(self.part)}"
        text = text if self.quantity is None else f"{text}{QUANTITY_MARK}{self.quantity}"
        return text if self.crs is None else f"{text}{CRS_MARK}{quote(self.crs, safe=':')}"

    def with_part(self, part: str | None) -> DataRef:
        """Return the reference to a part of the same place, as it is stored; to all of it for None."""
        as_stored = (part, None, None) == (self.part, self.quantity, self.crs)
        return self if as_stored else replace(self, part=part, quantity=None, crs=None)

    def with_quantity(self, quantity: Quantity | None) -> DataRef:
        """Return the reference to the same part with its numbers turned into a quantity; None for those stored."""
        return replace(self, quantity=quantity)

    def with_crs(self, crs: str | None) -> DataRef:
        """Return the reference to the same part, taken to be in a CRS; None for the one that it states."""
        return replace(self, crs=crs)

    @property
    def whole(self) -> DataRef:
        """The place without a part."""
        stated = self.part is not None or self.quantity is not None or self.crs is not None
        return DataRef(self.kind, self.place, self.inner) if stated else self

    @property
    def is_local(self) -> bool:
        """Whether it lies on a disk of this machine."""
        return self.kind in (PlaceKind.FILE, PlaceKind.MEMBER)

    @property
    def is_inline(self) -> bool:
        """Whether the reference carries the data itself."""
        return self.kind is PlaceKind.INLINE

    @property
    def is_copy(self) -> bool:
        """Whether it means a copy of an outlet of a Depot, which is edited here."""
        return self.protocol == COPY

    @property
    def protocol(self) -> str:
        """What a service speaks, such as `wms`; "" of another place."""
        return self.place.partition("+")[0] if self.kind is PlaceKind.SERVICE else ""

    @property
    def address(self) -> str:
        """The address of a service without its protocol, or of a file on a server."""
        return self.place.partition("+")[2] if self.kind is PlaceKind.SERVICE else self.place

    @property
    def path(self) -> Path:
        """Where it lies on the disk; of a member of an archive, below the archive. Raises ValueError elsewhere."""
        if not self.is_local:
            raise ValueError(f"{self} is no file")
        return _path(self.place, self.inner)

    @property
    def folder(self) -> Path | None:
        """The folder on the disk in which the file or the archive lies."""
        return Path(self.place).parent if self.is_local else None

    def beside(self, name: str) -> Path:
        """Return a path for a new file: in the folder of what lies on the disk, else in the user's own."""
        return (self.folder or Path.home()) / name

    @property
    def name(self) -> str:
        """The last part of the name of what is meant, as lists show it."""
        if self.kind is PlaceKind.ADDRESS:
            last = self.place.partition("?")[0].rstrip("/").rpartition("/")[2]
            return unquote(last).replace("\0", "").rpartition("/")[2]
        if self.kind is PlaceKind.TABLE and self.inner.startswith("="):
            return "query"
        return (self.inner or self.place).rstrip("/").rpartition("/")[2]

    @property
    def stem(self) -> str:
        """The name without its ending, and without that of gzip."""
        return self._split_name()[0]

    @property
    def suffix(self) -> str:
        """The ending that tells the format, lower case, whatever it is packed with."""
        return self._split_name()[1].lower()

    def _split_name(self) -> tuple[str, str]:
        name = self.name
        return os.path.splitext(name[:-3] if name.lower().endswith(".gz") else name)  # noqa: PTH122  cheaper

    def relative_to(self, folder: Path) -> str:
        """Return the text of the reference as it is stored in a file of `folder`: what lies on the disk is named from
        there. `parse` with the same folder reads it."""
        text = str(self)
        if not self.is_local:
            return text
        return os.path.relpath(self.place, folder) + text[len(self.place) :]

    def as_json(self, folder: Path | None = None) -> dict[str, Any]:
        """Return the reference for a JSON file, with places on the disk relative to `folder` if one is given."""
        place = os.path.relpath(self.place, folder) if folder is not None and self.is_local else self.place
        return {"kind": self.kind.value, "place": place} | {
            key: str(value)
            for key, value in (
                ("inner", self.inner),
                ("part", self.part),
                ("quantity", self.quantity),
                ("crs", self.crs),
            )
            if value
        }

    @classmethod
    def from_json(cls, stored: dict[str, Any], folder: Path | None = None) -> DataRef:
        """Return the reference from its stored form. Raises ValueError or KeyError for another thing."""
        kind = PlaceKind(stored["kind"])
        place, inner, part = str(stored["place"]), str(stored.get("inner", "")), stored.get("part")
        if kind in (PlaceKind.FILE, PlaceKind.MEMBER):
            place = os.path.normpath(cls.file(folder / place if folder is not None else place).place)
        quantity, crs = stored.get("quantity"), stored.get("crs")
        part = None if part is None else str(part)
        return cls(kind, place, inner, part, Quantity(quantity) if quantity else None, str(crs) if crs else None)


def _absolute(path: str) -> str:
    """Return a path from the root, without `.` and doubled slashes, and with `..` as it stands: behind a link it does
    not lead where its text seems to."""
    if path.startswith("/") and "//" not in path and "/./" not in path and path[-1] not in "/.":
        return path
    return str(Path(path).absolute())


@lru_cache(4096)
def _path(place: str, inner: str) -> Path:
    return Path(place, inner)
