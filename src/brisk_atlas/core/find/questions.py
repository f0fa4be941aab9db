"""What must be asked before a file can be opened well, each with a guess and the reason for it."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from typing import TYPE_CHECKING, NamedTuple

from brisk_atlas.core.model import (
    AtlasError,
    Columns,
    DataKind,
    DataRef,
    Dataset,
    Extent,
    Facts,
    FeatureQuery,
    OpenOptions,
    TablePart,
)
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import degrees_from, mgrs_to_degrees, proj_crs, transform_extent
from brisk_atlas.core.read.apply_options import form_of
from brisk_atlas.core.read.dbf_text import DbfText, dbf_text
from brisk_atlas.core.read.text_cloud import TextCloud
from brisk_atlas.core.read.text_form import Guess, guess_form
from brisk_atlas.core.read.vector import table_beside

from .summary import amount_text, crs_text, kind_word

if TYPE_CHECKING:
    import pyarrow as pa

LONGITUDES = ("longitude", "lon", "long", "lng", "x_lon", "lon_dd", "longitude_deg", "decimallongitude")
LATITUDES = ("latitude", "lat", "y_lat", "lat_dd", "latitude_deg", "decimallatitude")
EASTS = ("x", "easting", "east", "utm_e", "utm_x", "x_coord", "xcoord", "coord_x", "x_m", "e")
NORTHS = ("y", "northing", "north", "utm_n", "utm_y", "y_coord", "ycoord", "coord_y", "y_m", "n")
TEXTS = ("wkt", "geometry", "geom", "the_geom", "shape", "geometry_wkt")
REFERENCES = ("mgrs", "usng", "grid_ref", "gridref", "mgrs_ref")
_WKT = re.compile(r"^\s*+(?:SRID=\d+;)?\s*+(MULTI)?(POINT|LINESTRING|POLYGON|GEOMETRYCOLLECTION)\b", re.IGNORECASE)
ROWS_LOOKED_AT = 200
MOST_READ = 200_000  # rows; a larger table is judged by the names of its columns alone
MANY_PARTS = 8  # a container with more is not opened whole unasked
DEGREES = "EPSG:4326"
_NEVER = datetime.fromtimestamp(0, UTC)


class Suggestion(NamedTuple):
    """A CRS that a file without one may have, and why."""

    crs: str
    reason: str


class Neighbour(NamedTuple):
    """Something nearby whose place is known: its CRS and its west, south, east, north in degrees."""

    name: str
    crs: str
    box: tuple[float, float, float, float]


class PartChoice(NamedTuple):
    name: str
    what: str


class Question(NamedTuple):
    """What one file should be asked. `needed` is False where everything can be guessed safely, so that
    the questions are put only when the analyst wants to see them.

    `text` is how the text of a dBase table is stored, where it is more than ASCII.
    `bounds` are xmin, ymin, xmax, ymax in the file's unknown CRS, or None.
    """

    ref: DataRef
    needed: bool
    guess: OpenOptions
    form: Guess | None = None
    columns: tuple[str, ...] = ()
    columns_reason: str = ""
    asks_crs: bool = False
    crs_reason: str = ""
    suggestions: tuple[Suggestion, ...] = ()
    bounds: tuple[float, float, float, float] | None = None
    parts: tuple[PartChoice, ...] = ()
    text: DbfText | None = None


def question_about(dataset: Dataset, neighbours: Sequence[Neighbour] = ()) -> Question | None:
    """Return what to ask about a dataset before it is opened, or None where there is nothing to choose."""
    facts = [part.facts for part in dataset.parts]
    parts = _parts(dataset) if len(facts) > 1 and dataset.kind is not DataKind.SCENE else ()
    table = _table_to_place(dataset)
    form = _form(dataset)
    columns, why_columns = _columns(table) if table is not None else (None, "")
    bare = [f for f in facts if f.kind.has_place and f.crs is None and not f.unplaced]
    cloud = next((part for part in dataset.parts if isinstance(part, TextCloud)), None)
    if cloud is not None:
        columns, why_columns = cloud.columns, "by name, or the first three"
    asks_crs = bool(bare) or table is not None
    bounds = _bounds(table, columns, bare)
    suggestions, reason = _suggest(bounds, columns, neighbours) if asks_crs else ((), "")
    beside = table_beside(dataset.parts[0].ref) if dataset.parts else None
    text = dbf_text(beside) if beside is not None else None
    text = text if text and text.example else None
    if not (parts or form or asks_crs or text):
        return None
    needed = bool(bare) or bool(columns and cloud is None) or len(parts) > MANY_PARTS or _is_workbook(dataset)
    needed = needed or cloud is not None or (form is not None and not form.sure) or dataset.kind is DataKind.ARCHIVE
    guess = OpenOptions(
        crs=suggestions[0].crs if suggestions and (bare or columns) else None,
        form=form.form if form else None,
        columns=columns if columns is not None else (Columns() if table is not None else None),
        parts=tuple(part.name for part in parts) if parts else None,
    )
    fields = tuple(f.name for f in (table or cloud).facts.fields) if (table or cloud) else ()  # type: ignore[union-attr]
    return Question(
        dataset.ref, needed, guess, form, fields, why_columns, asks_crs, reason, suggestions, bounds, parts, text
    )


def placed_by_degrees(dataset: Dataset) -> OpenOptions | None:
    """Return how a table is opened whose rows are placed by columns of longitude and latitude, or by MGRS references:
    nothing else has to be known of them. None for all others."""
    question = question_about(dataset)
    columns = question.guess.columns if question is not None else None
    if question is None or not columns or question.guess.crs != DEGREES or columns.wkt:
        return None
    is_named = columns.x.lower().strip() in LONGITUDES and columns.y.lower().strip() in LATITUDES
    return replace(question.guess, parts=None) if is_named or columns.mgrs else None


def _is_workbook(dataset: Dataset) -> bool:
    return dataset.format in ("XLSX", "ODS") and len(dataset.parts) > 1


def _parts(dataset: Dataset) -> tuple[PartChoice, ...]:
    def what(facts: Facts) -> str:
        return " · ".join(text for text in (kind_word(facts), amount_text(facts), crs_text(facts)) if text)

    return tuple(PartChoice(part.facts.name, what(part.facts)) for part in dataset.parts)


def _table_to_place(dataset: Dataset) -> TablePart | None:
    """Return the table whose rows may be placed by columns: the only one, or the first of several."""
    if not dataset.kind.has_rows or dataset.kind.has_place or dataset.format in ("MGD77", "LAS 2.0 log", "dBase table"):
        return None
    return next((part for part in dataset.parts if isinstance(part, TablePart)), None)


def _form(dataset: Dataset) -> Guess | None:
    part = next((p for p in dataset.parts if form_of(p) is not None), None)
    return guess_form(part.ref.path) if part is not None else None


def _columns(table: TablePart) -> tuple[Columns | None, str]:
    """Return which columns seem to place the rows, and why; None where none do."""
    names = {f.name.lower().strip(): f.name for f in reversed(table.facts.fields)}
    rows = _some_rows(table)
    for text in [names[n] for n in TEXTS if n in names]:
        if rows is not None and _all(rows, text, lambda value: bool(_WKT.match(value))):
            return Columns(wkt=text), tr("{text} holds well-known text", text=text)
    for text in [names[n] for n in REFERENCES if n in names]:
        if rows is not None and _all(rows, text, lambda value: mgrs_to_degrees(value) is not None):
            return Columns(mgrs=text), tr("{text} holds MGRS references", text=text)
    for xs, ys, what in ((LONGITUDES, LATITUDES, "degrees"), (EASTS, NORTHS, "units of a map")):
        x, y = next((names[n] for n in xs if n in names), ""), next((names[n] for n in ys if n in names), "")
        if x and y and x != y and (rows is None or (_numeric(rows, x) and _numeric(rows, y))):
            return Columns(x=x, y=y), tr("{x} and {y} are named like {what}", x=x, y=y, what=what)
    return None, tr("no column is named like a position")


def _some_rows(table: TablePart) -> pa.Table | None:
    if (table.facts.count or 0) > MOST_READ:
        return None
    try:
        return table.rows(FeatureQuery(limit=ROWS_LOOKED_AT))
    except AtlasError:
        return None


def _all(rows: pa.Table, name: str, test: Callable[[str], bool]) -> bool:
    values = [v for v in rows.column(name).to_pylist() if v]
    return bool(values) and all(isinstance(v, str) and test(v) for v in values)


def _numeric(rows: pa.Table, name: str) -> bool:
    values = [v for v in rows.column(name).to_pylist() if v not in (None, "")]
    return bool(values) and all(
        (isinstance(v, int | float) and not isinstance(v, bool)) or (isinstance(v, str) and degrees_from(v) is not None)
        for v in values
    )


def _bounds(
    table: TablePart | None, columns: Columns | None, bare: list[Facts]
) -> tuple[float, float, float, float] | None:
    if table is not None and columns:
        return bounds_by(table, columns)
    whole = Extent.around(f.extent for f in bare if f.extent is not None)
    return whole.bounds if whole else None


def bounds_by(table: TablePart, columns: Columns) -> tuple[float, float, float, float] | None:
    """Return the bounds of a table's rows by some columns, or None where they hold no positions."""
    from brisk_atlas.core.read.apply_options import apply_options

    if (table.facts.count or 0) > MOST_READ:
        return None
    alone = Dataset(table.ref, "", DataKind.TABLE, 0, _NEVER, (), (table,))
    try:
        placed = apply_options(alone, OpenOptions(columns=columns)).parts[0].facts
    except AtlasError:
        return None
    return placed.extent.bounds if placed.extent is not None else None


def _suggest(
    bounds: tuple[float, float, float, float] | None, columns: Columns | None, neighbours: Sequence[Neighbour]
) -> tuple[tuple[Suggestion, ...], str]:
    """Return what the CRS may be, the likeliest first, and the reason for that one."""
    if columns is not None and columns.mgrs:
        return (Suggestion(DEGREES, tr("MGRS references become degrees")),), tr("MGRS references become degrees")
    if bounds is None:
        return (), tr("there is no sign of what it may be")
    found: dict[str, str] = {}
    for neighbour in neighbours:
        if neighbour.crs not in found and _overlaps(bounds, neighbour):
            found[neighbour.crs] = tr("in it the data lies on {name}", name=neighbour.name)
    xmin, ymin, xmax, ymax = bounds
    if -180 <= xmin <= xmax <= 180 and -90 <= ymin <= ymax <= 90:
        fits = tr(
            "all lies within ±180 and ±90 (x {xmin:g} to {xmax:g}, y {ymin:g} to {ymax:g})",
            xmin=xmin,
            xmax=xmax,
            ymin=ymin,
            ymax=ymax,
        )
        found = {DEGREES: fits, **found} if DEGREES not in found else found
    order = tuple(Suggestion(crs, reason) for crs, reason in found.items())
    return order, order[0].reason if order else tr("the coordinates fit nothing that is known nearby")


def _overlaps(bounds: tuple[float, float, float, float], neighbour: Neighbour) -> bool:
    try:
        if not proj_crs(neighbour.crs).is_geographic and max(map(abs, bounds)) < 400:
            return False  # degrees, taken as metres, would lie at the corner of the grid
        landed = transform_extent(Extent(*bounds, neighbour.crs), DEGREES)
    except AtlasError:
        return False
    if landed is None:
        return False
    west, south, east, north = neighbour.box
    return landed.xmin <= east and landed.xmax >= west and landed.ymin <= north and landed.ymax >= south
