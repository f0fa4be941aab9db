"""An album as PDF and as a folder: scales that are true, letters as letters, the same pictures as in one file."""

from __future__ import annotations

import io
import re

import numpy as np
import pypdfium2
import pytest
from PIL import Image
from test_album_page import HOSTILE, page_of, picture

from brisk_atlas.core.album.markdown_text import paragraphs_of
from brisk_atlas.core.album.page_file import album_folder
from brisk_atlas.core.album.page_parts import PageContent, PageFigure, PagePassage, PagePicture, PageTable, PictureGroup
from brisk_atlas.core.album.pdf_file import album_pdf
from brisk_atlas.core.draw.legend_lines import LegendLines
from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.operations import WriteAlbum
from brisk_atlas.core.paper.layout import PaperSize
from brisk_atlas.core.workspace.plates import Album, Passage, Plate, PlateKind
from brisk_atlas.core.workspace.workspace import Workspace

RED = (200, 0, 0)


def marked(metres, width=1000, height=400):
    """Return a figure with two red lines that are 800 pixels apart."""
    cells = np.full((height, width, 3), 255, np.uint8)
    cells[:, 99:101] = cells[:, 899:901] = RED
    out = io.BytesIO()
    Image.fromarray(cells).save(out, "WEBP", lossless=True)
    shown = PagePicture(out.getvalue(), "image/webp", width, height)
    return PageFigure("part-1", "Marked", (shown,), metres=metres, north=0.0)


def printed(pdf, dpi=300):
    """Return the first page of a PDF in pixels, and the text of all, as another library reads them."""
    document = pypdfium2.PdfDocument(pdf)
    text = "".join(page.get_textpage().get_text_range() for page in document)
    return np.asarray(document[0].render(scale=dpi / 72).to_pil().convert("RGB")).astype(np.int32), text


@pytest.mark.parametrize("paper,wide", [(PaperSize.A4, False), (PaperSize.A4, True), (PaperSize.A3, False)])
@pytest.mark.parametrize("metres", [0.37, 12.5, 4_321.0])
def test_bar_and_scale_are_true_on_paper(paper, wide, metres):
    cells, text = printed(album_pdf(PageContent("Scale", "", (marked(metres),)), paper=paper, wide=wide))
    red = np.flatnonzero(((cells - RED) ** 2).sum(axis=2).min(axis=0) < 3_000)
    apart = red[red > red.mean()].mean() - red[red < red.mean()].mean()  # pixels, of 800 picture pixels
    number, unit, ratio = re.search(r"([\d,]+) (m|km)\s+1 : ([\d,]+)", text).groups()
    length = float(number.replace(",", "")) * (1000 if unit == "km" else 1)
    on_paper = apart / 300 * 0.0254
    assert on_paper * float(ratio.replace(",", "")) == pytest.approx(800 * metres, rel=0.005)
    dark = cells.max(axis=2) < 90
    edges = np.diff(np.pad(dark, ((0, 0), (1, 1))).astype(np.int8), axis=1)
    runs = np.argwhere(edges == -1)[:, 1] - np.argwhere(edges == 1)[:, 1]
    assert runs.max() / apart == pytest.approx(length / (800 * metres), rel=0.005, abs=2 / apart)


def test_a_pdf_has_its_letters_outline_and_rows():
    rows = tuple((f"B{n:03d}", f"{n}") for n in range(90))
    legend = LegendLines("height, m", (), "", "", "")
    figure = PageFigure("part-2", "Houses", (picture("2029"), picture("2031")), "**By use**, [office](https://survey.tolvane.example)\n\n- one\n- two",
                        compared=PictureGroup.CURTAIN, legends=(("use", legend),), credits=((("a", "b"), "Tolvane Survey Office"),),
                        table=PageTable(("building", "floors"), (False, True), rows, 140))  # fmt: skip
    content = PageContent("Mount Serrick", "About it", (PagePassage("part-1", "Ľubomír & Żaneta", "x < y"), figure))
    made = album_pdf(content)
    _, text = printed(made, 40)
    for words in (
        "Mount Serrick",
        "Ľubomír & Żaneta",
        "x < y",
        "By use, office",
        "•one",
        "A: 2029",
        "B089",
        "90 of 140 rows",
        "a, b (Tolvane Survey Office)",
    ):
        assert words.replace(" ", "") in re.sub(r"\s", "", text), words
    document = pypdfium2.PdfDocument(made)
    about = document.get_metadata_dict()
    assert about["Title"] == "Mount Serrick" and about["Creator"] == "Brisk Atlas"
    assert [each.get_title() for each in document.get_toc()] == ["Ľubomír & Żaneta", "Houses"]
    fonts = set(re.findall(rb"/BaseFont /([^ ]+)", made))
    assert fonts and all(re.match(rb"[A-Z]{6}\+SourceSans", each) for each in fonts), fonts  # embedded, as far as used
    assert b"https://survey.tolvane.example" in made


@pytest.mark.parametrize("text", [*HOSTILE, "\x00\x0b\ufffe", "\ud800x"])
def test_hostile_texts_are_letters_on_paper(text):
    figure = PageFigure("part-1", text, (picture(text),), text, text, facts=(text,), legends=((text, LegendLines(text, (("", "#ff0000", text[:200]),))),),
                        credits=(((text,), text),), table=PageTable((text,), (False,), ((text,),), 1), note=text)  # fmt: skip
    made = album_pdf(PageContent(text, text, (PagePassage("part-2", text, text), figure)))
    assert made.startswith(b"%PDF") and not re.search(rb"/(JavaScript|JS|Launch|OpenAction) |/URI \(javascript", made)


def test_markdown_becomes_paragraphs_of_a_layout():
    assert paragraphs_of("# Head\n\n*one* `two`\nthree\n\n1. four") == [
        ("Head", False), ("<i>one</i> two three", False), ("four", True)]  # fmt: skip


def test_a_folder_has_the_page_of_the_file_with_its_pictures_beside():
    figure = PageFigure("part-1", "Two", (picture("a"), picture("a")), compared=PictureGroup.BLINK)
    files = album_folder(PageContent("Album", "", (figure,)))
    (name,) = files.keys() - {"index.html"}  # the same picture lies there once
    page = files["index.html"].decode()
    assert page.count(f'src="{name}" loading="lazy"') == 2 and files[name] == picture().data
    assert "img-src 'self' file: data:" in page.replace("&#39;", "'")
    assert "img-src data:;" in page_of("plain")


def test_albums_are_written_by_suffix_and_nothing_is_overwritten_by_a_folder(tmp_path):
    out = io.BytesIO()
    Image.new("RGB", (80, 40), RED).save(out, "WEBP")
    with Workspace() as workspace:
        album = Album(
            "Crew", "", (Passage("a", "Before"), Plate("b", "Two", PlateKind.OUTSIDE, picture=out.getvalue()))
        )
        workspace.work.change_album("album", album)
        for name in ("crew.html", "crew.pdf", "crew.odp", "crew.zip", "crew"):
            assert WriteAlbum(tmp_path / name).run(workspace).what == "1 plate"
        assert {each.name for each in (tmp_path / "crew").iterdir()} == {"index.html", "pictures"}
        with pytest.raises(CannotWrite, match="something already"):
            WriteAlbum(tmp_path / "crew").run(workspace)
        with pytest.raises(CannotWrite, match=r"\.tif"):
            WriteAlbum(tmp_path / "crew.tif").run(workspace)
    assert sorted(each.name for each in tmp_path.iterdir()) == ["crew", "crew.html", "crew.odp", "crew.pdf", "crew.zip"]
