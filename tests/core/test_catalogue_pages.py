"""The pages of a catalogue site in a real browser, from the disk and without a network: searched, looked at, filtered."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace

import pyogrio
import pytest
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.support.ui import Select

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.operations import CatalogueSite
from brisk_atlas.core.site.search_index import search_script, search_tiers
from brisk_atlas.core.site.site_entry import SiteEntry
from brisk_atlas.core.workspace import Workspace
from browser import browser, needs_browser, violations


@pytest.fixture(scope="module")
def site(tmp_path_factory):
    folder = tmp_path_factory.mktemp("shelf") / "data"
    folder.mkdir()
    for name in ("tolvane_survey.gpkg", "elevation_2031.tif", "gas_stations.csv", "gas_readings.parquet"):
        for path in demo.DATA.glob(f"{name}*"):
            shutil.copy(path, folder / path.name)
    out = tmp_path_factory.mktemp("site") / "site"
    with Workspace() as workspace:
        CatalogueSite(DataRef.file(folder), out, title="Tolvane data").run(workspace)
    return out


@pytest.fixture(scope="module")
def page():
    needs_browser()
    with browser() as found:
        found.execute_cdp_cmd("Network.enable", {})
        found.execute_cdp_cmd("Network.emulateNetworkConditions", {"offline": True, "latency": 0, "downloadThroughput": 0, "uploadThroughput": 0})  # fmt: skip
        yield found


def found_titles(page):
    return [each.text for each in page.find_elements("css selector", "#results li > a")]


def wait(page, condition):
    """Wait until a script says yes."""
    answer = page.execute_async_script(
        f"const end = arguments[0], until = Date.now() + 20000, look = () => ({condition}) ? end('') : "
        "Date.now() > until ? end(document.body.innerText) : setTimeout(look, 30); look();"
    )
    assert answer == "", (condition, answer[:500])


def has_no_faults(page):
    assert not [each for each in page.get_log("browser") if each["level"] == "SEVERE"]
    requests = page.execute_script("return performance.getEntriesByType('resource').map((each) => each.name)")
    assert all(each.startswith(("file://", "data:")) for each in requests)
    assert violations(page) == []


def test_datasets_are_found_by_words_filters_and_place(page, site):
    page.get((site / "index.html").as_uri())
    wait(page, "!document.getElementById('search').hidden")
    box = page.find_element("id", "words")
    box.send_keys("erup")
    assert len(found_titles(page)) >= 2 and "of 4 datasets" in page.find_element("id", "count").text
    box.clear()
    box.send_keys("so2 2030")
    assert found_titles(page) == ["Volcanic gas readings on Tolvane Island, 2030 to 2031"]
    assert page.current_url.endswith("#words=so2+2030")
    page.find_element("id", "clear").click()
    Select(page.find_element("id", "kind")).select_by_visible_text("grid")
    assert len(found_titles(page)) == 1 and "levation" in found_titles(page)[0]
    page.find_element("id", "clear").click()
    page.find_element("id", "inview").click()
    before = len(found_titles(page))
    frame = page.find_element("id", "map")
    for key in ["+"] * 3 + [Keys.ARROW_LEFT] * 40:
        frame.send_keys(key)
    wait(page, f"document.querySelectorAll('#results li').length < {before}")
    has_no_faults(page)
    page.get((site / "index.html").as_uri() + "#words=buildings")
    page.refresh()
    wait(page, "document.querySelectorAll('#results li').length === 1")
    page.find_element("css selector", "#results li > a").send_keys(Keys.ENTER)
    assert page.find_element("tag name", "h1").text == "Survey layers of Tolvane Island"


def test_map_and_table_of_a_dataset_go_together(page, site):
    page.get((site / "datasets" / "tolvane-survey-gpkg" / "index.html").as_uri())
    wait(page, "!document.getElementById('rows').hidden")
    Select(page.find_element("id", "part")).select_by_visible_text("buildings")
    wait(page, "document.getElementById('rows-count').textContent.startsWith('140 of 140')")
    frame = pyogrio.read_dataframe(
        site / "datasets" / "tolvane-survey-gpkg" / "files" / "tolvane_survey.gpkg", layer="buildings"
    )
    chosen = frame.iloc[17]
    point = chosen.geometry.representative_point()
    at = page.execute_script("const box = shown.map.canvas.getBoundingClientRect(); return shown.map.pixel(arguments[0], arguments[1]).map((each, n) => each + [box.left, box.top][n])", point.x, point.y)  # fmt: skip
    page.execute_script("for (const type of ['pointerdown', 'pointerup']) document.querySelector('.part:not([hidden]) .map canvas').dispatchEvent("
                        "new PointerEvent(type, {bubbles: true, clientX: arguments[0], clientY: arguments[1], pointerId: 1}))", *at)  # fmt: skip
    stated = dict(
        zip(*([each.text for each in page.find_elements("css selector", f"#picked {tag}")] for tag in ("dt", "dd")))
    )
    assert stated["building"] == chosen["building"] and stated["floors"] == str(chosen["floors"])
    assert page.find_element("css selector", "tr.chosen td").text == chosen["building"]
    Select(page.find_element("id", "colour")).select_by_visible_text("floors")
    legend = [each.text for each in page.find_elements("css selector", ".legend.own li")]
    assert len(legend) >= 2 and legend[-1].endswith(str(frame["floors"].max()))
    Select(page.find_element("id", "field")).select_by_visible_text("floors")
    Select(page.find_element("id", "compare")).select_by_visible_text("is more than")
    page.find_element("id", "value").send_keys("2")
    more = int((frame["floors"] > 2).sum())
    assert page.find_element("id", "rows-count").text.startswith(f"{more} of 140 rows")
    page.find_element("xpath", "//th/button[starts-with(., 'floors')]").click()
    page.find_element("xpath", "//th/button[starts-with(., 'floors')]").click()
    column = [row.find_elements("tag name", "td")[list(frame.columns).index("floors")].text for row in page.find_elements("css selector", "#table tbody tr")]  # fmt: skip
    assert column == sorted(column, key=float, reverse=True) and len(column) == min(more, 50)
    page.find_element("id", "all").click()
    page.find_element("id", "seen").click()
    page.find_element("css selector", ".part:not([hidden]) .map").send_keys("++++")
    wait(page, "parseInt(document.getElementById('rows-count').textContent) < 140")
    has_no_faults(page)


def test_a_grid_has_finer_pictures_and_a_large_table_its_first_rows(page, site):
    page.get((site / "datasets" / "elevation-2031-tif" / "index.html").as_uri())
    wait(page, "parts[0].pieces?.get('0/0-0')?.complete")
    page.find_element("css selector", ".map").send_keys("++")
    wait(page, "[...parts[0].pieces.keys()].some((name) => name.startsWith('1/'))")
    wait(page, "[...parts[0].pieces.values()].every((image) => image.complete && image.naturalWidth === 840)")
    has_no_faults(page)
    page.get((site / "datasets" / "gas-readings-parquet" / "index.html").as_uri())
    wait(page, "document.getElementById('rows-count').textContent.includes('The first 1,000 of 25,613 rows')")
    page.find_element("id", "further").click()
    assert "Rows 51 to 100 are shown" in page.find_element("id", "rows-count").text
    has_no_faults(page)


def test_all_is_there_without_scripts(site):
    needs_browser()
    with browser(scripts=False) as page:
        page.get((site / "all.html").as_uri())
        page.find_element("link text", "Survey layers of Tolvane Island").click()
        assert page.find_element("css selector", ".map img").get_attribute("src").endswith("/picture.jpg")
        assert len(page.find_elements("css selector", ".files a")) == 15
        assert "Coastline before and after" in page.find_element("css selector", ".record").text


def test_ten_thousand_datasets_are_searched_in_the_browser(page, site, tmp_path):
    entries = [SiteEntry(f"set-{n}", f"set {n}", "", f"Plot {n} of Tolvane", f"Survey of year {2000 + n % 40}", "polygon",
                         keywords=(("lava", "ash", "gas")[n % 3],), fields=(f"field_{n % 500}",), boxes=((-21, -38.5, -20.5, -38),))
               for n in range(10_000)]  # fmt: skip
    large = tmp_path / "site"
    shutil.copytree(site, large, ignore=shutil.ignore_patterns("datasets"))
    (large / "search.js").write_bytes(search_script([replace(each, words=search_tiers(each, "")) for each in entries]))
    page.get((large / "index.html").as_uri())
    wait(page, "!document.getElementById('search').hidden")
    page.find_element("id", "words").send_keys("plot 4242")
    assert found_titles(page) == ["Plot 4242 of Tolvane"]
    page.find_element("id", "words").clear()
    page.find_element("id", "words").send_keys("ash field 17")
    wanted = sum(n % 3 == 1 and (str(n % 500).startswith("17") or str(n).startswith("17")) for n in range(10_000))
    assert page.find_element("id", "count").text == f"{wanted:,} of 10,000 datasets"
    assert json.loads(page.execute_script("return document.body.dataset.searched")) >= 0
