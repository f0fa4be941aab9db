"""The report on a dataset of each kind: what is read for it, and all that is looked for in that."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import shapely

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import is_stream
from brisk_atlas.core.model import AtlasError, CellWindow, FeatureQuery, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.field_meanings import meanings_of
from brisk_atlas.core.record.checks import Severity
from brisk_atlas.core.table import rows_of

from . import cells, clouds, features, fields, stated
from .trust_finding import TrustFinding, TrustReport

MOST_ROWS = 500_000  # of a layer that is read by view: one in so many
MOST_CELLS = 25_000_000  # of a band; of a larger one, its middle
MOST_BANDS = 12
NO_COLOUR = ("gray", "undefined")  # what files state of a band of which nothing is known
AS_READ, PLACED = "as it is read", "a place stated"
Check = Callable[[], None]


def rows_report(cache: DataCache, layer: Layer, check: Check) -> TrustReport:
    """Return the report on features or rows, with what was joined and computed. Raises CannotRead, BadExpression."""
    facts, sampled = cache.part(layer.ref).facts, ""
    shapes, places = None, None
    if layer.kind.has_shapes and is_stream(cache, layer.ref):
        step = max(1, -(-(facts.count or MOST_ROWS) // MOST_ROWS))
        found = cache.read_features(layer.ref, FeatureQuery(step=step, limit=MOST_ROWS))
        table, wkb = found.table, found.wkb
        sampled = _sampled_text(len(table), facts.count)
    else:
        table = rows_of(cache, layer, check)
        wkb = cache.features(layer.ref).wkb if layer.kind.has_shapes else None
    check()
    if wkb is not None:
        shapes = shapely.from_wkb(wkb.to_numpy(zero_copy_only=False), on_invalid="ignore")
        there = ~(shapely.is_missing(shapes) | shapely.is_empty(shapes))
        places = np.full((len(shapes), 2), np.nan)
        places[there] = shapely.get_coordinates(shapely.centroid(shapes[there]))

    def looked() -> Iterator[TrustFinding]:
        yield from _general(cache, layer, placed=shapes is not None)
        if shapes is not None:
            yield from features.geometry_findings(shapes, table, facts.crs, check)
        yield from fields.field_findings(table, places, check)
        yield from stated.stated_findings(table, meanings_of(cache.dataset(layer.ref), layer.part), places, check)

    of_shapes = (PLACED, *features.TESTS) if shapes is not None else ()
    return TrustReport.of(layer.name, looked(), (AS_READ, *of_shapes, *fields.TESTS, stated.TEST), sampled)


def cells_report(cache: DataCache, layer: Layer, check: Check) -> TrustReport:
    """Return the report on a grid, band by band. Raises CannotRead."""
    part = cache.raster(layer.ref)
    facts, lattice = part.facts, part.facts.lattice
    grid = facts.grid
    assert grid is not None
    if grid.drawn_by_service:
        raise AtlasError(
            layer.name, tr("a service draws it, and its cells have no numbers"), tr("Look at the data behind it.")
        )
    window, sampled = lattice.whole, ""
    if lattice.rows * lattice.columns > MOST_CELLS:
        window = _middle(lattice.rows, lattice.columns)
        rows, columns = window.shape
        sampled = tr(
            "the middle {columns:,} × {rows:,} of {all_columns:,} × {all_rows:,} cells was looked at",
            columns=columns, rows=rows, all_columns=lattice.columns, all_rows=lattice.rows,
        )  # fmt: skip
    if len(grid.bands) > MOST_BANDS:
        words = tr("{count} of {whole} bands were looked at", count=MOST_BANDS, whole=len(grid.bands))
        sampled = f"{sampled}; {words}" if sampled else words

    def looked() -> Iterator[TrustFinding]:
        yield from _general(cache, layer, placed=True)
        for number, band in enumerate(grid.bands[:MOST_BANDS], 1):
            check()
            found = part.block(window, bands=(number,))
            is_picture = band.role not in ("", *NO_COLOUR) or band.centre_um is not None
            yield from cells.cell_findings(
                found, band.name, check, is_classes=bool(band.classes), is_picture=is_picture
            )
            if band.classes:
                yield from stated.class_findings(found, band)

    return TrustReport.of(layer.name, looked(), (AS_READ, PLACED, *cells.TESTS, stated.TEST), sampled)


def cloud_report(cache: DataCache, layer: Layer, check: Check) -> TrustReport:
    """Return the report on a point cloud. Raises CannotRead."""
    facts = cache.part(layer.ref).facts
    points = cache.points(layer.ref, lambda share: check())
    found = [*_general(cache, layer, placed=True), *clouds.cloud_findings(points, check)]
    some = facts.count is not None and len(points) < facts.count
    words = tr("{count:,} of {whole:,} points were looked at", count=len(points), whole=facts.count)
    sampled = words if some else ""
    return TrustReport.of(layer.name, found, (AS_READ, PLACED, *clouds.TESTS), sampled)


def _sampled_text(count: int, whole: int | None) -> str:
    if not whole:
        return tr("{count:,} features were looked at", count=count)
    return tr("{count:,} of {whole:,} features were looked at", count=count, whole=whole)


def _middle(rows: int, columns: int) -> CellWindow:
    """Return a window in the middle of a grid with about as many cells as are looked at, as wide and tall as it is."""
    share = (MOST_CELLS / (rows * columns)) ** 0.5
    tall, wide = max(1, int(rows * share)), max(1, int(columns * share))
    left, top = (columns - wide) // 2, (rows - tall) // 2
    return CellWindow(left, top, left + wide, top + tall)


def _general(cache: DataCache, layer: Layer, *, placed: bool) -> Iterator[TrustFinding]:
    """Yield what is known of a dataset without looking at its data."""
    facts = cache.part(layer.ref).facts
    if placed and facts.crs is None:
        yield TrustFinding(
            Severity.FAULT,
            PLACED,
            tr("no CRS is stated: nobody knows where it lies"),
            "completenessOmission",
            1,
            1,
            "datasets",
        )
    for words in cache.dataset(layer.ref).warnings:
        yield TrustFinding(Severity.CAUTION, AS_READ, words, "formatConsistency", 1, 1, "datasets")
