"""Features by the vector library: GeoPackage and the other formats that it writes."""

from __future__ import annotations

import json
import re
import sqlite3
import warnings
from collections.abc import Iterator, Mapping
from contextlib import closing
from dataclasses import dataclass, replace
from io import BytesIO
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
import pyogrio

from brisk_atlas.core.cache.budget import give_back
from brisk_atlas.core.curate.saving import save_style_inside
from brisk_atlas.core.model import CannotWrite, DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs, same_crs
from brisk_atlas.core.system.atomic_write import reason_of

from ..flows import GEOMETRY, Flow, RowFlow
from ..row_facts import MULTI_OF, TYPES, RowFacts, promoted, with_facts
from ..step import StepContext
from .format import FileFormat, FormatOption, Loss, Report, enter
from .table_format import cut_names

WGS84 = "EPSG:4326"
SHAPE_NAME, SHAPE_TEXT, SHAPE_BYTES = 10, 254, 2_000_000_000
VECTOR = frozenset({DataKind.VECTOR})
_STYLED = re.compile(r"<(?:\w+:)?(?:PropertyName|ValueReference)>\s*([^<]+?)\s*</")  # the fields that a style names
LAYER = FormatOption("layer", "", tr("The name of the layer; that of the file if empty"))


@dataclass(frozen=True)
class Driver:
    """How the library writes a format: its driver, options by their names there, in which CRS, and what it holds."""

    driver: str
    layer_options: tuple[tuple[str, str], ...] = ()
    crs: str = ""
    one_type: bool = False
    holds_m: bool = True
    holds_none: bool = True  # features without geometry
    plain_types: bool = False  # whole numbers, numbers and text alone


def features_written(
    flow: Flow, path: Path, driver: Driver, given: Mapping[str, str], context: StepContext, report: Report,
    *, layer: str = "", append: bool = False, facts: RowFacts | None = None, memory: BytesIO | None = None,
) -> int:  # fmt: skip
    """Write features, or rows, with the vector library; returns how many. `facts` are those of rows that were computed
    already; the bytes of the file go to `memory` where that is given. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    report(0.05, tr("computing"))
    if facts is None:
        flow, facts = with_facts(flow, context.scratch, context.check)
    if driver.one_type and facts.common is None and len(facts.codes) > 1:
        raise CannotWrite(path, tr("a layer of this format holds one type of geometry, and there are several"),
                          tr("Choose GeoPackage, or leave rows of one type."))  # fmt: skip
    if driver.one_type and flow.has_shapes and facts.without_shape == facts.count:
        raise CannotWrite(
            path, tr("this format needs a geometry, and none of these rows has one"), tr("Choose GeoPackage.")
        )
    code = facts.common
    if code is not None and code in MULTI_OF.values() and len(facts.codes) > 1:
        flow = promoted(flow, code)
    report(0.5, tr("writing"))
    done = [0]
    failed: list[BaseException] = []

    def batches() -> Iterator[pa.RecordBatch]:
        try:
            for table in flow.batches():
                context.check()
                if driver.plain_types:
                    table = plainly_typed(table)
                done[0] += table.num_rows
                report(0.5 + 0.4 * done[0] / max(1, facts.count), tr("writing"))
                yield from table.to_batches()
            if not facts.are_few:
                give_back()  # what making rows took, before the library sorts them
        except BaseException as error:  # the library would make another of it
            failed.append(error)
            raise

    schema = plainly_typed(flow.schema.empty_table()).schema if driver.plain_types else flow.schema
    options = {key.upper(): value for key, value in (*driver.layer_options, *given.items()) if value != ""}
    geometry: dict[str, Any] = {}
    if flow.has_shapes:
        spatial_index = {"SPATIAL_INDEX": "NO"} if driver.driver == "FlatGeobuf" and facts.without_shape else {}
        options |= spatial_index
        geometry = {
            "geometry_name": GEOMETRY, "geometry_type": facts.type_name,
            "crs": proj_crs(flow.crs).to_wkt() if flow.crs else None,
        }  # fmt: skip
        if driver.driver == "GPKG":
            options.setdefault("GEOMETRY_NAME", "geom")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            pyogrio.write_arrow(
                pa.RecordBatchReader.from_batches(schema, batches()), memory or path, driver=driver.driver,
                layer=plain_layer_name(layer or path.stem), append=append, **geometry, **options,
            )  # fmt: skip
    except (RuntimeError, ValueError, OSError, pa.ArrowException, pyogrio.errors.DataSourceError) as error:
        if failed:
            raise failed[0] from error
        raise reason_of(error, path) from error
    return facts.count


def plain_layer_name(name: str) -> str:
    """Return a layer's name as every format can have it."""
    import re

    plain = re.sub(r"[^\w .()+-]+", "_", name).strip(" -.")
    return plain or "layer"


def plainly_typed(table: pa.Table) -> pa.Table:
    """Return rows whose fields are whole numbers, numbers and text."""
    for at, each in enumerate(table.schema):
        if each.name == GEOMETRY:
            continue
        if pa.types.is_boolean(each.type):
            table = table.set_column(at, each.name, table.column(at).cast(pa.int32()))
        elif pa.types.is_binary(each.type) or pa.types.is_nested(each.type):
            table = table.set_column(at, each.name, texts(table.column(at)))
        elif pa.types.is_temporal(each.type) and not pa.types.is_date(each.type):
            table = table.set_column(at, each.name, iso_times(table.column(at)))
    return table


def texts(column: pa.ChunkedArray) -> pa.Array:
    """Return values as text: bytes as hexadecimal digits, lists as JSON."""
    return pa.array(map(_text, column.to_pylist()), pa.string())


def _text(value: Any) -> str | None:
    if isinstance(value, list | dict):
        return json.dumps(value, ensure_ascii=False, default=str)
    return value.hex() if isinstance(value, bytes) else None if value is None else str(value)


def iso_times(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """Return dates and times as ISO 8601 texts, with their zone where they have one."""
    kind = column.type
    if pa.types.is_timestamp(kind):
        plain = column.cast(pa.timestamp(kind.unit, "UTC")).cast(pa.timestamp(kind.unit)) if kind.tz else column
        seconds = plain.cast(pa.timestamp("s"), safe=False)
        whole = pc.all(pc.equal(seconds.cast(plain.type), plain)).as_py()
        text = pc.strftime(seconds if whole else plain, format="%Y-%m-%dT%H:%M:%S")
        return pc.binary_join_element_wise(text, "Z", "") if kind.tz else text
    return column.cast(pa.string())


# What is lost


def _is(kind: pa.DataType, what: str) -> bool:
    return {
        "zone": pa.types.is_timestamp(kind) and kind.tz is not None,
        "time": pa.types.is_timestamp(kind) or pa.types.is_time(kind),
        "date": pa.types.is_temporal(kind),
        "bool": pa.types.is_boolean(kind),
        "nested": pa.types.is_nested(kind),
        "binary": pa.types.is_binary(kind) or pa.types.is_large_binary(kind),
    }[what]


def fields_that(flow: RowFlow, what: str) -> list[str]:
    """Return the fields whose type is of a kind."""
    return [each.name for each in flow.schema if each.name != GEOMETRY and _is(each.type, what)]


def common_losses(flow: RowFlow, *what: tuple[str, str]) -> list[Loss]:
    """Return a loss for each kind of type that some fields have: (kind, what becomes of it)."""
    return [
        Loss(f"{', '.join(names)}: {words}", "GeoPackage" if flow.has_shapes else "Parquet")
        for kind, words in what
        if (names := fields_that(flow, kind))
    ]


def lon_lat_loss(flow: RowFlow) -> list[Loss]:
    """Return the loss of a format that has longitude and latitude alone."""
    if flow.crs is None or same_crs(flow.crs, WGS84):
        return []
    return [Loss(tr("coordinates become longitude and latitude (EPSG:4326)"), step=("reproject", {"crs": WGS84}),
                 remedy=tr("Reproject by a chosen transformation"))]  # fmt: skip


def in_lon_lat(flow: RowFlow, context: StepContext) -> RowFlow:
    """Return features in longitude and latitude, for formats that have no other CRS."""
    from ..steps.coordinates import Reproject

    if flow.crs is None or same_crs(flow.crs, WGS84):
        return flow
    moved = Reproject(WGS84).flow(flow, context)
    assert isinstance(moved, RowFlow)
    return moved


def _shapefile_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    names = cut_names(flow.fields, SHAPE_NAME)
    cut = {name: short for name, short in names.items() if name != short}
    found = []
    if cut:
        words = ", ".join(f"{name} → {short}" for name, short in list(cut.items())[:6])
        rename = [name if name == short else f'"{name}"={short}' for name, short in names.items()]
        found.append(Loss(tr("{count:,} names of fields are cut to 10 characters: {words}", count=len(cut),
                          words=words), "GeoPackage",
                          ("fields", {"fields": rename}), tr("Rename them")))  # fmt: skip
    found += common_losses(
        flow, ("time", tr("times lose their clock or become text")), ("bool", tr("yes or no becomes 1 or 0")),
        ("nested", tr("lists become text")), ("binary", tr("bytes become text")),
    )  # fmt: skip
    if options.get("encoding", "UTF-8") != "UTF-8":
        found.append(
            Loss(
                tr("text is stored in {options}; other characters are lost", options=options["encoding"]), "GeoPackage"
            )
        )
    if flow.count is not None and flow.count * 100 > SHAPE_BYTES:
        found.append(Loss(tr("the files may become larger than the 2 GB that many programs read"), "GeoPackage"))
    return found


def _write_shapefile(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    assert isinstance(flow, RowFlow)
    names = [*cut_names(flow.fields, SHAPE_NAME).values()]

    def renamed() -> Iterator[pa.Table]:
        for table in flow.batches():
            table = plainly_typed(table)
            for name, column in zip(flow.fields, table.columns):
                if pa.types.is_string(column.type) and (pc.max(pc.binary_length(column)).as_py() or 0) > SHAPE_TEXT:
                    context.warn(tr("texts of {name} are cut to {shape_text} bytes", name=name, shape_text=SHAPE_TEXT))
            yield table.rename_columns([*names, *table.column_names[len(names) :]])

    first = plainly_typed(flow.schema.empty_table()).rename_columns(
        [*names, *flow.schema.names[len(names) :]]
    )  # fmt: skip
    made = replace(flow, schema=first.schema, batches=renamed)
    driver = Driver("ESRI Shapefile", one_type=True, layer_options=(("ENCODING", str(options["encoding"])),))
    return features_written(made, path, driver, {}, context, report)


def _simple(
    name: str, endings: tuple[str, ...], driver: Driver, losses: Any = None, options: tuple[FormatOption, ...] = (),
    about: str = "", appends: bool = False, passed: tuple[str, ...] = (), kinds: frozenset[DataKind] = VECTOR,
) -> FileFormat:  # fmt: skip
    """Return a format that the library writes as it is asked; `passed` are the options that go to it by name."""

    def write(flow: Flow, path: Path, given: Mapping[str, Any], context: StepContext, report: Report) -> int:
        assert isinstance(flow, RowFlow)
        if driver.crs:
            flow = in_lon_lat(flow, context)
        chosen = {key: _word(given[key]) for key in passed}
        return features_written(flow, path, driver, chosen, context, report, layer=str(given.get("layer", "")),
                                )  # fmt: skip

    return enter(FileFormat(name, endings, kinds, write, losses or (lambda flow, given: []), options, about, appends))


def _word(value: Any) -> str:
    return ("YES" if value else "NO") if isinstance(value, bool) else str(value)


def _geopackage_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    found = common_losses(flow, ("nested", tr("lists become text")))
    return [replace(each, other_format="GeoParquet" if flow.has_shapes else "Parquet") for each in found]


def _may(some: bool, others: bool) -> int:
    """Return how a GeoPackage states heights: 0 for none, 1 for all, 2 for some (OGC 12-128r18, table 5)."""
    return 0 if not some else 2 if others else 1


def _write_geopackage(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    assert isinstance(flow, RowFlow)
    driver = Driver("GPKG", (("SPATIAL_INDEX", "YES"),))
    layer = plain_layer_name(str(options["layer"]) or path.stem)
    flow, facts = with_facts(flow, context.scratch, context.check)
    appends = path.exists()
    memory = BytesIO() if facts.are_few and not appends else None  # the library syncs each of its steps on a disk
    count = features_written(
        flow, path, driver, {}, context, report, layer=layer, append=appends, facts=facts, memory=memory
    )
    if memory is not None:
        try:
            path.write_bytes(memory.getbuffer())
        except OSError as error:
            raise reason_of(error, path) from error
    if facts.any_m:  # of which the library states nothing
        with closing(sqlite3.connect(path)) as database, database:
            database.execute(
                "UPDATE gpkg_geometry_columns SET geometry_type_name = ?, z = ?, m = ? WHERE table_name = ?",
                (TYPES.get(facts.common or 0, "Geometry").upper(), _may(facts.any_z, facts.without_z), 2, layer),
            )
    style = flow.style() if options["style"] else ""
    missing = sorted(set(_STYLED.findall(style)) - set(flow.fields))
    if missing:
        context.warn(tr("the style is left out: it needs {missing}", missing=", ".join(missing)))
    elif style:
        save_style_inside(style, path, layer)
    return count


enter(FileFormat(
    "GeoPackage", (".gpkg",), frozenset({DataKind.VECTOR, DataKind.TABLE}), _write_geopackage, _geopackage_losses,
    (LAYER, FormatOption("style", True, tr("The look of the layer goes with it, as SLD"))),
    tr("Several layers in one file; all types, Z and M."), appends=True,
))  # fmt: skip
_simple(
    "FlatGeobuf", (".fgb",), Driver("FlatGeobuf"),
    lambda flow, given: common_losses(flow, ("nested", tr("lists become text"))),
    about=tr("One layer with an index, read quickly by area."),
)  # fmt: skip
_simple(
    "GeoJSON", (".geojson", ".json"), Driver("GeoJSON", crs=WGS84, holds_m=False, layer_options=(("RFC7946", "YES"),)),
    lambda flow, given: [*lon_lat_loss(flow), *common_losses(flow, ("date", tr("dates and times become text")),
                                                             ("binary", tr("bytes become text")))],
    (FormatOption("coordinate_precision", 7, tr("Decimals of coordinates in degrees; 7 is a centimetre")),
     FormatOption("write_bbox", False, tr("State the bounds of each feature"))),
    tr("Text that every web map reads; longitude and latitude (RFC 7946)."),
    passed=("coordinate_precision", "write_bbox"),
)  # fmt: skip
enter(FileFormat(
    "Shapefile", (".shp",), VECTOR, _write_shapefile, _shapefile_losses,
    (FormatOption("encoding", "UTF-8", tr("The encoding of its text"), ("UTF-8", "ISO-8859-1", "CP1252")),),
    tr("For programs that read nothing newer."),
))  # fmt: skip
_simple(
    "GML",
    (".gml",),
    Driver("GML", holds_m=False),
    lambda flow, given: common_losses(
        flow, ("bool", tr("yes or no becomes text")), ("binary", tr("bytes become text"))
    ),
    (LAYER,),
    tr("XML of the OGC, with a schema beside it."),
)
