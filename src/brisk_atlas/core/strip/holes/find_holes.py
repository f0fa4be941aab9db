"""Which tables, logs, photographs and texts belong to the holes of a layer."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.connect import connector_for
from brisk_atlas.core.connect.table_names import names_in, statement_in, table_ref
from brisk_atlas.core.inspect.guess_boreholes import AZIMUTH, DIP, ELEVATION, HOLE, LENGTH, NUMBERS, field_named
from brisk_atlas.core.inspect.hole_tables import (
    guess_role,
    path_of,
    plain,
    role_of_section,
    row_numbers_of,
    rows_of_hole,
)
from brisk_atlas.core.model import AtlasError, DataRef, Field, Layer
from brisk_atlas.core.model.data_ref import PlaceKind
from brisk_atlas.core.model.hole_choices import HoleTable, TableRole
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.plain_values import values_of
from brisk_atlas.core.place.hole_path import FOOT_M, straight
from brisk_atlas.core.table import rows_of, shown_rows

from .curve_names import CATEGORIES, DEPTHS, OTHER, category_of
from .depth_words import depths_in_name
from .hole_set import CorePicture, Hole, HoleSet

log = logging.getLogger(__name__)

TABLES = (".csv", ".tsv", ".parquet", ".xlsx", ".ods", ".dbf")
LOGS = (".las", ".dlis")
PICTURES = (".jpg", ".jpeg", ".png", ".tif", ".tiff")
TEXTS = (".txt", ".md")
MOST_FILES = 5_000  # beside a layer that are looked at
MOST_TABLES = 200  # of a schema of a database, as each takes questions to the server
X, Y = ("east", "x", "lon", "utm_e"), ("north", "y", "lat", "utm_n")
LOG_FORMATS = ("LAS", "DLIS")


def holes_of(
    cache: DataCache, layer: Layer, others: Sequence[Layer] = (), check: Callable[[], None] = lambda: None
) -> HoleSet:
    """Return the holes of a layer of collars with what belongs to them: of open tables, of the same database, and of
    files in its folder and the folders in that. Of a log, its own hole. Raises AtlasError for a layer that names no
    hole."""
    remarks: list[str] = []
    if _is_log(cache, layer.ref):
        return _of_logs(cache, [layer, *(o for o in others if o.id != layer.id and _is_log(cache, o.ref))], check)
    fields = cache.part(layer.ref).facts.fields if layer.kind.has_rows else ()
    hole_field = field_named(fields, HOLE)
    if hole_field is None:
        raise AtlasError(
            layer.name,
            tr("none of its fields names a hole"),
            tr("Choose a layer of collars: a field hole, bore or well."),
        )
    files = _files(layer.ref)
    tables = list(_tables(cache, layer, others, files, remarks, check))
    collars = _collars(cache, layer, fields, hole_field)
    found = []
    logs = [t for t in tables if not t.hole and t.role is not TableRole.NOT_USED]
    for hole in collars:
        check()
        own = [replace(t, only=hole.name) for t in tables if t.hole and t.role is not TableRole.NOT_USED]
        own += [each for each in logs if plain(each.only) == plain(hole.name)]
        mine = [path for path in files if _is_of(path, hole.name, [each.name for each in collars])]
        pictures = [
            CorePicture(DataRef.file(path), *depths) for path in mine
            if path.suffix.lower() in PICTURES and (depths := depths_in_name(_rest(path.stem, hole.name))) is not None
        ]  # fmt: skip
        texts = tuple(DataRef.file(path) for path in mine if path.suffix.lower() in TEXTS)
        found.append(
            replace(hole, tables=tuple(own), pictures=tuple(sorted(pictures, key=lambda p: p.top)), texts=texts)
        )
    found = [_with_path(cache, hole) for hole in found]
    found = [replace(hole, tables=_that_have_rows(cache, hole)) for hole in found]
    found = [replace(hole, logged=_logged(cache, hole)) for hole in found]
    return HoleSet(tuple(found), tuple(tables), tuple(remarks))


def _is_log(cache: DataCache, ref: DataRef) -> bool:
    return cache.dataset(ref).format.startswith(LOG_FORMATS) and cache.part(ref).facts.grid is None and (
        cache.part(ref).facts.cloud is None)  # fmt: skip


def _log_table(cache: DataCache, ref: DataRef) -> HoleTable:
    """Return how a table of a log belongs to the hole that its file names."""
    first = cache.dataset(ref).parts[0].facts.name
    facts = cache.part(ref).facts
    section = role_of_section(facts.fields, first) if facts.name != first else None
    if section is not None:
        return replace(section, ref=ref)
    by_frame = cache.dataset(ref).format.startswith("DLIS")
    return HoleTable(ref, TableRole.LOG, only=facts.name if by_frame else first, reason=tr("a log of its own hole"))


def _of_logs(cache: DataCache, layers: Sequence[Layer], check: Callable[[], None]) -> HoleSet:
    """Return the holes that logs name, a hole for each name."""
    found: dict[str, Hole] = {}
    for layer in layers:
        check()
        table = _log_table(cache, layer.ref)
        facts, name = cache.part(layer.ref).facts, table.only
        if plain(name) in found:
            found[plain(name)] = replace(found[plain(name)], tables=(*found[plain(name)].tables, table))
        else:
            notes = tuple(facts.notes.items())
            found[plain(name)] = Hole(name, layer.id, None, None, None, None, None, None, notes, (table,))
    bent = [replace(_with_path(cache, hole), logged=_logged(cache, hole)) for hole in found.values()]
    return HoleSet(tuple(bent), tuple(t for hole in bent for t in hole.tables))


def _files(ref: DataRef) -> list[Path]:
    """Return the files beside a layer's own, and in folders beside it, by name."""
    if not ref.is_local:
        return []
    try:
        own = ref.path.parent
        found = [path for path in sorted(own.iterdir()) if not path.name.startswith(".")]
        inside = [p for folder in found if folder.is_dir() for p in sorted(folder.iterdir()) if p.is_file()]
    except OSError as error:
        log.info("what lies beside %s can't be listed: %s", ref, error)
        return []
    return [path for path in [*(p for p in found if p.is_file()), *inside] if path != ref.path][:MOST_FILES]


def _tables(
    cache: DataCache, layer: Layer, others: Sequence[Layer], files: Sequence[Path], remarks: list[str],
    check: Callable[[], None],
) -> Iterable[HoleTable]:  # fmt: skip
    """Yield what tables say of holes: those of the same dataset, open ones, and files."""
    seen = {layer.ref}
    stated = {each.ref: each for each in layer.holes.tables}
    candidates = _row_parts(cache, layer.ref.whole)
    if layer.ref.kind is PlaceKind.TABLE:
        candidates += _in_schema(cache, layer.ref, remarks, check)
    candidates += [other.ref for other in others if other.kind.has_rows and not other.kind.has_shapes]
    for ref in candidates:
        check()
        if ref not in seen:
            seen.add(ref)
            yield from _role_of(cache, ref, stated)
    for path in files:
        check()
        if path.suffix.lower() not in TABLES + LOGS:
            continue
        try:
            for ref in _row_parts(cache, DataRef.file(path)):
                if ref not in seen:
                    seen.add(ref)
                    yield from _role_of(cache, ref, stated)
        except AtlasError as error:
            remarks.append(tr("{name} can't be read: {reason}", name=path.name, reason=error.reason))


def _in_schema(cache: DataCache, ref: DataRef, remarks: list[str], check: Callable[[], None]) -> list[DataRef]:
    """Return the tables of the same schema of a database whose fields say something of holes."""
    schema, own = names_in(ref)
    if statement_in(ref) or not schema:
        return []
    found = []
    try:
        items = [item.ref for item in connector_for(ref).list(table_ref(ref, schema)) if item.name != own]
        if len(items) > MOST_TABLES:
            remarks.append(
                tr(
                    "Of {count:,} tables of {schema}, the first {most_tables} were looked at.",
                    count=len(items),
                    schema=schema,
                    most_tables=MOST_TABLES,
                )
            )
        for item in items[:MOST_TABLES]:
            check()
            found += [each for each in _row_parts(cache, item) if guess_role(cache.part(each).facts.fields) is not None]
    except AtlasError as error:
        remarks.append(tr("The tables beside {own} can't be read: {reason}", own=own, reason=error.reason))
    return found


def _row_parts(cache: DataCache, whole: DataRef) -> list[DataRef]:
    """Return the tables of a dataset: the parts that have rows and no shapes."""
    kinds = [(part.facts.name, part.facts.kind) for part in cache.dataset(whole).parts]
    return [whole.with_part(name) for name, kind in kinds if kind.has_rows and not kind.has_shapes]


def _role_of(cache: DataCache, ref: DataRef, stated: Mapping[DataRef, HoleTable]) -> Iterable[HoleTable]:
    """Yield how a table belongs to holes: as the analyst stated, else by the names of its fields; one that does not is
    not used."""
    if ref in stated:
        yield stated[ref]
        return
    facts = cache.part(ref).facts
    if _is_log(cache, ref):
        yield _log_table(cache, ref)
        return
    guess = guess_role(facts.fields)
    none = HoleTable(ref, TableRole.NOT_USED, reason=tr("no field names a hole, or none a depth"))
    yield replace(guess, ref=ref) if guess is not None else none


def _collars(cache: DataCache, layer: Layer, fields: Sequence[Field], hole_field: str) -> list[Hole]:
    table = rows_of(cache, layer)
    names = [None if value is None else str(value) for value in values_of(table.column(hole_field))]
    shown = shown_rows(cache, layer) if layer.rows.on_map else None
    wanted = {"elevation": ELEVATION, "length": LENGTH, "azimuth": AZIMUTH, "dip": DIP, "x": X, "y": Y}
    numbers = {key: _numbers(table, field_named(fields, words, numbers=True)) for key, words in wanted.items()}
    features = cache.features(layer.ref) if layer.kind.has_shapes else None
    dips = numbers["dip"]
    sign = -1.0 if dips is not None and np.nanmax(np.nan_to_num(dips, nan=-1.0)) <= 0 else 1.0
    columns = {name: values_of(table.column(name)) for name in table.column_names}
    found = []
    for row, name in enumerate(names):
        if name is None or (shown is not None and not shown[row]):
            continue
        value = {
            key: (float(each[row]) if each is not None and np.isfinite(each[row]) else None)
            for key, each in numbers.items()
        }
        bounds = features.shapes.bounds[row] if features is not None else None
        xy = (float(bounds[0]), float(bounds[1])) if bounds is not None and np.isfinite(bounds[0]) else None
        if features is None and value["x"] is not None and value["y"] is not None:
            xy = (value["x"], value["y"])
        path = None
        if value["dip"] is not None and value["length"] is not None and value["dip"] * sign < 89.99:
            path = straight(value["length"], value["azimuth"] or 0.0, value["dip"] * sign)
        facts = tuple((each, str(column[row])) for each, column in columns.items() if column[row] is not None)
        crs = features.crs if features is not None else None
        found.append(Hole(name, layer.id, row, xy, crs, value["elevation"], value["length"], path, facts))
    return found


def _numbers(table: pa.Table, name: str | None) -> np.ndarray | None:
    if name is None or not str(table.schema.field(name).type).lower().startswith(NUMBERS):
        return None
    return np.asarray(table.column(name).cast(pa.float64(), safe=False).to_numpy(), float)


def _is_of(path: Path, name: str, names: Sequence[str]) -> bool:
    """Return whether a file's name begins with that of a hole, and with that of no other that is longer."""
    words = plain(path.stem)
    mine = plain(name)
    if not words.startswith(mine):
        return False
    longer = [each for each in names if len(plain(each)) > len(mine) and words.startswith(plain(each))]
    return not any(_rest(path.stem, each)[:1] not in "0123456789" for each in longer)


def _rest(stem: str, name: str) -> str:
    """Return what a name says after that of its hole."""
    wanted, at = plain(name), 0
    for position, sign in enumerate(stem):
        if at == len(wanted):
            return stem[position:]
        if sign.isalnum():
            at += 1
    return ""


def _logged(cache: DataCache, hole: Hole) -> tuple[str, ...]:
    """Return the categories of the curves of a hole's logs, lower case."""
    fields = [f for t in hole.tables if t.role is TableRole.LOG for f in cache.part(t.ref).facts.fields]
    depths = [f for f in fields if f.name.upper().split(":")[0] in DEPTHS]
    found = {category_of(f.name, f.unit, f.meaning) for f in fields if f not in depths} - {OTHER}
    return tuple(category.lower() for category in CATEGORIES if category in found)


def _that_have_rows(cache: DataCache, hole: Hole) -> tuple[HoleTable, ...]:
    return tuple(t for t in hole.tables if not t.hole or len(row_numbers_of(cache, t).get(plain(hole.name), ())))


def _with_path(cache: DataCache, hole: Hole) -> Hole:
    """Return a hole with the path of its survey of deviation, where it has one."""
    for table in hole.tables:
        if table.role is TableRole.DEVIATION:
            rows = rows_of_hole(cache, table)
            if rows.num_rows:
                return replace(hole, path=path_of(rows, table))
    return hole


def depth_column(table: pa.Table, units: dict[str, str]) -> tuple[str, float, str]:
    """Return the column of depths of a log, by what it is multiplied to be metres, and its unit where that is not one
    of a length."""
    names = table.column_names
    name = next((each for each in names if each.upper().split(":")[0] in DEPTHS), names[0])
    unit = units.get(name, "").strip().lower().rstrip(".")
    factors = {"f": FOOT_M, "ft": FOOT_M, "feet": FOOT_M, "in": 0.0254, "0.1 in": 0.00254, "cm": 0.01, "mm": 0.001,
               "m": 1.0, "metre": 1.0, "metres": 1.0, "meter": 1.0, "meters": 1.0, "": 1.0}  # fmt: skip
    return name, factors.get(unit, 1.0), "" if unit in factors else units.get(name, "")
