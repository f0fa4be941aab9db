"""All that belongs to some boreholes as a folder of their own: tables cut to them, and copies of their files."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Sequence
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as arrow_csv

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.connect import localise
from brisk_atlas.core.inspect.hole_tables import rows_of_hole
from brisk_atlas.core.model import AtlasError, CannotWrite, DataRef, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import reason_of, written_beside
from brisk_atlas.core.table import rows_of

from .hole_set import Hole

COLLARS = "collars.csv"


def write_hole_folder(
    cache: DataCache, layer: Layer | None, holes: Sequence[Hole], folder: Path, check: Callable[[], None] = lambda: None
) -> tuple[Path, ...]:
    """Write the collars of holes and the rows of their tables as CSV, and copy their logs, texts and photographs;
    return the files. Raises CannotWrite for a folder that holds files already, or of which one is a source."""
    if folder.exists() and any(folder.iterdir()):
        raise CannotWrite(folder, tr("it holds files already"), tr("Choose a new folder, or an empty one."))
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise reason_of(error, folder) from error
    written = []
    if layer is not None and all(hole.row is not None for hole in holes):
        rows = pa.array([hole.row for hole in holes], pa.int64())
        written.append(_table(_flat(rows_of(cache, layer).take(rows)), folder / COLLARS))
    tables: dict[DataRef, list[pa.Table]] = {}
    files: dict[DataRef, None] = {}
    for hole in holes:
        check()
        for table in hole.tables:
            if table.hole:
                tables.setdefault(table.ref, []).append(rows_of_hole(cache, table))
            else:
                files[table.ref.whole] = None
        files |= dict.fromkeys([*(each.ref for each in hole.pictures), *hole.texts])
    for ref, pieces in tables.items():
        check()
        name = re.sub(r"[^\w-]+", "_", ref.part or ref.stem).strip("_") or "table"
        written.append(_table(_flat(pa.concat_tables(pieces)), folder / f"{name}.csv"))
    for ref in files:
        check()
        written.append(_copy(ref, folder / ref.name))
    return tuple(written)


def _flat(table: pa.Table) -> pa.Table:
    """Return a table without nested columns, which CSV has no room for."""
    nested = [field.name for field in table.schema if pa.types.is_nested(field.type) or pa.types.is_binary(field.type)]
    return table.drop_columns(nested) if nested else table


def _table(table: pa.Table, path: Path) -> Path:
    with written_beside(path) as beside:
        arrow_csv.write_csv(table, beside)
    return path


def _copy(ref: DataRef, path: Path) -> Path:
    try:
        source = localise(ref).path
        with written_beside(path) as beside:
            shutil.copyfile(source, beside)
    except OSError as error:
        raise reason_of(error, path) from error
    except AtlasError as error:
        raise CannotWrite(path, error.reason, tr("The file may be gone.")) from error
    return path
