"""Plates that are shown together: two as before and after, more as a series, on a page and on paper."""

from __future__ import annotations

import io

import pypdfium2
import pytest
from PIL import Image
from selenium.webdriver.common.keys import Keys

from brisk_atlas.core.album.page_file import album_page
from brisk_atlas.core.album.page_parts import PictureGroup
from brisk_atlas.core.album.pdf_file import album_pdf
from brisk_atlas.core.operations.album_content import content_of
from brisk_atlas.core.workspace.plates import Album, Passage, Plate, PlateKind, PlateSource
from brisk_atlas.core.workspace.workspace import Workspace
from browser import browser, needs_browser, violations

COLOURS = ("#C2452D", "#1C7C7D", "#7A2DBF", "#B7791F")


def plate(number, *, joined=True, size=(640, 400), **others):
    out = io.BytesIO()
    Image.new("RGB", size, COLOURS[number]).save(out, "WEBP", lossless=True)
    return Plate(f"p{number}", f"{2029 + number}", PlateKind.OUTSIDE, picture=out.getvalue(), joined=joined, **others)


def content(*items):
    with Workspace() as workspace:
        return content_of(workspace, Album("Coast", "", items))


def test_plates_that_belong_together_become_one_figure():
    def shapes(*items):
        return [
            (part.compared, len(part.pictures)) if hasattr(part, "pictures") else "text"
            for part in content(*items).parts
        ]

    last = plate(3, joined=False)
    assert shapes(plate(0), plate(1, joined=False), last) == [(PictureGroup.CURTAIN, 2), (None, 1)]
    assert shapes(plate(0), plate(1), last) == [(PictureGroup.SERIES, 3)]
    assert shapes(plate(0), Passage("t", "Then"), plate(1)) == [(None, 1), "text", (None, 1)]
    assert shapes(plate(0), plate(1, size=(400, 640)), Passage("t", "")) == [(PictureGroup.BLINK, 2), "text"]
    assert shapes(last._replace(joined=True)) == [(None, 1)]  # there is none after it
    sources = [
        (PlateSource("a", "coast", "Office"),),
        (PlateSource("b", "lava", "Office"), PlateSource("a", "coast", "Office")),
    ]
    (figure,) = content(
        plate(0, sources=sources[0], caption="One"), plate(1, sources=sources[1], caption="Two"), plate(2, joined=False)
    ).parts
    assert figure.credits == ((("coast", "lava"), "Office"),) and figure.caption == "One\n\nTwo"
    assert figure.title == "2029 to 2031" and [each.name for each in figure.pictures] == ["2029", "2030", "2031"]


def test_a_series_goes_by_its_slider_and_is_whole_without_scripts(tmp_path):
    needs_browser()
    path = tmp_path / "album.html"
    path.write_bytes(album_page(content(*map(plate, range(4)))))
    with browser() as page:
        page.get(path.as_uri())
        slider, name = (
            page.find_element("css selector", ".dates input"),
            page.find_element("css selector", ".dates output"),
        )

        def shown():
            return page.execute_script(
                "return [...document.querySelectorAll('.sheet img')].map(i => getComputedStyle(i).opacity)"
            )

        assert name.text == "2029" and shown() == ["1", "0", "0", "0"]
        slider.send_keys(Keys.ARROW_RIGHT, Keys.ARROW_RIGHT)
        assert name.text == "2031" and shown() == ["0", "0", "1", "0"]
        page.find_element("css selector", ".dates button").click()
        page.implicitly_wait(5)
        assert page.find_element("css selector", ".dates button[aria-pressed=true]").text == "Stop"
        page.find_element("css selector", ".dates button").click()
        assert violations(page) == []
    with browser(scripts=False) as page:
        page.get(path.as_uri())
        sizes = [each.size for each in page.find_elements("css selector", ".sheet img")]
        assert len(sizes) == 4 and all(each["height"] > 150 for each in sizes)


@pytest.mark.parametrize("count", [2, 3, 4])
def test_on_paper_they_stand_beside_each_other(count):
    made = album_pdf(content(*map(plate, range(count))))
    document = pypdfium2.PdfDocument(made)
    text = document[0].get_textpage().get_text_range()
    signs = "AB" if count == 2 else "1234"
    assert all(f"{sign}: {2029 + at}" in text for at, sign in enumerate(signs[:count]))
    cells = {colour for _, colour in document[0].render(scale=0.5).to_pil().convert("RGB").getcolors(100_000)}
    wanted = [tuple(bytes.fromhex(colour[1:])) for colour in COLOURS[:count]]
    assert all(min(max(abs(a - b) for a, b in zip(one, other)) for other in cells) < 4 for one in wanted)
