"""Features for globes, receivers and drawing boards: KML, KMZ, GPX, DXF."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import shapely
from lxml import etree

from brisk_atlas.core.model import AtlasError, CannotWrite, DataKind, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import reason_of

from ..feature_looks import FeatureLook, looks_of
from ..flows import Flow, RowFlow, in_batches
from ..geometry_column import shapes_of, with_shapes
from ..step import StepContext
from .features import Driver, common_losses, features_written, in_lon_lat, lon_lat_loss, texts
from .format import FileFormat, FormatOption, Loss, Report, enter

VECTOR = frozenset({DataKind.VECTOR})
KML = "http://www.opengis.net/kml/2.2"
EXTENSIONS = "urn:brisk-atlas:fields"  # the namespace of fields in GPX
NAME = "__name"
BEFORE_STYLE = (
    "name",
    "visibility",
    "open",
    "address",
    "phoneNumber",
    "Snippet",
    "description",
    "TimeStamp",
    "TimeSpan",
)
PLAIN = FeatureLook("#c2452d", "#c2452d", 2.0)
COLOUR = re.compile(r"#[0-9a-fA-F]{6}")
STYLE_OPTIONS = (
    FormatOption("colour", "", tr("The colour of all, #rrggbb; as the layer looks if empty")),
    FormatOption("width", 0.0, tr("How wide lines are, in pixels; as in the layer if 0")),
    FormatOption("opacity", 0.5, tr("How much areas cover, 0 to 1")),
    FormatOption("name_field", "", tr("The field that names a feature")),
    FormatOption("description_field", "", tr("The field that describes a feature")),
)


def _named(flow: RowFlow, options: Mapping[str, Any], names: Mapping[str, str]) -> RowFlow:
    """Return features with texts of chosen fields under the names that a format shows; `names` by the option."""
    chosen = {new: options[option] for option, new in names.items() if options[option]}
    strange = [name for name in chosen.values() if name not in flow.fields]
    if strange:
        raise AtlasError(
            flow.name,
            tr("it has no field {strange}", strange=strange[0]),
            tr("There are: {fields}.", fields=", ".join(flow.fields)),
        )

    def made(table: pa.Table) -> pa.Table:
        for new, name in chosen.items():
            column = texts(table.column(name))
            taken = [each for each in table.column_names if each.lower() == new.lower()]
            table = table.drop_columns(taken) if taken else table
            table = table.add_column(0, new, column)
        return table

    def batches() -> Iterator[pa.Table]:
        for table in flow.batches():
            yield made(table)

    return replace(flow, schema=made(flow.schema.empty_table()).schema, batches=batches)


def _without_empty(flow: RowFlow) -> RowFlow:
    """Return features whose empty geometries are missing ones, which the format has instead."""

    def batches() -> Iterator[pa.Table]:
        for table in flow.batches():
            shapes = shapes_of(table)
            empty = shapely.is_empty(shapes)
            shapes[empty] = None
            yield with_shapes(table, shapes) if empty.any() else table

    return replace(flow, batches=batches)


def write_kml(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write features as KML, or as KMZ by the ending, drawn as their layer or in a colour. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    if options["colour"] and not COLOUR.fullmatch(options["colour"]):
        raise AtlasError("KML", tr("“{options}” is no colour", options=options["colour"]), tr("Write such as #c2452d."))
    packed = path.suffix.lower() == ".kmz"
    plain = context.scratch / f"{path.stem}.kml" if packed else path
    looks, of_rows = [PLAIN], None
    if options["colour"]:
        looks = [FeatureLook(options["colour"], options["colour"], PLAIN.width)]
    elif flow.look is not None:
        flow, looks, of_rows = _looked(flow, flow.look, context)
    looks = [look._replace(width=options["width"] or look.width) for look in looks]
    flow = _named(
        _without_empty(in_lon_lat(flow, context)), options, {"name_field": "Name", "description_field": "description"}
    )
    count = features_written(flow, plain, Driver("LIBKML", holds_m=False), {}, context, report)
    try:
        _draw(plain, looks, of_rows, options["opacity"])
        if packed:
            with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
                out.write(plain, "doc.kml")
            plain.unlink()
    except (OSError, etree.XMLSyntaxError) as error:
        raise reason_of(error, path) from error
    return count


def _looked(
    flow: RowFlow, style: VectorStyle, context: StepContext
) -> tuple[RowFlow, list[FeatureLook], np.ndarray | None]:
    """Return features, their looks, and which one each has; without these where the style needs what is not there."""
    whole = flow.whole(context.check)
    flow = replace(flow, batches=lambda: in_batches(whole))
    try:
        looks, of_rows = looks_of(whole, style)
    except AtlasError as error:
        context.warn(tr("all are drawn alike: {reason}", reason=error.reason))
        return flow, [PLAIN], None
    return flow, looks, of_rows


def _draw(path: Path, looks: list[FeatureLook], of_rows: np.ndarray | None, opacity: float) -> None:
    """Give each placemark of a file its look, all the first one where `of_rows` is None; -1 is not shown."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
    tree = etree.parse(str(path), parser)
    root = tree.getroot()
    document = root.find(f"{{{KML}}}Document")
    if document is None:
        return
    for number, look in enumerate(looks):
        document.insert(number, _style(look, number, opacity))
    for row, placemark in enumerate(root.iter(f"{{{KML}}}Placemark")):
        number = 0 if of_rows is None else int(of_rows[row])
        if number < 0:
            _put(placemark, "visibility", "0", ("name",))
        else:
            _put(placemark, "styleUrl", f"#look{number}", BEFORE_STYLE)
    tree.write(str(path), xml_declaration=True, encoding="UTF-8")


def _style(look: FeatureLook, number: int, opacity: float) -> etree._Element:
    style = etree.Element(f"{{{KML}}}Style", id=f"look{number}")
    share = min(1.0, max(0.0, opacity))
    for kind, values in (
        ("IconStyle", (("color", _colour(look.fill, 1.0)), ("scale", "0.8"))),
        ("LineStyle", (("color", _colour(look.line, 1.0)), ("width", f"{look.width:g}"))),
        ("PolyStyle", (("color", _colour(look.fill, share)),)),
    ):
        element = etree.SubElement(style, f"{{{KML}}}{kind}")
        for name, value in values:
            etree.SubElement(element, f"{{{KML}}}{name}").text = value
    return style


def _colour(colour: str, opacity: float) -> str:
    """Return a colour as KML has it: opacity, blue, green, red."""
    return f"{round(255 * opacity):02x}{colour[5:7]}{colour[3:5]}{colour[1:3]}".lower()


def _put(placemark: etree._Element, name: str, text: str, after: tuple[str, ...]) -> None:
    """Put an element behind those that the schema wants before it, in place of one that is there."""
    for there in placemark.findall(f"{{{KML}}}{name}"):
        placemark.remove(there)
    made = etree.Element(f"{{{KML}}}{name}")
    made.text = text
    before = [child for child in placemark if etree.QName(child).localname in after]
    placemark.insert(placemark.index(before[-1]) + 1 if before else 0, made)


def write_gpx(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write points as waypoints, and lines as tracks; fields become extensions. Raises CannotWrite."""
    from gpxpy.gpx import GPX, GPXTrack, GPXTrackPoint, GPXTrackSegment, GPXWaypoint

    assert isinstance(flow, RowFlow)
    name_field = options["name_field"]
    flow = in_lon_lat(_named(flow, options, {"name_field": NAME}), context)
    made, count = GPX(), 0
    made.nsmap["atlas"] = EXTENSIONS
    for table in flow.batches():
        context.check()
        columns = {name: texts(table.column(name)).to_pylist() for name in flow.fields}
        for row, shape in enumerate(shapes_of(table)):
            about = {name: values[row] for name, values in columns.items() if values[row] is not None}
            name = about.pop(NAME, None) if name_field else None
            extensions = [_extension(key, value) for key, value in about.items() if key != name_field]
            if shape is None or shape.is_empty:
                continue
            count += 1
            if shape.geom_type == "Point":
                up = shape.z if shape.has_z else None
                point = GPXWaypoint(shape.y, shape.x, up, name=name)
                point.extensions = extensions
                made.waypoints.append(point)
                continue
            if shape.geom_type not in ("LineString", "MultiLineString"):
                raise CannotWrite(path, tr("GPX has points and lines"), tr("Leave rows of one of them."))
            track = GPXTrack(name=name)
            track.extensions = extensions
            for line in shapely.get_parts(shape):
                points = [GPXTrackPoint(y, x, *up) for x, y, *up in line.coords]
                track.segments.append(GPXTrackSegment(points))
            made.tracks.append(track)
    try:
        path.write_text(made.to_xml("1.1"), "utf-8")
    except OSError as error:
        raise reason_of(error, path) from error
    return count


def _extension(name: str, value: str) -> etree._Element:
    """Return a field as an extension: its name has what names in XML may have."""
    plain = re.sub(r"[^\w.-]", "_", name)
    element = etree.Element(f"{{{EXTENSIONS}}}{plain if plain[:1].isalpha() else '_' + plain}")
    element.text = re.sub("[\x00-\x08\x0b\x0c\x0e-\x1f]", "", value)
    return element


def write_dxf(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write geometries as a drawing, polygons as closed lines, on layers named by a field. Raises CannotWrite."""
    import ezdxf

    assert isinstance(flow, RowFlow)
    flow = _named(flow, options, {"layer_field": NAME})
    drawing, count = ezdxf.new("R2010"), 0
    space = drawing.modelspace()
    for table in flow.batches():
        context.check()
        names = table.column(NAME).to_pylist() if options["layer_field"] else [None] * table.num_rows
        for name, shape in zip(names, shapes_of(table)):
            if shape is None or shape.is_empty:
                continue
            count += 1
            layer = {"layer": re.sub(r'[<>/\\":;?*|=`]', "_", name or "0")[:255]}
            for part in shapely.get_parts(shape):
                if part.geom_type == "Point":
                    space.add_point(part.coords[0], dxfattribs=layer)
                    continue
                for line in shapely.get_rings(part) if part.geom_type == "Polygon" else [part]:
                    draw = space.add_polyline3d if line.has_z else space.add_lwpolyline
                    closed = line.is_closed
                    draw(line.coords[: -1 if closed else None], close=closed, dxfattribs=layer)
    try:
        drawing.saveas(path)
    except OSError as error:
        raise reason_of(error, path) from error
    return count


def _kml_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    return [
        *lon_lat_loss(flow),
        *common_losses(flow, ("binary", tr("bytes are left out")), ("nested", tr("lists become text"))),
    ]


def _gpx_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    return [*lon_lat_loss(flow), Loss(tr("fields become extensions, as text"), "GeoPackage")]


def _dxf_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return [Loss(tr("fields and the CRS are left out; polygons become closed lines"), "GeoPackage")]


for _name, _ending in (("KML", ".kml"), ("KMZ", ".kmz")):
    enter(
        FileFormat(
            _name, (_ending,), VECTOR, write_kml, _kml_losses, STYLE_OPTIONS, tr("For globes, as the layer looks.")
        )
    )
enter(FileFormat("GPX", (".gpx",), VECTOR, write_gpx, _gpx_losses,
                 (FormatOption("name_field", "", tr("The field that names a feature")),),
                 tr("For receivers.")))  # fmt: skip
LAYER_FIELD = FormatOption("layer_field", "", tr("The field that names the layer of a feature"))
enter(FileFormat("DXF", (".dxf",), VECTOR, write_dxf, _dxf_losses, (LAYER_FIELD,), tr("For drawings.")))
