"""What tables say of boreholes, by the names of fields; their rows by hole, and paths from surveys of deviation."""

from __future__ import annotations

import logging
import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import AtlasError, DataRef, Field, Layer
from brisk_atlas.core.model.hole_choices import HoleTable, TableRole
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.place.hole_path import FOOT_M, HolePath, minimum_curvature

from .guess_boreholes import AZIMUTH, BEGIN, DIP, ELEVATION, END, HOLE, field_named, tables_beside

log = logging.getLogger(__name__)

DEPTH_WORDS = ("depth", "md", "dept", "at_m")
FEET = re.compile(r"(_|\b)(ft|feet)$", re.IGNORECASE)
NOWHERE = DataRef.file(Path("/"))


def guess_role(fields: Sequence[Field]) -> HoleTable | None:
    """Return what a table with these fields says of holes, with the reason; None where it names no hole or no depth."""
    hole = field_named(fields, HOLE)
    if hole is None:
        return None
    begin = field_named(fields, BEGIN, numbers=True)
    end = field_named([field for field in fields if field.name != begin], END, numbers=True)
    depth = field_named(fields, DEPTH_WORDS, numbers=True)
    azimuth, dip = field_named(fields, AZIMUTH, numbers=True), field_named(fields, DIP, numbers=True)
    if begin is not None and end is not None:
        why = tr(
            "{hole} names the hole, {begin} and {end} are where an interval begins and ends",
            hole=hole,
            begin=begin,
            end=end,
        )
        return HoleTable(NOWHERE, TableRole.INTERVALS, hole, begin, end, feet=_in_feet(begin), reason=why)
    if depth is not None and azimuth is not None and dip is not None:
        dips = dip.lower().lstrip("_").startswith(("dip", "plunge"))
        why = tr(
            "{hole} names the hole, {depth}, {azimuth} and {dip} are a survey of its direction",
            hole=hole,
            depth=depth,
            azimuth=azimuth,
            dip=dip,
        )
        return HoleTable(
            NOWHERE, TableRole.DEVIATION, hole, depth, "", azimuth, dip, dips=dips, feet=_in_feet(depth), reason=why
        )
    if depth is not None and field_named(fields, ELEVATION, numbers=True) is None:
        why = tr("{hole} names the hole, {depth} the depth of a value", hole=hole, depth=depth)
        return HoleTable(NOWHERE, TableRole.POINTS, hole, depth, feet=_in_feet(depth), reason=why)
    return None


def role_of_section(fields: Sequence[Field], hole: str) -> HoleTable | None:
    """Return what a section of a LAS 3.0 file with these fields says of its own hole, by what is stated about them;
    None for one that is a log by depth."""
    words = [(field, field.meaning.lower()) for field in fields]
    begin = next((field for field, about in words if "top" in about and "depth" in about), None)
    end = next((field for field, about in words if "depth" in about and ("bottom" in about or "base" in about)), None)
    azimuth = next((field for field, about in words if "azimuth" in about), None)
    inclination = next((field for field, about in words if "deviation" in about or "inclination" in about), None)
    feet = bool(fields) and (begin or fields[0]).unit.strip().lower() in ("f", "ft", "feet")
    if azimuth is not None and inclination is not None:
        why = tr(
            "{name} and {inclination_name} are stated to be a survey of its direction",
            name=azimuth.name,
            inclination_name=inclination.name,
        )
        return HoleTable(NOWHERE, TableRole.DEVIATION, "", fields[0].name, "", azimuth.name, inclination.name, hole,
                         feet=feet, reason=why)  # fmt: skip
    if begin is not None and end is not None:
        why = tr("{name} and {end_name} are stated to be the top and the bottom", name=begin.name, end_name=end.name)
        return HoleTable(NOWHERE, TableRole.INTERVALS, "", begin.name, end.name, only=hole, feet=feet, reason=why)
    return None


def _in_feet(name: str) -> bool:
    return FEET.search(name) is not None


def plain(name: str) -> str:
    """Return a hole's name without case and signs: `TG-1` and `tg_1` are the same.

    >>> plain("TG-1") == plain("tg_1")
    True
    """
    return "".join(c for c in name.casefold() if c.isalnum())


def rows_of_hole(cache: DataCache, table: HoleTable) -> pa.Table:
    """Return the rows of a table that are of its hole."""
    rows = cache.table(table.ref)
    if not table.hole:
        return rows
    return rows.take(row_numbers_of(cache, table).get(plain(table.only), pa.array([], pa.int64())))


def row_numbers_of(cache: DataCache, table: HoleTable) -> dict[str, pa.Array]:
    """Return the rows of each hole of a table, found once."""

    def make() -> dict[str, pa.Array]:
        names = np.array(
            [plain(str(v)) if v is not None else "" for v in values_of(cache.table(table.ref).column(table.hole))]
        )
        order = np.argsort(names, kind="stable")
        kinds, starts = np.unique(names[order], return_index=True)
        ends = [*starts[1:].tolist(), len(order)]
        return {str(k): pa.array(order[a:b]) for k, a, b in zip(kinds, starts.tolist(), ends)}

    found: dict[str, pa.Array] = cache.derive(("rows by hole", table.ref, table.hole), make)
    return found


def path_of(rows: pa.Table, table: HoleTable) -> HolePath:
    """Return the path of a hole from the rows of its survey of deviation."""
    measured, azimuth, inclination = (
        np.asarray(rows.column(name).cast(pa.float64(), safe=False).to_numpy(), float)
        for name in (table.top, table.azimuth, table.inclination)
    )
    measured = measured * FOOT_M if table.feet else measured
    if table.dips:
        below = -inclination if np.nanmax(inclination) <= 0 else inclination
        inclination = 90.0 - below
    return minimum_curvature(measured, inclination, azimuth)


def deviation_tables(cache: DataCache, layer: Layer, others: Sequence[Layer]) -> tuple[HoleTable, ...]:
    """Return the tables that can be surveys of deviation of a layer's holes: open ones, and those of files beside its
    own."""
    refs = [other.ref for other in others if other.kind.has_rows and not other.kind.has_shapes]
    for beside in tables_beside(layer.ref):
        try:
            refs += [beside.with_part(part.facts.name) for part in cache.dataset(beside).parts]
        except AtlasError as error:
            log.info("no survey of deviation in %s: %s", beside, error)
    found = {}
    for ref in refs:
        role = guess_role(cache.part(ref).facts.fields)
        if role is not None and role.role is TableRole.DEVIATION:
            found[ref] = replace(role, ref=ref)
    return tuple(found.values())
