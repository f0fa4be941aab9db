"""Coastline, lava, fissures, ash bands, trails, buildings, closed zones, vents and ash samples."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

import numpy as np
import pyogrio
import shapely
from pyproj import Transformer
from rasterio.features import shapes
from scipy.sparse import csr_matrix
from scipy.sparse.csgraph import dijkstra
from shapely.geometry import LineString, Point, Polygon, mapping, shape

from .grids import ash_thickness
from .ground import CELL, CRS, EAST, NORTH, SOUTH, SUMMIT, TRANSFORM, WEST, centres, rng, sample
from .terrain import FISSURE_2031, land, terrain

TO_DEGREES = Transformer.from_crs(CRS, 4326, always_xy=True)
VILLAGES = {  # name: place, houses
    "Harrow Landing": ((510_370, 5_769_640), 58),
    "West Tolvane": ((505_600, 5_772_000), 34),
    "Gannet Cove": ((508_240, 5_769_190), 26),
    "Northpoint": ((508_300, 5_774_900), 22),
}
CLOSED_ZONES = (  # code, name, since, radius about, centre
    ("CZ-1", "Serrick crater", "2031-04-17", 900, SUMMIT),
    ("CZ-2", "Upper fissure", "2031-04-19", 780, (509_750, 5_771_050)),
    ("CZ-3", "Harrow Bay delta", "2031-05-02", 620, (510_900, 5_769_800)),
)
FISSURES = (  # id, opened, eruption year, end points
    ("F1", "1962-08-03", 1962, [(506_380, 5_772_900), (506_620, 5_773_010)]),
    ("F2", "1994-11-21", 1994, [(510_240, 5_772_990), (510_480, 5_773_090)]),
    ("F3", "2007-02-09", 2007, [(507_120, 5_770_190), (507_300, 5_770_140)]),
    ("F4", "2031-04-17", 2031, [(509_500, 5_771_290), (509_600, 5_771_205)]),
    ("F5", "2031-04-17", 2031, [(509_640, 5_771_170), (509_760, 5_771_090)]),
    ("F6", "2031-04-18", 2031, [(509_790, 5_771_080), (510_030, 5_770_890)]),
)
STATIONS = (  # id, name, place
    ("G01", "Crater rim west", (508_330, 5_771_960)),
    ("G02", "Crater rim south", (508_760, 5_771_480)),
    ("G03", "Crater floor", (508_690, 5_771_880)),
    ("G04", "Upper fissure", (509_620, 5_771_330)),
    ("G05", "Lower fissure", (510_150, 5_770_980)),
    ("G06", "Harrow ridge", (510_640, 5_770_420)),
    ("G07", "Harrow Landing", (510_240, 5_769_640)),
    ("G08", "Gannet Cove", (508_250, 5_769_230)),
    ("G09", "West Tolvane", (505_650, 5_772_050)),
    ("G10", "Northpoint", (508_340, 5_774_830)),
    ("G11", "East shoulder", (510_350, 5_772_300)),
    ("G12", "Old cone 1962", (506_420, 5_773_060)),
)


def _polygons(mask: np.ndarray) -> list[Polygon]:
    return [shape(g) for g, v in shapes(mask.astype(np.uint8), mask, transform=TRANSFORM) if v]


@cache
def lava_polygons() -> list[dict]:
    """Return each mapped piece of lava: outline along cell edges, mean thickness and volume."""
    rows = []
    for lava in terrain().lava:
        for unit in np.unique(lava.unit[lava.unit > 0]):
            mask = lava.unit == unit
            for number, outline in enumerate(sorted(_polygons(mask), key=lambda p: -p.area), 1):
                inside = shapely.contains_xy(outline, *centres()) & mask
                thick = lava.thickness[inside]
                rows.append(
                    dict(
                        geometry=outline,
                        flow_id=f"L{lava.year % 100:02d}-{unit}-{number}",
                        year=lava.year,
                        vent=int(unit),
                        mean_thick_m=round(float(thick.mean()), 2),
                        max_thick_m=round(float(thick.max()), 2),
                        volume_m3=round(float(thick.sum() * CELL**2), 1),
                        surface="rubbly" if thick.mean() > 6 else "smooth",
                    )
                )
    return rows


@cache
def coastline(epoch: str) -> Polygon:
    both = terrain()
    height = both.before if epoch == "before" else both.after
    outline = max(_polygons(land(height)), key=lambda p: p.area)
    return outline.simplify(9.0)


def closed_zones() -> list[dict]:
    """Return the three closed zones; they overlap at their edges as the office drew them."""
    rows = []
    for code, name, since, radius, (east, north) in CLOSED_ZONES:
        random = rng(code)
        turn = np.linspace(0, 2 * np.pi, 28, endpoint=False)
        out = radius * (1 + 0.07 * np.cos(3 * turn + random.uniform(0, 6)) + 0.05 * random.standard_normal(28))
        ring = np.round(np.c_[east + out * np.cos(turn), north + out * np.sin(turn)], 1)
        zone = Polygon(ring)
        rows.append(
            dict(
                geometry=zone,
                zone=code,
                name=name,
                since=since,
                reason="fresh lava and gas" if code != "CZ-1" else "unstable rim",
            )
        )
    return rows


def ash_bands() -> list[dict]:
    x, y = centres(20.0)
    fall = ash_thickness(x, y)
    limits = (1, 5, 20, 50, 100, 250)
    on_land = coastline("after")
    rows = []
    for low, high in zip(limits, (*limits[1:], None)):
        mask = (fall >= low) & ((fall < high) if high else True)
        pieces = [
            shape(g) for g, v in shapes(mask.astype(np.uint8), mask, transform=TRANSFORM * TRANSFORM.scale(2)) if v
        ]
        band = shapely.intersection(shapely.union_all(pieces), on_land)
        if not band.is_empty:
            rows.append(
                dict(
                    geometry=shapely.multipolygons(
                        shapely.get_parts(band)[shapely.get_dimensions(shapely.get_parts(band)) == 2]
                    ),
                    from_mm=low,
                    to_mm=high,
                    area_ha=round(band.area / 1e4, 2),
                )
            )
    return rows


def trails() -> list[dict]:
    """Return paths that a walker would take: least effort over the land of 2029."""
    cell = 40.0
    x, y = centres(cell)
    height = sample(terrain().before, x, y)
    rows, columns = height.shape
    index = np.arange(rows * columns).reshape(rows, columns)
    starts, ends, cost = [], [], []
    for dr, dc in ((0, 1), (1, 0), (1, 1), (1, -1)):
        a = (slice(0, rows - dr), slice(max(0, -dc), columns - max(0, dc)))
        b = (slice(dr, rows), slice(max(0, dc), columns + min(0, dc)))
        run = cell * np.hypot(dr, dc)
        effort = run * (1 + 9 * ((height[b] - height[a]) / run) ** 2)
        effort = np.where((height[a] < 1) | (height[b] < 1), effort * 60, effort)
        starts += [index[a].ravel(), index[b].ravel()]
        ends += [index[b].ravel(), index[a].ravel()]
        cost += [effort.ravel()] * 2
    graph = csr_matrix((np.concatenate(cost), (np.concatenate(starts), np.concatenate(ends))))

    def node(place):
        return index[int((NORTH - place[1]) / cell), int((place[0] - WEST) / cell)]

    out = []
    rim = (508_330, 5_771_960)
    legs = [(name, place, rim) for name, (place, _) in VILLAGES.items()]
    names = list(VILLAGES)
    legs += [(f"{a} to {b}", VILLAGES[a][0], VILLAGES[b][0]) for a, b in zip(names, names[1:] + names[:1])]
    for number, (name, start, end) in enumerate(legs, 1):
        _, back = dijkstra(graph, indices=node(start), return_predecessors=True)
        at, path = node(end), []
        while at >= 0:
            path.append(at)
            at = back[at]
        line = LineString([(x.flat[i], y.flat[i]) for i in path[::-1]]).simplify(25)
        line = shapely.segmentize(line, 60)
        xy = shapely.get_coordinates(line)
        smooth = np.c_[[np.convolve(np.pad(v, 2, "edge"), np.ones(5) / 5, "valid") for v in xy.T]].T
        z = sample(terrain().before, smooth[:, 0], smooth[:, 1])
        line = LineString(np.round(np.c_[smooth, z], 1))
        climb = np.clip(np.diff(z), 0, None).sum()
        out.append(
            dict(
                geometry=line,
                trail=f"T{number}",
                name=f"{name} path" if "to" in name else f"{name} to the rim",
                length_m=round(LineString(smooth).length, 1),
                climb_m=round(float(climb), 1),
                open_2031=number not in (1, 5),
            )
        )
    return out


def buildings() -> list[dict]:
    random = rng("buildings")
    lava = terrain().lava[-1]
    rows = []
    for village, (place, count) in VILLAGES.items():
        done: list[Polygon] = []
        while len(done) < count:
            east, north = np.array(place) + random.normal(0, 125, 2)
            if sample(terrain().before, east, north) < 4:
                continue
            long, wide, turn = random.uniform(9, 22), random.uniform(6, 11), random.uniform(0, np.pi)
            corner = np.array([[-long, -wide], [long, -wide], [long, wide], [-long, wide]]) / 2
            spin = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
            house = Polygon(np.round(corner @ spin.T + (east, north), 2))
            if any(house.distance(other) < 4 for other in done):
                continue
            done.append(house)
            ash = float(ash_thickness(east, north))
            buried = sample(lava.thickness, east, north) > 0.5
            rows.append(
                dict(
                    geometry=house,
                    building=f"B{len(rows) + 1:03d}",
                    village=village,
                    use=str(random.choice(["house", "house", "house", "shed", "store", "public"])),
                    floors=int(random.integers(1, 3)),
                    people=int(random.integers(0, 6)),
                    damage="buried" if buried else "roof" if ash > 20 else "light" if ash > 2.5 else "none",
                )
            )
    return rows


def fissures() -> list[dict]:
    rows = []
    for code, opened, year, ends in FISSURES:
        random = rng(code)
        line = shapely.segmentize(LineString(ends), 25)
        xy = shapely.get_coordinates(line) + random.normal(0, 2.2, (len(shapely.get_coordinates(line)), 2))
        line = LineString(np.round(xy, 1))
        rows.append(
            dict(
                geometry=line,
                fissure=code,
                opened=opened,
                eruption_year=year,
                length_m=round(line.length, 1),
                max_opening_m=round(float(random.uniform(0.4, 3.2)), 2),
                dip_degrees=int(random.integers(72, 90)),
                active_2031=year == 2031,
            )
        )
    return rows


def vents() -> list[dict]:
    rows = [dict(place=SUMMIT, name="Serrick crater", year=None, kind="crater")]
    for number, place in enumerate(FISSURE_2031, 1):
        rows.append(dict(place=place, name=f"Vent 2031-{number}", year=2031, kind="fissure vent"))
    for year, place in ((1962, (506_500, 5_772_950)), (1994, (510_375, 5_773_040)), (2007, (507_220, 5_770_160))):
        rows.append(dict(place=place, name=f"Cone {year}", year=year, kind="cone"))
    return rows


def ash_samples() -> list[dict]:
    random = rng("ash samples")
    inside = coastline("after")
    rows: list[dict] = []
    while len(rows) < 74:
        east, north = random.uniform(WEST, EAST), random.uniform(SOUTH, NORTH)
        true = float(ash_thickness(east, north))
        if true < 0.6 or not inside.contains(Point(east, north)):
            continue
        lon, lat = TO_DEGREES.transform(east, north)
        rows.append(
            dict(
                lon=round(lon, 6),
                lat=round(lat, 6),
                sample=f"A{len(rows) + 1:02d}",
                thickness_mm=round(true * random.lognormal(0, 0.12), 1),
                median_grain_mm=round(float(2.4 * np.exp(-np.hypot(east - 509_765, north - 5_771_090) / 1700)), 3),
                sampled=f"2031-05-{random.integers(6, 29):02d}",
                note=None
                if random.uniform() < 0.7
                else str(random.choice(["reworked by rain", "under trees", "roof"])),
            )
        )
    return rows


def write_layer(path: Path, rows: list[dict], rename: dict[str, str] | None = None, **options) -> None:
    """Write rows (each with `geometry`, in the island's CRS) as one layer."""
    names = [name for name in rows[0] if name != "geometry"]
    columns, masks = [], []
    for name in names:
        values = [row[name] for row in rows]
        missing = np.array([value is None for value in values])
        kind = next((type(v) for v in values if v is not None), str)
        filled = [kind() if value is None else value for value in values]
        dtype = {str: object, int: np.int32, float: np.float64, bool: np.bool_}[kind]
        columns.append(np.array(filled, dtype=dtype))
        masks.append(missing if missing.any() else None)
    geometry = np.array([row["geometry"] for row in rows], dtype=object)
    kinds = {g.geom_type for g in geometry}
    kind = kinds.pop() if len(kinds) == 1 else "Unknown"
    pyogrio.raw.write(
        path,
        shapely.to_wkb(geometry),
        columns,
        [(rename or {}).get(n, n) for n in names],
        masks,
        crs=CRS,
        geometry_type=f"{kind} Z" if geometry[0].has_z else kind,
        promote_to_multi=False,
        **options,
    )


CUT_OFF = {
    "fissure": "FISS_ID",
    "opened": "OPEN_DT",
    "eruption_year": "ERUP_YR",
    "length_m": "FISS_LEN_M",
    "max_opening_m": "MAXOPEN_M",
    "dip_degrees": "DIP_DEG",
    "active_2031": "ACT_2031",
}


def write_vectors(folder: Path) -> None:
    survey = folder / "tolvane_survey.gpkg"
    survey.unlink(missing_ok=True)
    coasts = [
        dict(geometry=coastline(e).exterior, epoch=e, surveyed=y, length_m=round(coastline(e).exterior.length, 1))
        for e, y in (("before", 2029), ("after", 2031))
    ]
    for ring in coasts:
        ring["geometry"] = LineString(ring["geometry"])
    layers = {
        "coastline": coasts,
        "lava_flows": lava_polygons(),
        "fissures": fissures(),
        "ash_bands": ash_bands(),
        "trails": trails(),
        "buildings": buildings(),
        "closed_zones": closed_zones(),
    }
    for name, rows in layers.items():
        write_layer(survey, rows, layer=name, driver="GPKG", append=survey.exists())
    shapefile = folder / "fissures_2031" / "fissures.shp"
    shapefile.parent.mkdir(exist_ok=True)
    write_layer(shapefile, fissures(), rename=CUT_OFF, driver="ESRI Shapefile", encoding="UTF-8")
    (folder / "vents.kml").write_text(_kml(vents()), encoding="utf-8")
    samples = ash_samples()
    features = [
        {
            "type": "Feature",
            "properties": {k: v for k, v in row.items() if k not in ("lon", "lat")},
            "geometry": mapping(Point(row["lon"], row["lat"])),
        }
        for row in samples
    ]
    lines = ",\n".join(json.dumps(f) for f in features)
    text = f'{{"type": "FeatureCollection", "name": "ash_samples", "features": [\n{lines}\n]}}\n'
    (folder / "ash_samples.geojson").write_text(text, encoding="utf-8")


def _kml(rows) -> str:
    marks = []
    for row in rows:
        lon, lat = TO_DEGREES.transform(*row["place"])
        height = float(sample(terrain().after, *row["place"]))
        data = "".join(
            f'<Data name="{key}"><value>{row[key]}</value></Data>' for key in ("year", "kind") if row[key] is not None
        )
        marks.append(
            f"  <Placemark><name>{row['name']}</name><ExtendedData>{data}</ExtendedData>"
            f"<Point><coordinates>{lon:.6f},{lat:.6f},{height:.1f}</coordinates></Point></Placemark>"
        )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<kml xmlns="http://www.opengis.net/kml/2.2"><Document>'
        "<name>vents</name>\n" + "\n".join(marks) + "\n</Document></kml>\n"
    )
