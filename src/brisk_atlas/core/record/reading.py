"""A record, or the facts of the data, as sections to read."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from brisk_atlas.core.model import CannotRead, Dataset, Facts, size_text
from brisk_atlas.core.place import crs_name, height_unit_of, unit_of
from brisk_atlas.core.read.record import standard_of
from brisk_atlas.core.read.xml import parse_xml

from .iso19139 import read_iso19139
from .model import Contact, MetadataRecord

NOT_SAID = "not said"


@dataclass(frozen=True)
class Section:
    """A heading and its lines; a line is a label and its text."""

    title: str
    lines: tuple[tuple[str, str], ...]


def records_of(dataset: Dataset) -> list[tuple[Path, str]]:
    """Return the record files of a dataset with the standard of each, itself first if it is one."""
    found = []
    for member in dataset.members:
        if member.suffix.lower() == ".xml" and not member.name.lower().endswith(".aux.xml"):
            try:
                standard = standard_of(parse_xml(member).getroot())
            except CannotRead:
                continue
            if standard:
                found.append((member, standard))
    return found


def record_of(dataset: Dataset) -> MetadataRecord | None:
    """Return the dataset's ISO 19139 record, or None where it has none. Raises CannotRead."""
    for path, standard in records_of(dataset):
        if standard == "ISO 19139":
            return read_iso19139(path)
    return None


def _contact_text(contact: Contact) -> str:
    return ", ".join(v for v in (contact.person, contact.organisation, contact.city, contact.email, contact.phone) if v)


def sections_of(record: MetadataRecord) -> list[Section]:
    """Return a record as sections, what is most asked for first. What it does not say, it says so."""

    def many(values: tuple[str, ...]) -> str:
        return "; ".join(values)

    def lines(*pairs: tuple[str, str]) -> tuple[tuple[str, str], ...]:
        return tuple((label, text or NOT_SAID) for label, text in pairs)

    box = record.box
    place = f"west {box[0]:.4f}°, south {box[1]:.4f}°, east {box[2]:.4f}°, north {box[3]:.4f}°" if box else ""
    contacts = [(c.role or "contact", _contact_text(c)) for c in record.contacts] or [("contact", "")]
    dates = [(d.kind or "date", d.day) for d in record.dates] or [("date", "")]
    quality = [(q.measure or "accuracy", f"{q.value} {q.unit}".strip()) for q in record.quality] or [("accuracy", "")]
    return [
        Section(
            "What it is",
            lines(
                ("title", record.title),
                ("summary", record.abstract),
                ("purpose", record.purpose),
                ("status", record.status),
                ("topic", many(record.topics)),
                ("keywords", many(record.keywords)),
            ),
        ),
        Section("Who and when", lines(*contacts, *dates, ("maintenance", record.maintenance))),
        Section(
            "Where and how fine",
            lines(
                ("extent", place),
                ("reference system", many(record.crs)),
                ("scale", record.scale),
                ("resolution", record.resolution),
                ("representation", record.representation),
            ),
        ),
        Section("Conditions", lines(("use", many(record.use_limits)), ("access", many(record.access)))),
        Section("How it was made", lines(("lineage", record.lineage), *quality)),
        Section(
            "About the record",
            lines(
                ("standard", record.standard),
                ("identifier", record.identifier),
                ("dated", record.record_date),
                ("kept by", many(tuple(_contact_text(c) for c in record.record_contacts))),
            ),
        ),
    ]


def extent_text(facts: Facts) -> str:
    """Return an extent with its unit, or that there is none."""
    if facts.extent is None:
        return "none"
    unit = unit_of(facts.crs)
    digits = 5 if unit == "°" else 1
    x0, y0, x1, y1 = (f"{v:,.{digits}f}" for v in facts.extent.bounds)
    return f"x {x0} to {x1}, y {y0} to {y1}" + (f" {unit}" if unit else "")


def derived_sections(dataset: Dataset, part_name: str | None = None) -> list[Section]:
    """Return what the data itself tells: of one part, or of all."""
    files = [
        ("format", dataset.format),
        ("kind", dataset.kind),
        ("size", size_text(dataset.size_bytes)),
        ("changed", dataset.modified.strftime("%Y-%m-%d %H:%M UTC")),
        ("files", ", ".join(m.name for m in dataset.members)),
    ]
    files += [("warning", text) for text in dataset.warnings]
    sections = [Section("Derived from the files", tuple(files))]
    chosen = [p.facts for p in dataset.parts if part_name in (None, p.facts.name)]
    sections += [Section(f"Derived from the data: {facts.name}", tuple(_derived(facts))) for facts in chosen]
    return sections


def _derived(facts: Facts) -> list[tuple[str, str]]:
    lines = [("kind", facts.kind + (f", {facts.geometry_type}" if facts.geometry_type else ""))]
    if facts.count is not None:
        noun = {"vector": "features", "pointcloud": "points", "table": "rows"}.get(facts.kind, "count")
        lines.append((noun, f"{facts.count:,}"))
    if facts.kind != "table" or facts.crs:
        lines += [("reference system", crs_name(facts.crs)), ("extent", extent_text(facts))]
    if facts.grid:
        g, unit = facts.grid, unit_of(facts.crs)
        lines += [
            ("cells", f"{g.width:,} columns x {g.height:,} rows"),
            ("cell size", f"{g.resolution[0]:g} x {g.resolution[1]:g} {unit}".strip()),
            ("stored as", g.dtype),
            ("nodata", "none declared" if g.nodata is None else f"{g.nodata:g}"),
            ("overviews", ", ".join(f"1:{o}" for o in g.overviews) or "none"),
            (
                "bands",
                "; ".join(
                    b.name + (f" {b.centre_um:g} µm" if b.centre_um else "") + (f" [{b.unit}]" if b.unit else "")
                    for b in g.bands
                ),
            ),
        ]
    if facts.cloud:
        c = facts.cloud
        lines += [
            ("point format", f"{c.point_format} of LAS {c.version}"),
            ("software", c.software or NOT_SAID),
            ("system", c.system or NOT_SAID),
            ("created", c.created or NOT_SAID),
            (
                "heights",
                f"{c.zrange[0]:,.2f} to {c.zrange[1]:,.2f} {height_unit_of(facts.crs)}".rstrip()
                if c.zrange
                else NOT_SAID,
            ),
        ]
    if facts.fields:
        lines.append(("fields", ", ".join(f"{f.name} ({f.type})" for f in facts.fields)))
    return lines + list(facts.notes.items())
