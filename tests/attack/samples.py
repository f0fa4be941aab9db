"""One dataset of every format, to be damaged."""

from __future__ import annotations

import shutil
from pathlib import Path

import made_files as made
from brisk_atlas import demo

SHIPPED = (
    "tolvane_survey.gpkg", "fissures_2031", "vents.kml", "ash_samples.geojson", "seafloor.nc", "gas_stations.csv",
    "harrow_bay_2031.laz", "gas_readings.parquet", "laboratory.xlsx", "boreholes/tg-1.las", "boat_lines/tso2901.mgd77",
    "boreholes/photos/tg-1_155-160m.jpg", "MERIDEL3_20310624", "elevation_2031.tif.xml", "tolvane.brisk.json",
)  # fmt: skip


def samples(folder: Path) -> list[Path]:
    """Write one dataset of each format below `folder`, each in a folder of its own; returns their main files."""
    found = []
    for number, name in enumerate(SHIPPED):
        source, room = demo.DATA / name, folder / f"shipped_{number}"
        if source.is_dir():
            shutil.copytree(source, room)
            main = next(p for p in sorted(room.iterdir()) if p.suffix in (".shp", ".txt"))
            if main.suffix == ".txt":
                found.append(next(room.glob("*.stac.json")))
        else:
            room.mkdir(parents=True)
            main = Path(shutil.copy(source, room))
        found.append(main)
    makers = {
        **{name: lambda f, make=make: make(demo.DATA, f) for name, make in (made.VECTORS | made.VECTOR_TILES).items()},
        **made.GRIDS,
        **made.CONTAINERS,
        "GeoParquet": lambda f: made.geoparquet(demo.DATA, f),
        "ASCII PLY": lambda f: made.ply(f, text=True),
        "binary PLY": lambda f: made.ply(f, text=False),
        "XYZ": made.xyz,
        "Dublin Core": made.dublin_core,
        "dBase": lambda f: made.dbf(demo.DATA, f),
        "ODS": made.ods,
        "LAS": lambda f: made.laser(f, "1.4", 6, "strip.las"),
        "COPC-like LAZ": lambda f: made.laser(f, "1.4", 7, "strip.laz"),
        "zip": lambda f: made.zipped(f, "packed.zip", made.xyz(f)),
        "gzip": lambda f: made.gzipped(made.xyz(f)),
    }
    for name, make in makers.items():
        room = folder / name.replace(" ", "_")
        room.mkdir(parents=True)
        made_file = make(room)
        found.append(made_file)
    return [path for path in found if path.is_file()]
