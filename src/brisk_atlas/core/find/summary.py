"""What the list and the search need to know of a dataset: one flat row, made once and stored."""

from __future__ import annotations

import json
from typing import NamedTuple

from brisk_atlas.core.model import DataKind, DataRef, Dataset, Extent, Facts, size_text
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import crs_label, transform_extent
from brisk_atlas.core.read.record_words import RecordWords, words_of
from brisk_atlas.core.record.detect import is_record_name

NOUNS = {"vector": "features", "table": "rows", "pointcloud": "points", "document": "lines", "project": "layers"}
MOST_FIELDS = 2000  # names stored for the search
DEGREES = "EPSG:4326"


class PartLine(NamedTuple):
    """One part of a dataset, for a row of its own under it."""

    name: str
    kind: str
    shape: str
    amount: str
    crs: str


class DatasetSummary(NamedTuple):
    """One dataset. `shape` is its geometry or bands, `amount` its rows or cells in words, `number` the
    same to sort by; `box` is west, south, east, north in degrees where it has a place;
    `fault` is the reason why it can't be read; `danger` says that a process that tried died, or took too
    long or too much memory, so that it must not be opened in the window's own; `asks` are the folders and
    hosts that it points at and that were not allowed."""

    path: str
    format: str = ""
    kind: str = ""
    shape: str = ""
    amount: str = ""
    number: float = 0
    crs: str = ""
    box: tuple[float, float, float, float] | None = None
    size_bytes: int = 0
    modified: str = ""
    files: int = 1
    record: str = ""
    title: str = ""
    themes: tuple[str, ...] = ()
    warnings: tuple[str, ...] = ()
    fault: str = ""
    remedy: str = ""
    parts: tuple[PartLine, ...] = ()
    fields: str = ""
    abstract: str = ""
    keywords: str = ""
    danger: bool = False
    asks: tuple[str, ...] = ()


def kind_word(facts: Facts) -> str:
    """Return in one word what a part is: its geometry, `grid`, `points`, `table` and so on."""
    if facts.kind.has_shapes:
        shape = (facts.geometry_type or "").removeprefix("Multi").removesuffix(" Z")
        return {"Polygon": "polygon", "LineString": "line", "Point": "point"}.get(shape, "vector")
    if facts.grid and facts.grid.drawn_by_service:
        return "picture"
    return {"raster": "grid", "pointcloud": "points"}.get(facts.kind, facts.kind)


def shape_text(facts: Facts) -> str:
    """Return the geometry type, or the bands of a grid."""
    if facts.grid:
        if facts.grid.drawn_by_service:
            return tr("any scale")
        bands = facts.grid.bands
        return f"{len(bands)} bands" if len(bands) > 1 else (bands[0].classes and "classes") or "1 band"
    return {"Unknown": "mixed"}.get(facts.geometry_type or "", facts.geometry_type or "")


def amount_text(facts: Facts) -> str:
    """Return rows, features or points; of a grid its columns and rows of cells."""
    if facts.grid:
        return "" if facts.grid.drawn_by_service else f"{facts.grid.width:,} × {facts.grid.height:,}"
    noun = NOUNS.get(facts.kind)
    if noun is None or facts.count is None:
        return ""
    return f"{facts.count:,} {noun.removesuffix('s') if facts.count == 1 else noun}"


def amount_of(facts: Facts) -> float:
    """Return how much is in a part, to sort by: features, rows, points or cells; 0 where it is not known."""
    if facts.grid:
        return 0.0 if facts.grid.drawn_by_service else float(facts.grid.width) * facts.grid.height
    return float(facts.count or 0)


def crs_text(facts: Facts) -> str:
    """Return the CRS of a part as lists show it."""
    if facts.kind.has_place:
        return "picture" if facts.unplaced else crs_label(facts.crs)
    return crs_label(facts.crs) if facts.crs else ""


def degrees_of(facts: list[Facts]) -> tuple[float, float, float, float] | None:
    """Return the box around all parts in degrees, or None where none has a place on the globe."""
    found = [transform_extent(f.extent, DEGREES) for f in facts if f.extent is not None and f.crs]
    whole = Extent.around(e for e in found if e is not None)
    return tuple(round(v, 7) for v in whole.bounds) if whole else None  # type: ignore[return-value]


def summarise(dataset: Dataset) -> DatasetSummary:
    """Return the row of a dataset, the words of its records included."""
    facts = [part.facts for part in dataset.parts]
    words = _words(dataset)
    names = dict.fromkeys(f.name for each in facts for f in each.fields)
    bands = dict.fromkeys(b.name for each in facts if each.grid for b in each.grid.bands)
    one = facts[0] if len(facts) == 1 else None
    stated = facts[0].notes if dataset.ref.protocol and facts else {}  # by a service, of its layer
    systems = {crs_text(f) for f in facts} - {""}
    many = {"scene": "band groups", "archive": "datasets"}.get(dataset.kind, "parts")
    return DatasetSummary(
        path=str(dataset.ref),
        format=dataset.format,
        kind=kind_word(one) if one and dataset.kind is not DataKind.SCENE else dataset.kind,
        shape=shape_text(one) if one else _shapes(facts),
        amount=amount_text(one) if one else f"{len(facts):,} {many}",
        number=amount_of(one) if one else len(facts),
        crs=systems.pop() if len(systems) == 1 else "several" if systems else "",
        box=degrees_of(facts),
        size_bytes=dataset.size_bytes,
        modified=dataset.modified.isoformat(timespec="seconds"),
        files=max(1, len(dataset.members)),
        record=words.standard if words else "",
        title=words.title if words else stated.get("title", ""),
        themes=words.themes if words else (),
        warnings=dataset.warnings,
        parts=tuple(PartLine(f.name, kind_word(f), shape_text(f), amount_text(f), crs_text(f)) for f in facts)
        if len(facts) > 1
        else (),
        fields=" ".join([*list(names)[:MOST_FIELDS], *bands, *(f.name for f in facts)]),
        abstract="\n".join((words.summary, words.others)) if words else stated.get("abstract", ""),
        keywords="; ".join(words.keywords) if words else stated.get("keywords", ""),
    )


def _shapes(facts: list[Facts]) -> str:
    kinds = dict.fromkeys(kind_word(f) for f in facts if f.kind is not DataKind.PACKED)
    return ", ".join(kinds)


def _words(dataset: Dataset) -> RecordWords | None:
    """Return the words of the dataset's own record, or of the first beside it."""
    for member in dataset.members[:200]:
        name = member.name.lower()
        own = dataset.kind is DataKind.RECORD or dataset.format == "STAC item"
        if is_record_name(name) or (own and name.endswith(".json")):
            words = words_of(member)
            if words:
                return words
    return None


def faulty(ref: DataRef, reason: str, remedy: str, size: int, modified: str, *, danger: bool = False) -> DatasetSummary:
    """Return the row of what can't be read."""
    return DatasetSummary(
        str(ref), kind="fault", size_bytes=size, modified=modified, fault=reason, remedy=remedy, danger=danger
    )


def to_text(summary: DatasetSummary) -> str:
    """Return a summary as text to store; `from_text` reads it."""
    return json.dumps(summary, separators=(",", ":"))  # names in other encodings pass as escapes


def from_text(text: str) -> DatasetSummary:
    """Return the row in a text. Raises ValueError or TypeError where the text is damaged."""
    content = DatasetSummary(*json.loads(text))
    return content._replace(
        box=tuple(content.box) if content.box else None,  # type: ignore[arg-type]
        themes=tuple(content.themes),
        warnings=tuple(content.warnings),
        asks=tuple(content.asks),
        parts=tuple(PartLine(*part) for part in content.parts),
    )


def size_words(summary: DatasetSummary) -> str:
    """Return the size of a dataset in words."""
    return size_text(summary.size_bytes)
