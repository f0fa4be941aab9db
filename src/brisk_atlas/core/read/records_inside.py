"""The little that files say of themselves: tags of GeoTIFF and netCDF, headers of LAS and texts, GeoPackage tables."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import replace
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import CannotRead, DataKind, Dataset
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.record.document import Document
from brisk_atlas.core.record.elements import Place
from brisk_atlas.core.record.iso_values import number_in
from brisk_atlas.core.record.model import (
    Box,
    Constraint,
    Contact,
    DatedEvent,
    KeywordSet,
    Link,
    Period,
    Record,
    Related,
)
from brisk_atlas.core.record.standards import STANDARDS
from brisk_atlas.core.record.words import tidy

from .geopackage import read_only

Setter = Callable[[Record, str], Record]


def _set(name: str) -> Setter:
    return lambda record, text: _with(record, name, text)


def _with(record: Record, name: str, value: Any) -> Record:
    changes: dict[str, Any] = {name: value}
    return replace(record, **changes)


def _add(name: str, make: Callable[[str], Any]) -> Setter:
    return lambda record, text: _with(record, name, (*getattr(record, name), make(text)))


def _contact(role: str, **fields: str) -> Setter:
    """Return what adds to the contact of a role: its name, its e-mail, its page come one after the other."""
    name = next(iter(fields))

    def put(record: Record, text: str) -> Record:
        index = next((i for i, c in enumerate(record.contacts) if c.role == role and not getattr(c, name)), None)
        if index is None:
            return replace(record, contacts=(*record.contacts, Contact(role=role, **{name: text})))
        contacts = list(record.contacts)
        contacts[index] = replace(contacts[index], **{name: text})
        return replace(record, contacts=tuple(contacts))

    return put


def _date(kind: str) -> Setter:
    return _add("dates", lambda text: DatedEvent(_day(text), kind))


def _day(text: str) -> str:
    """Return a day in ISO 8601; TIFF writes 2031:06:24 10:00:00."""
    found = re.match(r"(\d{4})[:-](\d\d)[:-](\d\d)", text)
    return "-".join(found.groups()) if found else text


def _keywords(record: Record, text: str) -> Record:
    words = tuple(w for piece in re.split(r"[,;]", text) if (w := tidy(piece)))
    return replace(record, keywords=(*record.keywords, KeywordSet(words=words))) if words else record


def _licence(text: str) -> Constraint:
    return Constraint("legal", use=("license",), other=(text,))


# What tags mean, by their name in lower case: TIFF 6.0, ACDD 1.3, CF 1.10, ISO text headers.
MEANINGS: dict[str, tuple[str, Setter]] = {
    "title": ("title", _set("title")),
    "tifftag_documentname": ("title", _set("title")),
    "summary": ("abstract", _set("abstract")),
    "description": ("abstract", _set("abstract")),
    "tifftag_imagedescription": ("abstract", _set("abstract")),
    "comment": ("supplement", _set("supplement")),
    "id": ("identifier", _set("identifier")),
    "landsat_scene_id": ("identifier", _set("identifier")),
    "scene_id": ("identifier", _set("identifier")),
    "keywords": ("keywords", _keywords),
    "creator_name": ("contacts", _contact("originator", person="")),
    "creator_institution": ("contacts", _contact("originator", organisation="")),
    "creator_email": ("contacts", _contact("originator", email="")),
    "creator_url": ("contacts", _contact("originator", link="")),
    "institution": ("contacts", _contact("originator", organisation="")),
    "tifftag_artist": ("contacts", _contact("author", person="")),
    "publisher_name": ("contacts", _contact("publisher", organisation="")),
    "publisher_email": ("contacts", _contact("publisher", email="")),
    "publisher_url": ("contacts", _contact("publisher", link="")),
    "date_created": ("dates", _date("creation")),
    "tifftag_datetime": ("dates", _date("creation")),
    "created": ("dates", _date("creation")),
    "date_issued": ("dates", _date("publication")),
    "date_modified": ("dates", _date("revision")),
    "license": ("constraints", _add("constraints", _licence)),
    "tifftag_copyright": (
        "constraints",
        _add("constraints", lambda t: Constraint("legal", use=("copyright",), other=(t,))),
    ),
    "history": ("lineage", _set("lineage")),
    "source": ("sources", _add("related", lambda t: Related(t, "", "source"))),
    "references": ("related", _add("related", lambda t: Related(t, "", "crossReference"))),
    "acknowledgement": ("credits", _add("credits", str)),
    "acknowledgment": ("credits", _add("credits", str)),
    "tifftag_software": ("environment", _set("environment")),
    "software": ("environment", _set("environment")),
    "processing_level": ("level_name", _set("level_name")),
    "product_version": ("edition", _set("edition")),
    "metadata_link": ("links", _add("links", lambda t: Link(t, function="information"))),
    "date_acquired": ("times", _add("times", lambda t: Period(t, t))),
    "acquired": ("times", _add("times", lambda t: Period(_day(t), _day(t)))),
}
_BOX = {
    "geospatial_lon_min": "west",
    "geospatial_lat_min": "south",
    "geospatial_lon_max": "east",
    "geospatial_lat_max": "north",
}
_TIME = {"time_coverage_start": "begin", "time_coverage_end": "end"}


def record_from_tags(tags: dict[str, str]) -> tuple[Record, dict[Place, int], list[str]]:
    """Return what tags say, the line of each element, counted from 1, and the names that mean nothing known."""
    record = Record()
    lines: dict[Place, int] = {}
    strange: list[str] = []
    box: dict[str, float] = {}
    period: dict[str, str] = {}
    for number, (name, text) in enumerate(tags.items(), 1):
        plain = name.lower().removeprefix("nc_global#")
        text = tidy(text)
        if not text:
            continue
        if plain in MEANINGS:
            element, put = MEANINGS[plain]
            record = put(record, text)
            lines.setdefault((element,), number)
        elif plain in _BOX and (value := number_in(text)) is not None:
            box[_BOX[plain]] = value
            lines.setdefault(("boxes",), number)
        elif plain in _TIME:
            period[_TIME[plain]] = _day(text)
            lines.setdefault(("times",), number)
        else:
            strange.append(name)
    if len(box) == 4:
        record = replace(record, boxes=(Box(**box),))
    if period:
        record = replace(record, times=(Period(period.get("begin", ""), period.get("end", "")),))
    return record, lines, strange


def inside_documents(dataset: Dataset) -> Iterator[tuple[str, Document]]:
    """Yield what is stated inside a dataset's files, with what it is called."""
    for name, tags in _tags(dataset):
        record, lines, _ = record_from_tags(tags)
        if record != Record():
            text = "".join(f"{key} = {' '.join(str(value).split())}\n" for key, value in tags.items())
            yield (
                name,
                Document(
                    dataset.ref.path,
                    STANDARDS["ISO 19139"],
                    record,
                    text.encode(),
                    notes=(f"Read from the {name}; it cannot be edited there.",),
                    lines=lines,
                    read_only=True,
                ),
            )


def _tags(dataset: Dataset) -> Iterator[tuple[str, dict[str, str]]]:
    suffix = dataset.ref.suffix
    if suffix in (".tif", ".tiff", ".nc", ".nc4", ".h5", ".hdf", ".cdf"):
        tags = _raster_tags(dataset.ref.path)
        if tags:
            yield (tr("netCDF attributes") if suffix.startswith((".nc", ".h", ".c")) else tr("GeoTIFF tags")), tags
    elif suffix in (".las", ".laz"):
        for part in dataset.parts:
            cloud = part.facts.cloud
            if cloud:
                values = {"software": cloud.software, "system": cloud.system, "created": cloud.created}
                yield tr("LAS header"), {k: v for k, v in values.items() if v}
                break
    elif suffix == ".gpkg":
        yield tr("GeoPackage contents"), _contents(dataset.ref.path)
    for member in dataset.members:
        if member.suffix.lower() in (".txt", ".met") and dataset.kind is DataKind.SCENE:
            yield tr("text header {name}", name=member.name), _keys(member)
            break


def _raster_tags(path: Path) -> dict[str, str]:
    import warnings

    import rasterio

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            with rasterio.open(path) as file:
                tags = dict(file.tags())
                if not tags and file.subdatasets:
                    with rasterio.open(file.subdatasets[0]) as inner:
                        tags = dict(inner.tags())
                return {k: str(v) for k, v in tags.items()}
    except (rasterio.RasterioIOError, OSError):
        return {}


def _contents(path: Path) -> dict[str, str]:
    try:
        with closing(read_only(path)) as db:
            rows = db.execute(
                "SELECT identifier, description, last_change FROM gpkg_contents ORDER BY rowid"
            ).fetchall()
    except (sqlite3.Error, OSError):
        return {}
    if len(rows) != 1:
        return {}
    names = ("title", "description", "date_modified")
    return {name: str(value) for name, value in zip(names, rows[0]) if value}


def _keys(path: Path) -> dict[str, str]:
    found: dict[str, str] = {}
    try:
        for line in path.read_text("utf-8", "replace").splitlines()[:5000]:
            name, equals, value = line.partition("=")
            if equals:
                found.setdefault(name.strip(), value.strip().strip('"'))
    except OSError as error:
        raise CannotRead(
            path, tr("it cannot be read ({strerror})", strerror=error.strerror), tr("Look at its permissions.")
        ) from error
    return found
