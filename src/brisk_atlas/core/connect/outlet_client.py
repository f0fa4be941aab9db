"""Speaking with a Depot about the rows of an outlet, by OGC API Features (parts 1, 2 and 4) and its list of changes."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from http import HTTPStatus
from typing import Any
from urllib.parse import quote

import shapely

from brisk_atlas.core.model import CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.errors import NotThere
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.working_copy.shared_rows import Plain, SharedField, SharedOutlet, SharedRow

from .fetching import Reply, exchange
from .ogcapi import ARROW, CRS84, DEGREES, GEOJSON, SHAPES
from .ows import asking, crs_of, northing_first

PAGE = 5000
MERGE = "application/merge-patch+json"
TYPES = {"date-time": "timestamp[us, tz=UTC]", "date": "date32[day]"}
Check = Callable[[], None]


class RowConflict(RuntimeError):
    """A row that somebody else changed meanwhile; `now` is how it is shown now."""

    def __init__(self, now: SharedRow) -> None:
        super().__init__(tr("the row was changed meanwhile"))
        self.now = now


class CursorTooOld(RuntimeError):
    """The outlet is offered otherwise now: all of it is to be read anew."""


@dataclass(frozen=True)
class OutletClient:
    """An outlet of a Depot. Raises CannotRead, NotReached, NeedsPassword, and CannotWrite where a change is refused."""

    ref: DataRef
    address: str  # of the Depot
    outlet: str
    crs_name: str = ""

    @property
    def here(self) -> str:
        """The address of the outlet."""
        return f"{self.address.rstrip('/')}/collections/{quote(self.outlet)}"

    def about(self) -> SharedOutlet:
        """Return what the outlet is."""
        found = self._json(self._asked(self.here, "GET"))
        schema = self._json(self._asked(f"{self.here}/schema", "GET"))
        if "rights" not in found:
            raise CannotRead(
                self.ref, tr("the server does not say what may be changed"), tr("It is no Depot; only read it.")
            )
        stored = found.get("storageCrs")
        stored = stored if isinstance(stored, str) and crs_of(stored) and not northing_first(stored) else CRS84
        crs_name = "" if stored == CRS84 else stored
        fields, shape = [], ""
        for name, stated in dict(schema.get("properties") or {}).items():
            form = str(stated.get("format", ""))
            if form.startswith("geometry-"):
                word = form.removeprefix("geometry-")
                shape = next((each for each in SHAPES if each.lower() == word), "Unknown")
            else:
                type_ = TYPES.get(form) or ARROW.get(str(stated.get("type")), "string")
                fields.append(SharedField(str(name), type_, str(stated.get("x-ogc-unit", ""))))
        crs = (crs_of(crs_name) if crs_name else DEGREES) if shape else None
        title = str(found.get("title") or self.outlet)
        rights = frozenset(str(each) for each in found["rights"])
        return SharedOutlet(title, tuple(fields), crs, crs_name, shape, rights)

    def rows(self, check: Check = lambda: None) -> Iterator[SharedRow]:
        """Yield all rows."""
        address = self._in_crs(f"{self.here}/items", limit=str(PAGE))
        while address:
            page = self._json(self._asked(address, "GET", check=check))
            yield from map(_row, page.get("features") or [])
            links = [link for link in page.get("links") or [] if link.get("rel") == "next"]
            following = str(links[0]["href"]) if links else ""
            # the host may be called otherwise there than here, as behind a proxy: only the question goes on
            address = f"{self.here}/items?{following.partition('?')[2]}" if following else ""

    def changes(self, cursor: str) -> tuple[list[SharedRow], list[str], str]:
        """Return the rows that are shown otherwise since a cursor, the names of those no longer shown, and the next
        cursor. Raises CursorTooOld."""
        reply = self._asked(self._in_crs(f"{self.here}/changes", since=cursor), "GET", accepted=(HTTPStatus.GONE,))
        if reply.status == HTTPStatus.GONE:
            raise CursorTooOld
        found = self._json(reply)
        return [_row(each) for each in found["features"]], [str(each) for each in found["gone"]], str(found["cursor"])

    def add(self, values: Mapping[str, Plain], wkb: bytes | None, mark: str) -> SharedRow:
        """Add a row; with the same mark it is added once, however often it is sent."""
        headers = {"Content-Type": GEOJSON, "Idempotency-Key": mark} | self._content_crs
        reply = self._asked(f"{self.here}/items", "POST", _feature(values, wkb, moves=True), headers)
        name = reply.headers.get("location", "").rpartition("/")[2]
        return self.row(name)

    def row(self, name: str) -> SharedRow:
        """Return a row as it is shown now. Raises NotThere."""
        return _row_of(self._asked(self._in_crs(f"{self.here}/items/{quote(name)}"), "GET"))

    def change(self, row: SharedRow, values: Mapping[str, Plain], wkb: bytes | None, *, moves: bool) -> SharedRow:
        """Change values of a row, and its geometry where `moves`. Raises RowConflict, NotThere."""
        headers = {"Content-Type": MERGE, "If-Match": f'"{row.state}"'} | self._content_crs
        address = self._in_crs(f"{self.here}/items/{quote(row.name)}")
        return _row_of(self._changed(address, "PATCH", _feature(values, wkb, moves=moves), headers))

    def delete(self, row: SharedRow) -> None:
        """Delete a row. Raises RowConflict, NotThere."""
        address = self._in_crs(f"{self.here}/items/{quote(row.name)}")
        self._changed(address, "DELETE", b"", {"If-Match": f'"{row.state}"'})

    def _changed(self, address: str, method: str, body: bytes, headers: Mapping[str, str]) -> Reply:
        reply = self._asked(address, method, body, headers, accepted=(HTTPStatus.PRECONDITION_FAILED,))
        if reply.status == HTTPStatus.PRECONDITION_FAILED:
            raise RowConflict(_row_of(reply))
        return reply

    @property
    def _content_crs(self) -> dict[str, str]:
        return {"Content-Crs": f"<{self.crs_name}>"} if self.crs_name else {}

    def _in_crs(self, address: str, **settings: str) -> str:
        return asking(address, settings | ({"crs": self.crs_name} if self.crs_name else {}))

    def _asked(
        self, address: str, method: str, body: bytes = b"", headers: Mapping[str, str] | None = None,
        accepted: tuple[int, ...] = (), check: Check = lambda: None,
    ) -> Reply:  # fmt: skip
        reply = exchange(self.ref, address, method, body, {"Accept": f"{GEOJSON}, */*;q=0.5", **(headers or {})}, check)
        if reply.status < HTTPStatus.BAD_REQUEST or reply.status in accepted:
            return reply
        if reply.status == HTTPStatus.NOT_FOUND:
            raise NotThere(self.ref, tr("the Depot has no such outlet or row any more"), tr("Ask its owner."))
        try:
            stated = json.loads(reply.body)
            why = str(stated["description"])[:300]
        except (ValueError, KeyError, TypeError):
            why = tr("the server answers {status}", status=reply.status)
        if method == "GET":
            raise CannotRead(self.ref, why, tr("Ask the Depot's owner."))
        raise CannotWrite(
            self.ref, tr("the Depot refuses it: {why}", why=why), tr("Change it, or ask the Depot's owner.")
        )

    def _json(self, reply: Reply) -> dict[str, Any]:
        try:
            found = json.loads(reply.body)
        except (ValueError, RecursionError):
            found = None
        if not isinstance(found, dict):
            raise CannotRead(self.ref, tr("the server's answer is not what the standard has"), tr("Check the address."))
        return found


def _feature(values: Mapping[str, Plain], wkb: bytes | None, *, moves: bool) -> bytes:
    """Return values, and a geometry where it `moves`, as GeoJSON."""
    found: dict[str, Any] = {"type": "Feature", "properties": dict(values)}
    if moves:
        found["geometry"] = json.loads(shapely.to_geojson(shapely.from_wkb(wkb))) if wkb is not None else None
    return json.dumps(found, ensure_ascii=False).encode()


def _row(feature: Mapping[str, Any]) -> SharedRow:
    geometry = feature.get("geometry")
    wkb = None
    if geometry is not None:
        wkb = bytes(shapely.to_wkb(shapely.from_geojson(json.dumps(geometry)), byte_order=1, flavor="iso"))
    return SharedRow(str(feature["id"]), feature.get("properties") or {}, wkb, str(feature.get("state", "")))


def _row_of(reply: Reply) -> SharedRow:
    found = json.loads(reply.body)
    return _row(found | {"state": reply.headers.get("etag", "").removeprefix("W/").strip('"')})
