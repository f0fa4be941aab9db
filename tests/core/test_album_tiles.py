"""Large pictures of an album: tiles that make the same picture, and come and go as a reader looks closer."""

from __future__ import annotations

import io
import re

import numpy as np
import pytest
from PIL import Image
from selenium.webdriver.common.action_chains import ActionChains

from brisk_atlas.core.album.page_file import album_folder, album_page
from brisk_atlas.core.album.page_parts import PageContent, PageFigure, PagePicture, PictureGroup
from brisk_atlas.core.album.picture_tiles import MOST_WHOLE_PX, tiled
from browser import browser, needs_browser, violations

SIZE = (5003, 3001)
TILES = "return [...document.querySelectorAll('.tiles')].map(box => [...box.children].map(tile => tile.naturalWidth))"
AT_REST = "return [...document.querySelectorAll('.tiles img')].every(tile => tile.complete)"


def scan(colour, size=SIZE, quality=95):
    """Return a sheet of paper with a grid of fine lines in a colour, as JPEG."""
    sheet = Image.new("RGB", size, "#FFFDF8")
    for x in range(2400, 2600, 4):
        sheet.paste(colour, (x, 1300, x + 2, 1700))
    sheet.paste(colour, (0, 0, 60, 60))
    sheet.paste(colour, (size[0] - 60, size[1] - 60, *size))
    out = io.BytesIO()
    sheet.save(out, "JPEG", quality=quality, subsampling=0)
    return PagePicture(out.getvalue(), "image/jpeg", *size, colour)


def content(*pictures):
    compared = PictureGroup.CURTAIN if len(pictures) > 1 else None
    return PageContent("Scans", "", (PageFigure("part-1", "Sheet", tuple(pictures), compared=compared),))


@pytest.mark.parametrize("size", [(701, 503), (512, 4099), (4096, 2048)])
def test_each_level_is_the_picture_at_its_size(size):
    values = np.random.default_rng(4).integers(0, 255, (size[1] // 9 + 1, size[0] // 9 + 1, 3), np.uint8)
    picture = Image.fromarray(values).resize(size, Image.Resampling.BICUBIC)
    out = io.BytesIO()
    picture.save(out, "PNG")
    found = tiled(out.getvalue(), side=128, most=100_000)
    assert found is not None
    assert all((level.width, level.height) == tuple(-(-length // 2**n) for length in size)
               for n, level in enumerate(reversed(found.levels)))  # fmt: skip
    for level in found.levels:
        whole, columns = Image.new("RGB", (level.width, level.height)), -(-level.width // 128)
        for number, tile in enumerate(level.tiles):
            whole.paste(Image.open(io.BytesIO(tile)), (number % columns * 128, number // columns * 128))
        expected = np.asarray(picture.resize(whole.size, Image.Resampling.BOX), float)
        assert np.abs(np.asarray(whole, float) - expected).mean() < 3
    with Image.open(io.BytesIO(found.overview)) as overview:
        assert max(overview.size) <= 2048
    assert tiled(out.getvalue(), most=size[0] * size[1]) is None


def test_maps_of_a_window_stand_whole():
    assert MOST_WHOLE_PX > 2 * 1920 * 2 * 1000 and tiled(scan("#C2452D", (2560, 1600)).data) is None


def test_tiles_come_with_the_scale_and_go_again(tmp_path):
    needs_browser()
    path = tmp_path / "album.html"
    path.write_bytes(album_page(content(scan("#C2452D"))))
    assert max(map(len, re.findall(rb'src="data:[^"]*', path.read_bytes()))) < 700_000  # what is shown first
    with browser() as page:
        page.get(path.as_uri())
        stage = page.find_element("css selector", ".stage")
        assert page.execute_script(TILES) == [[]] and violations(page) == []
        blurred = np.asarray(Image.open(io.BytesIO(stage.screenshot_as_png)).convert("RGB"), float)
        for _ in range(5):
            stage.send_keys("+")
        (widths,) = page.execute_script(TILES)
        assert 4 <= len(widths) <= 30  # of 60 at its own size and 24 more of those before
        page.execute_async_script("setTimeout(arguments[0], 400)")
        assert page.execute_script(AT_REST)
        near = np.asarray(Image.open(io.BytesIO(stage.screenshot_as_png)).convert("RGB"), float)
        row = near[near.shape[0] // 2, :, 1]
        assert np.ptp(row) > 150 > np.ptp(blurred[blurred.shape[0] // 2, :, 1])  # the lines are told apart now
        ActionChains(page).click_and_hold(stage).move_by_offset(-200, -120).release().perform()
        page.execute_async_script("setTimeout(arguments[0], 400)")
        assert len(page.execute_script(TILES)[0]) <= 30
        stage.send_keys("0")
        page.execute_async_script("setTimeout(arguments[0], 400)")
        assert page.execute_script(TILES) == [[]]
        assert [each for each in page.get_log("browser") if each["level"] == "SEVERE"] == []


def test_a_curtain_hangs_before_tiles_too_and_a_folder_has_them_as_files(tmp_path):
    needs_browser()
    files = album_folder(content(scan("#C2452D"), scan("#1C7C7D")))
    assert all(len(data) < 300_000 for data in files.values())  # sheets are mostly paper, and such tiles one file
    for name, data in files.items():
        (tmp_path / name).parent.mkdir(exist_ok=True)
        (tmp_path / name).write_bytes(data)
    with browser() as page:
        page.get((tmp_path / "index.html").as_uri())
        stage = page.find_element("css selector", ".stage")
        for _ in range(6):
            stage.send_keys("+")
        page.execute_async_script("setTimeout(arguments[0], 600)")
        first, second = page.execute_script(TILES)
        assert first and first == second and 0 not in first
        seen = np.asarray(Image.open(io.BytesIO(stage.screenshot_as_png)).convert("RGB"), float)
        middle = seen.shape[1] // 2
        redder = seen[..., 0] - seen[..., 2] > 80
        assert redder[:, : middle - 30].any() and not redder[:, middle + 30 :].any()
        assert [each for each in page.get_log("browser") if each["level"] == "SEVERE"] == []
