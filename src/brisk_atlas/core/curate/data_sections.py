"""What the data itself tells, as sections to read beside those of a record."""

from __future__ import annotations

from brisk_atlas.core.model import Dataset, Facts, size_text
from brisk_atlas.core.place import crs_name, height_unit_of, unit_of
from brisk_atlas.core.record.brief_sections import NOT_STATED, Line, Section


def extent_text(facts: Facts) -> str:
    """Return an extent with its unit, or that there is none."""
    if facts.extent is None:
        return "none"
    unit = unit_of(facts.crs)
    digits = 5 if unit == "°" else 1
    x0, y0, x1, y1 = (f"{v:,.{digits}f}" for v in facts.extent.bounds)
    return f"x {x0} to {x1}, y {y0} to {y1}" + (f" {unit}" if unit else "")


def derived_sections(dataset: Dataset, part_name: str | None = None) -> list[Section]:
    """Return what the data itself tells: of one part or of all."""
    files = [
        ("format", dataset.format),
        ("kind", dataset.kind),
        *([] if dataset.ref.protocol else [("size", size_text(dataset.size_bytes))]),
        ("changed", dataset.changed.strftime("%Y-%m-%d %H:%M UTC") if dataset.changed else "unknown"),
    ]
    if dataset.members:
        files.append(("files", ", ".join(m.name for m in dataset.members)))
    files += [("warning", text) for text in dataset.warnings]
    title = "Derived from the files" if dataset.members else "Derived from its place"
    sections = [Section(title, tuple(Line(*pair) for pair in files))]
    chosen = [p.facts for p in dataset.parts if part_name in (None, p.facts.name)]
    return sections + [
        Section(f"Derived from the data: {facts.name}", tuple(Line(*pair) for pair in _derived(facts)))
        for facts in chosen
    ]


def _derived(facts: Facts) -> list[tuple[str, str]]:
    lines = [("kind", facts.kind + (f", {facts.geometry_type}" if facts.geometry_type else ""))]
    if facts.count is not None:
        noun = {"vector": "features", "pointcloud": "points", "table": "rows"}.get(facts.kind, "count")
        lines.append((noun, f"{facts.count:,}"))
    if facts.kind.has_place or facts.crs:
        lines += [("reference system", crs_name(facts.crs)), ("extent", extent_text(facts))]
    if facts.grid and not facts.grid.drawn_by_service:
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
            ("software", c.software or NOT_STATED),
            ("system", c.system or NOT_STATED),
            ("created", c.created or NOT_STATED),
            (
                "heights",
                f"{c.zrange[0]:,.2f} to {c.zrange[1]:,.2f} {height_unit_of(facts.crs)}".rstrip()
                if c.zrange
                else NOT_STATED,
            ),
        ]
    if facts.fields:
        lines.append(("fields", ", ".join(f"{f.name} ({f.type})" for f in facts.fields)))
    return lines + list(facts.notes.items())
