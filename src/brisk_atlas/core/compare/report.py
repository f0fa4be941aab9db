"""A page that says what changed from one delivery to the next: one file, with counts, values before and after, and a
small map of where."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model.page_templates import page_templates
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import crs_label
from brisk_atlas.core.record.brief_sections import NOT_STATED
from brisk_atlas.core.system.atomic_write import write_whole

from .datasets import DatasetChange, PartChange
from .delivery import RowState, changes_listed, matched_words
from .patch import CHANGE, changed_features, sides_of

HERE = Path(__file__).parent
MOST_LISTED = 500  # changes of a part that are listed; the GeoPackage has all
MOST_DRAWN = 5_000
WIDE, TALL, EDGE = 420, 300, 10  # of a map, pixels
SMALLEST = 4.0  # pixels, as which a feature is drawn at least
COLOURS = {"added": "added", "removed": "removed"}  # classes of the page's style; all others are changed


@dataclass(frozen=True)
class MapBox:
    """A feature on the small map, in pixels."""

    x: float
    y: float
    width: float
    height: float
    kind: str


def write_report(cache: DataCache, change: DatasetChange, path: Path) -> None:
    """Write the page. Raises CannotWrite."""
    write_whole(path, report_page(cache, change).encode())


def report_page(cache: DataCache, change: DatasetChange) -> str:
    """Return the page as HTML; names and values are shown as plain text."""
    return (
        page_templates(HERE)
        .get_template("report.html.jinja")
        .render(
            a=str(change.refs[0].name),
            b=str(change.refs[1].name),
            differs=change.differs,
            parts=[_part(cache, part) for part in change.parts],
            record=[(row.label, _word(row.a), _word(row.b)) for row in change.record],
            wide=WIDE,
            tall=TALL,
        )
    )


def _part(cache: DataCache, part: PartChange) -> dict[str, Any]:
    """Return what the page says of a part."""
    found: dict[str, Any] = {
        "name": part.name, "state": str(part.state), "facts": part.facts, "remark": part.remark, "counts": [],
        "cells": [(c.band, c.changed, c.gained, c.lost, c.largest) for c in part.cells],
    }  # fmt: skip
    rows = part.rows
    if rows is None:
        return found
    sides = sides_of(cache, part)
    listed = changes_listed(*sides, rows)
    counts = rows.counts
    found |= {
        "counts": [(str(kind), count) for kind, count in counts.items()],
        "matched": matched_words(rows),
        "repeated": rows.match.repeated if any(rows.match.repeated) else None,
        "fields": rows.fields,
        "values": sorted(rows.by_field.items(), key=lambda each: -each[1]),
        "columns": [name for name in listed.column_names if listed.column(name).null_count < len(listed)],
        "rows": listed.slice(0, MOST_LISTED).to_pylist(),
        "left_out": max(0, len(listed) - MOST_LISTED),
    }
    a, b = sides
    if isinstance(a, Features) and isinstance(b, Features) and sum(counts.values()) > counts[RowState.UNCHANGED]:
        changed = changed_features(a, b, rows)
        found["boxes"] = list(map_boxes(changed))
        found["crs"] = crs_label(changed.crs)
    return found


def map_boxes(changed: Features) -> Iterator[MapBox]:
    """Yield the features that changed as boxes on a small map, those of the first `MOST_DRAWN`."""
    bounds = changed.shapes.bounds[:MOST_DRAWN]
    known = np.flatnonzero(np.isfinite(bounds).all(axis=1))
    if not len(known):
        return
    left, bottom = bounds[known, :2].min(axis=0)
    right, top = bounds[known, 2:].max(axis=0)
    scale = min((WIDE - 2 * EDGE) / max(right - left, 1e-9), (TALL - 2 * EDGE) / max(top - bottom, 1e-9))
    kinds = changed.table.column(CHANGE).take(pa.array(known)).to_pylist()
    for (x0, y0, x1, y1), kind in zip(bounds[known].tolist(), kinds):
        wide, tall = max(SMALLEST, (x1 - x0) * scale), max(SMALLEST, (y1 - y0) * scale)
        x, y = EDGE + ((x0 + x1) / 2 - left) * scale - wide / 2, EDGE + (top - (y0 + y1) / 2) * scale - tall / 2
        yield MapBox(round(x, 1), round(y, 1), round(wide, 1), round(tall, 1), COLOURS.get(kind, "changed"))


def _word(value: Any) -> str:
    return NOT_STATED if value is None or value == () else str(value)
