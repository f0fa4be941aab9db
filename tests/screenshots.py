"""Draws docs/screenshots anew: `python tests/screenshots.py [NAME...]`, from a copy of the demo data in a plain folder."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from dataclasses import replace
from pathlib import Path

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["BRISK_ATLAS_HOME"] = tempfile.mkdtemp()

import numpy as np
import pyogrio
from psycopg import Connection as Connecting
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QWidget

from brisk_atlas import demo
from brisk_atlas.core.connect.table_names import table_ref
from brisk_atlas.core.find import Shelves, shelves
from brisk_atlas.core.find.connections import Connection
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.inspect.guess_boreholes import boreholes_guess, interval_tables
from brisk_atlas.core.model import Columns, DataRef, Label, OpenOptions, StyleRule
from brisk_atlas.core.relief.eye import Eye, GroundSpot
from brisk_atlas.core.relief.light import Light, Lighting
from brisk_atlas.core.workspace.sketching import change_mark
from brisk_atlas.desktop import theme
from brisk_atlas.desktop.app import make_application, make_window, settle
from brisk_atlas.desktop.panes.log_canvas import LogSpot
from database_server import running
from stand_in import demo_server

HERE = Path(__file__).parents[1] / "docs" / "screenshots"
DELIVERY = Path("/home/ana/delivery_2031")
UTM = "EPSG:32727"


class Studio:
    """A window on the demo project, and what is done with it for a picture."""

    def __init__(self) -> None:
        self.window = make_window(Shelves(pinned=[DELIVERY]))
        self.window.session.asks = False
        self.window.resize(QSize(1280, 800))
        self.window.show()
        self.window.use_theme(theme.LIGHT)

    def settle(self) -> None:
        assert settle(self.window, 120)

    def demo(self, page: str = "desk") -> None:
        self.window.session.open_files([demo.PROJECT])
        self.settle()
        self.window.show_page(page)
        self.settle()

    def do(self, *commands: str) -> None:
        for command in commands:
            self.window.commands.do(command)
            self.settle()

    def choose(self, name: str, *, alone: bool = False) -> None:
        work = self.window.session.work
        layer = next(layer for layer in work.layers if layer.name == name)
        work.choose(layer.id)
        if not layer.visible:
            work.change("show", layer.id, visible=True)
        self.settle()

    def probe(self, x: float, y: float) -> None:
        self.window.desk.probe.probe(Where.at(x, y, UTM, 12.0))
        self.settle()

    def hold(self, names: dict[str, tuple[float, float]]) -> None:
        probe = self.window.desk.probe
        probe.set_scope("subject")
        for name, place in names.items():
            self.probe(*place)
            probe.hold()
            probe.held.name(len(probe.held) - 1, name)
        self.settle()

    def save(self, name: str) -> None:
        self.settle()
        for widget in self.window.findChildren(QWidget):  # there is no pointer in a picture
            widget.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, False)
        picture = self.window.grab()
        if self.window.sheet is not None and self.window.sheet.isVisible():  # a window of its own over this one
            over = self.window.sheet.grab()
            with QPainter(picture) as painter:
                painter.fillRect(picture.rect(), QColor(0, 0, 0, 90))
                painter.drawPixmap(picture.rect().center() - over.rect().center(), over)
        picture.save(str(HERE / f"{name}.png"))

    def close(self) -> None:
        self.window.session.work.load(self.window.session.work.state, None, None)
        if "record" in self.window._made:
            self.window.record.forget_edits()
        self.window.close()


def desk(s: Studio) -> None:
    s.demo()
    s.probe(510_000, 5_770_600)


def delivery(s: Studio) -> None:
    """Two deliveries of the survey's buildings, compared row by row."""
    s.window.use_theme(theme.NIGHT)
    for path in (demo.DATA / "tolvane_survey.gpkg", demo.DATA / "delivery_2032" / "tolvane_survey.gpkg"):
        s.window.session.open_refs([DataRef.file(path).with_part("buildings")])
        s.settle()
    s.window.show_page("desk")
    work = s.window.session.work
    for layer, name in zip(work.layers, ("buildings 2032", "buildings 2031")):
        work.change("rename", layer.id, name=name)
        work.change("pale", layer.id, style=replace(layer.style, fill="#4A565E"))
    s.do("change")
    pane = s.window.desk.change.delivery
    pane.compute()
    s.settle()
    pane.add_layer()
    s.settle()
    items = [pane.list.topLevelItem(row) for row in range(pane.list.topLevelItemCount())]
    pane.list.setCurrentItem(next(item for item in items if item.text(0) == "shape"))
    s.settle()
    s.window.desk.map.canvas.look(s.window.desk.map.canvas.view.zoomed(0.45, 352, 350))


def find_database(s: Studio) -> None:
    """A database of the office, a schema of it unfolded."""
    with running() as server:
        with server.connect() as link:
            for name in ("closed_zones", "buildings", "trails", "lava_flows"):
                _copy_layer(link, name)
            link.execute("COMMENT ON TABLE closed_zones IS 'Closed by the Survey Office after the eruption'")
            link.execute("CREATE VIEW large_flows AS SELECT * FROM lava_flows WHERE volume_m3 > 1e6")
            link.execute("CREATE TABLE visits (zone text, warden text, day date)")
        database = DataRef.parse(server.address_with_password)
        s.window.session.shelves.connect(Connection(database, "Survey", "Office"))
        s.window.find_page.fill_shelves()
        s.window.find_page.go_to_place(table_ref(database, "public"), choose="closed_zones")
        s.settle()
        s.save("find_database")


def _copy_layer(link: Connecting, name: str) -> None:
    """Copy a layer of the demo into a table."""
    meta, table = pyogrio.read_arrow(demo.DATA / "tolvane_survey.gpkg", layer=name)
    types = {"string": "text", "int32": "int", "int64": "bigint", "double": "float8"}
    fields = table.column_names[:-1]
    columns = [f"{field} {types.get(str(table.schema.field(field).type), 'text')}" for field in fields]
    link.execute(
        f"CREATE TABLE {name} ({', '.join(columns)}, geom geometry({meta['geometry_type'].removesuffix(' Z')}, 32727))"
    )
    marks = ", ".join(["%s"] * len(fields))
    rows = [tuple(row[field] for field in fields) + (row[table.column_names[-1]],) for row in table.to_pylist()]
    with link.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {name} VALUES ({marks}, ST_SetSRID(ST_Force2D(ST_GeomFromWKB(%s)), 32727))", rows
        )


def service(s: Studio) -> None:
    """A map service under layers of the survey, asked what is there."""
    with demo_server() as (_, server):
        s.demo()
        s.window.session.open_refs([DataRef.service("wms", f"{server.address}/wms", "sea_floor")])
        s.settle()
        s.window.session.open_refs([DataRef.service("ogcapi", f"{server.address}/", "lava_flows")])
        s.settle()
        s.window.session.open_refs([DataRef.service("wms", f"{server.address}/wms", "elevation_2029")])
        s.settle()
        s.window.session.work.show_only({layer.id for layer in s.window.session.work.layers if layer.ref.protocol})
        s.choose("elevation_2029 2")
        s.do("fit_subject")
        s.probe(508_600, 5_771_900)
        s.settle()
        s.save("service")


def time(s: Studio) -> None:
    """A variable by time and depth, where lava came to the sea."""
    s.demo()
    s.window.session.open_files([demo.DATA / "sea_temperature.nc"])
    s.settle()
    s.choose("sea_temperature")
    s.do("fit_subject")
    s.window.desk.map.along.sliders["time"].setValue(28)
    s.probe(513_400, 5_769_600)


def curtain(s: Studio) -> None:
    """The heights of two years, the change at the pointer, and its volumes."""
    s.demo()
    s.window.session.open_files([demo.DATA / "elevation_2031.tif"])
    s.settle()
    s.choose("elevation_2031")
    s.do("curtain", "change")
    s.window.desk.change.compute()
    canvas = s.window.desk.map.canvas
    canvas.look_at_centre(510_500, 5_770_300, 9.0, UTM)
    canvas.move_edge(0.47)
    s.settle()
    canvas.pointer_moved.emit(510_215.0, 5_770_615.0)
    s.settle()


def relief(s: Studio) -> None:
    """Boreholes below a ground that is seen through, lit low, tethered to the map beside it."""
    s.demo()
    session, desk = s.window.session, s.window.desk
    stated = OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing"))
    session.open_as(DataRef.file(demo.DATA / "boreholes" / "collars.csv"), stated)
    s.settle()
    layer = next(each for each in session.work.layers if each.name == "collars")
    (table,) = interval_tables(session.cache, layer, ())
    guess = boreholes_guess(session.cache.part(layer.ref).facts.fields)
    session.work.change("stand", layer.id, standing=replace(guess, intervals=table))
    s.do("relief")
    desk.side.hide()
    desk.panes.setSizes([430, 650])
    s.settle()
    pane = desk.relief
    middle = pane.scene.space.to_metres(508_900, 5_770_350)
    spot = GroundSpot(*middle, pane.scene.ground_up(*middle, 1.5))
    pane.canvas.turn(Eye.looking_at(spot, 5_600, 342, 21))
    pane.tethered.setChecked(True)
    s.settle()
    pane.canvas.turn(Eye.looking_at(spot, 5_600, 342, 21))
    pane.surfaces.solid.setValue(62)
    pane.surfaces.contours.setValue(50.0)
    pane.lights.use(Lighting((Light(280.0, 24.0, 0.85, True), Light(60.0, 60.0, 0.2)), 0.34))


def relief_cloud(s: Studio) -> None:
    """A point cloud by itself, in the colours of its classes, some of its points picked with a lasso."""
    s.window.session.open_files([demo.DATA / "harrow_bay_2031.laz"])
    s.settle()
    layer = s.window.session.work.layers[0]
    s.window.session.work.change("class", layer.id, style=replace(layer.style, colour_by="classification", size=2.0))
    s.do("relief")
    s.settle()
    desk = s.window.desk
    desk.panes.setSizes([300, 405])
    s.settle()
    canvas = desk.relief.canvas
    canvas.exaggerate(3.0)
    canvas.turn(replace(canvas.eye, azimuth=20.0, tilt=28.0))
    canvas.show_whole()
    s.settle()
    desk.relief.do("lasso")
    wide, high = canvas.width(), canvas.height()
    shape = [(0.3, 0.49), (0.36, 0.46), (0.44, 0.47), (0.46, 0.5), (0.42, 0.54), (0.34, 0.54), (0.3, 0.49)]
    canvas.area_drawn.emit(np.array(shape) * (wide, high))
    s.settle()
    canvas.take_tool(None)


def style(s: Studio) -> None:
    """Rules with a callout, and points as clusters."""
    s.demo()
    s.window.session.open_files([demo.DATA / "ash_samples.geojson"])
    s.settle()
    work = s.window.session.work
    samples = next(layer for layer in work.layers if layer.name == "ash_samples")
    work.change("clusters", samples.id, style=replace(samples.style, cluster=46.0))
    s.choose("lava_flows")
    plain = replace(work.subject.style, colour_by=None)
    new = replace(plain, fill="#C2452D", line="#C2452D", width=2.0, hatch="rising",
                  label=Label("flow_id || chr(10) || round(volume_m3 / 1e6, 1) || ' million m³'", callout=26.0))  # fmt: skip
    rules = (
        StyleRule("older", style=replace(plain, fill="#D6A32B"), otherwise=True),
        StyleRule("since 2030", "year >= 2030", new),
    )
    work.change("rules", work.subject.id, style=replace(plain, rules=rules))
    s.do("style")


def sketch(s: Studio) -> None:
    """Marks of every kind, one of them being moved."""
    s.demo()
    draw, work = s.window.desk.sketching.draw, s.window.session.work
    draw(
        "area",
        np.array([[509_300, 5_771_300], [510_500, 5_771_700], [510_900, 5_770_600], [509_700, 5_770_200]], float),
    )
    draw(
        "line",
        np.array([[507_300, 5_769_500], [508_300, 5_769_300], [509_300, 5_768_900], [510_100, 5_768_100]], float),
    )
    draw("point", np.array([[511_700, 5_772_500]], float), "vent, steaming")
    draw("text", np.array([[507_800, 5_773_000]], float), "no survey here")
    s.do("sketch")
    drawer = s.window.desk.sketch
    for row, text, note in (
        (1, "walked at low tide", ""),
        (0, "fresh ash", "Wet on 24 June; the second team measured 4 cm."),
    ):
        drawer.list.setCurrentRow(row)
        change_mark(work, drawer.layer.id, row, "text", replace(drawer.shown_sketch.marks[row], text=text, note=note))
        s.settle()
    drawer.show_mark(0)
    s.do("sketch_move")


def strip_lines(s: Studio) -> None:
    """Surveys listed beside the profile of one, which the map highlights, with the cursor on both."""
    s.demo()
    s.window.session.open_files([demo.DATA / "boat_lines"])
    s.settle()
    desk = s.window.desk
    s.do("strip", "fit_subject")
    desk.side.hide()
    s.settle()
    pane = desk.strip
    pane.lines.require("gravity", True)
    pane.content.choose(5)
    pane.choose(("depth_m", "free_air_mgal"))
    s.settle()
    pane.canvas.point_at(7_400.0)


def _holes(s: Studio) -> None:
    s.demo()
    stated = OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing"))
    s.window.session.open_as(DataRef.file(demo.DATA / "boreholes" / "collars.csv"), stated)
    s.settle()
    s.do("strip")


def strip_log(s: Studio) -> None:
    """Rock, age, photographs and logs down a hole, read at the cursor."""
    _holes(s)
    canvas = s.window.desk.log.canvas
    canvas.see(130.0, 185.0)
    s.settle()
    canvas.put_cursor(LogSpot(0, 158.0))


def strip_holes(s: Studio) -> None:
    """Three holes beside each other by their height above the sea, correlated by a marker."""
    _holes(s)
    pane = s.window.desk.log
    pane.content.choose([0, 1, 5])
    s.settle()
    for name, depth in (("TG-1", 444.0), ("TG-2", 263.0), ("TG-6", 246.0)):
        pane.deeds.add_marker("altered", name, depth)
    pane.bar.actions_by_name["from sea level"].trigger()
    s.settle()
    pane.canvas.put_cursor(LogSpot(1, 200.0))


def sheet(s: Studio) -> None:
    s.demo()
    s.choose("lava_flows")
    s.do("sheet")
    s.probe(510_000, 5_770_600)


def find(s: Studio) -> None:
    s.window.find_page.fill_shelves()
    s.window.find_page.go_to(DELIVERY, choose="elevation_2031.tif")


def record(s: Studio) -> None:
    s.demo()
    s.choose("elevation_2029")
    s.window.show_page("record")


def record_many(s: Studio) -> None:
    s.window.show_page("record")
    s.window.record.show_folder(DELIVERY)


def handover(s: Studio) -> None:
    s.demo()
    s.choose("lava_flows")
    s.window.show_page("handover")
    s.settle()
    page, layers = s.window.handover, s.window.session.work.layers
    zones = next(layer for layer in layers if layer.name == "closed_zones")
    for word, settings in (
        ("where", {"where": "year = 2031"}),
        ("compute", {"field": "km2", "expression": "area_ellipsoid() / 1e6", "unit": "km²"}),
        ("reproject", {"crs": "EPSG:4326"}),
        ("clip", {"polygons": zones.ref.as_json()}),
    ):
        page.add_step(word, settings)
        s.settle()
    page.list.choose("main", 4)
    page.write_form.path.setText("/home/ana/lava_2031.shp")
    page.write_form._path_typed()


def handover_many(s: Studio) -> None:
    folder = Path(tempfile.mkdtemp(), "deliveries")
    folder.mkdir()
    for number in range(12):
        shutil.copy(demo.DATA / "ash_samples.geojson", folder / f"ash_2031_06_{number + 10}.geojson")
    (folder / "ash_2031_06_17.geojson").write_text('{"type": "Feature')
    s.window.session.open_files([demo.DATA / "ash_samples.geojson"])
    s.settle()
    s.window.show_page("handover")
    s.settle()
    page = s.window.handover
    page.add_step("where", {"where": "thickness_mm > 20"})
    page.add_step("reproject", {"crs": "EPSG:4326"})
    page.show_many(True)
    page.batch.add([str(folder)])
    page.batch.out.setText(str(folder.with_name("handed_over")))
    page.batch.run()
    s.settle()
    page.batch.out.setText("/home/ana/handed_over")


PICTURES = (
    desk, delivery, time, find, find_database, service, curtain, relief, relief_cloud, style, sketch,
    strip_lines, strip_log, strip_holes, sheet, record, record_many, handover,
    handover_many,
)  # fmt: skip


SAVED_INSIDE = (find_database, service)  # while their server runs


def main(names: list[str]) -> None:
    DELIVERY.parent.mkdir(parents=True, exist_ok=True)
    shutil.copytree(demo.DATA, DELIVERY, dirs_exist_ok=True)
    for unplaced in DELIVERY.rglob("*.prj"):
        unplaced.unlink()
    shelves.mounted = lambda: [(Path("/media/FIELD_DISK"), "removable")]
    application = make_application()
    for make in PICTURES:
        if not names or make.__name__ in names:
            studio = Studio()
            make(studio)
            if make not in SAVED_INSIDE:
                studio.save(make.__name__)
            studio.close()
            application.processEvents()
            print(make.__name__)
    shutil.rmtree(DELIVERY)


if __name__ == "__main__":
    main(sys.argv[1:])
