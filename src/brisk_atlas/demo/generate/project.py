"""The project that `--demo` opens: the survey as an analyst would have laid it out."""

from __future__ import annotations

from pathlib import Path

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.model import CloudStyle, GridStyle, Label, Stretch, VectorStyle
from brisk_atlas.core.workspace import Place, Work
from brisk_atlas.core.workspace.project_file import save

LAVA = VectorStyle(colour_by="year", ramp="ember", stretch=Stretch("hand", 1950, 2045), line="#1D2A35", width=0.8)
TRAILS = VectorStyle(line="#6C5B4B", width=1.8, casing=0.8, label=Label("name", 12.0))
LAYERS = (  # bottom first: file, part, name, style, visible, opacity
    ("seafloor.nc", "elevation", "sea floor", GridStyle(ramp="tide", stretch=Stretch("hand", -3200, 300), shade=0.5), True, 1.0),
    (
        "elevation_2029.tif", "elevation_2029", None,
        GridStyle(ramp="land", stretch=Stretch("hand", -40, 960), shade=0.75), True, 1.0,
    ),
    ("MERIDEL3_20310624/MERIDEL3_20310624_META.txt", "visible to shortwave", "scene 2031", GridStyle((3, 2, 1)), False, 1.0),
    ("harrow_bay_2031.laz", "harrow_bay_2031", "laser strip", CloudStyle("z", "land"), False, 1.0),
    ("tolvane_survey.gpkg", "ash_bands", None, VectorStyle(colour_by="from_mm", ramp="ink", line="#5F6B73", width=0.6), False, 0.6),
    ("tolvane_survey.gpkg", "lava_flows", None, LAVA, True, 0.9),
    ("tolvane_survey.gpkg", "trails", None, TRAILS, True, 1.0),
    ("tolvane_survey.gpkg", "buildings", None, VectorStyle(fill="#1D2A35", line="#1D2A35", width=0.6), True, 1.0),
    ("tolvane_survey.gpkg", "closed_zones", None, VectorStyle(line="#C2452D", width=2.0, hollow=True), True, 1.0),
    ("tolvane_survey.gpkg", "coastline", None, VectorStyle(line="#1C7C7D", width=1.0), True, 1.0),
    ("gas_readings.parquet", "gas_readings", None, None, True, 1.0),
)  # fmt: skip


def write_project(folder: Path, file: Path) -> None:
    cache, work = DataCache(), Work()
    ids = []
    for name, part, called, style, visible, opacity in LAYERS:
        facts = cache.part((folder / name, part)).facts
        layer = work.add(folder / name, facts, style, called)
        work.change("look", layer.id, visible=visible, opacity=opacity)
        ids.append(layer.id)
    work.state = work.state.__class__(work.layers, ids[5], "EPSG:32727", None)
    work.reorder(ids[::-1])
    work.place = Place(509_000.0, 5_771_350.0, 11.5)
    save(work, file)
