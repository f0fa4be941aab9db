"""Lines of a layer as files: MGD77, a file a survey, or all of them as one table or layer."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CannotWrite, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.survey_header import headers_of
from brisk_atlas.core.table import base_rows, rows_of

from .mgd77 import write_survey
from .table import FORMATS, write_table
from .vector import VectorOrder, hand_over_vector

TABLES = {suffix: form for form, (suffix, _) in FORMATS.items()}
ENDING = ".mgd77"


def write_lines(
    cache: DataCache, layer: Layer, field: str, chosen: Sequence[tuple[str, np.ndarray]], path: Path,
    check: Callable[[], None] = lambda: None,
) -> tuple[Path, ...]:  # fmt: skip
    """Write lines of a layer, by name and rows each, and return the files: the ending of `path` says the form; a path
    without one is a folder, in which each line becomes an MGD77 file. Raises CannotWrite."""
    suffix = path.suffix.lower()
    rows = np.sort(np.concatenate([each for _, each in chosen]))
    if suffix in TABLES:
        write_table(rows_of(cache, layer).take(pa.array(rows)), path, TABLES[suffix], check)
        return (path,)
    if suffix == ".gpkg":
        from dataclasses import replace

        features = replace(cache.features(layer.ref), table=rows_of(cache, layer))
        hand_over_vector(features, VectorOrder(path, "GeoPackage", path.stem, rows))
        return (path,)
    if suffix not in ("", ENDING):
        raise CannotWrite(
            path,
            tr("lines are not written as '{suffix}'", suffix=suffix),
            tr("Choose .mgd77, .csv, .gpkg, .parquet, or a folder."),
        )
    if suffix == ENDING and len(chosen) > 1:
        raise CannotWrite(
            path,
            tr("an MGD77 file has one survey, and these are {count}", count=len(chosen)),
            tr("Name a folder instead."),
        )
    return _write_surveys(cache, layer, field, chosen, path, check)


def _write_surveys(
    cache: DataCache, layer: Layer, field: str, chosen: Sequence[tuple[str, np.ndarray]], path: Path,
    check: Callable[[], None],
) -> tuple[Path, ...]:  # fmt: skip
    sources = {each.survey: each.path for each in headers_of(layer.ref)}
    table, stored = rows_of(cache, layer), base_rows(cache, layer)
    if path.suffix == "":
        path.mkdir(parents=True, exist_ok=True)
    written = []
    for name, rows in chosen:
        check()
        rows = np.sort(rows)
        source = sources.get(name) or (next(iter(sources.values())) if len(sources) == 1 else None)
        target = path if path.suffix else path / (source.name if source is not None else f"{_file_name(name)}{ENDING}")
        if source is not None and target.resolve() == source.resolve():
            raise CannotWrite(target, tr("it is a source, and originals are read-only"), tr("Choose another folder."))
        records = _records(stored, field, name, rows) if source is not None else None
        write_survey(table.take(pa.array(rows)), target.with_suffix(ENDING), name=name, source=source, rows=records)
        written.append(target.with_suffix(ENDING))
    return tuple(written)


def _records(stored: pa.Table, field: str, name: str, rows: np.ndarray) -> np.ndarray:
    """Return which records of its own file the rows of a survey are."""
    if not field:
        return rows
    own = np.flatnonzero(pc.equal(stored.column(field), name).fill_null(False).to_numpy())
    return np.searchsorted(own, rows)


def _file_name(name: str) -> str:
    return re.sub(r"[^\w.-]+", "_", name).strip("._").lower() or "line"
