"""An album as slides and as pictures with captions: each where it belongs, and every text as text."""

from __future__ import annotations

import io
import zipfile
from dataclasses import replace

import pytest
from lxml import etree
from odf import draw, text
from odf.element import Element
from odf.opendocument import load
from PIL import Image
from pptx import Presentation
from pptx.util import Cm
from test_album_page import HOSTILE, picture

from brisk_atlas.core.album.odp_file import album_odp
from brisk_atlas.core.album.page_parts import PageContent, PageFigure, PagePassage, PageTable, PictureGroup
from brisk_atlas.core.album.picture_set import CAPTIONS, album_pictures
from brisk_atlas.core.album.pptx_file import album_pptx
from brisk_atlas.core.album.slides import HEIGHT, INK, WIDTH, SlideBox, SlidePicture, SlideText, TextLook, slides_of
from brisk_atlas.core.draw.legend_lines import LegendLines

FIGURE = PageFigure("part-2", "Harrow Bay", (picture("2029"), picture("2031")), "Lava **made** new [land](https://survey.tolvane.example)\n\n- one",
                    "Two maps", PictureGroup.CURTAIN, credits=((("coast", "lava"), "Tolvane Survey Office"),))  # fmt: skip
CONTENT = PageContent("Mount Serrick", "What changed", (PagePassage("part-1", "Before", "A *quiet* year"), FIGURE))


def words(element: Element) -> str:
    return "".join(node.data if node.nodeType == 3 else words(node) for node in element.childNodes)


def centimetres(frame: Element, name: str) -> float:
    return float(frame.getAttribute(name).removesuffix("cm"))


def test_each_part_is_a_slide_with_its_texts_and_pictures():
    document = load(io.BytesIO(album_odp(CONTENT)))
    slides = document.presentation.getElementsByType(draw.Page)
    assert len(slides) == 3
    said = [" / ".join(words(each) for each in slide.getElementsByType(text.P)) for slide in slides]
    assert said[0] == "Mount Serrick / What changed" and said[1] == "Before / A quiet year"
    assert said[2].startswith(
        "Harrow Bay / Lava made new land / • one / 2029 · 2031 · coast, lava (Tolvane Survey Office)"
    )
    (link,) = slides[2].getElementsByType(text.A)
    assert link.getAttribute("href") == "https://survey.tolvane.example"
    frames = [each.parentNode for each in slides[2].getElementsByType(draw.Image)]
    assert len(frames) == 2
    for frame in slides[2].getElementsByType(draw.Frame):
        left, top, wide, high = (centimetres(frame, name) for name in ("x", "y", "width", "height"))
        assert left >= 0 and left + wide <= WIDTH + 0.01 and top >= 0 and top + high <= HEIGHT + 0.01
    one, two = frames
    assert centimetres(one, "x") + centimetres(one, "width") <= centimetres(two, "x")
    assert centimetres(one, "width") / centimetres(one, "height") == pytest.approx(2.0, rel=0.01)  # as the picture is


def test_the_file_is_an_open_document_whose_pictures_are_in_it():
    with zipfile.ZipFile(io.BytesIO(album_odp(CONTENT))) as files:
        assert files.read("mimetype") == b"application/vnd.oasis.opendocument.presentation"
        names = [name for name in files.namelist() if name.startswith("Pictures/")]
        assert len(names) == 2 and all(Image.open(io.BytesIO(files.read(name))).format == "JPEG" for name in names)
        manifest = files.read("META-INF/manifest.xml").decode()
        assert all(f'full-path="{name}"' in manifest for name in names)


def test_both_kinds_of_slides_say_the_same_at_the_same_places():
    legend = LegendLines("kind", (("", "#C2452D", "lava"), ("", "#1C7C7D80", "sea")))
    table = PageTable(("name", "area, m²"), (False, True), tuple((f"zone {n}", f"{n}.5") for n in range(40)), 40)
    rows = PageFigure("part-3", "Zones", (), "All of them", table=table)
    scaled = replace(FIGURE, metres=4.0, legends=(("geology", legend),), facts=("EPSG:32727",))
    content = replace(CONTENT, parts=(*CONTENT.parts, rows, scaled))
    deck = Presentation(io.BytesIO(album_pptx(content)))
    pages = load(io.BytesIO(album_odp(content))).presentation.getElementsByType(draw.Page)
    assert deck.slide_width == Cm(WIDTH) and len(deck.slides) == len(pages) == 5
    for slide, page in zip(deck.slides, pages):
        frames = [each for each in page.childNodes if each.nodeType == 1]
        assert len(frames) == len(slide.shapes)
        for shape, frame in zip(slide.shapes, frames):
            place = (shape.left, shape.top, shape.width, shape.height)
            stated = [centimetres(frame, name) for name in ("x", "y", "width", "height")]
            assert [each / Cm(1) for each in place] == pytest.approx(stated, abs=0.01)
            assert stated[0] >= 0 and stated[0] + stated[2] <= WIDTH + 0.01 and stated[1] + stated[3] <= HEIGHT + 0.01
            if shape.has_text_frame and shape.text_frame.text:
                assert "".join(shape.text_frame.text.split("\n")) == words(frame)
    (frame,) = [each for each in deck.slides[3].shapes if each.has_table]
    cells = [[cell.text for cell in row.cells] for row in frame.table.rows]
    assert cells[:2] == [["name", "area, m²"], ["zone 0", "0.5"]] and 10 < len(cells) < 41
    texts = [each.text_frame.text for each in deck.slides[3].shapes if each.has_text_frame]
    assert any(text.startswith(f"{len(cells) - 1} of 40 rows") for text in texts)
    assert "lava" in [each.text_frame.text for each in deck.slides[4].shapes if each.has_text_frame]


def test_a_bar_on_a_slide_is_as_long_as_it_says():
    content = PageContent("", "", (PageFigure("part-1", "Bay", (picture(),), metres=4.0),))
    _, one = slides_of(content)
    shown = next(each for each in one.items if isinstance(each, SlidePicture))
    bar = next(each for each in one.items if isinstance(each, SlideBox) and each.colour == INK)
    label = next(
        each for each in one.items if isinstance(each, SlideText) and each.paragraphs[0].look is TextLook.LABEL
    )
    number, unit = label.paragraphs[0].runs[0].text.split()
    metres = float(number.replace(",", "")) * {"m": 1, "km": 1000}[unit]
    assert bar.width / shown.width * picture().width * 4.0 == pytest.approx(metres, rel=1e-6)


def test_links_and_breaks_of_lines_stand_in_both_kinds():
    content = PageContent("A", "one  \ntwo **three** [four](https://survey.tolvane.example)", ())
    (frame,) = [each for each in Presentation(io.BytesIO(album_pptx(content))).slides[0].shapes if each.has_text_frame]
    summary = frame.text_frame.paragraphs[1]
    assert summary.text == "one\vtwo three four"
    assert [run.hyperlink.address for run in summary.runs][-1] == "https://survey.tolvane.example"
    assert [run.text for run in summary.runs if run.font.bold] == ["three"]
    page = load(io.BytesIO(album_odp(content))).presentation.getElementsByType(draw.Page)[0]
    assert len(page.getElementsByType(text.LineBreak)) == 1


@pytest.mark.parametrize("hostile", [*HOSTILE, "\x00\x0b\ufffe", "\ud800"])
def test_hostile_texts_are_texts_on_slides_and_in_names_of_files(hostile):
    figure = PageFigure(
        "part-1", hostile, (picture(hostile),), hostile, hostile, credits=(((hostile,), hostile),), note=hostile
    )
    content = PageContent(hostile, hostile, (PagePassage("part-2", hostile, hostile), figure))
    with zipfile.ZipFile(io.BytesIO(album_odp(content))) as files:
        root = etree.fromstring(files.read("content.xml"))
        links = root.iter("{urn:oasis:names:tc:opendocument:xmlns:text:1.0}a")
        assert all(each.get("{http://www.w3.org/1999/xlink}href").startswith("http://elsewhere") for each in links)
        assert not [each for each in root.iter() if "script" in str(each.tag)]
    for slide in Presentation(io.BytesIO(album_pptx(content))).slides:
        runs = [run for shape in slide.shapes if shape.has_text_frame
                for paragraph in shape.text_frame.paragraphs for run in paragraph.runs]  # fmt: skip
        assert all((run.hyperlink.address or "http://elsewhere").startswith("http://elsewhere") for run in runs)
    with zipfile.ZipFile(io.BytesIO(album_pictures(content))) as files:
        for name in files.namelist():
            assert name == CAPTIONS or (
                name.startswith("001")
                and set(name) <= set("abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_.")
            )


def test_pictures_are_numbered_and_their_captions_stand_beside():
    with zipfile.ZipFile(io.BytesIO(album_pictures(CONTENT))) as files:
        assert files.namelist() == ["001_Harrow_Bay_2029.jpg", "002_Harrow_Bay_2031.jpg", CAPTIONS]
        lines = files.read(CAPTIONS).decode().splitlines()
    assert lines[0] == "Mount Serrick" and lines.count("coast, lava (Tolvane Survey Office)") == 2
    assert lines[lines.index("002_Harrow_Bay_2031.jpg") + 2] == "2031"
