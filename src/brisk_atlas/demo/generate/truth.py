"""What the shipped data must show, worked out from the generator's own arrays and not from its files."""

from __future__ import annotations

import numpy as np
import shapely

from .boreholes import HOLES, NO_LOG, end_of_deviated, intervals
from .grids import NODATA, seafloor, surveyed, surveyed_2032, year_after
from .ground import CELL
from .land_cover import cover_changes
from .marine import LEVELS, LINES, crossovers, survey
from .second_delivery import edits_of_2032
from .tables import laboratory, readings, stations
from .terrain import terrain
from .vectors import ash_bands, ash_samples, buildings, closed_zones, coastline, fissures, lava_polygons, trails, vents


def facts() -> dict:
    both = terrain()
    new = both.lava[-1]
    sunk, worn = year_after()
    change = np.where(surveyed("before") != NODATA, both.after - both.before, 0)
    flows = [row for row in lava_polygons() if row["year"] == 2031]
    zones = shapely.union_all([row["geometry"] for row in closed_zones()])
    clipped = [shapely.intersection(row["geometry"], zones) for row in flows]
    deepest = np.unravel_index(np.argmax(new.thickness), new.thickness.shape)
    return {
        "elevation": {
            "highest_2029_m": float(both.before.max()), "highest_2031_m": float(both.after.max()),
            "valid_cells": int((surveyed("before") != NODATA).sum()), "cell_m": CELL,
        },
        "eruption_2031": {
            "lava_volume_m3": float(new.thickness.sum() * CELL**2), "lava_area_m2": float((new.thickness > 0).sum() * CELL**2),
            "thickest_m": float(new.thickness.max()), "thickest_cell": [int(v) for v in deepest],
            "rim_loss_m3": float(both.collapse.sum() * CELL**2), "rim_area_m2": float((both.collapse > 0).sum() * CELL**2),
            "net_change_m3": float(change.sum() * CELL**2), "flows": len(flows),
            "flows_in_closed_zones": sum(not g.is_empty for g in clipped),
            "lava_in_closed_zones_m2": float(sum(g.area for g in clipped)),
            "new_land_m2": float(shapely.difference(coastline("after"), coastline("before")).area),
        },
        "surface_2032": {
            "sunk_m3": float(sunk.sum() * CELL**2), "worn_m3": float(worn.sum() * CELL**2),
            "net_change_m3": float((surveyed_2032().astype(float) - surveyed("after")).sum() * CELL**2),
        },
        "counts": {
            "coastline": 2, "lava_flows": len(lava_polygons()), "fissures": len(fissures()), "ash_bands": len(ash_bands()),
            "trails": len(trails()), "buildings": len(buildings()), "closed_zones": len(closed_zones()), "vents": len(vents()),
            "ash_samples": len(ash_samples()), "gas_stations": len(stations()), "gas_readings": readings().num_rows,
            "laboratory": len(laboratory()), "laser_points": 300_000, "collars": len(HOLES), "intervals": len(intervals()),
        },
        "delivery_2032": edits_of_2032(),
        "land_cover": cover_changes(),
        "crossovers": [list(pair) for pair in crossovers()],
        "levels": LEVELS,
        "boat_lines": {code: int(survey(code)["lon"].size) for code, *_ in LINES},
        "logs": {hole: round(depth / 0.5) + 1 for hole, _, depth in HOLES if hole not in NO_LOG},
        "deviated": end_of_deviated(),
        "seafloor": {"columns": seafloor()[0].size, "rows": seafloor()[1].size, "deepest_m": float(np.round(seafloor()[2].min() * 4) / 4)},
    }  # fmt: skip
