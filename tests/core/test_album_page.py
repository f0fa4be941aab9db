"""The page of an album: whole in one file, with every text as text and every feature where it is on the picture."""

from __future__ import annotations

import base64
import hashlib
import io
import json
import re
from dataclasses import replace

import numpy as np
import pytest
import shapely
from fontTools.ttLib import TTFont
from lxml import html
from PIL import Image

from brisk_atlas import cli, demo
from brisk_atlas.core.album.markdown_text import as_html
from brisk_atlas.core.album.page_file import album_page
from brisk_atlas.core.album.page_parts import (
    PageContent,
    PageFeatures,
    PageFigure,
    PagePassage,
    PagePicture,
    PageTable,
    PictureGroup,
)
from brisk_atlas.core.album.plate_features import features_in_view
from brisk_atlas.core.draw.legend_lines import LegendLines
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.model import CannotRead, ColumnView, DataRef
from brisk_atlas.core.model.language import CHOICE, use_language
from brisk_atlas.core.model.page_templates import SCRIPT_TEXT
from brisk_atlas.core.paper.font_subset import subset
from brisk_atlas.core.workspace import project_file
from brisk_atlas.core.workspace.groups import Group
from brisk_atlas.core.workspace.plates import Album, Passage, Plate, PlateKind, PlateView
from brisk_atlas.core.workspace.work import Work
from brisk_atlas.core.workspace.workspace import Workspace

HOSTILE = (
    "<script>alert(1)</script>", '"><img src=x onerror=alert(1)>', "</style><style>*{display:none}", "'; alert(1); '",
    "]]><!--", "{{ 7 * 7 }}", "\u202eevil\u202c", "العربية", "a" * 10_000, "javascript:alert(1)", "&lt;b&gt; & </title>",
    "[x](javascript:alert(1)) ![y](http://elsewhere.example/y.png) <b>z</b>",
)  # fmt: skip


def picture(name=""):
    out = io.BytesIO()
    Image.new("RGB", (40, 20), "#1C7C7D").save(out, "PNG")
    return PagePicture(out.getvalue(), "image/png", 40, 20, name)


def page_of(text):
    """Return a page that has a text wherever a text can be."""
    features = PageFeatures(text, (text,), ((text,),), ("area",), ((np.array([[0, 0], [9, 0], [9, 9]]),),), 3)
    legend = LegendLines(text, (("", "#ff0000", text),))
    figure = PageFigure(
        "part-1", text, (picture(text), picture(text)), text, text, PictureGroup.CURTAIN, ((text, legend),), 2.0, 12.0,
        (text,), (((text,), text),), (features,), PageTable((text,), (False,), ((text,),), 1), text,
    )  # fmt: skip
    return album_page(PageContent(text, text, (PagePassage("part-2", text, text), figure))).decode()


@pytest.mark.parametrize("text", HOSTILE)
def test_a_hostile_text_is_text_everywhere(text):
    page = page_of(text)
    root = html.document_fromstring(page)
    plain = html.document_fromstring(page_of("plain"))
    shown = {"a", "strong", "em", "p", "ul", "li"}  # what Markdown makes of a caption
    for tag in {each.tag for each in root.iter() if isinstance(each.tag, str)} - shown:
        assert len(root.findall(f".//{tag}")) == len(plain.findall(f".//{tag}")), tag
    attributes = {name for each in root.iter() for name in each.attrib}
    assert not {name for name in attributes if name.startswith("on")}
    assert {each.get("href").partition(":")[0] for each in root.iter("a")} <= {"#part-1", "#part-2", "#main", "http"}
    addresses = [each.get("src") for each in root.iter("img")] + [each.get("href") for each in root.iter("link")]
    assert all(each.startswith("data:") for each in addresses)
    (data,) = root.xpath("//script[@id='features']/text()")
    assert json.loads(data)["parts"]["part-1"][0]["rows"] == [[text]]
    assert root.find(".//h1").text_content() == text
    assert root.xpath("//td/text()") == [text] and root.xpath("//img/@alt")[0].startswith(text)


def test_a_page_speaks_the_language_of_who_writes_it(monkeypatch):
    def words_of(page):
        return json.loads(html.document_fromstring(page).xpath("//script[@id='features']/text()")[0])["words"]

    assert words_of(page_of("lava")) == {}
    monkeypatch.setenv(CHOICE, "en")  # and back at the end
    use_language("de")
    try:
        page = page_of("lava")
    finally:
        use_language("en")
    assert '<html lang="de">' in page and "Zum Inhalt" in page and "To the content" not in page
    assert words_of(page)["Closer"] == "Näher" and words_of(page).keys() == set(SCRIPT_TEXT.findall(page))


def test_the_policy_lets_this_style_and_script_act_and_no_other():
    page = page_of("plain")
    policy = re.search(r'Content-Security-Policy" content="([^"]*)"', page)[1]
    root = html.document_fromstring(page)
    for kind, element in (
        ("script-src", root.xpath("//script[not(@type)]")[0]),
        ("style-src-elem", root.find(".//style")),
    ):
        digest = base64.b64encode(hashlib.sha256(element.text.encode()).digest()).decode()
        assert f"{kind} 'sha256-{digest}'" in policy.replace("&#39;", "'")
    assert "default-src 'none'" in policy and "http" not in policy


def test_markdown_is_shown_and_can_do_nothing():
    assert as_html("**Lava** at *Harrow*") == "<p><strong>Lava</strong> at <em>Harrow</em></p>\n"
    assert '<a href="https://survey.tolvane.example/">' in as_html("[office](https://survey.tolvane.example/)")
    for text in ("[x](javascript:alert(1))", "[x](data:text/html,x)", "<img src=x>", "[x](//x.example)"):
        made = html.fragment_fromstring(as_html(text), create_parent="div")
        assert not made.findall(".//img") and not made.findall(".//a"), text


def test_a_picture_of_elsewhere_is_not_fetched():
    assert "<img" not in as_html("![x](https://x.example/y.png)")


def test_fonts_have_the_characters_of_the_page_alone():
    whole, small = (subset("sans", "".join(map(chr, range(32, 0x250)))), subset("sans", "Ľ"))
    assert len(small) < len(whole) < 200_000
    font = TTFont(io.BytesIO(small))
    assert ord("Ľ") in font.getBestCmap() and ord("A") in font.getBestCmap() and ord("Ж") not in font.getBestCmap()


@pytest.mark.parametrize("crs", ["EPSG:32727", "EPSG:3857", "EPSG:4326"])
@pytest.mark.parametrize("turn", [0.0, 33.0])
@pytest.mark.parametrize("name", ["lava_flows", "trails", "buildings"])
def test_a_pixel_of_the_page_finds_what_the_map_has_there(crs, turn, name):
    with Workspace() as workspace:
        workspace.open_project(demo.PROJECT)
        layer = next(each for each in workspace.work.layers if each.name == name)
        unit = {"EPSG:32727": 1.0, "EPSG:3857": 1.27, "EPSG:4326": 1 / 111_000}[crs]
        centre = View(510_380, 5_769_700, 4.0, 600, 400, "EPSG:32727").shown_in(crs)
        view = View(centre.x, centre.y, 4.0 * unit, 600, 400, crs, turn=turn)
        found = features_in_view(workspace.cache, layer, view)
        features = workspace.cache.features(layer.ref)
        geometry = shapely.from_wkb(features.wkb.to_numpy(zero_copy_only=False))
        first = features.table.column(0).to_pylist()
        rng = np.random.default_rng(3)
        for px, py in rng.uniform((0, 0), (600, 400), (400, 2)):
            x, y = view.to_map(px, py)
            from brisk_atlas.core.place import transform

            on_own = shapely.Point(*transform(np.array([[x, y]]), crs, "EPSG:32727")[0])
            near = shapely.dwithin(geometry, on_own, 3.2)
            edge = (
                shapely.dwithin(shapely.boundary(geometry), on_own, 4.8)
                if name != "trails"
                else np.zeros(len(geometry), bool)
            )
            at = shapely.Point(px, py)
            shapes = [_shape(kind, paths) for kind, paths in zip(found.kinds, found.paths)]
            said = {row[0] for row, shape in zip(found.rows, shapes) if shape.dwithin(at, 0.8)}
            wanted = {str(value) for value, hit in zip(first, near) if hit}
            unsure = {str(value) for value, hit in zip(first, edge) if hit}
            if name == "trails":
                far = {str(value) for value, hit in zip(first, shapely.dwithin(geometry, on_own, 8.0)) if hit}
                assert said <= far
            else:
                assert said - unsure == wanted - unsure, (px, py)


def _shape(kind, paths):
    if kind == "area":
        whole = shapely.Polygon()
        for path in paths:
            whole = whole.symmetric_difference(shapely.Polygon(path).buffer(0))
        return whole
    return shapely.MultiLineString([path for path in paths if len(path) > 1])


def test_the_command_writes_the_album_of_a_project(tmp_path, capsys):
    work = Work()
    out = io.BytesIO()
    Image.new("RGB", (80, 40), "#1C7C7D").save(out, "WEBP")
    album = Album(
        "Crew",
        "",
        (Passage("a", "Before", "Text"), Plate("b", "Two", PlateKind.OUTSIDE, picture=out.getvalue(), density=2.0)),
    )
    work.change_album("album", album)
    project = tmp_path / "work.brisk.json"
    project_file.save(work, project)
    assert cli.main(["write-album", "--path", str(tmp_path / "album.html"), "--project", str(project)]) == 0
    root = html.document_fromstring((tmp_path / "album.html").read_text("utf-8"))
    assert root.findtext(".//title") == "Crew" and root.xpath("//img/@width") == ["40"]
    project_file.save(Work(), tmp_path / "empty.brisk.json")
    asked = ["write-album", "--path", str(tmp_path / "no.html"), "--project", str(tmp_path / "empty.brisk.json")]
    assert cli.main(asked) == 1 and "the album is empty" in capsys.readouterr().err
    assert not (tmp_path / "no.html").exists()


@pytest.mark.parametrize("wrong", ['"picture": "no base64"', '"kind": "smoke"', '"density": 0', '"id": 7'])
def test_an_album_that_is_damaged_is_refused_with_its_place(tmp_path, wrong):
    work = Work()
    work.change_album("album", Album("", "", (Plate("b", "Two", PlateKind.OUTSIDE, picture=b"xyz"),)))
    path = tmp_path / "work.brisk.json"
    project_file.save(work, path)
    name = wrong.partition(":")[0]
    path.write_text(re.sub(rf"{name}: [^,\n]*", wrong, path.read_text(), count=1))
    with pytest.raises(CannotRead, match="project of Brisk Atlas"):
        project_file.read(path)
    assert DataRef.file(path).is_local


def test_a_click_finds_nothing_that_the_picture_does_not_show():
    with Workspace() as workspace:
        workspace.open_project(demo.PROJECT)
        layer = next(each for each in workspace.work.layers if each.name == "buildings")
        view = View(510_380, 5_769_700, 4.0, 600, 400, "EPSG:32727")
        whole = features_in_view(workspace.cache, layer, view)
        uses = {row[whole.fields.index("use")] for row in whole.rows}
        classed = replace(layer, style=replace(layer.style, colour_by="use", hidden=("house",)))
        some = features_in_view(workspace.cache, classed, view)
        assert {row[some.fields.index("use")] for row in some.rows} == uses - {"house"}
        looks = replace(layer.rows, columns=(ColumnView("people", shown=False),), where="floors > 1", on_map=True)
        few = features_in_view(workspace.cache, replace(layer, rows=looks), view)
        assert "people" in whole.fields and "people" not in few.fields and 0 < len(few.rows) < len(whole.rows)
        group = Group("g", "Houses", visible=False)
        hidden = PlateView((replace(layer, group="g"),), (group,))
        assert not hidden.shown and PlateView((layer,)).shown == (layer,)
