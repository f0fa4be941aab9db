"""Features for globes, receivers and drawing boards: KML, KMZ, GPX, DXF."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow as pa
import shapely
from lxml import etree

from brisk_atlas.core.model import AtlasError, CannotWrite, DataKind
from brisk_atlas.core.system.atomic_write import reason_of

from ..flows import Flow, RowFlow
from ..geometry_column import shapes_of
from ..step import StepContext
from .features import Driver, common_losses, features_written, in_lon_lat, lon_lat_loss, texts
from .format import FileFormat, FormatOption, Loss, Report, enter

VECTOR = frozenset({DataKind.VECTOR})
KML = "http://www.opengis.net/kml/2.2"
EXTENSIONS = "urn:brisk-atlas:fields"  # the namespace of fields in GPX
NAME = "__name"
COLOUR = re.compile(r"#[0-9a-fA-F]{6}")
STYLE_OPTIONS = (
    FormatOption("colour", "#c2452d", "The colour of lines, areas and marks, #rrggbb"),
    FormatOption("width", 2.0, "How wide lines are, in pixels"),
    FormatOption("opacity", 0.5, "How much areas cover, 0 to 1"),
    FormatOption("name_field", "", "The field that names a feature"),
    FormatOption("description_field", "", "The field that describes a feature"),
)


def _named(flow: RowFlow, options: Mapping[str, Any], names: Mapping[str, str]) -> RowFlow:
    """Return features with texts of chosen fields under the names that a format shows; `names` by the option."""
    chosen = {new: options[option] for option, new in names.items() if options[option]}
    strange = [name for name in chosen.values() if name not in flow.fields]
    if strange:
        raise AtlasError(flow.name, f"it has no field {strange[0]}", f"There are: {', '.join(flow.fields)}.")

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


def write_kml(flow: Flow, path: Path, options: Mapping[str, Any], context: StepContext, report: Report) -> int:
    """Write features as KML, or as KMZ by the ending, drawn in a colour. Raises CannotWrite."""
    assert isinstance(flow, RowFlow)
    if not COLOUR.fullmatch(options["colour"]):
        raise AtlasError("KML", f"“{options['colour']}” is no colour", "Write such as #c2452d.")
    packed = path.suffix.lower() == ".kmz"
    plain = context.scratch / f"{path.stem}.kml" if packed else path
    flow = _named(in_lon_lat(flow, context), options, {"name_field": "Name", "description_field": "description"})
    count = features_written(flow, plain, Driver("LIBKML", holds_m=False), {}, context, report)
    try:
        _draw(plain, options)
        if packed:
            with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
                out.write(plain, "doc.kml")
            plain.unlink()
    except (OSError, etree.XMLSyntaxError) as error:
        raise reason_of(error, path) from error
    return count


def _draw(path: Path, options: Mapping[str, Any]) -> None:
    """Give all placemarks of a file one style."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True, huge_tree=True)
    tree = etree.parse(str(path), parser)
    root = tree.getroot()
    document = root.find(f"{{{KML}}}Document")
    if document is None:
        return
    red, green, blue = (options["colour"][i : i + 2].lower() for i in (1, 3, 5))
    whole, part = (
        f"ff{blue}{green}{red}",
        f"{round(255 * min(1.0, max(0.0, options['opacity']))):02x}{blue}{green}{red}",
    )
    style = etree.Element(f"{{{KML}}}Style", id="look")
    for kind, values in (
        ("IconStyle", (("color", whole), ("scale", "0.8"))),
        ("LineStyle", (("color", whole), ("width", f"{options['width']:g}"))),
        ("PolyStyle", (("color", part),)),
    ):
        element = etree.SubElement(style, f"{{{KML}}}{kind}")
        for name, value in values:
            etree.SubElement(element, f"{{{KML}}}{name}").text = value
    document.insert(0, style)
    for placemark in root.iter(f"{{{KML}}}Placemark"):
        address = etree.Element(f"{{{KML}}}styleUrl")
        address.text = "#look"
        after = [child for child in placemark if etree.QName(child).localname in
                 ("name", "visibility", "open", "address", "phoneNumber", "Snippet", "description", "TimeStamp",
                  "TimeSpan")]  # fmt: skip
        placemark.insert(placemark.index(after[-1]) + 1 if after else 0, address)
    tree.write(str(path), xml_declaration=True, encoding="UTF-8")


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
                raise CannotWrite(path, "GPX has points and lines", "Leave rows of one of them.")
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
        *common_losses(flow, ("binary", "bytes are left out"), ("nested", "lists become text")),
    ]


def _gpx_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    assert isinstance(flow, RowFlow)
    return [*lon_lat_loss(flow), Loss("fields become extensions, as text", "GeoPackage")]


def _dxf_losses(flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
    return [Loss("fields and the CRS are left out; polygons become closed lines", "GeoPackage")]


for _name, _ending in (("KML", ".kml"), ("KMZ", ".kmz")):
    enter(FileFormat(_name, (_ending,), VECTOR, write_kml, _kml_losses, STYLE_OPTIONS, "For globes, with a colour."))
enter(FileFormat("GPX", (".gpx",), VECTOR, write_gpx, _gpx_losses,
                 (FormatOption("name_field", "", "The field that names a feature"),), "For receivers."))  # fmt: skip
LAYER_FIELD = FormatOption("layer_field", "", "The field that names the layer of a feature")
enter(FileFormat("DXF", (".dxf",), VECTOR, write_dxf, _dxf_losses, (LAYER_FIELD,), "For drawings."))
