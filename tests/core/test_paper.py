"""Maps on paper: scales that are true, places that are stated, the same page as PDF, SVG and pixels."""

from __future__ import annotations

import io
import json
import re
from dataclasses import replace

import numpy as np
import pikepdf
import pyogrio
import pypdfium2
import pyproj
import pytest
import rasterio
import shapely
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from reportlab.pdfbase import pdfmetrics

from brisk_atlas import cli, demo
from brisk_atlas.core.album.pdf_file import album_pdf
from brisk_atlas.core.draw.png import png_bytes
from brisk_atlas.core.model import (
    AtlasError,
    Blend,
    CannotWrite,
    DataKind,
    Extent,
    GridStyle,
    Label,
    Layer,
    Stretch,
    VectorStyle,
)
from brisk_atlas.core.operations import WriteAlbum, WritePaper
from brisk_atlas.core.operations.album_content import content_of, map_view
from brisk_atlas.core.operations.paper_content import paper_content
from brisk_atlas.core.operations.write_paper import pdf_of, png_of, svg_of
from brisk_atlas.core.paper.box import PageBox
from brisk_atlas.core.paper.layout import BlockKind, PagesByFeature, PaperBlock, PaperGrid, PaperSize, round_scale
from brisk_atlas.core.paper.lettering import broken, letter_paths, shortened, text_width
from brisk_atlas.core.paper.map_frame import scale_to_fit, view_on_paper
from brisk_atlas.core.paper.moving import edges_beside, moved, resized
from brisk_atlas.core.paper.pdf_fonts import register_fonts
from brisk_atlas.core.place import ground_metres
from brisk_atlas.core.workspace import project_file
from brisk_atlas.core.workspace.comparison import Comparison, Way
from brisk_atlas.core.workspace.plate_paper import first_paper
from brisk_atlas.core.workspace.plate_sources import sources_of
from brisk_atlas.core.workspace.plates import Album, Plate, PlateKind, PlateSource, PlateView
from brisk_atlas.core.workspace.work import Work
from brisk_atlas.core.workspace.workspace import Workspace
from browser import browser, needs_browser
from made_files import at

UTM = "EPSG:32727"
HOSTILE = "<b>Ülö &amp; ]]></b> 'x' \"y\" \u202eback {page} \x07"
RED = np.array((200, 0, 0))


@pytest.fixture
def workspace(home):
    made = Workspace()
    yield made
    made.close()


def bars_file(path, crs, x, y, apart):
    """Write two thin upright bars, so far apart in units of a CRS, about a place."""
    bars = [shapely.box(x + side * apart / 2 - apart / 100, y - apart / 4, x + side * apart / 2 + apart / 100, y + apart / 4)
            for side in (-1, 1)]  # fmt: skip
    pyogrio.raw.write(path, np.array(shapely.to_wkb(bars)), [np.array(["west", "east"], object)], ["name"],
                      geometry_type="Polygon", crs=crs, driver="GPKG")  # fmt: skip
    return path


def plate_of(layers, crs, x, y, resolution, width=800, height=500, **others):
    view = PlateView(tuple(layers), (), None, crs, None, x, y, resolution, 0.0, width, height)
    return Plate("p1", others.pop("title", "Survey"), PlateKind.MAP, view._replace(**others), captured="2031-05-04T10:00:00",
                 sources=(PlateSource("a", "bars", "Tolvane Survey Office"),))  # fmt: skip


def red_layer(path, name="bars", **style):
    looks = {"fill": "#c80000", "line": "#c80000", "width": 0.0} | style
    return Layer(name, name, at(path, name if path.suffix == ".gpkg" else None), DataKind.VECTOR, VectorStyle(**looks))


def printed(pdf, dots=300, page=0):
    """Return a page of a PDF in pixels, as another library draws it."""
    document = pypdfium2.PdfDocument(pdf)
    return np.asarray(document[page].render(scale=dots / 72).to_pil().convert("RGB")).astype(int)


def bars_apart(cells, block, dots):
    """Return how many pixels the two red bars are apart in the map."""
    x0, y0, x1, y1 = (round(each * dots / 25.4) for each in (block.x, block.y, block.box.right, block.box.bottom))
    cells = cells[y0:y1, x0:x1]
    red = (np.abs(cells - RED).sum(axis=2) < 120).sum(axis=0)
    columns = np.flatnonzero(red > red.max() / 2)
    return columns[columns > columns.mean()].mean() - columns[columns < columns.mean()].mean()


PLACES = {
    "metres": (UTM, 509_000.0, 5_770_000.0, 4_000.0),
    "stretched": ("EPSG:3857", -2_320_000.0, -4_620_000.0, 5_000.0),
    "degrees": ("EPSG:4326", -20.9, -38.2, 0.05),
    "feet": ("EPSG:2263", 1_000_000.0, 200_000.0, 9_000.0),
}


@pytest.mark.parametrize("form", ["pdf", "png", "svg"])
@pytest.mark.parametrize("name", PLACES)
def test_scale_and_bar_are_true_on_paper(workspace, tmp_path, name, form):
    """Against lengths on the ellipsoid, which another library measures."""
    crs, x, y, apart = PLACES[name]
    layer = red_layer(bars_file(tmp_path / "bars.gpkg", crs, x, y, apart))
    plate = plate_of([layer], crs, x, y, apart * 1.4 / 800)
    content = paper_content(workspace, plate)
    faults = {}
    if form == "pdf":
        cells = printed(pdf_of(workspace, content, faults))
    elif form == "png":
        data = png_of(workspace, content, 0, faults)
        image = Image.open(io.BytesIO(data))
        assert image.info["dpi"] == pytest.approx((300, 300), abs=0.01) and image.size == (3508, 2480)
        cells = np.asarray(image.convert("RGB")).astype(int)
    else:
        cells = from_svg(svg_of(workspace, content, 0, faults), tmp_path)
    assert not faults
    dots = cells.shape[1] / 297 * 25.4
    on_paper = bars_apart(cells, content.paper.of_kind(BlockKind.MAP)[0], dots) / dots * 0.0254
    to_degrees = pyproj.Transformer.from_crs(crs, pyproj.CRS(crs).geodetic_crs, always_xy=True)
    ends = [to_degrees.transform(x + side * apart / 2, y) for side in (-1, 1)]
    ground = pyproj.CRS(crs).get_geod().inv(*ends[0], *ends[1])[2]
    (page,) = content.pages
    assert round_scale(page.scale) == page.scale
    assert on_paper * page.scale == pytest.approx(ground, rel=0.005)
    bar = next(each for each in content.paper.blocks if each.kind is BlockKind.SCALE_BAR)
    assert bar_length(cells, bar, dots) * page.scale == pytest.approx(stated_length(workspace, content), rel=0.012)


def from_svg(data, tmp_path):
    """Return an SVG in pixels, as a browser draws it."""
    needs_browser()
    path = tmp_path / "page.svg"
    path.write_bytes(data)
    with browser(width=1400, height=1100) as found:
        found.get(path.as_uri())
        return np.asarray(Image.open(io.BytesIO(found.get_screenshot_as_png())).convert("RGB")).astype(int)[:794, :1123]


def bar_length(cells, block, dots):
    """Return the length of the bar on paper in metres: of its dark and clear parts together."""
    per_mm = dots / 25.4
    rows = slice(round(block.y * per_mm), round((block.y + block.height) * per_mm))
    dark = cells[rows, round(block.x * per_mm) : round((block.x + block.width) * per_mm)].max(axis=2) < 130
    row = dark[np.argmax(dark.sum(axis=1))]
    filled = np.flatnonzero(row)
    return (filled[-1] - filled[0] + 1) / dots * 0.0254


def stated_length(workspace, content):
    """Return the length that is written at the bar, from the letters of the PDF."""
    text = pypdfium2.PdfDocument(pdf_of(workspace, content, {}))[0].get_textpage().get_text_range()
    number, unit = re.search(r"(?:^|\s)([\d.]+) (k?m)\b", text).groups()
    return float(number) * (1000 if unit == "km" else 1)


@pytest.mark.parametrize("name", PLACES)
@pytest.mark.parametrize("turn", [0.0, 25.0])
def test_a_pdf_states_where_its_map_lies(workspace, tmp_path, name, turn):
    """ISO 32000-2: corners of the map as latitudes and longitudes, in the middle of which the bars are found again."""
    crs, x, y, apart = PLACES[name]
    layer = red_layer(bars_file(tmp_path / "bars.gpkg", crs, x, y, apart))
    plate = plate_of([layer], crs, x, y, apart * 1.4 / 800, turn=turn)
    content = paper_content(workspace, plate)
    pdf = pikepdf.open(io.BytesIO(pdf_of(workspace, content, {})))
    (view,) = pdf.pages[0].VP
    measure = view.Measure
    assert measure.Subtype == "/GEO" and [float(v) for v in measure.LPTS] == [0, 0, 0, 1, 1, 1, 1, 0]
    assert pyproj.CRS(str(measure.GCS.WKT)).equals(pyproj.CRS(crs), ignore_axis_order=True) or measure.GCS.EPSG
    assert int(measure.GCS.EPSG) == pyproj.CRS(crs).to_epsg()
    block = content.paper.of_kind(BlockKind.MAP)[0]
    sides = np.array([block.x, 210 - block.box.bottom, block.box.right, 210 - block.y]) * 72 / 25.4
    assert np.allclose([float(v) for v in view.BBox], sides, atol=0.01)
    corners = np.array([float(v) for v in measure.GPTS]).reshape(4, 2)[:, ::-1]
    from_degrees = pyproj.Transformer.from_crs(pyproj.CRS(crs).geodetic_crs, crs, always_xy=True)
    xy = np.column_stack(from_degrees.transform(*corners.T))
    assert np.allclose(xy.mean(axis=0), (x, y), atol=apart / 2000)
    seen = view_on_paper(block.box, crs, (x, y), content.pages[0].scale, turn)
    wide, high = np.hypot(*(xy[3] - xy[0])), np.hypot(*(xy[1] - xy[0]))
    px = 25.4 / 96
    assert wide == pytest.approx(block.width / px * seen.resolution, rel=1e-6)
    assert high == pytest.approx(block.height / px * seen.resolution, rel=1e-6)
    across = xy[3] - xy[0]
    assert np.degrees(np.arctan2(across[1], across[0])) == pytest.approx(turn, abs=1e-6)


@pytest.fixture
def rich(workspace, tmp_path):
    """A plate with a grid, areas in classes with labels, lines, points, opacity, and a layer that darkens."""
    survey = demo.DATA / "tolvane_survey.gpkg"
    looks = {
        "gas_readings": None,
        "buildings": VectorStyle(fill="#2244aa", width=0.5),
        "closed_zones": VectorStyle(fill="#ffffff", line="#c2452d", hatch="rising", width=2.0, label=Label("name")),
        "trails": VectorStyle(line="#ffffff", width=2.0, casing=1.0, casing_colour="#000000", dash=(8.0, 4.0)),
        "lava_flows": VectorStyle(colour_by="year", method="unique"),
    }
    layers = [Layer(name, name, at(survey, name), DataKind.VECTOR, style) for name, style in looks.items() if style]
    layers[2] = replace(layers[2], opacity=0.6)
    layers[3] = replace(layers[3], blend=Blend.MULTIPLY)
    ground = Layer(
        "ground",
        "ground",
        at(demo.DATA / "elevation_2029.tif", "elevation_2029"),
        DataKind.RASTER,
        GridStyle(shade=0.7),
    )
    return plate_of([*layers, ground], UTM, 510_000.0, 5_770_000.0, 9.0, title="Harrow Bay")


def test_pdf_svg_and_pixels_are_one_picture(workspace, rich, tmp_path):
    paper = first_paper(rich)._replace(grid=PaperGrid.GEOGRAPHIC, dots=150)
    content = paper_content(workspace, rich._replace(paper=paper))
    faults = {}
    pdf = printed(pdf_of(workspace, content, faults), 150)
    png = np.asarray(Image.open(io.BytesIO(png_of(workspace, content, 0, faults))).convert("RGB")).astype(int)
    svg = from_svg(svg_of(workspace, content, 0, faults), tmp_path)
    assert not faults
    height, width = min(pdf.shape[0], png.shape[0]), min(pdf.shape[1], png.shape[1])
    assert np.abs(pdf[:height, :width] - png[:height, :width]).mean() < 3.5  # of 255
    small = [np.asarray(Image.fromarray(each.astype(np.uint8)).resize((500, 353), Image.Resampling.BOX)).astype(int)
             for each in (pdf, png, svg)]  # fmt: skip
    for other in small[1:]:
        apart = np.abs(small[0] - other)
        assert apart.mean() < 2.0 and (apart.max(axis=2) > 60).mean() < 0.006
    assert (np.abs(small[0] - 255).max(axis=2) > 20).mean() > 0.2  # of the page is map


def test_a_pdf_has_its_letters_layers_and_fonts(workspace, rich):
    data = pdf_of(workspace, paper_content(workspace, rich), {})
    text = pypdfium2.PdfDocument(data)[0].get_textpage().get_text_range()
    for words in (
        "Harrow Bay",
        "1 : 50,000",
        "EPSG:32727",
        "Serrick crater",
        "Tolvane Survey Office",
        "lava_flows",
        "2031",
    ):
        assert words in text
    pdf = pikepdf.open(io.BytesIO(data))
    names = [str(each.Name) for each in pdf.Root.OCProperties.OCGs]
    assert set(names) == {"ground", "lava_flows", "trails", "closed_zones", "buildings"} and len(names) == 5
    fonts = [font for font in pdf.pages[0].Resources.Font.values() if "/FontDescriptor" in font]
    assert fonts and all("/FontFile2" in font.FontDescriptor for font in fonts)
    assert b"/tmp" not in data and str(demo.DATA).encode() not in data
    forms = [form for form in pdf.pages[0].Resources.XObject.values() if form.get("/Subtype") == "/Form"]
    assert len([form for form in forms if "/OC" in form]) >= 5
    vectors = b"".join(form.read_bytes() for form in forms)
    assert vectors.count(b" l\n") > 500  # shapes are shapes


def test_hostile_words_are_text_in_every_form(workspace, tmp_path, rich):
    layer = replace(rich.view.layers[3], name=HOSTILE)
    plate = rich._replace(title=HOSTILE, view=rich.view._replace(layers=(layer,)),
                          sources=(PlateSource("a", HOSTILE, HOSTILE),))  # fmt: skip
    content = paper_content(workspace, plate)
    svg = svg_of(workspace, content, 0, {}).decode()
    assert "<b>" not in svg and "&lt;b&gt;" in svg
    assert is_xml(svg)
    pdf = pikepdf.open(io.BytesIO(pdf_of(workspace, content, {})))
    assert str(pdf.Root.OCProperties.OCGs[0].Name).startswith("<b>")
    text = pypdfium2.PdfDocument(pdf_of(workspace, content, {}))[0].get_textpage().get_text_range()
    assert "<b>Ülö" in text
    assert png_of(workspace, content, 0, {}).startswith(b"\x89PNG")


def is_xml(svg):
    """Return whether a text is XML that can be read."""
    from lxml import etree

    return etree.fromstring(svg.encode()).tag.endswith("svg")


def test_an_album_has_its_maps_as_shapes_where_they_are_as_they_were(workspace, rich, tmp_path):
    """Beside the same album of pictures alone."""
    seen = map_view(rich.view)
    sharp = replace(seen, resolution=seen.resolution / 2, width=1600, height=1000, density=2.0)
    drawn = workspace.painter.frame(list(rich.view.layers)[::-1], sharp)
    plate = rich._replace(
        picture=png_bytes(drawn.image, (255, 255, 255)), density=2.0, sources=sources_of(rich.view.shown)
    )
    workspace.work.change_album("album", Album("Crew", "", (plate,)))
    WriteAlbum(tmp_path / "maps.pdf").run(workspace)
    shapes = (tmp_path / "maps.pdf").read_bytes()
    pictures = album_pdf(content_of(workspace, workspace.work.state.album))
    small = [np.asarray(Image.fromarray(printed(each, 150).astype(np.uint8)).resize((400, 566), Image.Resampling.BOX))
             for each in (shapes, pictures)]  # fmt: skip
    apart = np.abs(small[0].astype(int) - small[1])
    assert apart.mean() < 2.5 and (apart.max(axis=2) > 80).mean() < 0.01
    pdf = pikepdf.open(io.BytesIO(shapes))
    (view,) = pdf.pages[0].VP
    degrees = np.array([float(v) for v in view.Measure.GPTS]).reshape(4, 2)[:, ::-1]
    xy = np.column_stack(pyproj.Transformer.from_crs("EPSG:4326", UTM, always_xy=True).transform(*degrees.T))
    extent = seen.extent
    assert np.allclose(xy[0], (extent.xmin, extent.ymin), atol=0.01)
    assert np.allclose(xy[2], (extent.xmax, extent.ymax), atol=0.01)
    assert {str(each.Name) for each in pdf.Root.OCProperties.OCGs} >= {"trails", "closed_zones"}
    old = plate._replace(sources=tuple(each._replace(fingerprint="other") for each in plate.sources))
    workspace.work.change_album("album", Album("Crew", "", (old,)))
    WriteAlbum(tmp_path / "old.pdf").run(workspace)
    with pikepdf.open(tmp_path / "old.pdf") as changed:
        assert "/VP" not in changed.pages[0]


# Pages by features


def test_a_page_for_each_feature_at_a_round_scale_that_fits(workspace, rich):
    pages = PagesByFeature("closed_zones", "name", "name")
    paper = first_paper(rich).by_feature(pages)
    content = paper_content(workspace, rich._replace(paper=paper))
    table = pyogrio.read_dataframe(demo.DATA / "tolvane_survey.gpkg", layer="closed_zones")
    assert [page.name for page in content.pages] == sorted(table.name)
    box = paper.of_kind(BlockKind.MAP)[0].box
    for page, row in zip(content.pages, table.sort_values("name").itertuples()):
        assert page.scale == round_scale(page.scale)
        view = view_on_paper(box, UTM, page.centre, page.scale)
        xmin, ymin, xmax, ymax = row.geometry.bounds
        (left, top), (right, bottom) = view.to_pixel(xmin, ymax), view.to_pixel(xmax, ymin)
        assert left > 0 and top > 0 and right < view.width and bottom < view.height
        closer = {1.0: 0.5, 2.0: 0.5, 2.5: 0.8, 5.0: 0.5}[float(f"{page.scale:e}"[:3])]
        tight = view_on_paper(box, UTM, page.centre, page.scale * closer)
        assert (xmax - xmin) / tight.resolution > 0.83 * tight.width or (
            ymax - ymin
        ) / tight.resolution > 0.83 * tight.height
    document = pypdfium2.PdfDocument(pdf_of(workspace, content, {}))
    texts = [page.get_textpage().get_text_range() for page in document]
    assert len(texts) == len(table) and [each.title for each in bookmarks(document)] == sorted(table.name)
    for number, (text, name) in enumerate(zip(texts, sorted(table.name)), 1):
        assert f"Harrow Bay: {name}" in text and f"page {number} of {len(table)}" in text


def bookmarks(document):
    return [type("Entry", (), {"title": each.get_title()}) for each in document.get_toc()]


def test_pages_follow_the_filter_and_one_scale(workspace, rich):
    zones = next(layer for layer in rich.view.layers if layer.name == "closed_zones")
    filtered = replace(zones, rows=replace(zones.rows, where="name like '%Harrow%'", on_map=True))
    view = rich.view._replace(layers=tuple(filtered if each is zones else each for each in rich.view.layers))
    paper = first_paper(rich)._replace(scale=12_500.0).by_feature(PagesByFeature("closed_zones", "name", fits=False))
    content = paper_content(workspace, rich._replace(view=view, paper=paper))
    assert [page.name for page in content.pages] == ["Harrow Bay coast"] or len(content.pages) == 1
    assert {page.scale for page in content.pages} == {12_500.0}


def test_what_lies_outside_a_feature_is_paled(workspace, tmp_path):
    path = tmp_path / "zones.gpkg"
    squares = [shapely.box(x, 0, x + 1000, 1000) for x in (0, 1000, 2000)]
    pyogrio.raw.write(path, np.array(shapely.to_wkb(squares)), [np.array(["a", "b", "c"], object)], ["name"],
                      geometry_type="Polygon", crs=UTM, driver="GPKG")  # fmt: skip
    layer = red_layer(path, "zones")
    plate = plate_of([layer], UTM, 1500.0, 500.0, 4.0)
    for faded, green in ((True, 158), (False, 0)):
        paper = first_paper(plate)._replace(dots=72).by_feature(PagesByFeature("zones", "name", faded=faded))
        content = paper_content(workspace, plate._replace(paper=paper))
        cells = np.asarray(Image.open(io.BytesIO(png_of(workspace, content, 1, {}))).convert("RGB")).astype(int)
        block = paper.of_kind(BlockKind.MAP)[0]
        x, y = (round(each * 72 / 25.4) for each in block.box.middle)
        assert np.abs(cells[y, x] - RED).max() < 10  # the feature itself
        beside = round(1000 / content.pages[1].scale * 1000 * 72 / 25.4 * 0.75)
        assert cells[y, x + beside][1] == pytest.approx(green, abs=4)


def test_lines_have_pages_without_paling_and_a_scale_is_written_as_it_is(workspace, rich):
    paper = first_paper(rich)._replace(scale=12_345.0, dots=72).by_feature(PagesByFeature("trails", "name", fits=False))
    content = paper_content(workspace, rich._replace(paper=paper))
    text = pypdfium2.PdfDocument(pdf_of(workspace, content, {}))[0].get_textpage().get_text_range()
    assert "1 : 12,345 ·" in text
    one = replace(content, pages=content.pages[:1])
    plain = replace(one, pages=(replace(one.pages[0], zone=None),))
    with_zone, without = (np.asarray(Image.open(io.BytesIO(png_of(workspace, each, 0, {}))).convert("RGB")).astype(int)
                          for each in (one, plain))  # fmt: skip
    apart = np.abs(with_zone - without).max(axis=2) > 8
    assert 0 < apart.mean() < 0.02  # the line alone


# Comparisons, pictures and what can't be drawn


def test_two_sides_stand_beside_each_other_and_a_difference_has_its_legend(workspace):
    grids = [Layer(name, name, at(demo.DATA / f"{name}.tif", name), DataKind.RASTER, GridStyle())
             for name in ("elevation_2029", "elevation_2031")]  # fmt: skip
    plate = plate_of(grids, UTM, 510_500.0, 5_770_300.0, 9.0)
    sides = (("elevation_2029",), ("elevation_2031",))
    twin = plate._replace(view=plate.view._replace(comparison=Comparison(sides, Way.TWIN)))
    content = paper_content(workspace, twin)
    assert len(content.paper.of_kind(BlockKind.MAP)) == 2 and len(content.sides) == 2
    assert content.side_names == ("elevation_2029", "elevation_2031")
    text = pypdfium2.PdfDocument(pdf_of(workspace, content, {}))[0].get_textpage().get_text_range()
    assert "A: elevation_2029" in text and "B: elevation_2031" in text
    changed = plate._replace(view=plate.view._replace(comparison=Comparison(sides, Way.CHANGE)))
    content = paper_content(workspace, changed)
    assert len(content.paper.of_kind(BlockKind.MAP)) == 1
    name, legend = content.legends[0]
    assert name == "elevation_2031 − elevation_2029" and legend.low == -legend.high and legend.unit == "m"
    figure = content_of(workspace, Album("", "", (changed._replace(picture=png_bytes(np.zeros((9, 9, 4), np.uint8))),)))
    assert [name for name, _ in figure.parts[0].legends] == ["elevation_2031 − elevation_2029"]
    cells = np.asarray(Image.open(io.BytesIO(png_of(workspace, content, 0, {}))).convert("RGB"))
    assert len(np.unique(cells[::7, ::7].reshape(-1, 3), axis=0)) > 200  # the difference, not clear paper


def test_a_plate_that_is_a_picture_fills_its_page(workspace):
    out = io.BytesIO()
    Image.new("RGB", (400, 100), (10, 120, 60)).save(out, "PNG")
    plate = Plate("p", "Log", PlateKind.STRIP, picture=out.getvalue())
    content = paper_content(workspace, plate)
    cells = printed(pdf_of(workspace, content, {}), 72)
    green = np.abs(cells - (10, 120, 60)).max(axis=2) < 6
    rows, cols = np.flatnonzero(green.any(axis=1)), np.flatnonzero(green.any(axis=0))
    assert content.paper.wide and np.ptp(cols) / np.ptp(rows) == pytest.approx(4.0, rel=0.02)
    assert np.ptp(cols) > 0.85 * cells.shape[1]


def test_a_layer_that_is_gone_is_reported_and_the_rest_is_drawn(workspace, rich, tmp_path):
    gone = Layer("gone", "gone", at(tmp_path / "gone.gpkg"), DataKind.VECTOR, VectorStyle())
    album = Album("", "", (rich._replace(view=rich.view._replace(layers=(gone, *rich.view.layers))),))
    workspace.work.change_album("album", album)
    written = WritePaper(tmp_path / "map.pdf").run(workspace)
    assert any("gone.gpkg" in each for each in written.remarks) and written.what == "1 page, A4, 1 : 50,000"
    assert (printed((tmp_path / "map.pdf").read_bytes(), 50).std(axis=(0, 1)) > 20).all()


def test_pages_are_refused_with_the_reason(workspace, rich, tmp_path):
    pdf = tmp_path / "map.pdf"
    with pytest.raises(CannotWrite, match="no plates"):
        WritePaper(pdf).run(workspace)
    workspace.work.change_album("album", Album("", "", (rich,)))
    for wrong, words in (
        (WritePaper(tmp_path / "map.docx"), r"not written as \.docx"),
        (WritePaper(pdf, plate="Elsewhere"), "no plate 'Elsewhere'"),
        (WritePaper(pdf, scale=0.0), "above 0"),
        (WritePaper(pdf, dots=5), "36 to 1200"),
        (WritePaper(pdf, pages_by="sea"), "no layer 'sea'"),
        (WritePaper(pdf, pages_by="trails", page_name="colour"), "no field colour"),
        (WritePaper(pdf.with_suffix(".png"), sheet=PaperSize.A0, dots=1200), "too many"),
    ):
        with pytest.raises(AtlasError, match=words):
            wrong.run(workspace)
    assert not list(tmp_path.glob("map*"))


def test_pages_as_files_of_their_own_and_by_the_command_line(workspace, rich, tmp_path, capsys):
    work = Work()
    work.change_album("album", Album("Crew", "", (rich,)))
    project = tmp_path / "work.brisk.json"
    project_file.save(work, project)
    out = tmp_path / "zone.svg"
    code = cli.main(["write-paper", "--path", str(out), "--project", str(project), "--pages-by", "closed_zones",
                     "--page-name", "name", "--sheet", "A3", "--upright", "--json"])  # fmt: skip
    assert code == 0
    answer = json.loads(capsys.readouterr().out)
    files = sorted(tmp_path.glob("zone-*.svg"))
    assert [str(each) for each in files] == answer["paths"] and "3 pages, A3" in answer["what"]
    assert 'width="297mm" height="420mm"' in files[0].read_text()


def test_a_paper_is_stored_with_the_project(workspace, rich, tmp_path):
    paper = first_paper(rich, PaperSize.A3)._replace(
        scale=20_000.0, centre=(5.0, 6.0), grid=PaperGrid.GEOGRAPHIC, dots=600
    )
    paper = paper.by_feature(PagesByFeature("trails", "name", "name", fits=False, faded=False))
    paper = paper.with_block(PaperBlock("", BlockKind.TEXT, 1, 2, 30, 40, HOSTILE, 7.5, framed=True))
    work = Work()
    work.change_album("album", Album("", "", (rich._replace(paper=paper),)))
    project_file.save(work, tmp_path / "work.brisk.json")
    (plate,) = project_file.read(tmp_path / "work.brisk.json")[0].album.plates
    assert plate.paper == paper
    stored = json.loads((tmp_path / "work.brisk.json").read_text())
    block = stored["album"]["items"][0]["paper"]["blocks"][0]
    for key, value in (("width", -3), ("kind", "spell"), ("x", "1e999"), ("size", 0)):
        block_before = dict(block)
        block[key] = value
        (tmp_path / "wrong.brisk.json").write_text(json.dumps(stored))
        with pytest.raises(AtlasError):
            project_file.read(tmp_path / "wrong.brisk.json")
        block.update(block_before)


# Letters, blocks and lengths


@pytest.mark.parametrize("face", ["sans", "sans-bold", "sans-italic", "mono"])
def test_letters_are_as_wide_as_another_library_has_them(face):
    register_fonts()
    for text in ("Harrow Bay, 1 : 25,000", "Ülö ßøñ — „x“ …", "iiiWWW", ""):
        assert text_width(text, 12.0, face) == pytest.approx(pdfmetrics.stringWidth(text, face, 12.0), abs=0.02)
    paths = letter_paths("H", 10.0, face)
    low, high = np.vstack(paths).min(axis=0), np.vstack(paths).max(axis=0)
    assert -7.2 < low[1] < -6.0 and abs(high[1]) < 0.1 and 0 < low[0] < high[0] < text_width("H", 10.0, face)
    assert len(letter_paths("o", 10.0, face)) == 2 and letter_paths(" ", 10.0, face) == []


@given(st.text(max_size=80), st.floats(4.0, 60.0))
def test_lines_are_broken_where_they_fit_and_lose_no_letter(text, width):
    lines = broken(text, 3.0, width)
    assert "".join("".join(lines).split()) == "".join(text.split())
    assert all(text_width(line, 3.0) <= width or len(line) <= 1 for line in lines)
    short = shortened(text, 3.0, width)
    assert text_width(short, 3.0) <= width or len(short) <= 1


def test_blocks_hold_to_edges_and_stay_on_the_paper():
    plate = Plate("p", "Map", PlateKind.MAP, PlateView((), crs=UTM, width=800, height=500))
    paper = first_paper(plate)
    legend = paper.block("legend")
    edges = edges_beside(paper, "legend")
    held = moved(legend.box, 0.9, -0.5, paper.size, edges)
    assert held == legend.box  # its edges are those of others
    free = moved(legend.box, 0.9, -1.2, paper.size)
    assert (free.x, free.y) == pytest.approx((legend.x + 0.9, legend.y - 1.2))
    off = moved(legend.box, 900, -900, paper.size)
    assert off.right == pytest.approx(297) and off.y == 0 and off.width == legend.width
    thin = resized(legend.box, (-1, 1), 500, -500, paper.size)
    assert thin.width == pytest.approx(3) and thin.height == pytest.approx(3)
    grown = paper.on_sheet(PaperSize.A2)
    assert grown.block("legend").width == pytest.approx(legend.width * 2, rel=0.01)
    assert grown.block("title").size == pytest.approx(paper.block("title").size * 2, rel=0.01)
    boxes = [each.box for each in paper.blocks]
    apart = [(a, b) for n, a in enumerate(boxes) for b in boxes[n + 1 :]]
    assert not [pair for pair in apart if meets(*pair)]


def meets(a, b):
    return a.x < b.right - 0.01 and b.x < a.right - 0.01 and a.y < b.bottom - 0.01 and b.y < a.bottom - 0.01


@pytest.mark.parametrize("sheet", list(PaperSize))
@pytest.mark.parametrize("wide", [True, False])
@pytest.mark.parametrize("maps", [1, 2])
def test_no_block_of_a_first_arrangement_covers_another(sheet, wide, maps):
    view = PlateView((), crs=UTM, width=800, height=500)
    if maps == 2:
        view = view._replace(comparison=Comparison((("a",), ("b",)), Way.CURTAIN))
    paper = first_paper(Plate("p", "Map", PlateKind.MAP, view), sheet, wide)
    boxes = [each.box for each in paper.blocks]
    assert len(paper.of_kind(BlockKind.MAP)) == maps
    assert not [(a, b) for n, a in enumerate(boxes) for b in boxes[n + 1 :] if meets(a, b)]
    width, height = paper.size
    assert all(
        box.x >= 9.9 and box.y >= 9.9 and box.right <= width - 9.9 and box.bottom <= height - 9.9 for box in boxes
    )


@given(st.sampled_from([UTM, "EPSG:3395", "EPSG:3031", "EPSG:27700", "EPSG:6933"]), st.floats(0, 1), st.floats(0, 1))
def test_a_unit_of_a_map_is_as_long_as_it_is_on_the_ground(crs, right, up):
    """Against the areal scale that PROJ derives from the formulas of a projection."""
    known = pyproj.CRS(crs)
    west, south, east, north = known.area_of_use.bounds
    south, north = max(south, -80.0), min(north, 80.0)
    place = west + (0.1 + 0.8 * right) * (east - west), south + (0.1 + 0.8 * up) * (north - south)
    proj = pyproj.Proj(known)
    stretched = proj.get_factors(*place).areal_scale
    x, y = proj(*place)
    assert ground_metres(crs, x, y) == pytest.approx(1 / np.sqrt(stretched), rel=1e-3)


def test_a_map_without_a_crs_and_one_beyond_its_range_are_drawn(workspace, tmp_path):
    path = tmp_path / "bars.gpkg"
    bars_file(path, UTM, 0, 0, 100.0)
    layer = replace(red_layer(path), ref=at(path, "bars"))
    plate = plate_of([layer], None, 0.0, 0.0, 0.3)
    content = paper_content(workspace, plate)
    assert content.words["crs"] == "no CRS"
    pdf = pikepdf.open(io.BytesIO(pdf_of(workspace, content, {})))
    assert "/VP" not in pdf.pages[0]
    assert ground_metres(UTM, 9e15, 9e15) == 1.0 and ground_metres("EPSG:4326", 0.0, 0.0) == pytest.approx(
        111_319.49, rel=1e-6
    )
    assert scale_to_fit(PageBox(0, 0, 100, 100), None, Extent(0, 0, 50, 50)) > 0


def test_a_large_grid_is_as_sharp_as_it_is_asked(workspace, tmp_path):
    path = tmp_path / "stripes.tif"
    cells = np.tile(np.array([0, 255], np.uint8), (600, 300))
    with rasterio.open(path, "w", driver="GTiff", width=600, height=600, count=1, dtype="uint8", crs=UTM,
                       transform=rasterio.transform.from_origin(500_000, 5_800_000, 1, 1)) as out:  # fmt: skip
        out.write(cells, 1)
    style = GridStyle(stretch=Stretch("hand", 0, 255), resample="nearest", ramp="#000000 0%, #ffffff 100%")
    layer = Layer("stripes", "stripes", at(path, "stripes"), DataKind.RASTER, style)
    plate = plate_of([layer], UTM, 500_300.0, 5_799_700.0, 1.0)
    paper = first_paper(plate)._replace(scale=5_000.0, dots=600)
    content = paper_content(workspace, plate._replace(paper=paper))
    page = printed(pdf_of(workspace, content, {}), 600)
    x, y = (round(each * 600 / 25.4) for each in paper.of_kind(BlockKind.MAP)[0].box.middle)
    row = page[y, x - 200 : x + 200, 0]
    assert row.max() - row.min() > 150  # stripes of 0.2 mm are apart
