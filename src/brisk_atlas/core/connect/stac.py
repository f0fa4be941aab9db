"""Catalogues of scenes by the STAC API: collections are folders, items datasets; a search is a folder too.

The inner part of a reference is a collection, an item behind a slash, or what is searched for behind a question mark,
such as `scenes?cloud=20&bbox=-21,-39,-20,-38`.
"""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any
from urllib.parse import parse_qsl, quote, unquote, urlencode, urlsplit

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .catalogues import box_in
from .connector import Item
from .ogcapi import GEOJSON, REL, json_at, link_in
from .ows import asking
from .service import NO_DATE

PAGE = 100
MAX_ITEMS = 1000  # that are listed of a collection or a search
CLOUD = "eo:cloud_cover"


@dataclass(frozen=True)
class SceneSearch:
    """What is searched for: in which collection, where (west, south, east, north in degrees), from when to when, and
    how many percent of clouds at most; None for anything."""

    collection: str
    box: tuple[float, float, float, float] | None = None
    first: date | None = None
    last: date | None = None
    cloud: float | None = None

    def place(self, catalogue: DataRef) -> DataRef:
        """Return the reference to what is found in a catalogue."""
        stated = {
            "bbox": ",".join(f"{side:.6g}" for side in self.box) if self.box else "",
            "first": self.first.isoformat() if self.first else "",
            "last": self.last.isoformat() if self.last else "",
            "cloud": f"{self.cloud:g}" if self.cloud is not None else "",
        }
        query = urlencode({name: value for name, value in stated.items() if value}, safe=",")
        return DataRef(catalogue.kind, catalogue.place, f"{self.collection}?{query}" if query else self.collection)

    @classmethod
    def of(cls, ref: DataRef) -> SceneSearch:
        """Return the search that a reference means. Raises CannotRead."""
        name, _, query = ref.inner.partition("?")
        stated = dict(parse_qsl(query))
        try:
            days = [date.fromisoformat(stated[key]) if key in stated else None for key in ("first", "last")]
            cloud = float(stated["cloud"]) if "cloud" in stated else None
        except ValueError as error:
            raise CannotRead(
                ref, tr("the search can't be followed ({error})", error=error), tr("Search again.")
            ) from error
        return cls(name, box_in(ref, stated.get("bbox", "")), days[0], days[1], cloud)

    def settings(self) -> dict[str, str]:
        """Return the settings of a question."""
        found = {"collections": self.collection, "limit": str(PAGE)}
        if self.box is not None:
            found["bbox"] = ",".join(map(repr, self.box))
        if self.first or self.last:
            begin = f"{self.first.isoformat()}T00:00:00Z" if self.first else ".."
            end = f"{self.last.isoformat()}T23:59:59Z" if self.last else ".."
            found["datetime"] = f"{begin}/{end}"
        if self.cloud is not None:
            found["query"] = json.dumps({CLOUD: {"lte": self.cloud}})
        return found


def item_of(ref: DataRef) -> tuple[dict[str, Any], str]:
    """Return an item and the address that its links start from. Raises CannotRead."""
    collection, _, name = ref.inner.partition("/")
    items = _items_address(ref, unquote(collection))
    address = f"{items.rstrip('/')}/{name}"
    return json_at(ref, address, GEOJSON), address


def _landing(ref: DataRef) -> dict[str, Any]:
    return json_at(DataRef(ref.kind, ref.place), ref.address)


def _collections(ref: DataRef) -> list[tuple[dict[str, Any], str]]:
    address = link_in(_landing(ref), ref.address, "data", f"{REL}data")
    if not address:
        raise CannotRead(ref, tr("the catalogue names no collections"), tr("Check the address."))
    stated = json_at(ref, address).get("collections") or []
    return [(each, address) for each in stated if isinstance(each, dict) and each.get("id")]


def _items_address(ref: DataRef, collection: str) -> str:
    for each, base in _collections(ref):
        if str(each["id"]) == collection:
            return link_in(each, base, "items") or f"{base.rstrip('/')}/{quote(collection)}/items"
    raise CannotRead(
        ref, tr("the catalogue has no collection '{collection}'", collection=collection), tr("List it again.")
    )


class Stac:
    """A catalogue as a connector."""

    def list(self, ref: DataRef) -> list[Item]:
        if not ref.inner:
            found = [(str(each["id"]), str(each.get("title") or each["id"])) for each, _ in _collections(ref)]
            return [Item(DataRef(ref.kind, ref.place, name), title, True, 0, 0.0, "") for name, title in found]
        search = SceneSearch.of(ref)
        address = link_in(_landing(ref), ref.address, "search", type_="geo+json")
        if not address or search == SceneSearch(search.collection):
            address = _items_address(ref, search.collection)
            address = asking(address, {"limit": str(PAGE)})
        else:
            address = asking(address, search.settings())
        items: list[Item] = []
        while address and len(items) < MAX_ITEMS:
            page = json_at(ref, address, GEOJSON)
            features = [each for each in page.get("features") or [] if isinstance(each, dict) and each.get("id")]
            items += [self._item(ref, search.collection, each) for each in features]
            following = link_in(page, address, "next")
            same = following == address or urlsplit(following).hostname != urlsplit(address).hostname
            address = "" if same or not features else following
        return items

    @staticmethod
    def _item(ref: DataRef, collection: str, item: dict[str, Any]) -> Item:
        name = str(item["id"])
        own = DataRef(ref.kind, ref.place, f"{quote(collection)}/{quote(name)}")
        when = str((item.get("properties") or {}).get("datetime") or "")
        try:
            taken = datetime.fromisoformat(when.replace("Z", "+00:00"))
        except ValueError:
            taken = NO_DATE
        return Item(own, name, False, 0, taken.replace(tzinfo=taken.tzinfo or UTC).timestamp(), when)

    def stat(self, ref: DataRef) -> tuple[int, datetime]:
        return 0, NO_DATE

    def fingerprint(self, ref: DataRef) -> str:
        return ""

    def head(self, ref: DataRef, count: int) -> bytes:
        return b""

    def localise(self, ref: DataRef) -> DataRef:
        raise CannotRead(
            ref, tr("an item of a catalogue is no file"), tr("Open it; its files are read where they lie.")
        )


CONNECTOR = Stac()
