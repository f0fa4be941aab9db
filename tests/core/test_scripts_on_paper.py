"""Letters of all scripts on paper: their order, their shapes, and the same line as PDF, SVG and pixels."""

from __future__ import annotations

import io
import re
from base64 import b64decode
from itertools import pairwise

import numpy as np
import pypdfium2
import pytest
from bidi import get_display
from bidi.mirror import MIRRORED
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.t2CharStringPen import T2CharStringPen
from fontTools.ttLib import TTFont
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from reportlab.pdfbase.pdfmetrics import stringWidth
from test_album_page import page_of

from brisk_atlas.core.album.page_parts import PageContent, PageFigure, PagePassage, PageTable
from brisk_atlas.core.album.pdf_file import album_pdf
from brisk_atlas.core.cache.data_cache import DataCache
from brisk_atlas.core.draw.frame import Painter
from brisk_atlas.core.paper import font_files
from brisk_atlas.core.paper.direction import reads_leftwards
from brisk_atlas.core.paper.layout import BlockKind, Paper, PaperBlock, PaperSize
from brisk_atlas.core.paper.lettering import broken, letter_paths, shortened, text_width
from brisk_atlas.core.paper.paper_page import PaperContent, PaperPage, draw_page
from brisk_atlas.core.paper.pdf_surface import PdfSurface, pdf_canvas
from brisk_atlas.core.paper.pixel_letters import write_on
from brisk_atlas.core.paper.pixel_surface import PixelSurface
from brisk_atlas.core.paper.shaping import is_plain, shaped
from brisk_atlas.core.paper.svg_surface import SvgSurface
from brisk_atlas.core.relief.caption import captioned
from brisk_atlas.core.relief.eye import Eye
from browser import browser, needs_browser

ARABIC, HEBREW, HINDI, THAI = "خليج هارو", "הר סריק", "हैरो खाड़ी", "อ่าวแฮร์โรว์"
MIXED = f"{ARABIC} 2031 (lava)"
LINES = (MIXED, f"{HEBREW} — 12 m", HINDI, THAI, "Հերրոու ծոց", "ჰაროუს ყურე", "Serrick e\u0301")
HAN = "哈岩"
WIDE, HIGH, DOTS = 100.0, 60.0, 150.0


def written(line, size=8.0):
    """Return a line as PDF, SVG and pixels."""
    out = io.BytesIO()
    canvas = pdf_canvas(out, WIDE, HIGH, "line")
    surfaces = (
        PdfSurface(canvas, WIDE, HIGH, DOTS),
        SvgSurface(WIDE, HIGH, DOTS, "line"),
        PixelSurface(WIDE, HIGH, DOTS),
    )
    surfaces[0].begin()
    for surface in surfaces:
        surface.text(line, 5.0, 30.0, size)
    canvas.showPage()
    canvas.save()
    return out.getvalue(), surfaces[1].data(), surfaces[2].pages[0][..., :3].astype(int)


def text_of(pdf):
    document = pypdfium2.PdfDocument(pdf)
    return "".join(page.get_textpage().get_text_range() for page in document)


def ink(cells):
    """Return where the letters of a page are: its left, right, upper and lower edges, and how much of it they are."""
    rows, cols = np.nonzero(cells.max(axis=2) < 128)
    return np.array((cols.min(), cols.max(), rows.min(), rows.max())), len(rows) / cells[..., 0].size


@pytest.mark.parametrize("line", LINES)
def test_pdf_and_pixels_are_one_line(line):
    pdf, _, pixels = written(line)
    drawn = np.asarray(pypdfium2.PdfDocument(pdf)[0].render(scale=DOTS / 72).to_pil().convert("RGB")).astype(int)
    (edges, share), (own_edges, own_share) = ink(drawn), ink(pixels)
    assert np.abs(edges - own_edges).max() <= 2 and share == pytest.approx(own_share, rel=0.15)
    assert own_edges[1] - own_edges[0] == pytest.approx(text_width(line, 8.0) * DOTS / 25.4, abs=25)
    for word in re.findall(r"\w+", line):
        assert word in text_of(pdf)


def test_an_svg_shows_the_line_in_a_browser_with_its_own_fonts(tmp_path):
    needs_browser()
    with browser(width=700, height=500) as found:
        for number, line in enumerate(LINES):
            _, svg, pixels = written(line)
            path = tmp_path / f"{number}.svg"
            path.write_bytes(svg)
            found.get(path.as_uri())
            cells = np.asarray(Image.open(io.BytesIO(found.get_screenshot_as_png())).convert("RGB")).astype(int)
            edges, own = ink(cells)[0] / 96, ink(pixels)[0] / DOTS  # inches
            assert np.abs(edges - own).max() < 0.06, line  # it moves letters of a pair together
    faces = re.findall(rb"font-family:script\d+;src:url\(data:font/woff;base64,([^)]+)\)", written(MIXED)[1])
    (font,) = (TTFont(io.BytesIO(b64decode(each))) for each in faces)
    assert {ord(each) for each in ARABIC} <= font.getBestCmap().keys() and "init" in {
        each.FeatureTag for each in font["GSUB"].table.FeatureList.FeatureRecord
    }


@given(st.text("abץא1سع .,-(2)[]/+%", min_size=1, max_size=24))
def test_the_order_is_that_of_another_implementation(text):
    own = "".join(run.text[::-1] if run.leftwards else run.text for run in shaped(text).runs)
    plain = {right: left for left, right in MIRRORED.items() if left < right}
    assert [plain.get(each, each) for each in own] == [plain.get(each, each) for each in get_display(text)]
    assert reads_leftwards(text) == next((each in "ץאسع" for each in text if each in "abץאسع"), False)


@given(st.text(st.characters(), max_size=40), st.floats(3.0, 40.0))
def test_lines_of_any_characters_fit(text, width):
    lines = broken(text, 3.0, width)
    assert all(text_width(line, 3.0) <= width or len(line.strip("\u200e\u200f")) <= 1 for line in lines)
    assert "".join(lines).translate(MARKS).replace(" ", "") == text.translate(MARKS).replace("\n", "").replace(" ", "")
    assert all(np.isfinite(path).all() for line in lines for path in letter_paths(line, 3.0))


MARKS = dict.fromkeys(map(ord, "\u200e\u200f"))


def test_letters_join_stand_over_others_and_run_leftwards():
    (alone,), (joined,) = shaped("ه").runs, shaped("ههه").runs
    assert len({glyph.number for glyph in (*alone.glyphs, *joined.glyphs)}) == 4  # alone, first, middle, last
    (accented,) = shaped("e\u0301").runs
    assert len(accented.glyphs) == 1 and text_width("e\u0301", 1.0) == pytest.approx(text_width("é", 1.0))
    (run,) = shaped("क्षि").runs
    assert not run.leftwards and len(run.glyphs) < 4
    lefts = [run.left for run in shaped(MIXED).runs]
    assert all(low < high for low, high in pairwise(lefts)) and shaped(MIXED).runs[-1].text.strip() == ARABIC
    assert shaped(MIXED).width == pytest.approx(sum(run.width for run in shaped(MIXED).runs))


def test_lines_of_a_paragraph_run_in_its_direction():
    """Also those that begin with a letter of the other one."""
    lines = broken(f"{ARABIC} lava flow 2031 {ARABIC}", 4.0, 18.0)
    assert len(lines) > 2 and all(map(reads_leftwards, lines))
    assert not any(map(reads_leftwards, broken(f"Harrow Bay {ARABIC} {ARABIC}", 4.0, 14.0)))


def test_long_words_are_cut_without_asking_for_each_length(monkeypatch):
    asked = []
    monkeypatch.setattr(
        "brisk_atlas.core.paper.lettering.is_plain", lambda text, name: asked.append(len(text)) or is_plain(text, name)
    )
    assert len(broken("x" * 10_000, 3.0, 100.0)) > 100
    assert sum(asked) < 1_500_000
    assert shortened("x" * 10_000, 3.0, 10.0).endswith("…")


@pytest.fixture
def machine(tmp_path, monkeypatch):
    """Return a function that makes a font of a few letters the only one of the machine: a box each, as CFF."""

    def install(letters):
        font = FontBuilder(1000, isTTF=False)
        names = [".notdef", *(f"uni{ord(each):04X}" for each in letters)]
        font.setupGlyphOrder(names)
        font.setupCharacterMap({ord(each): name for each, name in zip(letters, names[1:])})
        pen = T2CharStringPen(900, None)
        pen.moveTo((100, 0))
        for corner in ((800, 0), (800, 700), (100, 700)):
            pen.lineTo(corner)
        pen.closePath()
        font.setupCFF("Made", {}, dict.fromkeys(names, pen.getCharString()), {})
        font.setupHorizontalMetrics(dict.fromkeys(names, (900, 100)))
        font.setupHorizontalHeader(ascent=800, descent=-200)
        font.setupNameTable({"familyName": "Made", "styleName": "Regular"})
        font.setupOS2()
        font.setupPost()
        (tmp_path / "fonts").mkdir()
        font.save(tmp_path / "fonts" / "made.otf")
        (tmp_path / "fonts.conf").write_text(
            f"<fontconfig><dir>{tmp_path}/fonts</dir><cachedir>{tmp_path}/cache</cachedir></fontconfig>"
        )

    monkeypatch.setenv("FONTCONFIG_FILE", str(tmp_path / "fonts.conf"))
    yield install
    forget()


def forget():
    """Forget what is known of the fonts of the machine."""
    for each in (font_files.machine_fonts, font_files.other_font, shaped):
        each.cache_clear()


def test_letters_that_no_shipped_font_has_are_from_the_machine(machine):
    machine(HAN)
    forget()
    line = f"{HAN} 2031"
    pdf, svg, pixels = written(line)
    drawn = np.asarray(pypdfium2.PdfDocument(pdf)[0].render(scale=DOTS / 72).to_pil().convert("RGB")).astype(int)
    assert np.abs(ink(drawn)[0] - ink(pixels)[0]).max() <= 2
    assert text_of(pdf).strip() == line and shaped(line).missing == ""
    assert text_width(HAN, 10.0) == pytest.approx(18.0)
    assert (pixels[150:170, 40:100].max(axis=2) < 128).mean() > 0.6  # of the boxes
    (data,) = re.findall(rb"font-family:script1;src:url\(data:font/woff;base64,([^)]+)\)", svg)
    assert {ord(each) for each in HAN} <= TTFont(io.BytesIO(b64decode(data))).getBestCmap().keys()


@pytest.mark.parametrize("damage", [lambda path: path.unlink(), lambda path: path.write_bytes(b"font" * 99),
                                    lambda path: path.write_bytes(path.read_bytes()[:300])])  # fmt: skip
def test_a_font_that_is_damaged_or_gone_is_passed_over(machine, tmp_path, damage):
    machine(HAN)
    forget()
    assert len(font_files.machine_fonts()) == 1  # which is known before it goes
    damage(tmp_path / "fonts" / "made.otf")
    font_files.opened.cache_clear()
    font_files.advances.cache_clear()
    assert shaped(HAN).missing == "".join(sorted(HAN)) and letter_paths(HAN, 1.0)


def page_with(text, kind=BlockKind.TITLE):
    block = PaperBlock("title", kind, 10.0, 10.0, 80.0, 10.0, text=text, size=14.0)
    return PaperContent(Paper(PaperSize.A4, True, 1000.0, (block,)), {}, pages=(PaperPage("", (0.0, 0.0), 1000.0),))


def test_letters_without_a_font_are_stated(machine, monkeypatch):
    monkeypatch.setenv("PATH", "")  # no fonts of the machine either
    forget()
    surface = PixelSurface(WIDE, HIGH, DOTS)
    (fault,) = draw_page(surface, Painter(DataCache(), {}), page_with(f"Lava {HAN}"), 0)
    assert "哈 岩" in fault and "Install a font" in fault
    assert draw_page(PixelSurface(WIDE, HIGH, DOTS), Painter(DataCache(), {}), page_with(MIXED), 0) == []


@pytest.mark.parametrize("kind", [BlockKind.TITLE, BlockKind.TEXT])
def test_lines_that_are_read_leftwards_end_at_the_right_edge(kind):
    for text, edge, column in ((ARABIC, 90.0, 1), ("Harrow Bay", 10.0, 0)):
        surface = PixelSurface(WIDE, HIGH, DOTS)
        draw_page(surface, Painter(DataCache(), {}), page_with(text, kind), 0)
        assert ink(surface.pages[0][..., :3])[0][column] * 25.4 / DOTS == pytest.approx(edge, abs=1.0)


def test_an_album_on_paper_has_all_scripts_and_breaks_across_pages():
    table = PageTable((HEBREW,), (False,), ((ARABIC,), ("plain",)), 2)
    figure = PageFigure("part-1", ARABIC, (), f"**{HINDI}** <b>", note=THAI, table=table)
    long = PagePassage("part-2", HEBREW, f"- {ARABIC} {ARABIC} " * 900)
    text = text_of(album_pdf(PageContent(MIXED, f"- {HINDI}", (figure, long))))
    for word in (*ARABIC.split(), *HEBREW.split(), *HINDI.split(), THAI, "2031", "<b>", "plain"):
        assert word in text, word
    assert text.count(ARABIC.split()[0]) >= 1_800


def test_an_album_page_has_the_fonts_of_its_scripts_alone():
    page = page_of(f"{ARABIC}")
    faces = re.findall(r"src: url\(data:font/woff;base64,([^)]+)\); unicode-range: ([^;]+);", page)
    assert len(faces) == 2 and "U+62E" in faces[0][1] and "U+41" not in faces[0][1]
    assert TTFont(io.BytesIO(b64decode(faces[0][0]))).getBestCmap().keys() >= {ord(each) for each in ARABIC}
    assert "unicode-range" not in page_of("plain")


def test_plain_lines_are_as_wide_as_the_writer_of_pdf_has_them():
    written("x")  # which makes the fonts known
    for line in ("Ľubomír & Żaneta", "Ωμέγα", "лава"):
        assert is_plain(line, "sans") and text_width(line, 9.0) == pytest.approx(stringWidth(line, "sans", 9.0))
    assert not any(is_plain(line, "sans") for line in LINES)


def test_letters_on_a_picture_of_pixels_stand_where_they_are_asked():
    """As captions of reliefs and legends of services have them."""
    for line in (*LINES, "Harrow Bay"):
        image = np.zeros((40, 300, 4), np.uint8)
        write_on(image, line, 20.0, 30.0, 20.0, "#FF0000")
        rows, cols = np.nonzero(image[..., 3] > 127)
        assert abs(cols.min() - 20) <= 3 and cols.max() - 20 == pytest.approx(text_width(line, 20.0), abs=4)
        assert 5 <= rows.min() < 20 and rows.max() < 40
        assert (image[..., 1:3] == 0).all() and (image[..., 0] == image[..., 3]).all()  # premultiplied
    strip = captioned(np.zeros((100, 1280, 4), np.uint8), ARABIC, Eye(), 2000.0)[100:]
    dark = np.flatnonzero((strip[:40, :400, :3].max(axis=2) < 128).any(axis=0))
    assert np.ptp(dark) == pytest.approx(text_width(ARABIC, 20.0), abs=5)
