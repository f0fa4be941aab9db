"""Draws docs/screenshots anew: `python tests/screenshots.py [NAME...]`, from a copy of the demo data in a plain folder."""

from __future__ import annotations

import os
import shutil
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from time import monotonic

os.environ["QT_QPA_PLATFORM"] = "offscreen"
os.environ["BRISK_ATLAS_HOME"] = tempfile.mkdtemp()

import pyogrio
from psycopg import Connection as Connecting
from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QColor, QPainter
from PyQt6.QtWidgets import QApplication, QWidget

from brisk_atlas import demo
from brisk_atlas.core.connect.copy import make_copy
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.outlet_filter import OutletFilter
from brisk_atlas.core.depot.postings.outlet_record import record_text
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.post_flow import post_flow
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Identity, Right
from brisk_atlas.core.depot.serving import running_postings
from brisk_atlas.core.find import Shelves, shelves
from brisk_atlas.core.handover.record_handed import record_of_source
from brisk_atlas.core.handover.sources import flow_of_part
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.inspect.guess_boreholes import boreholes_guess, interval_tables
from brisk_atlas.core.model import Columns, DataRef, Edit, OpenOptions, VectorStyle
from brisk_atlas.core.model.passwords import remember
from brisk_atlas.core.operations import WriteAlbum
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.relief.eye import Eye, GroundSpot
from brisk_atlas.core.relief.light import Light, Lighting
from brisk_atlas.core.workspace import Picks
from brisk_atlas.core.workspace.plates import Passage
from brisk_atlas.desktop import theme
from brisk_atlas.desktop.app import make_application, make_window, settle
from brisk_atlas.desktop.collector import Collector
from brisk_atlas.desktop.panes.log_canvas import LogSpot
from brisk_atlas.desktop.trust.trust_window import TrustWindow
from brisk_atlas.desktop.welcome import welcome_view
from browser import browser

HERE = Path(__file__).parents[1] / "docs" / "screenshots"
DELIVERY, DEPOT = Path("/home/ana/delivery_2031"), Path("/home/ana/depot")
UTM = "EPSG:32727"
PASSWORD = "long enough 1"


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
        if (
            self.window.questions.sheet is not None and self.window.questions.sheet.isVisible()
        ):  # a window of its own over this one
            over = self.window.questions.sheet.grab()
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


def demo_card(s: Studio) -> None:
    """The picture of the demo that the welcome shows."""
    s.demo()
    canvas = s.window.desk.map.canvas
    canvas.look_at_centre(508_900, 5_771_000, 15.0, UTM)
    s.settle()
    shown = canvas.grab()
    width = min(shown.width(), round(shown.height() * 1.6))
    cut = shown.copy(
        (shown.width() - width) // 2, (shown.height() - round(width / 1.6)) // 2, width, round(width / 1.6)
    )
    card = cut.scaled(QSize(600, 375), transformMode=Qt.TransformationMode.SmoothTransformation)
    assert card.save(str(Path(welcome_view.PICTURE)), "WEBP", 82)


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


def trust(s: Studio) -> None:
    """What was found in a cloud of points, beside the map at one of its places."""
    s.demo()
    s.choose("laser strip")
    s.do("trust")
    panel = s.window.findChild(TrustWindow)
    assert panel is not None
    panel.list.setCurrentRow(0)
    panel.on.click()
    s.settle()
    shown = s.window.grab()
    painter = QPainter(shown)
    painter.drawPixmap(QPoint(830, 200), panel.grab())
    painter.end()
    assert shown.save(str(HERE / "trust.png"), "PNG")


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


def handover(s: Studio) -> None:
    s.demo()
    s.choose("lava_flows")
    s.window.show_page("handover")
    s.settle()
    page, layers = s.window.handover.recipes, s.window.session.work.layers
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


def depot_offer(s: Studio) -> None:
    """A layer offered to colleagues and, without two fields, to everybody."""
    s.demo()
    s.choose("buildings")
    s.window.show_page("handover")
    page = s.window.handover
    page.show_half("depot")
    assert page.depot is not None
    page.depot.use_folder(DEPOT)
    page.depot.begin_offer()
    until(lambda: len(page.depot.form.columns) == 2)
    team, public = page.depot.form.columns
    for row in range(public.fields.rowCount()):
        if public.fields.item(row, 0).text() in ("people", "damage"):
            public.fields.item(row, 0).setCheckState(Qt.CheckState.Unchecked)
    public.where.setText("floors > 1")
    public.where.textEdited.emit("floors > 1")
    until(lambda: public.preview.columnCount() == 4 and "140" not in public.seen.text() and team.preview.rowCount() > 0)


def until(holds: Callable[[], bool]) -> None:
    """Let the window go on until something holds."""
    end = monotonic() + 60
    while not holds():
        QApplication.processEvents()
        assert monotonic() < end


@contextmanager
def offered() -> Iterator[tuple[DepotStore, str]]:
    """Give the store and the address of a Depot with layers of the survey, for a team and for everybody."""
    with tempfile.TemporaryDirectory() as folder:
        store = DepotStore(Path(folder) / "depot")
        for name in ("ada", "ben"):
            store.people.join(store.people.invite(["team"], by=""), name, PASSWORD)
        summary = "Each building of the four villages as surveyed after the eruption, with its use and its floors."
        for name in ("coastline", "lava_flows", "closed_zones", "buildings"):
            ref = DataRef.file(demo.DATA / "tolvane_survey.gpkg").with_part(name)
            part = open_dataset(ref).part_of(ref)
            title = name.replace("_", " ").capitalize()
            record = record_text(record_of_source(ref, title).record)
            made = post_flow(store, flow_of_part(part, name), title, owner="ada",
                             geometry_type=part.facts.geometry_type or "Unknown", record=record)  # fmt: skip
            shown = tuple(OutletField(each.name, each.name) for each in made.fields)
            store.offer(Outlet(f"{name}_team", made.id, title, shown, (("team", ALL_RIGHTS),)), by="ada")
            fewer = tuple(each for each in shown if each.name not in ("people", "damage"))
            look = VectorStyle(fill="#C2452D", line="#7A1F12") if name == "buildings" else None
            store.offer(Outlet(name, made.id, title, fewer, ((EVERYBODY, frozenset({Right.READ})),), style=look,
                               summary=summary if name == "buildings" else ""), by="ada")  # fmt: skip
        with running_postings(store, "Tolvane Survey Office") as address:
            yield store, address
        store.close()


def depot_conflict(s: Studio) -> None:
    """Features of an outlet edited on the map, one of which somebody else changed too."""
    with offered() as (store, address):
        mine, ben = address.replace("://", "://ada@"), Identity("ben", frozenset({"team"}))
        remember(mine, PASSWORD)
        work = s.window.session.work
        for count, ref in enumerate(
            [*(DataRef.service("ogcapi", mine, f"{name}_team") for name in ("coastline", "lava_flows")),
             make_copy(DataRef.service("ogcapi", mine, "buildings_team"))], 1
        ):  # fmt: skip
            s.window.session.open_refs([ref])
            until(lambda count=count: len(work.layers) == count)
        s.window.show_page("desk")
        s.settle()
        desk = s.window.desk
        work.choose(next(layer.id for layer in work.layers if layer.ref.is_copy))
        desk.side.toggle("edit")
        until(lambda: desk.edit.shown is not None)
        layer = desk.editing.layer
        names = s.window.session.cache.table(layer.ref).column("building").to_pylist()
        for building, field, value in (("B012", "floors", 3), ("B017", "use", "store"), ("B021", "damage", "roof")):
            count = len(desk.edit.shown.unsent)
            desk.editing.change_values([Edit(field, (names.index(building),), (value,))])
            until(lambda count=count: len(desk.edit.shown.unsent) == count + 1)
        shown = store.through("buildings_team", ben)
        condition = {"op": "=", "args": [{"property": "building"}, "B012"]}
        (row,) = shown.page(RowsAsked(filter=OutletFilter(condition)), 2)
        store.change_row("buildings_team", ben, row.name, row.state, {"floors": 4, "damage": "walls"})
        until(lambda: any(each.in_conflict for each in desk.edit.shown.unsent))
        work.pick(Picks(layer.id, (names.index("B012"),)))
        desk.map.fit_picked()
        s.settle()
        view = desk.map.canvas.view
        desk.map.canvas.look_at_centre(view.x, view.y, 0.35, view.crs)
        desk.editing.map.take_tool("move")
        s.settle()
        until(lambda: desk.map.canvas.tool.current is not None and desk.edit.shown.picked is not None)
        desk.editing.ask(next(each for each in desk.edit.shown.unsent if each.in_conflict))
        form = desk.editing.form
        until(form.isVisible)
        picture = s.window.grab()
        with QPainter(picture) as painter:
            painter.drawPixmap(QPoint(270, 500), form.grab())
        picture.save(str(HERE / "depot_conflict.png"))
        form.reject()


def depot_page(s: Studio) -> None:
    """What everybody sees of an outlet in a browser."""
    with offered() as (_, address), browser(width=1280, height=940) as page:
        page.get(f"{address}/pages/buildings")
        waiting = "return [...document.querySelectorAll('#map .sheet img')].every((i) => i.complete)"
        until(lambda: bool(page.execute_script(waiting)))
        page.save_screenshot(str(HERE / "depot_page.png"))


def _album(s: Studio) -> None:
    """Capture the slopes before and after the eruption, buildings that were damaged, and rows of gas readings."""
    s.demo()
    s.window.session.open_files([demo.DATA / "elevation_2031.tif"])
    s.settle()
    work, desk = s.window.session.work, s.window.desk
    s.choose("elevation_2031")
    s.do("curtain")
    desk.map.canvas.look_at_centre(510_500, 5_770_300, 9.0, UTM)
    s.do("capture")
    s.do("curtain")
    s.choose("buildings")
    desk.map.canvas.look_at_centre(510_380, 5_769_700, 1.6, UTM)
    s.do("capture")
    s.choose("gas_readings")
    s.do("sheet")
    desk.sheet.grid.setFocus()
    s.do("capture")
    s.do("sheet")
    album = work.state.album
    ground, harrow, rows = album.plates
    said = "Ground at **Harrow Bay**: the flow of 2031 stands up to 30 m above the valley of 2029, and made new land."
    album = album.changed(ground._replace(title="The ground before and after", caption=said))
    said = "Houses of Harrow Landing by use. Click one for what the survey noted."
    album = album.changed(harrow._replace(title="Harrow Landing", caption=said))
    album = album.changed(rows._replace(title="Gas readings"))
    first = Passage(
        album.free_id(), "What this shows", "Tolvane Survey Office flew the coast in 2029 and again in 2031."
    )
    album = album._replace(title="Mount Serrick, 2029 to 2031", summary="What the eruption changed.",
                           items=(first, *album.items))  # fmt: skip
    work.change_album("album", album)
    s.do("album")
    s.window.notice.hide()


def album(s: Studio) -> None:
    """The album in the window."""
    _album(s)
    view = s.window.handover.album
    assert view is not None
    view.choose(view.album.plates[0].id)


def album_page(s: Studio) -> None:
    """The same album in a browser."""
    _album(s)
    with tempfile.TemporaryDirectory() as folder, browser(width=1280, height=1000) as page:
        path = Path(folder) / "album.html"
        WriteAlbum(path).run(s.window.session.workspace)
        page.get(path.as_uri())
        page.save_screenshot(str(HERE / "album_page.png"))


def _site(s: Studio, out: Path) -> None:
    """Make the site of the delivery."""
    s.do("catalogue")
    view = s.window.handover.catalogue
    assert view is not None
    view.source.setEditText(str(DELIVERY))
    view.title.setText("Tolvane Survey Office: data")
    view.summary.setPlainText("What was measured before and after the eruption of Mount Serrick in 2031.")
    view.out.setText(str(out))
    s.settle()
    view.build()
    s.settle()


def catalogue(s: Studio) -> None:
    """A site of a folder, made once, and the folder after one dataset changed."""
    out = Path("/home/ana/site")
    _site(s, out)
    view = s.window.handover.catalogue
    assert view is not None
    (DELIVERY / "vents.kml").touch()
    view.address.setText("")
    view.look_ahead()
    s.settle()
    shutil.rmtree(out)


def catalogue_site(s: Studio) -> None:
    """The search of the site in a browser."""
    with tempfile.TemporaryDirectory() as folder, browser(width=1280, height=940) as page:
        _site(s, Path(folder) / "site")
        page.get((Path(folder) / "site" / "index.html").as_uri() + "#words=erupt")
        page.refresh()
        until = monotonic() + 20
        while not page.find_elements("css selector", "#results li") and monotonic() < until:
            pass
        page.execute_script("pointed = found[1]; map.draw()")
        page.save_screenshot(str(HERE / "catalogue_site.png"))


def paper(s: Studio) -> None:
    """A map on paper, a page for each closed zone."""
    _album(s)
    view = s.window.handover.album
    assert view is not None
    view.choose(view.album.plates[0].id)
    s.do("curtain")
    s.window.show_page("desk")
    s.window.desk.map.canvas.look_at_centre(510_000, 5_770_300, 12.0, UTM)
    s.settle()
    s.do("curtain", "paper")
    s.settle()
    paper = view.paper_view
    zones = next(n for n in range(paper.form.pages.count()) if "closed_zones" in paper.form.pages.itemText(n))
    paper.form.pages.setCurrentIndex(zones)
    paper.form.pages.activated.emit(zones)
    s.settle()
    paper.form.grid.setCurrentIndex(1)
    paper.form.grid.activated.emit(1)
    paper.page.choose("legend")


PICTURES = (
    desk, delivery, find, trust, curtain, relief, depot_offer, depot_conflict, depot_page,
    strip_lines, strip_log, sheet, record, handover, album, album_page,
    catalogue, catalogue_site, paper, demo_card,
)  # fmt: skip


SAVED_INSIDE = (demo_card, trust, depot_conflict, depot_page, album_page, catalogue_site)  # while their server runs


def main(names: list[str]) -> None:
    DELIVERY.parent.mkdir(parents=True, exist_ok=True)
    shutil.copytree(demo.DATA, DELIVERY, dirs_exist_ok=True)
    for unplaced in DELIVERY.rglob("*.prj"):
        unplaced.unlink()
    shelves.mounted = lambda: [(Path("/media/FIELD_DISK"), "removable")]
    application = make_application()
    collector = Collector(application)  # a window that is closed is not taken apart by a thread of its own work
    collector.start()
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
    shutil.rmtree(DEPOT, ignore_errors=True)


if __name__ == "__main__":
    main(sys.argv[1:])
