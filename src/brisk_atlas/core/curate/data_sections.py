"""What the data itself tells, as sections to read beside those of a record."""

from __future__ import annotations

from brisk_atlas.core.model import Dataset, Facts, size_text
from brisk_atlas.core.model.date_words import day_text
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.field_types import field_type_words
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.place import crs_name, height_unit_of, unit_of
from brisk_atlas.core.record.brief_sections import NOT_STATED, Line, Section


def extent_text(facts: Facts) -> str:
    """Return an extent with its unit, or that there is none."""
    if facts.extent is None:
        return tr("none")
    unit = unit_of(facts.crs)
    digits = 5 if unit == "°" else 1
    x0, y0, x1, y1 = (grouped(v, f",.{digits}f") for v in facts.extent.bounds)
    return tr("x {x0} to {x1}, y {y0} to {y1}", x0=x0, x1=x1, y0=y0, y1=y1) + (f" {unit}" if unit else "")


def derived_sections(dataset: Dataset, part_name: str | None = None) -> list[Section]:
    """Return what the data itself tells: of one part or of all."""
    files = [
        (tr("format"), dataset.format),
        (tr("kind"), shown(dataset.kind)),
        *([] if dataset.ref.protocol else [(tr("size"), size_text(dataset.size_bytes))]),
        (
            tr("changed"),
            f"{day_text(dataset.changed)} {dataset.changed:%H:%M} UTC" if dataset.changed else tr("unknown"),
        ),
    ]
    if dataset.members:
        files.append((tr("files"), ", ".join(m.name for m in dataset.members)))
    files += [(tr("warning"), text) for text in dataset.warnings]
    title = tr("Derived from the files") if dataset.members else tr("Derived from its place")
    sections = [Section(title, tuple(Line(*pair) for pair in files))]
    chosen = [p.facts for p in dataset.parts if part_name in (None, p.facts.name)]
    return sections + [
        Section(tr("Derived from the data: {name}", name=facts.name), tuple(Line(*pair) for pair in _derived(facts)))
        for facts in chosen
    ]


def _derived(facts: Facts) -> list[tuple[str, str]]:
    lines = [(tr("kind"), shown(facts.kind) + (f", {facts.geometry_type}" if facts.geometry_type else ""))]
    if facts.count is not None:
        noun = {"vector": "features", "pointcloud": "points", "table": "rows"}.get(facts.kind, "count")
        lines.append((shown(noun), grouped(facts.count)))
    if facts.kind.has_place or facts.crs:
        lines += [(tr("reference system"), crs_name(facts.crs)), (tr("extent"), extent_text(facts))]
    if facts.grid and not facts.grid.drawn_by_service:
        g, unit = facts.grid, unit_of(facts.crs)
        lines += [
            (tr("cells"), tr("{width:,} columns x {height:,} rows", width=g.width, height=g.height)),
            (tr("cell size"), f"{g.resolution[0]:g} x {g.resolution[1]:g} {unit}".strip()),
            (tr("stored as"), g.dtype),
            (tr("nodata"), tr("none declared") if g.nodata is None else f"{g.nodata:g}"),
            (tr("overviews"), ", ".join(f"1:{o}" for o in g.overviews) or tr("none")),
            (
                tr("bands"),
                "; ".join(
                    b.name + (f" {b.centre_um:g} µm" if b.centre_um else "") + (f" [{b.unit}]" if b.unit else "")
                    for b in g.bands
                ),
            ),
        ]
    if facts.cloud:
        c = facts.cloud
        lines += [
            (tr("point format"), tr("{point_format} of LAS {version}", point_format=c.point_format, version=c.version)),
            (tr("software"), c.software or NOT_STATED),
            (tr("system"), c.system or NOT_STATED),
            (tr("created"), c.created or NOT_STATED),
            (
                tr("heights"),
                tr(
                    "{low:,.2f} to {high:,.2f} {unit}",
                    low=c.zrange[0],
                    high=c.zrange[1],
                    unit=height_unit_of(facts.crs),
                ).rstrip()
                if c.zrange
                else NOT_STATED,
            ),
        ]
    if facts.fields:
        lines.append(("fields", ", ".join(f"{f.name} ({field_type_words(f.type)})" for f in facts.fields)))
    return lines + list(facts.notes.items())
