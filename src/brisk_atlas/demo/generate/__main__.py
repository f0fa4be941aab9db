"""Write the whole scenario: `python -m brisk_atlas.demo.generate [FOLDER]`."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from brisk_atlas.demo import DATA, PROJECT

from .boreholes import write_boreholes
from .grids import write_elevation, write_scene, write_seafloor
from .ground import EPOCHS
from .land_cover import write_land_cover
from .laser import write_laser
from .marine import write_marine
from .ocean import write_sea_temperature
from .project import write_project
from .records import write_records
from .second_delivery import write_second_delivery
from .tables import write_tables
from .truth import facts
from .vectors import write_vectors


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else DATA
    folder.mkdir(parents=True, exist_ok=True)
    write_elevation(folder)
    write_seafloor(folder)
    write_sea_temperature(folder)
    scenes = {epoch: write_scene(folder, epoch) for epoch in EPOCHS}
    for write in (write_vectors, write_laser, write_tables, write_marine, write_boreholes, write_records):
        write(folder)
    write_land_cover(folder)
    write_second_delivery(folder)
    write_project(folder, folder / PROJECT.name)
    values = {**facts(), "scenes": scenes}
    (folder.parent / "truth.json").write_text(json.dumps(values, indent=2) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
