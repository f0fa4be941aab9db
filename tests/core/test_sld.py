"""Styles as SLD and SE: what is written is read as it was, filters mean what SQL means, and losses are named."""

from __future__ import annotations

import sqlite3
from dataclasses import replace

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from brisk_atlas.core.draw import ramps
from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep
from brisk_atlas.core.handover.run_recipe import RecipeRun
from brisk_atlas.core.handover.sources import FileSources
from brisk_atlas.core.model import (
    AtlasError,
    CannotRead,
    CloudStyle,
    DataRef,
    GridStyle,
    Label,
    Stretch,
    StyleRule,
    VectorStyle,
)
from brisk_atlas.core.model.shapes import LINE, POINT, POLYGON
from brisk_atlas.core.operations import UseStyle, WriteStyle
from brisk_atlas.core.operations.recipe_sources import WorkspaceSources
from brisk_atlas.core.read import open as open_dataset
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.read.stored_style import stored_style
from brisk_atlas.core.sld import read_styles, style_text
from brisk_atlas.core.sld.filters import FilterReader, NotInFilter, add_filter
from brisk_atlas.core.sld.names import OGC, SE
from brisk_atlas.core.sld.writing import StyleContext
from brisk_atlas.core.table import mask_of
from brisk_atlas.core.workspace import Workspace

ROWS = pa.table({
    "name": ["Harrow", "Gannet 1", None, "100%", "a_b", "harrow", "O'Ban", "x\\y"],
    "code": ["1", "2", "10", "007", None, "1.0", "", "2"],
    "v": [1.0, 4.0, None, -2.5, 7.0, 4.0, 0.0, 1e6],
    "my field": [1, 2, 3, 4, 5, 6, 7, 8],
})  # fmt: skip


# Filters


def through_filter(where, texts=("name", "code")):
    """Return an SQL condition written as a filter and read again."""
    root = etree.Element("root")
    add_filter(root, where)
    return FilterReader(texts).sql_of(etree.fromstring(etree.tostring(root))[0])


@pytest.mark.parametrize(
    "where",
    [
        "v > 4", "v >= 4 and v <> 7", "not (v < 0 or name = 'a_b')", "name is null", "v is not null", "v between -3 and 4",
        "name like 'Har%'", "name like '%\\_%' escape '\\'", "name not like '_arrow'", "name ilike 'HARROW'",
        "name in ('Harrow', '100%')", "v not in (1, 4)", "v * 2 + 1 > \"my field\" - 1", "name = 'O''Ban'", "code = '1'",
        "v / 2 < 1", "name in ('Harrow')", "code = '007' or code = ''", "v > -3 and -1 < v",
    ],
)  # fmt: skip
def test_a_condition_means_the_same_after_it_was_a_filter(where):
    if "escape" in where:
        with pytest.raises(NotInFilter):
            through_filter(where)
        return
    assert mask_of(ROWS, through_filter(where)).tolist() == mask_of(ROWS, where).tolist()


conditions = st.recursive(
    st.builds(
        lambda field, sign, value: f"{field} {sign} {value}",
        st.sampled_from(["v", '"my field"']), st.sampled_from(["=", "<>", "<", ">", "<=", ">="]),
        st.integers(-5, 9) | st.sampled_from([0.5, 4.0]),
    ) | st.sampled_from(["name is null", "code is not null", "name like '%r%'", "v between 0 and 5"]),
    lambda inner: st.builds(lambda a, word, b: f"({a}) {word} ({b})", inner, st.sampled_from(["and", "or"]), inner)
    | inner.map(lambda a: f"not ({a})"),
    max_leaves=6,
)  # fmt: skip


@given(conditions)
def test_any_condition_means_the_same_after_it_was_a_filter(where):
    assert mask_of(ROWS, through_filter(where)).tolist() == mask_of(ROWS, where).tolist()


@pytest.mark.parametrize("where", ["length(name) > 3", "CASE WHEN v > 1 THEN true ELSE false END", "v % 2 = 1"])
def test_what_a_filter_cannot_say_is_named(where):
    with pytest.raises(NotInFilter):
        through_filter(where)


def test_a_pattern_with_its_own_wildcards_is_understood():
    text = (f'<Filter xmlns="{OGC}"><PropertyIsLike wildCard="*" singleChar="." escape="!" matchCase="false">'
            "<PropertyName>name</PropertyName><Literal>{}</Literal></PropertyIsLike></Filter>")  # fmt: skip
    for pattern, found in (("har*", [0, 5]), ("a.b", [4]), ("100%", [3]), ("x\\*", [7]), ("*!.*", [])):
        sql = FilterReader().sql_of(etree.fromstring(text.format(pattern)))
        assert np.flatnonzero(mask_of(ROWS, sql)).tolist() == found, (pattern, sql)


def test_a_number_beside_a_field_of_text_is_text():
    text = f'<Filter xmlns="{OGC}"><PropertyIsEqualTo><PropertyName>ns:code</PropertyName><Literal>2</Literal></PropertyIsEqualTo></Filter>'
    assert np.flatnonzero(mask_of(ROWS, FilterReader(["code"]).sql_of(etree.fromstring(text)))).tolist() == [1, 7]


# Vectors


def written(style, shapes, tmp_path, name="lava", **context):
    text, notes = style_text(name, style, StyleContext(shapes, **context))
    path = tmp_path / "style.sld"
    path.write_text(text)
    return path, notes


colours = st.integers(0, 0xFFFFFF).map(lambda c: f"#{c:06x}")
sizes = st.floats(0.1, 40).map(lambda v: round(v, 2))
POLYGON_LOOKS = st.builds(
    lambda fill, line, width, hollow, join, dash: VectorStyle(
        fill="#1c7c7d" if hollow else fill, line=line, width=width, hollow=hollow, join=join, dash=dash, cap="flat"
    ),
    colours, colours, sizes, st.booleans(), st.sampled_from(["round", "mitre", "bevel"]),
    st.sampled_from([(), (8.0, 4.0), (10.0, 4.0, 1.0, 4.0)]),
)  # fmt: skip


@given(POLYGON_LOOKS, st.booleans())
def test_the_look_of_areas_is_read_as_it_was_written(tmp_path_factory, look, labelled):
    look = replace(look, label=Label("name", 13.0, "#102030", "#ffffff")) if labelled else look
    path, notes = written(look, [POLYGON], tmp_path_factory.mktemp("sld"))
    (read,) = read_styles(path)
    assert read.name == "lava" and read.notes == notes == ()
    wanted = replace(look, fill="#1C7C7D") if look.hollow else look
    assert read.style == wanted


def test_lines_with_casing_and_points_come_back(tmp_path):
    line = VectorStyle(fill="#aa0000", line="#aa0000", width=2.0, casing=1.5, casing_colour="#ffffff",
                       label=Label("name", repeat=200.0))  # fmt: skip
    point = VectorStyle(fill="#00aa00", line="#fffdf8", width=1.4, size=9.0, symbol="triangle", cap="round")
    for look, shape in ((line, LINE), (point, POINT)):
        path, notes = written(look, [shape], tmp_path)
        (read,) = read_styles(path)
        label = read.style.label and replace(read.style.label, colour="#1D2A35", halo="#FFFDF8")
        assert replace(read.style, label=label) == look and notes == ()


def test_rules_come_back_with_conditions_scales_and_the_other_one(tmp_path):
    look = VectorStyle(fill="#aa0000", line="#102030", width=1.0)
    style = VectorStyle(rules=(StyleRule("rest", style=replace(look, fill="#cccccc"), otherwise=True),
                               StyleRule("new & hot", "(\"year\" >= 2029 AND \"name\" <> '<b>')", look, scales=(0.0, 25_000.0))))  # fmt: skip
    path, notes = written(style, [POLYGON, POLYGON], tmp_path)
    (read,) = read_styles(path, ["name"])
    assert read.style.rules == style.rules and notes == ()
    _, notes = written(replace(style, hidden=("rest",)), [POLYGON, POLYGON], tmp_path)
    assert notes == ("the rule rest, which is switched off",)


def test_a_condition_that_no_filter_can_say_is_refused_by_the_rules_name(tmp_path):
    style = VectorStyle(rules=(StyleRule("long names", "length(name) > 5"),))
    with pytest.raises(AtlasError, match=r"long names: its condition has the function length\(\)"):
        written(style, [POLYGON], tmp_path)


def test_what_the_standards_cannot_say_is_listed(tmp_path):
    look = VectorStyle(hatch="rising", size_by="v", symbol="pin", label=Label("upper(name)", callout=10.0))
    assert set(written(look, [POINT], tmp_path)[1]) == {
        "hatches", "sizes and widths that grow with a value", "the symbol pin, written as a circle",
        "labels with the function upper()",
    }  # fmt: skip
    with pytest.raises(AtlasError, match="point clouds"):
        style_text("points", CloudStyle(), StyleContext())


@pytest.mark.parametrize("method", ["ramp", "equal", "unique"])
def test_colours_by_value_are_drawn_alike_after_a_file(data, tmp_path, method):
    workspace = Workspace()
    workspace.open(data / "tolvane_survey.gpkg")
    layer = next(la for la in workspace.work.layers if la.name == "lava_flows")
    style = VectorStyle(colour_by="year", method=method, classes=4, ramp="ember", line="#1d2a35", width=0.0)
    workspace.work.change("style", layer.id, style=style)
    before = drawn(workspace, layer.id)
    assert WriteStyle(layer.id, tmp_path / "s.sld").run(workspace).remarks == ()
    UseStyle(layer.id, tmp_path / "s.sld").run(workspace)
    assert workspace.work.layer(layer.id).style != style
    after = drawn(workspace, layer.id)
    assert np.abs(before.astype(int) - after).max() <= (4 if method == "ramp" else 0)
    workspace.work.undo()
    assert workspace.work.layer(layer.id).style == style
    workspace.close()


def drawn(workspace, layer_id):
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.draw.frame import extent_of

    layer = workspace.work.layer(layer_id)
    extent = extent_of(workspace.cache, [layer], "EPSG:32727")
    return workspace.painter.frame([layer], View.fitting(extent, 300, 220)).image


# Grids


@pytest.mark.parametrize("ramp", ["tide", "#102030 0%, #ffffff 50%, #203040 100%", "ember in 5 classes"])
def test_the_colours_of_a_grid_are_read_as_they_were_written(tmp_path, ramp):
    style = GridStyle(ramp=ramp, stretch=Stretch("hand", -250.0, 750.0, 1.5), shade=0.75)
    path, notes = written(style, [], tmp_path, limits=[(-250.0, 750.0)], opacity=0.5)
    (read,) = read_styles(path)
    assert notes == () and read.style.shade == 0.75 and read.style.stretch.gamma == 1.5
    values = np.linspace(-249, 749, 97)
    assert np.abs(colours_at(read.style, values).astype(int) - colours_at(style, values)).max() <= 6


def colours_at(style, values):
    share = (values - style.stretch.low) / (style.stretch.high - style.stretch.low)
    return ramps.ramp(style.ramp)[np.clip(share * 256, 0, 255).astype(int)]


def test_bands_of_a_composite_come_back(tmp_path):
    path, notes = written(GridStyle(bands=(4, 3, 2)), [], tmp_path, limits=[(0, 1)] * 3)
    assert read_styles(path)[0].style.bands == (4, 3, 2) and "stretched" in notes[0]


# Files of others


ONE_0 = """<StyledLayerDescriptor version="1.0.0" xmlns="http://www.opengis.net/sld" xmlns:ogc="http://www.opengis.net/ogc">
<NamedLayer><Name>roads</Name><UserStyle><Title>Roads</Title>
<FeatureTypeStyle><Rule><Title>main</Title><ogc:Filter><ogc:PropertyIsEqualTo><ogc:PropertyName>class</ogc:PropertyName>
<ogc:Literal>main</ogc:Literal></ogc:PropertyIsEqualTo></ogc:Filter><MaxScaleDenominator>50000</MaxScaleDenominator>
<LineSymbolizer><Stroke><CssParameter name="stroke">#FFFFFF</CssParameter><CssParameter name="stroke-width">
<ogc:Literal>6</ogc:Literal></CssParameter></Stroke></LineSymbolizer>
<LineSymbolizer><Stroke><CssParameter name="stroke">#C2452D</CssParameter><CssParameter name="stroke-width">3</CssParameter>
<CssParameter name="stroke-dasharray">5 2</CssParameter></Stroke></LineSymbolizer></Rule>
<Rule><Name>far</Name><ogc:Filter><ogc:Intersects><ogc:PropertyName>geom</ogc:PropertyName></ogc:Intersects></ogc:Filter>
<LineSymbolizer/></Rule></FeatureTypeStyle>
<FeatureTypeStyle><Rule><PointSymbolizer><Graphic><ExternalGraphic><OnlineResource
 xmlns:xlink="http://www.w3.org/1999/xlink" xlink:href="http://host.example/pin.png"/></ExternalGraphic><Size>12</Size>
</Graphic></PointSymbolizer><TextSymbolizer><Label>No. <ogc:PropertyName>nr</ogc:PropertyName> of
<ogc:PropertyName>total</ogc:PropertyName></Label></TextSymbolizer></Rule></FeatureTypeStyle>
</UserStyle></NamedLayer></StyledLayerDescriptor>"""


def test_a_file_of_version_1_0_is_read_and_what_is_left_out_is_said(tmp_path):
    path = tmp_path / "roads.sld"
    path.write_text(ONE_0)
    (read,) = read_styles(path)
    main, other = read.style.rules
    assert main.where == "\"class\" = 'main'" and main.scales == (0.0, 50_000.0)
    assert (main.style.line, main.style.width, main.style.casing, main.style.dash) == ("#c2452d", 3.0, 1.5, (5.0, 2.0))
    assert main.style.casing_colour == "#ffffff" and other.style.size == 12.0
    row = pa.table({"nr": [3], "total": [9]})
    from brisk_atlas.core.table import column_of

    assert column_of(row, other.style.label.text).to_pylist()[0].split() == ["No.", "3", "of", "9"]
    assert any("Intersects" in note for note in read.notes) and any("pictures" in note for note in read.notes)


def test_a_colour_map_of_version_1_0_in_intervals_has_hard_edges(tmp_path):
    path = tmp_path / "dem.sld"
    path.write_text("""<StyledLayerDescriptor xmlns="http://www.opengis.net/sld"><NamedLayer><UserStyle><FeatureTypeStyle>
<Rule><RasterSymbolizer><ColorMap type="intervals"><ColorMapEntry color="#000000" quantity="0"/>
<ColorMapEntry color="#ff0000" quantity="100"/><ColorMapEntry color="#00ff00" quantity="200"/></ColorMap>
</RasterSymbolizer></Rule></FeatureTypeStyle></UserStyle></NamedLayer></StyledLayerDescriptor>""")
    style = read_styles(path)[0].style
    assert (style.stretch.low, style.stretch.high) == (-100.0, 200.0)
    assert [ramps.hex_of(c) for c in colours_at(style, np.array([-50.0, 50.0, 150.0]))] == [
        "#000000",
        "#ff0000",
        "#00ff00",
    ]


@pytest.mark.parametrize("text", [
    "", "<a/>", "no xml", "<StyledLayerDescriptor xmlns='http://www.opengis.net/sld'/>",
    "<!DOCTYPE a [<!ENTITY x 'y'>]><StyledLayerDescriptor xmlns='http://www.opengis.net/sld'>&x;</StyledLayerDescriptor>",
    f"<FeatureTypeStyle xmlns='{SE}'><Rule><Unknown/></Rule></FeatureTypeStyle>",
])  # fmt: skip
def test_what_is_no_style_is_refused_by_name(tmp_path, text):
    path = tmp_path / "bad.sld"
    path.write_text(text)
    with pytest.raises(CannotRead, match=r"bad\.sld"):
        read_styles(path)


def test_a_filter_without_end_is_named_and_nothing_breaks(tmp_path):
    deep = (
        f"<Not xmlns='{OGC}'>" * 200
        + "<PropertyIsNull><PropertyName>a</PropertyName></PropertyIsNull>"
        + "</Not>" * 200
    )
    path = tmp_path / "deep.sld"
    path.write_text(f"<FeatureTypeStyle xmlns='{SE}'><Rule><Filter xmlns='{OGC}'>{deep}</Filter><PolygonSymbolizer/></Rule>"
                    "<Rule><PolygonSymbolizer/></Rule></FeatureTypeStyle>")  # fmt: skip
    (read,) = read_styles(path)
    assert isinstance(read.style, VectorStyle) and "too deeply" in read.notes[0]


def test_a_style_of_another_kind_of_layer_is_not_used(data, tmp_path):
    workspace = Workspace()
    workspace.open(data / "elevation_2029.tif")
    path, _ = written(VectorStyle(), [POLYGON], tmp_path)
    with pytest.raises(AtlasError, match="no style for a raster"):
        UseStyle(workspace.work.layers[0].id, path).run(workspace)
    workspace.close()


# Inside a GeoPackage


def handed(workspace, source, path, *steps, **options):
    """Write a layer with the steps of a recipe."""
    made = tuple(
        RecipeStep(do, settings) for do, settings in (*steps, ("write", {"path": str(path), "options": options}))
    )
    with RecipeRun(Recipe("", (Branch("main", source, made),)), WorkspaceSources(workspace)) as run:
        (branch,) = run.write()
    return branch.accounts[-1].warnings


def test_a_geopackage_carries_the_look_of_its_layers(data, tmp_path):
    workspace = Workspace()
    (flows,) = workspace.open(DataRef.file(data / "tolvane_survey.gpkg").with_part("lava_flows"))
    by_vent = (
        StyleRule("old", "year < 2031", VectorStyle(fill="#102030")),
        StyleRule("new", "year = 2031", VectorStyle()),
    )
    look = replace(flows.style, fill="#406080", line="#112233", width=2.5, rules=by_vent)
    workspace.work.change("restyle", flows.id, style=look)
    path = tmp_path / "piece.gpkg"
    assert handed(workspace, flows.id, path, ("where", {"where": "year > 0"})) == []
    handed(workspace, flows.id, tmp_path / "plain.gpkg", style=False)
    (again,) = Workspace().open(DataRef.file(path))
    assert [(r.name, r.style.fill.lower()) for r in again.style.rules] == [
        (r.name, r.style.fill.lower()) for r in by_vent
    ]
    (plain,) = Workspace().open(DataRef.file(tmp_path / "plain.gpkg"))
    assert not plain.style.rules
    with sqlite3.connect(path) as database:
        ((uri, of),) = database.execute("SELECT md_standard_uri, table_name FROM gpkg_metadata m "
                                        "JOIN gpkg_metadata_reference r ON r.md_file_id = m.id").fetchall()  # fmt: skip
    assert (uri, of) == ("http://www.opengis.net/sld", "piece")
    found, unread = find_records(open_dataset(path))
    assert not unread and not any(each.row for each in found)  # a style is no record
    without = handed(workspace, flows.id, tmp_path / "bare.gpkg", ("fields", {"fields": ["flow_id"]}))
    assert any("needs year" in text for text in without)
    copied = tmp_path / "copied.gpkg"  # by itself, without the layer that is open
    with RecipeRun(
        Recipe("", (Branch("main", str(path), (RecipeStep("write", {"path": str(copied)}),)),)), FileSources()
    ) as run:
        run.write()
    assert stored_style(DataRef.file(copied).with_part("copied"))
    with sqlite3.connect(copied) as database:
        database.execute("UPDATE gpkg_metadata SET metadata = '<a'")
    (spoiled,) = Workspace().open(DataRef.file(copied))
    assert spoiled.style is not None and not spoiled.style.rules
