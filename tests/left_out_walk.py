"""A walk through the window on the demo, in the language that is in use: all pages, drawers, panes and windows.

`left_out_words` looks for words that are in no catalogue on it, and for texts that do not fit.
"""

from __future__ import annotations

import os
import re
import tempfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QApplication, QWidget

from brisk_atlas import demo
from brisk_atlas.core import read
from brisk_atlas.core.find import Shelves
from brisk_atlas.core.handover.formats import FORMATS, table_formats
from brisk_atlas.core.model import DataRef
from brisk_atlas.desktop.app import make_application, make_window, settle
from brisk_atlas.desktop.drawers.drawer_titles import DRAWER_TITLES
from brisk_atlas.desktop.settings.settings_file import window_settings

WINDOWS = (
    "settings",
    "keys",
    "map_crs",
    "layer_crs",
    "layer_form",
    "stored_answers",
    "allowed_places",
    "add_connection",
)
LAYERS = ("lava_flows", "elevation_2029", "laser strip", "gas_readings")
HALVES = ("depot", "album", "catalogue", "recipe")
WORDS = re.compile(r"[^\W\d_]{3,}")
# Names of standards, formats, reference systems, keys, paper and languages, and the types of fields.
NAMES = """brisk atlas tolvane utm wgs epsg mgrs ups pseudo mercator equal earth greenwich area equidistant around gis sql
iso fgdc csdgm dcat inspire dublin core ogc api wms wmts wfs csv geojson xlsx wkt pdf png svg html xml json sld las laz
tiff geotiff cog ply netcdf parquet ctrl shift alt del esc tab return enter space backspace pgup pgdown home end ins
insert up down point letter tabloid deutsch english otsu double string int float bool date timestamp dictionary values indices ordered rubbly smooth"""
QT_OWN = "scroll left right press shortcut"  # of widgets that Qt makes, and translates by itself


def words_of_the_data(window: QWidget) -> set[str]:
    """Return the words of names, which are nobody's to translate: of the demo's files and fields, and of formats."""
    found = set(f"{NAMES} {QT_OWN}".split())
    texts = [
        "ember ink moss scar tide",
        *FORMATS,
        *(each.name for each in table_formats()),
        "fgb",
    ]  # colour ramps have names
    for layer in window.session.work.layers:
        facts = window.session.facts_of(layer)
        texts += [layer.name, *(band.name for band in (facts.grid.bands if facts is not None and facts.grid else ()))]
        texts += facts.cloud.dimensions if facts is not None and facts.cloud else ()
    for path in Path(demo.DATA).rglob("*"):
        texts.append(f"{path.stem} {path.suffix}")
        if path.suffix in (".gpkg", ".csv", ".geojson", ".parquet"):
            for part in read.open(DataRef.parse(path)).parts:
                texts += [part.facts.name, *(field.name for field in part.facts.fields)]
    return found | {word.lower() for text in texts for word in WORDS.findall(text.replace("_", " "))}


def walk(look: Callable[[QWidget], None]) -> QWidget:
    """Go through the window, and have each of its sights looked at; returns the window, which stands."""
    with tempfile.TemporaryDirectory() as home:
        os.environ["BRISK_ATLAS_HOME"] = home
        window = make_window(Shelves(pinned=[Path(demo.DATA)]), window_settings())
        window.session.asks = False
        window.resize(1280, 800)
        window.show()

        def seen() -> None:
            assert settle(window)
            look(window)

        window.commands.do("welcome")
        seen()
        window.find_page.fill_shelves()
        window.find_page.go_to(Path(demo.DATA), choose="elevation_2031.tif")
        seen()
        window.session.open_files([demo.PROJECT])
        seen()
        for page in ("record", "handover", "desk"):
            window.show_page(page)
            seen()
        for layer in [each for each in window.session.work.layers if each.name in LAYERS]:
            window.session.work.choose(layer.id)
            for drawer in (*DRAWER_TITLES, "sheet", "strip", "strip_log"):
                window.commands.do(drawer)
                seen()
                if drawer not in DRAWER_TITLES:  # which takes room from the others
                    window.commands.do(drawer)
        for name in ("curtain", "blink", "twin", "difference", "relief"):
            window.commands.do(name)
            seen()
        for name in WINDOWS:
            window.commands.do(name)
            seen()
            for box in QApplication.topLevelWidgets():
                if box is not window and box.isVisible():
                    look(box)
                    box.close()
        window.show_page("handover")
        for half in HALVES:
            window.handover.show_half(half)
            seen()
        return window


def application() -> QApplication:
    """Return the application, which whoever asks has to hold."""
    return make_application()
