"""What the data itself tells a record: extent, reference system, counts, resolution, fields, format, size.

A person need not write it, and a record that says otherwise is wrong.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from brisk_atlas.core.model import DataKind, Dataset, Facts
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic, same_crs, transform_extent
from brisk_atlas.core.place.extents import sides_of
from brisk_atlas.core.record.checks import CAUTION, NOTE, Finding
from brisk_atlas.core.record.elements import Place, stated_places, value_at
from brisk_atlas.core.record.model import (
    BandDefinition,
    Box,
    DatedEvent,
    Dimension,
    Entity,
    FieldDefinition,
    Format,
    HeightRange,
    Measure,
    ObjectCount,
    Record,
    System,
)

DEGREES = "EPSG:4326"
DIGITS = 5  # of a box in degrees: about a metre
OBJECTS = {"point": "point", "line": "curve", "polygon": "surface", "curve": "curve", "surface": "surface"}
SLACK = 0.02  # of its own size by which a record's box may differ from the data
LEAST_SLACK = 0.0005  # degrees
MUCH_LARGER = 4.0  # times the area of the data, from which a box says little


def derived_record(dataset: Dataset, part: str | None = None) -> Record:
    """Return what the data tells, of one part or of all."""
    chosen = [p.facts for p in dataset.parts if part in (None, p.facts.name) and p.facts.kind is not DataKind.RECORD]
    boxes = [box for facts in chosen if (box := _box(facts))]
    grids = [facts for facts in chosen if facts.counted_cells is not None]
    clouds = [facts for facts in chosen if facts.cloud]
    grid = grids[0] if grids else None
    counts: dict[str, int] = {}
    for facts in chosen:
        kind = _object(facts)
        if kind and facts.count is not None:
            counts[kind] = counts.get(kind, 0) + facts.count
    heights = [f.cloud.zrange for f in clouds if f.cloud and f.cloud.zrange]
    created = [f.cloud.created for f in clouds if f.cloud and f.cloud.created]
    return Record(
        boxes=(_around(boxes),) if boxes else (),
        systems=tuple(dict.fromkeys(s for facts in chosen if (s := _system(facts.crs)))),
        representation=tuple(dict.fromkeys(kind for facts in chosen if (kind := _representation(facts)))),
        distances=tuple(dict.fromkeys(m for facts in grids if (m := _distance(facts)))),
        dimensions=_axes(grid) if grid else (),
        cell_geometry="area" if grid else "",
        objects=tuple(ObjectCount(kind, count) for kind, count in counts.items()),
        heights=(HeightRange(min(h[0] for h in heights), max(h[1] for h in heights)),) if heights else (),
        dates=(DatedEvent(created[0], "creation"),) if created else (),
        entities=tuple(
            Entity(facts.name, fields=tuple(FieldDefinition(f.name, type=f.type) for f in facts.fields))
            for facts in chosen
            if facts.fields
        ),
        bands=tuple(_band(b) for b in grid.grid.bands) if grid and grid.grid and len(grid.grid.bands) > 1 else (),
        formats=(Format(dataset.format),) if dataset.kind is not DataKind.RECORD else (),
        size_mb=round(dataset.size_bytes / 1e6, 3),
        level="dataset",
    )


def _box(facts: Facts) -> Box | None:
    if facts.extent is None or not facts.crs:
        return None
    extent = transform_extent(replace(facts.extent, crs=facts.crs), DEGREES)
    if extent is None:
        return None
    sides = sides_of(extent)
    bounds = sides[0].xmin, extent.ymin, sides[-1].xmax, extent.ymax  # east is less than west across 180 degrees
    return Box(*(round(v, DIGITS) for v in bounds))


def _around(boxes: list[Box]) -> Box:
    def sides(name: str) -> list[float]:
        return [getattr(box, name) for box in boxes]

    south, north = min(sides("south")), max(sides("north"))
    if any((box.west or 0.0) > (box.east or 0.0) for box in boxes):  # the parts of a dataset across 180 degrees
        alike = len({(box.west, box.east) for box in boxes}) == 1
        return Box(boxes[0].west, south, boxes[0].east, north) if alike else Box(-180.0, south, 180.0, north)
    return Box(min(sides("west")), south, max(sides("east")), north)


def _system(crs: str | None) -> System | None:
    if not crs:
        return None
    space, colon, code = crs.partition(":")
    if colon and " " not in crs and "[" not in crs:
        return System(code, space)
    from brisk_atlas.core.place import crs_name

    return System(crs_name(crs))


def _representation(facts: Facts) -> str:
    return {"vector": "vector", "raster": "grid", "pointcloud": "vector", "table": "textTable"}.get(facts.kind, "")


def _object(facts: Facts) -> str:
    if facts.kind.has_points:
        return "point"
    derived = (facts.geometry_type or "").lower()
    return next((kind for word, kind in OBJECTS.items() if word in derived), "")


def _distance(facts: Facts) -> Measure | None:
    if facts.grid is None or facts.grid.drawn_by_service or not facts.crs:
        return None
    unit = "deg" if is_geographic(facts.crs) else "m"
    return Measure(round(facts.grid.resolution[0], 9), unit)


def _axes(facts: Facts) -> tuple[Dimension, ...]:
    grid = facts.grid
    assert grid is not None
    unit = ("deg" if is_geographic(facts.crs) else "m") if facts.crs else ""
    x, y = (round(v, 9) for v in grid.resolution)
    return Dimension("row", grid.height, y, unit), Dimension("column", grid.width, x, unit)


def _band(band: object) -> BandDefinition:
    from brisk_atlas.core.model import Band

    assert isinstance(band, Band)
    return BandDefinition(
        band.name, band.role, unit="um" if band.centre_um else "", least=band.centre_um, most=band.centre_um
    )


def filled(record: Record, derived: Record) -> Record:
    """Return a record with what the data tells in it: what a person wrote elsewhere stays."""
    changes: dict[str, object] = {}
    for name in ("boxes", "distances", "dimensions", "cell_geometry", "objects", "representation", "size_mb"):
        value = getattr(derived, name)
        if value:
            changes[name] = value
    if derived.systems:
        codes = {s.code for s in derived.systems}
        others = [s for s in record.systems if s.space.upper() != "EPSG" and s.code not in codes]
        changes["systems"] = (*derived.systems, *others)
    for name in ("formats", "heights", "bands", "level"):
        if not getattr(record, name) and getattr(derived, name):
            changes[name] = getattr(derived, name)
    if derived.dates and not any(d.kind == "creation" for d in record.dates):
        changes["dates"] = (*record.dates, *derived.dates)
    if derived.entities:
        changes["entities"] = _with_fields(record.entities, derived.entities)
    return replace(record, **changes)  # type: ignore[arg-type]


def _with_fields(stated: tuple[Entity, ...], derived: tuple[Entity, ...]) -> tuple[Entity, ...]:
    """Return the entities with the data's fields; definitions stay, new fields come behind, types are filled."""
    merged = list(stated)
    for entity in derived:
        index = next((i for i, e in enumerate(merged) if e.name.casefold() == entity.name.casefold()), None)
        if index is None and len(stated) == 1 and len(derived) == 1:
            index = 0
        if index is None:
            merged.append(entity)
            continue
        types = {f.name.casefold(): f.type for f in entity.fields}
        known = {f.name.casefold() for f in merged[index].fields}
        fields = tuple(replace(f, type=f.type or types.get(f.name.casefold(), "")) for f in merged[index].fields)
        fresh = tuple(f for f in entity.fields if f.name.casefold() not in known)
        merged[index] = replace(merged[index], fields=(*fields, *fresh))
    return tuple(merged)


def derived_places(record: Record, derived: Record) -> set[Place]:
    """Return the places of a record whose values are those that the data tells."""
    found = set()
    for place, value in stated_places(derived):
        try:
            if value_at(record, place) == value:
                found.add(place)
        except (IndexError, AttributeError):
            continue
    return found


def contradictions(record: Record, derived: Record) -> list[Finding]:
    """Return where a record and its data do not agree."""
    return [*_extent(record, derived), *_systems(record, derived), *_counts(record, derived), *_fields(record, derived),
            *_grain(record, derived)]  # fmt: skip


def _extent(record: Record, derived: Record) -> Iterator[Finding]:
    if not record.boxes or not derived.boxes:
        return
    says, data = record.boxes[0], derived.boxes[0]
    if None in (says.west, says.south, says.east, says.north):
        return
    across = max(data.east - data.west, LEAST_SLACK)  # type: ignore[operator]
    up = max(data.north - data.south, LEAST_SLACK)  # type: ignore[operator]
    x, y = max(SLACK * across, LEAST_SLACK), max(SLACK * up, LEAST_SLACK)
    outside = (says.west - data.west > x or data.east - says.east > x  # type: ignore[operator]
               or says.south - data.south > y or data.north - says.north > y)  # type: ignore[operator] # fmt: skip
    lies = tr("{text} in the data, {text2} in the record", text=_text(data), text2=_text(says))
    if outside:
        yield Finding(
            CAUTION, ("boxes", 0), tr("The data reaches beyond the record's extent: {lies}.", lies=lies), "data"
        )
        return
    area = (says.east - says.west) * (says.north - says.south)  # type: ignore[operator]
    if area > MUCH_LARGER * across * up:
        times = area / (across * up)
        told_times = f"{grouped(times, ',.0f')} times" if times < 1000 else tr("many times")
        yield Finding(
            NOTE,
            ("boxes", 0),
            tr("The record's extent is {told_times} as large as the data's: {lies}.", told_times=told_times, lies=lies),
            "data",
        )


def _text(box: Box) -> str:
    return tr(
        "{west:.4f} to {east:.4f}, {south:.4f} to {north:.4f}",
        west=box.west,
        east=box.east,
        south=box.south,
        north=box.north,
    )


def _systems(record: Record, derived: Record) -> Iterator[Finding]:
    stated = [s for s in record.systems if s.space.upper() in ("EPSG", "") or s.space.startswith("http")]
    if not stated or not derived.systems:
        return
    codes = {_plain_code(s) for s in stated}
    for system in derived.systems:
        code = _plain_code(system)
        if code in codes or not code.isdigit():
            continue
        if all(c.isdigit() for c in codes) and not any(
            same_crs(f"EPSG:{c}", f"EPSG:{code}") for c in codes if c.isdigit()
        ):
            says = ", ".join(f"EPSG:{c}" for c in sorted(codes))
            yield Finding(
                CAUTION,
                ("systems", 0),
                tr("The data is in EPSG:{code}; the record says {says}.", code=code, says=says),
                "data",
            )


def _plain_code(system: System) -> str:
    return system.code.rstrip("/").rpartition("/")[2].rpartition(":")[2]


def _counts(record: Record, derived: Record) -> Iterator[Finding]:
    data = {o.type: o.count for o in derived.objects}
    for i, stated in enumerate(record.objects):
        if stated.count is not None and stated.type in data and data[stated.type] != stated.count:
            reason = tr(
                "The data has {data:,} objects; the record says {count:,}.", data=data[stated.type], count=stated.count
            )
            yield Finding(CAUTION, ("objects", i, "count"), reason, "data")
    sizes = {d.name: d.size for d in derived.dimensions}
    for i, axis in enumerate(record.dimensions):
        if axis.size is not None and sizes.get(axis.name) not in (None, axis.size):
            reason = tr(
                "The data has {sizes:,} {name}s; the record says {size:,}.",
                sizes=sizes[axis.name],
                name=axis.name,
                size=axis.size,
            )
            yield Finding(CAUTION, ("dimensions", i, "size"), reason, "data")


def _fields(record: Record, derived: Record) -> Iterator[Finding]:
    for i, entity in enumerate(record.entities):
        data = next((e for e in derived.entities if e.name.casefold() == entity.name.casefold()), None)
        if data is None and len(record.entities) == 1 and len(derived.entities) == 1:
            data = derived.entities[0]
        if data is None or not entity.fields:
            continue
        has = {f.name.casefold() for f in data.fields}
        stated = {f.name.casefold() for f in entity.fields}
        for j, f in enumerate(entity.fields):
            if f.name.casefold() not in has | _GEOMETRY:
                reason = tr("The record explains the field {name}, which the data does not have.", name=f.name)
                yield Finding(CAUTION, ("entities", i, "fields", j), reason, "data")
        missing = [f.name for f in data.fields if f.name.casefold() not in stated]
        if missing:
            reason = tr("The data has fields that the record does not explain: {missing}.", missing=", ".join(missing))
            yield Finding(CAUTION, ("entities", i), reason, "data")


_GEOMETRY = {"shape", "geom", "geometry", "the_geom", "fid", "objectid", "ogc_fid", "shape_length", "shape_area"}


def _grain(record: Record, derived: Record) -> Iterator[Finding]:
    for i, stated in enumerate(record.distances):
        same = [m.value for m in derived.distances if m.unit == stated.unit and m.value]
        if stated.value and same and not any(abs(v - stated.value) <= 0.01 * v for v in same):
            reason = tr(
                "The cells of the data are {same:g} {unit}; the record says {value:g} {unit}.",
                same=same[0],
                unit=stated.unit,
                value=stated.value,
            )
            yield Finding(CAUTION, ("distances", i), reason, "data")
    if (
        record.representation
        and derived.representation
        and not set(record.representation) & set(derived.representation)
    ):
        if "textTable" in record.representation and "vector" in derived.representation:
            return  # a point cloud or table of places is either
        says, has = record.representation[0], derived.representation[0]
        yield Finding(
            CAUTION, ("representation", 0), tr("The data is {has}; the record says {says}.", has=has, says=says), "data"
        )
