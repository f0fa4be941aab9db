"""The survey's layers as they were delivered again in 2032, and what was edited in them: the truth of a comparison."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import shapely
from shapely.affinity import translate

from .ground import rng
from .vectors import buildings, closed_zones, trails, write_layer

FOLDER = "delivery_2032"
REMOVED, NEW, MOVED, COUNTED = 7, 5, 6, 12  # buildings
MOVE_M = (3.0, -4.0)  # east and north: 5 m
GROWN_M = 60.0  # of the first closed zone


def second_buildings() -> tuple[list[dict], dict]:
    """Return the buildings of 2032 in another order, and which were edited how."""
    rows, random = buildings(), rng("buildings of 2032")
    chosen = random.permutation(len(rows))
    gone = sorted(int(n) for n in chosen[:REMOVED])
    moved = sorted(int(n) for n in chosen[REMOVED : REMOVED + MOVED])
    counted = sorted(int(n) for n in chosen[REMOVED + MOVED : REMOVED + MOVED + COUNTED])
    after = [dict(row) for row in rows]
    for n in moved:
        after[n]["geometry"] = translate(after[n]["geometry"], *MOVE_M)
    for n in counted:
        after[n]["people"] += 2
    kept = [row for n, row in enumerate(after) if n not in gone]
    new = []
    for number in range(NEW):
        beside = translate(rows[moved[0]]["geometry"], 40.0 + 25.0 * number, 60.0)
        new.append({**rows[moved[0]], "geometry": beside, "building": f"N{number + 1:03d}", "damage": "none"})
    every = [*kept, *new]
    order = random.permutation(len(every)).tolist()
    names = lambda numbers: [rows[n]["building"] for n in numbers]  # noqa: E731
    edits = {
        "removed": names(gone), "added": [row["building"] for row in new], "moved": names(moved),
        "move_m": float(np.hypot(*MOVE_M)), "people_counted": names(counted),
    }  # fmt: skip
    return [every[n] for n in order], edits


def second_trails() -> list[dict]:
    """Return the trails of 2032: all are open again, one has another name, and the field of lengths is called anew."""
    rows = []
    for row in trails():
        name = "New path to the rim" if row["trail"] == "T2" else row["name"]
        rows.append({**{("metres" if key == "length_m" else key): value for key, value in row.items()}, "name": name,
                     "open_2031": True})  # fmt: skip
    return rows


def second_zones() -> list[dict]:
    """Return the closed zones of 2032: the first one has grown, and a field says who is in charge."""
    rows = [dict(row) for row in closed_zones()]
    rows[0]["geometry"] = shapely.buffer(rows[0]["geometry"], GROWN_M, join_style="mitre")
    return [{**row, "in_charge": "Tolvane Survey Office"} for row in rows]


def edits_of_2032() -> dict:
    """Return what was edited, layer by layer."""
    return {
        "buildings": second_buildings()[1],
        "trails": {"renamed_field": ["length_m", "metres"], "name": ["T2"], "opened": ["T1", "T5"]},
        "closed_zones": {"grown": [closed_zones()[0]["zone"]], "added_field": "in_charge"},
    }


def write_second_delivery(folder: Path) -> None:
    """Write the layers of 2032 into one GeoPackage."""
    path = folder / FOLDER / "tolvane_survey.gpkg"
    path.parent.mkdir(exist_ok=True)
    path.unlink(missing_ok=True)
    layers = {"buildings": second_buildings()[0], "trails": second_trails(), "closed_zones": second_zones()}
    for name, rows in layers.items():
        write_layer(path, rows, layer=name, driver="GPKG", append=path.exists())
