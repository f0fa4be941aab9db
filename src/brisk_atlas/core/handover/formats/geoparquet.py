"""GeoParquet: rows in columns, with well-known binary, covering boxes and an order by place.

Layout: GeoParquet specification 1.1.0.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from brisk_atlas.core.model import DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import free_name
from brisk_atlas.core.place import proj_crs
from brisk_atlas.core.system.atomic_write import reason_of

from ..flows import GEOMETRY, Flow, RowFlow, in_batches, rows_flow
from ..row_facts import RowFacts
from ..step import StepContext
from ..wkb_moves import wkb_bounds
from .format import FileFormat, FormatOption, Loss, Report, enter
from .row_groups import RowGroups

VERSION = "1.1.0"
COVERING = "bbox"
SIDES = ("xmin", "ymin", "xmax", "ymax")
HILBERT_ORDER = 16  # bits along each axis


def write_geoparquet(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write features as GeoParquet; returns how many. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    facts, lock = RowFacts(), Lock()
    geometry = free_name("geometry", flow.fields)
    covering = free_name(COVERING, flow.fields) if options["covering"] else ""
    names = [*flow.fields, geometry]
    box = pa.struct([(side, pa.float64()) for side in SIDES])
    fields = [pa.field(name, each.type) for name, each in zip(names, flow.schema)]
    schema = pa.schema([*fields, pa.field(covering, box)] if covering else fields)
    if options["sorted"]:
        flow = _by_place(flow, context)
    expected = max(1, flow.count or 1)

    def finished(table: pa.Table) -> pa.Table:
        bounds = wkb_bounds(table.column(GEOMETRY))
        with lock:
            facts.add(table, bounds)
        table = table.rename_columns(names)
        if covering:
            sides = [pa.array(side, from_pandas=True) for side in bounds.T]
            table = table.append_column(covering, pa.StructArray.from_arrays(sides, fields=list(box)))
        return table

    plain = [name for name in names if name != geometry]  # binaries all differ: no dictionary, no lowest and highest
    packing = {"compression": options["compression"], "use_dictionary": plain, "write_statistics": [*plain, *(
        f"{covering}.{side}" for side in SIDES if covering)]}  # fmt: skip
    try:
        with pq.ParquetWriter(path, schema, **packing) as out, RowGroups(out, options["rows_in_group"]) as groups:
            for table in rows_flow(flow, schema, finished).batches():
                context.check()
                groups.put(table)
                report(0.95 * min(1.0, facts.count / expected), tr("writing"))
            groups.finish()
            out.add_key_value_metadata({"geo": json.dumps(_about(flow.crs, geometry, covering, facts))})
    except (pa.ArrowException, OSError) as error:
        raise reason_of(error, path) from error
    return facts.count


def _about(crs: str | None, geometry: str, covering: str, facts: RowFacts) -> dict[str, Any]:
    """Return what the standard wants in the head of the file."""
    from ..row_facts import TYPES

    heights = [""] if not facts.any_z else [" Z"] if not facts.without_z else ["", " Z"]
    column: dict[str, Any] = {
        "encoding": "WKB",
        "geometry_types": [TYPES[code] + each for code in sorted(facts.codes) for each in heights if code in TYPES],
        "crs": json.loads(proj_crs(crs).to_json()) if crs else None,
    }
    if np.isfinite(facts.bounds).all():
        column["bbox"] = facts.bounds.tolist()
    if covering:
        column["covering"] = {"bbox": {side: [covering, side] for side in SIDES}}
    return {"version": VERSION, "primary_column": geometry, "columns": {geometry: column}}


def _by_place(flow: RowFlow, context: StepContext) -> RowFlow:
    """Return rows in the order of a Hilbert curve through the middles of their bounds (Skilling, J. (2004), AIP
    Conference Proceedings 707; here the rotation of Warren, H.S. (2012), Hacker's Delight, section 16-1)."""

    def batches() -> Iterator[pa.Table]:
        table = flow.whole(context.check)
        bounds = wkb_bounds(table.column(GEOMETRY))
        middles = np.nan_to_num((bounds[:, :2] + bounds[:, 2:]) / 2)
        yield from in_batches(table.take(pa.array(np.argsort(hilbert(middles), kind="stable"))))

    return replace(flow, batches=batches)


def hilbert(xy: np.ndarray) -> np.ndarray:
    """Return (n,) uint64: how far along a Hilbert curve over their extent positions lie, (n, 2) float64."""
    if not len(xy):
        return np.empty(0, np.uint64)
    low, high = xy.min(axis=0), xy.max(axis=0)
    size = np.maximum(high - low, 1e-300)
    x, y = ((xy - low) / size * (2**HILBERT_ORDER - 1)).astype(np.uint64).T
    found = np.zeros(len(xy), np.uint64)
    most, side = np.uint64(2**HILBERT_ORDER - 1), np.uint64(2 ** (HILBERT_ORDER - 1))
    while side:
        right, top = (x & side) > 0, (y & side) > 0
        found += side * side * ((np.uint64(3) * right) ^ top).astype(np.uint64)
        flip = ~top & right
        x, y = np.where(flip, most - x, x), np.where(flip, most - y, y)
        x, y = np.where(top, x, y), np.where(top, y, x)
        side = np.uint64(int(side) // 2)
    return found


def _losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return []


enter(FileFormat(
    "GeoParquet", (".parquet", ".geoparquet"), frozenset({DataKind.VECTOR}), write_geoparquet, _losses,
    (
        FormatOption("covering", True, tr("A box of each feature, so that readers pass over what is elsewhere")),
        FormatOption("sorted", False, tr("In an order by place; needs memory for all rows")),
        FormatOption("compression", "zstd", tr("How columns are packed"), ("zstd", "snappy", "gzip", "none")),
        FormatOption("rows_in_group", 65_536, tr("Rows that lie together")),
    ),
    tr("Columns of all types, packed; the quickest to read by field."),
))  # fmt: skip
