"""The elevation grids, the sea floor and the two satellite scenes."""

from __future__ import annotations

import json
from functools import cache
from pathlib import Path

import numpy as np
import rasterio
from pyproj import CRS as ProjCRS
from pyproj import Transformer
from rasterio.enums import Resampling
from rasterio.transform import from_origin
from rasterio.warp import transform_bounds
from scipy.io import netcdf_file
from scipy.ndimage import gaussian_filter

from .ground import CRS, EAST, EPOCHS, NORTH, SOUTH, TRANSFORM, WEST, centres, rng, sample, smooth_noise
from .terrain import FISSURE_2031, STEP, land, terrain

NODATA = -9999.0
THICK, COOLING = 3.0, 0.04  # metres from which lava sinks as it cools, and by which share in a year
DEEPEST_SURVEYED = -12.0  # metres; the laser reaches no deeper
VERTICAL_DATUM = "mean sea level at Harrow Landing, 2029"


def surveyed(epoch: str) -> np.ndarray:
    """Return elevation in metres at 10 m, nodata where the sea is deeper than the laser reaches."""
    both = terrain()
    height = both.before if epoch == "before" else both.after
    return np.where(_in_reach(), height, NODATA).astype(np.float32)


def _in_reach() -> np.ndarray:
    both = terrain()
    reach = gaussian_filter(both.before, 2) > DEEPEST_SURVEYED
    return reach | (both.lava[-1].thickness > 0)  # the new delta was sounded before and after


def year_after() -> tuple[np.ndarray, np.ndarray]:
    """Return (rows, cols) metres by which thick lava sank as it cooled, and by which the sea wore the new delta down,
    from the survey of 2031 to that of 2032; multiples of the step of heights."""
    both = terrain()
    lava = both.lava[-1].thickness
    sunk = np.where((lava > THICK) & (both.after > 0), COOLING * lava, 0.0)
    worn = np.where((lava > 0) & (both.before < 0) & (both.after > -8), 1.25 + 0.5 * np.sin(both.after), 0.0)
    return np.round(sunk / STEP) * STEP, np.round(worn / STEP) * STEP


def surveyed_2032() -> np.ndarray:
    """Return elevation a year later: cooled lava has sunk and the sea has taken of the delta."""
    sunk, worn = year_after()
    return np.where(_in_reach(), terrain().after - sunk - worn, NODATA).astype(np.float32)


def write_elevation(folder: Path) -> None:
    for year, heights in ((2029, surveyed("before")), (2031, surveyed("after")), (2032, surveyed_2032())):
        path = folder / ("delivery_2032" if year == 2032 else "") / f"elevation_{year}.tif"
        path.parent.mkdir(exist_ok=True)
        with rasterio.open(
            path, "w", driver="GTiff", width=1024, height=900, count=1, dtype="float32", crs=CRS,
            transform=TRANSFORM, nodata=NODATA, tiled=True, blockxsize=256, blockysize=256,
            compress="deflate", predictor=3, zlevel=9,
        ) as out:  # fmt: skip
            out.write(heights, 1)
            out.set_band_description(1, "elevation")
            out.units = ("m",)
            out.update_tags(AREA_OR_POINT="Area", VERTICAL_DATUM=VERTICAL_DATUM, SURVEY_YEAR=str(year))
        with rasterio.Env(COMPRESS_OVERVIEW="DEFLATE", PREDICTOR_OVERVIEW="3"), rasterio.open(path, "r+") as out:
            out.build_overviews([2, 4, 8], Resampling.average)


@cache
def seafloor() -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return longitudes, latitudes and elevation (negative down, metres) around the island."""
    lon = np.linspace(-21.10, -20.70, 401)
    lat = np.linspace(-38.36, -38.04, 321)
    x, y = Transformer.from_crs(4326, CRS, always_xy=True).transform(*np.meshgrid(lon, lat))
    away = np.hypot(x - 508_700, (y - 5_771_900) * 1.1)
    random = rng("seafloor")
    floor = -2900 + 2820 * np.exp(-(((away - 3300).clip(0) / 6200) ** 1.25))
    floor += 70 * smooth_noise(random, x.shape, 60, octaves=5) * np.clip((away - 3300) / 6000, 0, 1.4)
    for east, north, size, rise in ((498_900, 5_764_600, 1500, 900), (518_400, 5_778_900, 1100, 620)):
        floor += rise * np.exp(-((np.hypot(x - east, y - north) / size) ** 2))
    floor -= 260 * np.exp(-(((x - 515_500 + 0.35 * (y - 5_766_000)) / 520) ** 2)) * np.clip((away - 4500) / 4000, 0, 1)
    inside = (x > WEST + 50) & (x < EAST - 50) & (y > SOUTH + 50) & (y < NORTH - 50)
    near = sample(terrain().before, x, y)
    edge = np.clip((4450 - away) / 1500, 0, 1)
    edge = np.where(inside, edge * edge * (3 - 2 * edge), 0)
    return lon, lat, (edge * near + (1 - edge) * floor).astype(np.float32)


def write_seafloor(folder: Path) -> None:
    lon, lat, floor = seafloor()
    with netcdf_file(folder / "seafloor.nc", "w", version=1) as out:
        out.Conventions = "CF-1.8"
        out.title = "Sea floor around Tolvane Island, 2029"
        out.institution = "Tolvane Survey Office"
        out.createDimension("lat", lat.size)
        out.createDimension("lon", lon.size)
        for name, values, standard, units in (
            ("lat", lat, "latitude", "degrees_north"),
            ("lon", lon, "longitude", "degrees_east"),
        ):
            variable = out.createVariable(name, "f8", (name,))
            variable[:] = values
            variable.standard_name, variable.units = standard, units
        crs = out.createVariable("crs", "i4", ())
        crs.grid_mapping_name = "latitude_longitude"
        crs.spatial_ref = ProjCRS.from_epsg(4326).to_wkt("WKT1_GDAL")
        crs.semi_major_axis, crs.inverse_flattening = 6378137.0, 298.257223563
        depth = out.createVariable("elevation", "f4", ("lat", "lon"))
        depth[:] = np.round(floor * 4) / 4
        depth.units, depth.standard_name = "m", "height_above_mean_sea_level"
        depth.long_name, depth.grid_mapping = "Sea floor elevation", "crs"


BANDS = (  # number, name, centre in micrometres, cell in metres, role
    ("B1", "blue", 0.485, 30, "visible"),
    ("B2", "green", 0.560, 30, "visible"),
    ("B3", "red", 0.660, 30, "visible"),
    ("B4", "near infrared", 0.845, 30, "near infrared"),
    ("B5", "shortwave infrared 1", 1.610, 30, "shortwave infrared"),
    ("B6", "shortwave infrared 2", 2.200, 30, "shortwave infrared"),
    ("B7", "panchromatic", 0.590, 15, "panchromatic"),
    ("B8", "thermal infrared", 10.900, 60, "thermal"),
    ("B9", "quality", None, 30, "quality"),
)
COVER = {  # reflectance of blue, green, red, near infrared, shortwave 1 and 2
    "sea": (0.060, 0.045, 0.025, 0.012, 0.006, 0.004),
    "forest": (0.030, 0.055, 0.035, 0.340, 0.150, 0.065),
    "scrub": (0.045, 0.075, 0.065, 0.260, 0.210, 0.120),
    "grass": (0.060, 0.100, 0.090, 0.300, 0.260, 0.150),
    "ash": (0.085, 0.095, 0.105, 0.130, 0.170, 0.160),
    "old lava": (0.060, 0.066, 0.072, 0.105, 0.130, 0.120),
    "new lava": (0.034, 0.035, 0.036, 0.040, 0.062, 0.078),
    "beach": (0.130, 0.150, 0.170, 0.200, 0.230, 0.210),
}
SUN = {"before": (51.0, 48.6), "after": (38.0, 27.4)}  # azimuth, elevation in degrees
REFLECTANCE_SCALE, REFLECTANCE_OFFSET = 2.0e-5, -0.1
TEMPERATURE_SCALE, TEMPERATURE_OFFSET = 0.01, 150.0
SUNLIGHT = {"B1": 1970.0, "B2": 1840.0, "B3": 1550.0, "B4": 1040.0, "B5": 245.0, "B6": 80.0, "B7": 1730.0}  # W/(m2 um)
QUALITY = {1: "clear land", 2: "clear water", 4: "cloud"}


def ash_thickness(x, y):
    """Ash of 2031 in millimetres: a plume that the wind took to the east-north-east."""
    east, north = np.mean(FISSURE_2031, axis=0)
    along = (x - east) * np.cos(0.45) + (y - north) * np.sin(0.45)
    across = -(x - east) * np.sin(0.45) + (y - north) * np.cos(0.45)
    width = 480 + 0.33 * np.clip(along, 0, None)
    reach = np.where(along > 0, np.exp(-along / 2300), np.exp(-((along / 520) ** 2)))
    return 420 * reach * np.exp(-((across / width) ** 2))


@cache
def cover_weights(epoch: str) -> dict[str, np.ndarray]:
    """Return the share of each cover, (600, 683) each at 15 m, as if the sea were land."""
    both = terrain()
    x, y = centres(15.0)
    height = sample(both.before if epoch == "before" else both.after, x, y)
    patch = smooth_noise(rng("cover"), x.shape, 36, octaves=5, gain=0.6)
    dry = 0.55 * np.tanh((x - 508_700) / 2500) + 0.35 * patch
    weight = {name: np.zeros(x.shape) for name in COVER}
    up = height / 1000
    weight["forest"] = np.clip(1.25 - 2.4 * np.abs(up - 0.22) - dry, 0, None)
    weight["scrub"] = np.clip(0.9 - 1.6 * np.abs(up - 0.42) + 0.3 * dry, 0, None)
    weight["grass"] = np.clip(0.75 - 2.2 * np.abs(up - 0.12) + 0.8 * dry, 0, None)
    weight["ash"] = np.clip(2.6 * (up - 0.58) + 0.25 * patch, 0, None)
    weight["beach"] = np.clip(1.2 - height / 5, 0, None) * (height < 6)
    total = sum(weight.values()) + 1e-9
    weight = {name: value / total for name, value in weight.items()}

    def cover_by(name, share):
        for other in weight:
            weight[other] = weight[other] * (1 - share)
        weight[name] = weight[name] + share

    for lava, freshness in zip(both.lava, (0.35, 0.6, 0.85, 1.0)):
        if lava.year <= 2029 or epoch == "after":
            share = np.clip(sample(lava.thickness, x, y) / 1.2, 0, 1) * freshness
            cover_by("new lava" if lava.year == 2031 else "old lava", share)
    if epoch == "after":
        cover_by("ash", np.clip(ash_thickness(x, y) / 90, 0, 0.92))
    return weight


@cache
def _scene_cover(epoch: str) -> tuple[np.ndarray, np.ndarray]:
    """Return reflectance (6, 600, 683) at 15 m without light, and temperature in kelvin."""
    both, weight = terrain(), cover_weights(epoch)
    x, y = centres(15.0)
    height = sample(both.before if epoch == "before" else both.after, x, y)
    up, random = height / 1000, rng(f"cover {epoch}")
    reflectance = sum(np.array(COVER[name])[:, None, None] * value[None] for name, value in weight.items())
    reflectance *= 1 + 0.06 * smooth_noise(random, x.shape, 5, octaves=2)[None]
    if epoch == "after":
        reflectance *= 0.86  # fine ash on everything
    wet = height <= 0
    depth = np.clip(-height, 0, None)
    shallow = np.exp(-depth / 5)[None] * np.array([0.05, 0.06, 0.03, 0.004, 0.0, 0.0])[:, None, None]
    sea = np.array(COVER["sea"])[:, None, None] + shallow
    sea = sea * (1 + 0.05 * smooth_noise(random, x.shape, 12, octaves=3)[None])
    reflectance = np.where(wet[None], sea, reflectance)

    warm = 291.5 if epoch == "before" else 285.0
    kelvin = np.where(wet, warm - 4.0, warm + 9 * (weight["old lava"] + weight["ash"]) - 6.5 * up)
    if epoch == "after":
        thickness = sample(both.lava[-1].thickness, x, y)
        kelvin = kelvin + np.where(wet & (thickness <= 0), 0, 16 * np.clip(thickness / 12, 0, 1))
    return reflectance, kelvin + 0.25 * random.standard_normal(x.shape)


def _light(epoch: str, x, y) -> np.ndarray:
    """Return the share of sunlight on the ground: 1 on the flat, less on slopes that turn away."""
    both = terrain()
    height = np.clip(sample(both.before if epoch == "before" else both.after, x, y), 0, None)
    dy, dx = np.gradient(height, -15.0, 15.0)
    azimuth, elevation = np.radians(SUN[epoch])
    slope = np.arctan(np.hypot(dx, dy))
    facing = np.arctan2(-dx, -dy)
    toward = np.cos(slope) * np.sin(elevation) + np.sin(slope) * np.cos(elevation) * np.cos(azimuth - facing)
    return 0.3 + 0.7 * np.clip(toward, 0.05, None) / np.sin(elevation)


def _block_mean(values: np.ndarray, factor: int) -> np.ndarray:
    rows, columns = (values.shape[0] // factor) * factor, (values.shape[1] // factor) * factor
    cut = values[:rows, :columns]
    return cut.reshape(rows // factor, factor, columns // factor, factor).mean(axis=(1, 3))


def _clouds(epoch: str, shape) -> np.ndarray:
    x, y = centres(15.0)
    field = smooth_noise(rng(f"clouds {epoch}"), shape, 130, octaves=5)
    field -= 3 * np.exp(-((np.hypot(x - 510_700, y - 5_770_200) / 2600) ** 4))  # a lucky gap
    return np.clip((field - (1.75 if epoch == "before" else 1.5)) / 0.5, 0, 1)


def scene_numbers(epoch: str) -> dict[str, np.ndarray]:
    """Return each band's digital numbers (uint16; quality uint8), on its own grid."""
    x, y = centres(15.0)
    reflectance, kelvin = _scene_cover(epoch)
    cloud = _clouds(epoch, x.shape)
    seen = reflectance * _light(epoch, x, y)[None] * (1 - cloud) + 0.62 * cloud
    haze = np.array([0.055, 0.032, 0.018, 0.008, 0.002, 0.001])[:, None, None]
    seen = seen + haze
    kelvin = kelvin * (1 - cloud) + 262 * cloud

    def numbers(values):
        return np.round((values - REFLECTANCE_OFFSET) / REFLECTANCE_SCALE / 8) * 8

    out = {f"B{i + 1}": numbers(_block_mean(seen[i], 2)) for i in range(6)}
    out["B7"] = numbers(seen[:3].mean(axis=0))
    out["B8"] = np.round((_block_mean(kelvin, 4) - TEMPERATURE_OFFSET) / TEMPERATURE_SCALE / 4) * 4
    ground = land(terrain().before if epoch == "before" else terrain().after)
    x30, y30 = (_block_mean(v, 2) for v in (x, y))
    wet = sample(ground.astype(float), x30, y30) < 0.5
    quality = np.where(wet, 2, 1)
    quality = np.where(_block_mean(cloud, 2) > 0.25, 4, quality)
    out["B9"] = quality
    return {name: v.astype(np.uint8 if name == "B9" else np.uint16) for name, v in out.items()}


def radiance_of(band: str, epoch: str) -> tuple[float, float]:
    """Return gain and offset from numbers to radiance in W/(m2 sr um): reflectance x sunlight x
    sin(sun elevation) / pi, at the mean distance of the sun."""
    share = SUNLIGHT[band] * np.sin(np.radians(SUN[epoch][1])) / np.pi
    return round(float(REFLECTANCE_SCALE * share), 9), round(float(REFLECTANCE_OFFSET * share), 6)


def write_scene(folder: Path, epoch: str) -> dict[str, object]:
    """Write one scene: a file a band, the metadata text and a STAC item. Returns facts of truth."""
    day = EPOCHS[epoch].replace("-", "")
    name = f"MERIDEL3_{day}"
    home = folder / name
    home.mkdir(parents=True, exist_ok=True)
    numbers = scene_numbers(epoch)
    for band, title, _, cell, _ in BANDS:
        data = numbers[band]
        with rasterio.open(
            home / f"{name}_{band}.tif", "w", driver="GTiff", width=data.shape[1], height=data.shape[0],
            count=1, dtype=data.dtype, crs=CRS, transform=from_origin(WEST, NORTH, cell, cell),
            nodata=0, tiled=True, blockxsize=256, blockysize=256, compress="deflate", predictor=2, zlevel=9,
        ) as out:  # fmt: skip
            out.write(data, 1)
            out.set_band_description(1, title)
    cloud = 100 * float((numbers["B9"] == 4).mean())
    (home / f"{name}_META.txt").write_text(_scene_text(name, epoch, numbers, cloud), encoding="ascii")
    (home / f"{name}.stac.json").write_text(json.dumps(_stac(name, epoch, cloud), indent=1), encoding="utf-8")
    return {"bands": len(BANDS), "cloud_percent": round(cloud, 2)}


def _scene_text(name, epoch, numbers, cloud) -> str:
    azimuth, elevation = SUN[epoch]
    lines = ["GROUP = MERIDEL_SCENE", "  GROUP = SCENE", f'    SCENE_ID = "{name}"',
             '    PLATFORM = "MERIDEL-3"', '    SENSOR = "LANTERN"',
             '    PROVIDER = "Tolvane Survey Office"', f"    ACQUIRED = {EPOCHS[epoch]}T10:42:17Z",
             f"    SUN_AZIMUTH = {azimuth}", f"    SUN_ELEVATION = {elevation}",
             f"    CLOUD_PERCENT = {cloud:.2f}", '    PROCESSING_LEVEL = "L1"', "  END_GROUP = SCENE",
             "  GROUP = MAP_FRAME", '    CRS = "EPSG:32727"', f"    WEST = {WEST}", f"    NORTH = {NORTH}",
             f"    EAST = {EAST}", f"    SOUTH = {SOUTH}", "  END_GROUP = MAP_FRAME"]  # fmt: skip
    for band, title, centre, cell, role in BANDS:
        rows, columns = numbers[band].shape
        lines += [f"  GROUP = BAND_{band[1:]}", f'    FILE = "{name}_{band}.tif"', f'    NAME = "{title}"',
                  f'    ROLE = "{role}"', f"    CELL_SIZE = {cell}", f"    LINES = {rows}",
                  f"    SAMPLES = {columns}"]  # fmt: skip
        if centre:
            lines.append(f"    CENTRE_MICROMETRES = {centre}")
        if role == "thermal":
            lines += [f"    TEMPERATURE_SCALE = {TEMPERATURE_SCALE}", f"    TEMPERATURE_OFFSET = {TEMPERATURE_OFFSET}"]
        elif role == "quality":
            lines += [f'    CLASS_{value} = "{words}"' for value, words in QUALITY.items()]
        else:
            gain, offset = radiance_of(band, epoch)
            lines += [f"    REFLECTANCE_SCALE = {REFLECTANCE_SCALE}", f"    REFLECTANCE_OFFSET = {REFLECTANCE_OFFSET}",
                      f"    RADIANCE_SCALE = {gain}", f"    RADIANCE_OFFSET = {offset}"]  # fmt: skip
        lines.append(f"  END_GROUP = BAND_{band[1:]}")
    return "\n".join([*lines, "END_GROUP = MERIDEL_SCENE", "END", ""])


def _stac(name, epoch, cloud) -> dict[str, object]:
    box = [round(v, 6) for v in transform_bounds(CRS, 4326, WEST, SOUTH, EAST, NORTH)]
    west, south, east, north = box
    ring = [[west, south], [east, south], [east, north], [west, north], [west, south]]
    assets = {}
    for band, title, centre, cell, role in BANDS:
        asset = {"href": f"./{name}_{band}.tif", "type": "image/tiff; application=geotiff", "title": title,
                 "roles": ["data" if centre else "data-mask"], "gsd": cell}  # fmt: skip
        asset["eo:bands"] = [{"name": band, "common_name": role, **({"center_wavelength": centre} if centre else {})}]
        if role == "thermal":
            asset["raster:bands"] = [{"scale": TEMPERATURE_SCALE, "offset": TEMPERATURE_OFFSET, "unit": "kelvin"}]
        elif role == "quality":
            asset["classification:classes"] = [{"value": v, "description": words} for v, words in QUALITY.items()]
        else:
            asset["raster:bands"] = [{"scale": REFLECTANCE_SCALE, "offset": REFLECTANCE_OFFSET}]
        assets[band] = asset
    assets["metadata"] = {"href": f"./{name}_META.txt", "type": "text/plain", "roles": ["metadata"]}
    return {
        "type": "Feature", "stac_version": "1.0.0",
        "stac_extensions": ["https://stac-extensions.github.io/eo/v1.1.0/schema.json",
                            "https://stac-extensions.github.io/projection/v1.1.0/schema.json",
                            "https://stac-extensions.github.io/view/v1.0.0/schema.json"],
        "id": name, "bbox": box, "geometry": {"type": "Polygon", "coordinates": [ring]},
        "properties": {"datetime": f"{EPOCHS[epoch]}T10:42:17Z", "platform": "meridel-3", "instruments": ["lantern"],
                       "proj:epsg": 32727, "eo:cloud_cover": round(cloud, 2), "gsd": 30,
                       "view:sun_azimuth": SUN[epoch][0], "view:sun_elevation": SUN[epoch][1]},
        "links": [], "assets": assets,
    }  # fmt: skip
