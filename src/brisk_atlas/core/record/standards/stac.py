"""STAC: the basics of a collection or an item, as JSON."""

from __future__ import annotations

import copy
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from ..model import (
    BandDefinition,
    Box,
    Constraint,
    Contact,
    DatedEvent,
    KeywordSet,
    Link,
    Measure,
    Period,
    Record,
    System,
)

ROLES = {"licensor": "owner", "producer": "originator", "processor": "processor", "host": "distributor"}
NO_LICENCE = "other"  # what a collection must say where it says none
_BACK = {role: name for name, role in ROLES.items()}


@dataclass(frozen=True)
class ItemMember:
    """One field: where it stands, how it is read and written."""

    field: str
    name: str
    read: Callable[[dict[str, Any]], Any]
    write: Callable[[dict[str, Any], Any], None]
    parts: tuple[str, ...] = ()


def _about(values: dict[str, Any]) -> dict[str, Any]:
    """Return the object that says what an item is, or the collection itself."""
    if values.get("type") == "Feature":
        about = values.setdefault("properties", {})
        return about if isinstance(about, dict) else {}
    return values


def _put(values: dict[str, Any], name: str, value: Any) -> None:
    if value:
        values[name] = value
    else:
        values.pop(name, None)


def _text(field: str, name: str) -> ItemMember:
    def read(values: dict[str, Any]) -> str:
        value = _about(values).get(name, "")
        return value if isinstance(value, str) else ""

    return ItemMember(field, name, read, lambda values, value: _put(_about(values), name, str(value)))


def _objects(value: Any) -> list[dict[str, Any]]:
    return [v for v in value if isinstance(v, dict)] if isinstance(value, list) else []


def _read_keywords(values: dict[str, Any]) -> tuple[KeywordSet, ...]:
    words = _about(values).get("keywords")
    chosen = tuple(str(w) for w in words if w) if isinstance(words, list) else ()
    return (KeywordSet(words=chosen),) if chosen else ()


def _write_keywords(values: dict[str, Any], value: tuple[KeywordSet, ...]) -> None:
    _put(_about(values), "keywords", [str(word) for keywords in value for word in keywords.words])


def _read_providers(values: dict[str, Any]) -> tuple[Contact, ...]:
    found = []
    for p in _objects(_about(values).get("providers")):
        role = next((ROLES.get(r, str(r)) for r in p.get("roles") or ()), "")
        found.append(Contact(organisation=str(p.get("name") or ""), role=role, link=str(p.get("url") or "")))
    return tuple(c for c in found if c != Contact())


def _write_providers(values: dict[str, Any], value: tuple[Contact, ...]) -> None:
    providers = []
    for contact in value:
        provider: dict[str, Any] = {"name": contact.organisation or contact.person}
        if contact.role:
            provider["roles"] = [_BACK.get(contact.role, contact.role)]
        if contact.link:
            provider["url"] = contact.link
        if provider["name"] or contact.link:
            providers.append(provider)
    _put(_about(values), "providers", providers)


def _box(numbers: Any) -> Box | None:
    if not isinstance(numbers, list) or len(numbers) not in (4, 6):
        return None
    if not all(isinstance(n, int | float) and not isinstance(n, bool) for n in numbers):
        return None
    half = len(numbers) // 2
    return Box(float(numbers[0]), float(numbers[1]), float(numbers[half]), float(numbers[half + 1]))


def _read_boxes(values: dict[str, Any]) -> tuple[Box, ...]:
    if values.get("type") == "Feature":
        boxes: Any = [values.get("bbox")]
    else:
        spatial = (values.get("extent") or {}).get("spatial") if isinstance(values.get("extent"), dict) else None
        boxes = spatial.get("bbox") if isinstance(spatial, dict) else []
    return tuple(box for numbers in boxes or () if (box := _box(numbers)))


def _write_boxes(values: dict[str, Any], value: tuple[Box, ...]) -> None:
    boxes = [[b.west, b.south, b.east, b.north] for b in value if None not in (b.west, b.south, b.east, b.north)]
    if values.get("type") == "Feature":
        _put(values, "bbox", boxes[0] if boxes else None)
        if boxes:
            w, s, e, n = boxes[0]
            ring = [[w, s], [e, s], [e, n], [w, n], [w, s]]
            values["geometry"] = {"type": "Polygon", "coordinates": [ring]}
    else:
        values.setdefault("extent", {})["spatial"] = {"bbox": boxes}


def _read_times(values: dict[str, Any]) -> tuple[Period, ...]:
    if values.get("type") == "Feature":
        about = _about(values)
        one = about.get("datetime")
        ends = [[about.get("start_datetime") or one, about.get("end_datetime") or one]]
    else:
        temporal = (values.get("extent") or {}).get("temporal") if isinstance(values.get("extent"), dict) else None
        ends = temporal.get("interval") or [] if isinstance(temporal, dict) else []
    found = [Period(*(_day(end) for end in pair)) for pair in ends if isinstance(pair, list) and len(pair) == 2]
    return tuple(p for p in found if p != Period())


def _day(content: Any) -> str:
    return content.removesuffix("T00:00:00Z") if isinstance(content, str) else ""


def _moment(day: str) -> str | None:
    return (day if "T" in day else f"{day}T00:00:00Z") if day else None


def _write_times(values: dict[str, Any], value: tuple[Period, ...]) -> None:
    pairs = [[_moment(p.begin), _moment(p.end)] for p in value]
    if values.get("type") == "Feature":
        about = _about(values)
        for name in ("start_datetime", "end_datetime"):
            about.pop(name, None)
        about["datetime"] = pairs[0][0] if pairs and pairs[0][0] == pairs[0][1] else None
        if pairs and pairs[0][0] != pairs[0][1]:
            about["start_datetime"], about["end_datetime"] = pairs[0]
    else:
        values.setdefault("extent", {})["temporal"] = {"interval": pairs or [[None, None]]}


def _read_dates(values: dict[str, Any]) -> tuple[DatedEvent, ...]:
    about = _about(values)
    pairs = (
        (about.get("created"), "creation"),
        (about.get("published"), "publication"),
        (about.get("updated"), "revision"),
    )
    return tuple(DatedEvent(_day(day), kind) for day, kind in pairs if _day(day))


def _write_dates(values: dict[str, Any], value: tuple[DatedEvent, ...]) -> None:
    for name, kind in (("created", "creation"), ("published", "publication"), ("updated", "revision")):
        _put(_about(values), name, next((_moment(d.day) for d in value if d.kind == kind), None))


def _read_systems(values: dict[str, Any]) -> tuple[System, ...]:
    about = _about(values)
    code = about.get("proj:code") or about.get("proj:epsg")
    space, _, number = str(code or "").rpartition(":")
    return (System(number, space or "EPSG"),) if number else ()


def _write_systems(values: dict[str, Any], value: tuple[System, ...]) -> None:
    about = _about(values)
    about.pop("proj:epsg", None)
    _put(about, "proj:code", f"{value[0].space or 'EPSG'}:{value[0].code}" if value else None)


def _read_distances(values: dict[str, Any]) -> tuple[Measure, ...]:
    gsd = _about(values).get("gsd")
    return (Measure(float(gsd), "m"),) if isinstance(gsd, int | float) and not isinstance(gsd, bool) else ()


def _write_distances(values: dict[str, Any], value: tuple[Measure, ...]) -> None:
    _put(_about(values), "gsd", next((m.value for m in value if m.unit == "m"), None))


def _read_links(values: dict[str, Any]) -> tuple[Link, ...]:
    links = [Link(str(l.get("href") or ""), str(l.get("title") or ""), function="information")
             for l in _objects(values.get("links")) if l.get("rel") in ("about", "describedby", "license")]  # fmt: skip
    assets = values.get("assets") if isinstance(values.get("assets"), dict) else {}
    for asset in (assets or {}).values():
        if isinstance(asset, dict) and asset.get("href"):
            name, about = str(asset.get("title") or ""), str(asset.get("description") or "")
            links.append(Link(str(asset["href"]), name, about, "", "download"))
    return tuple(links)


def _write_links(values: dict[str, Any], value: tuple[Link, ...]) -> None:
    chosen = [l for l in _objects(values.get("links")) if l.get("rel") not in ("about", "describedby")]
    old = values.get("assets") if isinstance(values.get("assets"), dict) else {}
    by_href = {a.get("href"): (key, a) for key, a in (old or {}).items() if isinstance(a, dict)}
    assets: dict[str, Any] = {}
    for link in value:
        if link.function == "download":
            key, asset = by_href.get(link.url, (f"data{len(assets) + 1}", {}))
            assets[key] = {**asset, "href": link.url, **_said(title=link.name, description=link.description)}
        elif not any(l.get("href") == link.url for l in chosen):
            chosen.append({"rel": "about", "href": link.url, **_said(title=link.name)})
    values["links"] = chosen
    _put(values, "assets", assets)


def _said(**values: str) -> dict[str, str]:
    return {name: str(value) for name, value in values.items() if value}


def _read_licence(values: dict[str, Any]) -> tuple[Constraint, ...]:
    licence = _about(values).get("license") or values.get("license")
    if not isinstance(licence, str) or licence in ("", NO_LICENCE):
        return ()
    return (Constraint("legal", use=("license",), other=(licence,)),)


def _write_licence(values: dict[str, Any], value: tuple[Constraint, ...]) -> None:
    legal = next((c.other[0] for c in value if "license" in c.use and c.other), "")
    _put(_about(values), "license", str(legal) or (NO_LICENCE if values.get("type") != "Feature" else ""))


def _read_bands(values: dict[str, Any]) -> tuple[BandDefinition, ...]:
    about = _about(values)
    bands = _objects(about.get("bands") or about.get("eo:bands"))
    found = [BandDefinition(str(b.get("name") or ""), str(b.get("description") or "")) for b in bands]
    return tuple(band for band in found if band != BandDefinition())


def _write_bands(values: dict[str, Any], value: tuple[BandDefinition, ...]) -> None:
    about = _about(values)
    old = {b.get("name"): b for b in _objects(about.get("bands") or about.get("eo:bands"))}
    name = "eo:bands" if "eo:bands" in about else "bands"
    _put(about, name, [{**old.get(b.name, {}), **_said(name=b.name, description=b.description)} for b in value])


MEMBERS = (
    ItemMember("identifier", "id", lambda t: str(t.get("id") or ""), lambda t, v: _put(t, "id", str(v))),
    _text("title", "title"),
    _text("abstract", "description"),
    ItemMember("keywords", "keywords", _read_keywords, _write_keywords, ("words",)),
    ItemMember("contacts", "providers", _read_providers, _write_providers, ("organisation", "role", "link")),
    ItemMember("dates", "created, published, updated", _read_dates, _write_dates, ("day", "kind")),
    ItemMember("times", "datetime or interval", _read_times, _write_times, ("begin", "end")),
    ItemMember("boxes", "bbox", _read_boxes, _write_boxes, ("west", "south", "east", "north")),
    ItemMember("systems", "proj:code", _read_systems, _write_systems, ("code", "space")),
    ItemMember("distances", "gsd", _read_distances, _write_distances, ("value", "unit")),
    ItemMember("links", "links and assets", _read_links, _write_links, ("url", "name", "description", "function")),
    ItemMember("constraints", "license", _read_licence, _write_licence, ("kind", "use", "other")),
    ItemMember("bands", "bands", _read_bands, _write_bands, ("name", "description")),
)
_KNOWN = {"id", "title", "description", "keywords", "providers", "created", "published", "updated", "datetime",
          "start_datetime", "end_datetime", "extent", "bbox", "geometry", "proj:code", "proj:epsg", "gsd", "links",
          "assets", "license", "bands", "eo:bands", "type", "stac_version",
          "stac_extensions", "properties"}  # fmt: skip


def record_in(values: dict[str, Any]) -> Record:
    """Return what a collection or item says."""
    return replace(Record(), **{member.field: member.read(values) for member in MEMBERS})


def with_record(values: dict[str, Any], old: Record, new: Record) -> dict[str, Any]:
    """Return a collection or item that says `new` where it stated `old`; the rest is as it was."""
    values = copy.deepcopy(values)
    for member in MEMBERS:
        if getattr(old, member.field) != getattr(new, member.field):
            member.write(values, getattr(new, member.field))
    return values


def unread(values: dict[str, Any]) -> list[tuple[str, str]]:
    """Return the members that the model has no place for."""
    about = {**{k: v for k, v in values.items() if k != "properties"}, **_about(values)}
    return [(name, str(value)) for name, value in about.items() if name not in _KNOWN]


def new_collection() -> dict[str, Any]:
    """Return a collection without anything stated."""
    return {
        "type": "Collection",
        "stac_version": "1.0.0",
        "id": "",
        "description": "",
        "license": NO_LICENCE,
        "extent": {"spatial": {"bbox": []}, "temporal": {"interval": [[None, None]]}},
        "links": [],
    }
