"""An album as slides and as pictures with captions: each where it belongs, and every text as text."""

from __future__ import annotations

import io
import zipfile

import pytest
from lxml import etree
from odf import draw, text
from odf.element import Element
from odf.opendocument import load
from PIL import Image
from test_album_page import HOSTILE, picture

from brisk_atlas.core.album.page_parts import PageContent, PageFigure, PagePassage, PictureGroup
from brisk_atlas.core.album.picture_set import CAPTIONS, album_pictures
from brisk_atlas.core.album.slides_file import HEIGHT_CM, WIDTH_CM, album_slides

FIGURE = PageFigure("part-2", "Harrow Bay", (picture("2029"), picture("2031")), "Lava **made** new [land](https://survey.tolvane.example)\n\n- one",
                    "Two maps", PictureGroup.CURTAIN, credits=((("coast", "lava"), "Tolvane Survey Office"),))  # fmt: skip
CONTENT = PageContent("Mount Serrick", "What changed", (PagePassage("part-1", "Before", "A *quiet* year"), FIGURE))


def words(element: Element) -> str:
    return "".join(node.data if node.nodeType == 3 else words(node) for node in element.childNodes)


def centimetres(frame: Element, name: str) -> float:
    return float(frame.getAttribute(name).removesuffix("cm"))


def test_each_part_is_a_slide_with_its_texts_and_pictures():
    document = load(io.BytesIO(album_slides(CONTENT)))
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
        assert left >= 0 and left + wide <= WIDTH_CM + 0.01 and top >= 0 and top + high <= HEIGHT_CM + 0.01
    one, two = frames
    assert centimetres(one, "x") + centimetres(one, "width") <= centimetres(two, "x")
    assert centimetres(one, "width") / centimetres(one, "height") == pytest.approx(2.0, rel=0.01)  # as the picture is


def test_the_file_is_an_open_document_whose_pictures_are_in_it():
    with zipfile.ZipFile(io.BytesIO(album_slides(CONTENT))) as files:
        assert files.read("mimetype") == b"application/vnd.oasis.opendocument.presentation"
        names = [name for name in files.namelist() if name.startswith("Pictures/")]
        assert len(names) == 2 and all(Image.open(io.BytesIO(files.read(name))).format == "JPEG" for name in names)
        manifest = files.read("META-INF/manifest.xml").decode()
        assert all(f'full-path="{name}"' in manifest for name in names)


@pytest.mark.parametrize("hostile", [*HOSTILE, "\x00\x0b\ufffe", "\ud800"])
def test_hostile_texts_are_texts_on_slides_and_in_names_of_files(hostile):
    figure = PageFigure(
        "part-1", hostile, (picture(hostile),), hostile, hostile, credits=(((hostile,), hostile),), note=hostile
    )
    content = PageContent(hostile, hostile, (PagePassage("part-2", hostile, hostile), figure))
    with zipfile.ZipFile(io.BytesIO(album_slides(content))) as files:
        root = etree.fromstring(files.read("content.xml"))
        links = root.iter("{urn:oasis:names:tc:opendocument:xmlns:text:1.0}a")
        assert all(each.get("{http://www.w3.org/1999/xlink}href").startswith("http://elsewhere") for each in links)
        assert not [each for each in root.iter() if "script" in str(each.tag)]
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
