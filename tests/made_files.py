"""One small file of every format that is read, made by the general libraries from the shipped survey."""

from __future__ import annotations

import gzip
import json
import shutil
import warnings
import zipfile
from pathlib import Path

import laspy
import numpy as np
import plyfile
import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import rasterio
import rasterio.shutil
import shapely
from rasterio.transform import from_origin
from scipy.io import netcdf_file

from brisk_atlas.core.model import DataRef

CRS = "EPSG:32727"


def at(path: str | Path, part: str | None = None) -> DataRef:
    """Return the reference to a file, or to a part of it."""
    return DataRef.parse(path).with_part(part)


def _survey(data: Path, layer: str = "closed_zones", *, degrees: bool = False):
    meta, table = pyogrio.read_arrow(data / "tolvane_survey.gpkg", layer=layer)
    name = meta["geometry_name"]
    if degrees:
        import shapely

        from brisk_atlas.core.place import transform

        shapes = shapely.from_wkb(table[name].to_numpy(zero_copy_only=False))
        moved = shapely.transform(shapes, lambda xy: transform(xy, CRS, "EPSG:4326"))
        place = table.column_names.index(name)
        table = table.set_column(place, name, pa.array(shapely.to_wkb(moved), pa.binary()))
    return meta, table, name


def vector(data: Path, folder: Path, file: str, driver: str, *, degrees=False, drop=False, layer="closed_zones", **how):
    meta, table, name = _survey(data, layer, degrees=degrees)
    if drop:
        table = table.select([name])
    path = folder / file
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        pyogrio.write_arrow(
            table, path, driver=driver, geometry_name=name, geometry_type=meta["geometry_type"],
            crs="EPSG:4326" if degrees else CRS, **how,
        )  # fmt: skip
    return path


def geoparquet(data: Path, folder: Path) -> Path:
    _, table, name = _survey(data)
    import shapely

    xs = shapely.total_bounds(shapely.from_wkb(table[name].to_numpy(zero_copy_only=False)))
    import pyproj

    column = {"encoding": "WKB", "geometry_types": ["Polygon"], "crs": pyproj.CRS(CRS).to_json_dict(), "bbox": list(xs)}
    geo = {"version": "1.1.0", "primary_column": name, "columns": {name: column}}
    path = folder / "zones.parquet"
    pq.write_table(table.replace_schema_metadata({"geo": json.dumps(geo)}), path)
    return path


def gpx(folder: Path) -> Path:
    path = folder / "walk.gpx"
    points = "".join(f'<wpt lat="{-38.2 - i / 100}" lon="-20.9"><ele>{i * 10}</ele><name>Stop {i}</name></wpt>' for i in range(4))  # fmt: skip
    path.write_text(f'<?xml version="1.0"?><gpx version="1.1" creator="Tolvane Survey Office" xmlns="http://www.topografix.com/GPX/1/1">{points}</gpx>')  # fmt: skip
    return path


def grid(folder: Path, file: str, driver: str, *, dtype="float32", count=1, copy=False, west=506_000.0, cell=30.0, crs=CRS, size=(40, 50), **how):  # fmt: skip
    """Write a grid; drivers that can only copy get it through a GeoTIFF."""
    path = folder / file
    x0, y0 = (west, 5_772_000.0) if crs == CRS else (-20.9, -38.1)
    numbers = (np.arange(size[0] * size[1] * count).reshape(count, *size) % 200).astype(dtype)
    first = folder / f"{file}.source.tif" if copy else path
    with rasterio.open(
        first, "w", driver="GTiff" if copy else driver, width=size[1], height=size[0], count=count, dtype=dtype,
        crs=crs, transform=from_origin(x0, y0, cell, cell), **({} if copy else how),
    ) as out:  # fmt: skip
        out.write(numbers)
    if copy:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            rasterio.shutil.copy(first, path, driver=driver, **how)
        first.unlink()
    return path


def two_variables(folder: Path, file="ocean.nc") -> Path:
    path = folder / file
    with netcdf_file(path, "w") as out:
        for name, values in (("lat", np.linspace(-38.3, -38.1, 21)), ("lon", np.linspace(-21.0, -20.8, 31))):
            out.createDimension(name, len(values))
            axis = out.createVariable(name, "f8", (name,))
            axis[:] = values
            axis.units = {"lat": "degrees_north", "lon": "degrees_east"}[name]
        for name in ("depth", "warmth"):
            variable = out.createVariable(name, "f4", ("lat", "lon"))
            variable[:] = np.arange(21 * 31).reshape(21, 31)
    return path


def hgt(folder: Path) -> Path:
    path = folder / "S39W021.hgt"
    (np.arange(1201 * 1201) % 900).astype(">i2").tofile(path)
    return path


def world_picture(folder: Path, file: str, driver: str) -> Path:
    path = grid(folder, file, driver, dtype="uint8", count=3, copy=True)
    path.with_name(path.name + ".aux.xml").unlink(missing_ok=True)
    path.with_suffix({".png": ".pgw", ".jpg": ".jgw"}[path.suffix]).write_text("30\n0\n0\n-30\n506015\n5771985\n")
    return path


def tile(path: Path) -> None:
    """Write one map tile of 256 x 256 pixels."""
    with rasterio.open(path, "w", driver="PNG", width=256, height=256, count=3, dtype="uint8") as out:
        out.write(np.full((3, 256, 256), 90, np.uint8))


def laser(folder: Path, version: str, point_format: int, file: str, count=500) -> Path:
    """Write points of one format; version 1.0 is that of 1.1 with its number changed."""
    made = "1.1" if version == "1.0" else version
    header = laspy.LasHeader(version=made, point_format=point_format)
    header.scales, header.offsets = np.full(3, 0.01), np.array([506_000.0, 5_770_000.0, 0.0])
    header.add_extra_dim(laspy.ExtraBytesParams("amplitude", np.float32))
    cloud = laspy.LasData(header)
    step = np.arange(count)
    cloud.x, cloud.y, cloud.z = 506_000 + step * 0.5, 5_770_000 + step % 25, step / 10
    cloud.intensity = step
    cloud.amplitude = step / 7
    path = folder / file
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        cloud.write(path)
    if version == "1.0":
        with path.open("r+b") as out:
            out.seek(24)
            out.write(bytes([1, 0]))
    return path


def ply(folder: Path, *, text: bool) -> Path:
    path = folder / ("rim_text.ply" if text else "rim.ply")
    rows = np.zeros(200, [("x", "f8"), ("y", "f8"), ("z", "f4"), ("red", "u1"), ("green", "u1"), ("blue", "u1")])
    rows["x"], rows["y"], rows["z"], rows["red"] = np.arange(200), np.arange(200) * 2, np.arange(200) / 3, 200
    plyfile.PlyData([plyfile.PlyElement.describe(rows, "vertex")], text=text).write(str(path))
    return path


def xyz(folder: Path) -> Path:
    path = folder / "soundings.xyz"
    path.write_text("".join(f"{506_000 + i} {5_770_000 + 2 * i} {-i / 10:.2f} {i % 7}\n" for i in range(300)))
    return path


def dublin_core(folder: Path) -> Path:
    path = folder / "report.xml"
    path.write_text(
        '<?xml version="1.0"?><oai_dc:dc xmlns:oai_dc="http://www.openarchives.org/OAI/2.0/oai_dc/" '
        'xmlns:dc="http://purl.org/dc/elements/1.1/"><dc:title>Report on the eruption</dc:title>'
        "<dc:subject>ash</dc:subject></oai_dc:dc>"
    )
    return path


def dbf(data: Path, folder: Path) -> Path:
    return shutil.copy(data / "fissures_2031" / "fissures.dbf", folder / "fissures_table.dbf")


def ods(folder: Path) -> Path:
    path = folder / "samples.ods"
    table = pa.table({"sample": ["a", "b", "c"], "silica": [48.5, 51.25, 60.0]})
    pyogrio.write_arrow(table, path, driver="ODS", layer="samples")
    return path


def zipped(folder: Path, file: str, *sources: Path) -> Path:
    path = folder / file
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as out:
        for source in sources:
            out.write(source, source.name)
    return path


def gzipped(source: Path) -> Path:
    path = source.with_name(source.name + ".gz")
    with gzip.open(path, "wb") as out:
        out.write(source.read_bytes())
    return path


def hostile_zip(folder: Path) -> Path:
    path = folder / "escape.zip"
    with zipfile.ZipFile(path, "w") as out:
        out.writestr("../../outside.csv", "a,b\n1,2\n")
    return path


def bomb(folder: Path) -> Path:
    path = folder / "bomb.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=9) as out, out.open("big.csv", "w") as member:
        for _ in range(80):
            member.write(b"0" * 1_000_000)
    return path


VECTORS = {
    "GeoPackage": lambda data, f: vector(data, f, "zones.gpkg", "GPKG"),
    "Shapefile": lambda data, f: vector(data, f, "zones.shp", "ESRI Shapefile"),
    "GeoJSON": lambda data, f: vector(data, f, "zones.geojson", "GeoJSON", degrees=True),
    "GeoJSON sequence": lambda data, f: vector(data, f, "zones.geojsonl", "GeoJSONSeq", degrees=True),
    "FlatGeobuf": lambda data, f: vector(data, f, "zones.fgb", "FlatGeobuf"),
    "KML": lambda data, f: vector(data, f, "zones.kml", "LIBKML", degrees=True),
    "KMZ": lambda data, f: vector(data, f, "zones.kmz", "LIBKML", degrees=True),
    "GML": lambda data, f: vector(data, f, "zones.gml", "GML"),
    "GPX": lambda data, f: gpx(f),
    "DXF": lambda data, f: vector(data, f, "zones.dxf", "DXF", drop=True),
    "TAB": lambda data, f: vector(data, f, "zones.tab", "MapInfo File"),
    "MIF": lambda data, f: vector(data, f, "zones.mif", "MapInfo File"),
    "GDB folder": lambda data, f: vector(data, f, "zones.gdb", "OpenFileGDB"),
    "SQLite": lambda data, f: vector(data, f, "zones.sqlite", "SQLite"),
}
GRIDS = {
    "GeoTIFF": lambda f: grid(f, "grid.tif", "GTiff", count=2),
    "COG": lambda f: grid(f, "cloud_ready.tif", "COG", copy=True),
    "VRT": lambda f: (grid(f, "under.tif", "GTiff"), rasterio.shutil.copy(f / "under.tif", f / "grid.vrt", driver="VRT"))[0].with_name("grid.vrt"),
    "ASCII grid": lambda f: grid(f, "grid.asc", "AAIGrid", copy=True),
    "binary grid": lambda f: grid(f, "grid.bil", "EHdr", dtype="int16"),
    "float grid": lambda f: grid(f, "heights.flt", "EHdr"),
    "grid with .hdr": lambda f: grid(f, "grid.img", "ENVI"),
    "HFA grid": lambda f: grid(f, "hfa.img", "HFA"),
    "netCDF 4": lambda f: grid(f, "grid.nc", "netCDF", copy=True, FORMAT="NC4"),
    "JPEG 2000": lambda f: grid(f, "grid.jp2", "JP2OpenJPEG", dtype="uint8", copy=True),
    "PNG": lambda f: world_picture(f, "picture.png", "PNG"),
    "JPEG": lambda f: world_picture(f, "picture.jpg", "JPEG"),
    "DTED": lambda f: rasterio.shutil.copy(hgt(f), f / "s39.dt1", driver="DTED") or f / "s39.dt1",
    "HGT": lambda f: hgt(f),
    "MBTiles": lambda f: grid(f, "tiles.mbtiles", "MBTiles", dtype="uint8", count=3, copy=True, crs="EPSG:3857", cell=38.21851414258813, size=(256, 256)),
    "GeoPackage raster": lambda f: grid(f, "tiles.gpkg", "GPKG", dtype="uint8", count=3, copy=True),
}  # fmt: skip
CONTAINERS = {  # several grids in one
    "netCDF": lambda f: two_variables(f),
    "HDF5": lambda f: grid(f, "grid.nc", "netCDF", copy=True, FORMAT="NC4").rename(f / "grid.h5"),
    "Zarr": lambda f: grid(f, "grid.zarr", "Zarr", copy=True),
}


def vector_tiles(data: Path, folder: Path, file: str, driver: str, zooms=(8, 14)) -> Path:
    """Write the lava flows as vector tiles of some zoom levels, by the general library."""
    meta, table, name = _survey(data, "lava_flows")
    how = {"MINZOOM": str(zooms[0]), "MAXZOOM": str(zooms[1])}
    pyogrio.write_arrow(
        table, folder / file, driver=driver, layer="lava_flows", geometry_name=name, crs=CRS,
        geometry_type=meta["geometry_type"], dataset_options=how,
    )  # fmt: skip
    return folder / file


VECTOR_TILES = {
    "MBTiles of features": lambda data, f: vector_tiles(data, f, "flows.mbtiles", "MBTiles"),
    "PMTiles": lambda data, f: vector_tiles(data, f, "flows.pmtiles", "PMTiles"),
}


def write_grid_file(path: Path, values: np.ndarray, transform, *, crs=CRS, nodata=None) -> Path:
    """Write one band of values by an affine transform."""
    with rasterio.open(
        path, "w", driver="GTiff", width=values.shape[1], height=values.shape[0], count=1, dtype=values.dtype,
        crs=crs, transform=transform, nodata=nodata,
    ) as out:  # fmt: skip
        out.write(values, 1)
    return path


def write_squares(path: Path, squares, crs=CRS) -> Path:
    """Write rectangles (xmin, ymin, xmax, ymax) as polygons of one layer."""
    table = pa.table(
        {"n": list(range(len(squares))), "geometry": shapely.to_wkb(shapely.box(*np.array(squares, float).T))}
    )
    pyogrio.write_arrow(table, path, layer=path.stem, geometry_name="geometry", geometry_type="Polygon", crs=crs)
    return path


def write_isles(path: Path, *, near: tuple[float, float] | None = None, count: int = 40) -> Path:
    """Write made-up islands in degrees, some across 180 degrees by a jump from vertex to vertex, and a polar cap.

    near : mean longitude and standard deviation of where all lie, without the cap; the whole Earth where None
    """
    rng = np.random.default_rng(5)
    turn = np.linspace(0, 2 * np.pi, 80, endpoint=False)
    shapes = []
    for i in range(count):
        lon = rng.normal(*near) if near else rng.normal(180, 9) if i < 12 else rng.uniform(-180, 180)
        lat, size = rng.uniform(-65, 70), rng.uniform(2, 9)
        wave = sum(rng.normal() / k * np.cos(k * turn + rng.uniform(0, 6)) for k in range(2, 7))
        far = size * (1 + 0.3 * np.clip(wave, -2.5, 2.5))
        y = np.clip(lat + far * np.sin(turn), -89.5, 89.5)
        x = lon + far * np.cos(turn) / np.cos(np.radians(lat))
        shapes.append(shapely.Polygon(np.column_stack([(x + 180) % 360 - 180, y])))
    if near is None:
        lon = np.linspace(-180, 180, 121)
        coast = np.column_stack([lon, -74 + 5 * np.sin(np.radians(3 * lon))])
        shapes.append(shapely.Polygon([*coast.tolist(), (180, -90), (-180, -90)]))
    table = pa.table({"name": [f"isle {i}" for i in range(len(shapes))], "geometry": shapely.to_wkb(shapes)})
    pyogrio.write_arrow(table, path, driver="GPKG", geometry_name="geometry", geometry_type="Polygon", crs="EPSG:4326")
    return path


def write_global_grid(path: Path) -> Path:
    """Write a grid of the whole Earth by degrees from 0 to 360, cell middles on the poles."""
    lat = np.linspace(90, -90, 181)
    values = (np.cos(np.radians(lat))[:, None] * np.linspace(1, 2, 360)[None]).astype("f4")
    transform = rasterio.transform.from_bounds(0, -90.5, 360, 90.5, 360, 181)
    profile = {"driver": "GTiff", "width": 360, "height": 181, "count": 1, "dtype": "float32"}
    with rasterio.open(path, "w", crs="EPSG:4326", transform=transform, **profile) as out:
        out.write(values, 1)
    return path


def write_sea(path: Path, *, calendar: str = "standard", units: str = "days since 2029-01-15 12:00") -> np.ndarray:
    """Write a netCDF grid with time and depth; returns its values (time, depth, row from the north, column)."""
    values = np.random.default_rng(8).normal(12, 3, (6, 3, 20, 30)).astype("f4")
    with netcdf_file(path, "w") as out:
        axes = {
            "time": (np.array([0.0, 31, 58, 90, 120, 151]), {"units": units, "calendar": calendar}),
            "depth": (np.array([5.0, 50, 200]), {"units": "m", "positive": "down"}),
            "lat": (np.linspace(-37.05, -38.95, 20), {"units": "degrees_north"}),
            "lon": (np.linspace(-22.95, -20.05, 30), {"units": "degrees_east"}),
        }
        for name, (coordinates, stated) in axes.items():
            out.createDimension(name, len(coordinates))
            variable = out.createVariable(name, "d", (name,))
            variable[:] = coordinates
            for key, value in stated.items():
                setattr(variable, key, value)
        variable = out.createVariable("warmth", "f", tuple(axes))
        variable[:] = values
        variable.units, variable.long_name, variable.grid_mapping = "degC", "sea warmth", "crs"
        crs = out.createVariable("crs", "i4", ())
        crs.grid_mapping_name, crs.spatial_ref = "latitude_longitude", rasterio.crs.CRS.from_epsg(4326).to_wkt()
    return values


def write_zarr(folder: Path, depths: tuple[float, ...] = ()) -> np.ndarray:
    """Write a Zarr store (version 2, no compression) with a grid of three times, and depths; returns its values."""
    shape, names = ((3, len(depths), 20, 30), ["time", "depth"]) if depths else ((3, 20, 30), ["time"])
    values = np.random.default_rng(9).normal(12, 3, shape).astype("<f4")
    folder.mkdir()
    (folder / ".zgroup").write_text('{"zarr_format": 2}')
    arrays = {
        "time": (np.array([0.0, 31, 59]), ["time"], {"units": "days since 2029-01-15", "calendar": "standard"}),
        "lat": (np.linspace(-37.05, -38.95, 20), ["lat"], {"units": "degrees_north", "standard_name": "latitude"}),
        "lon": (np.linspace(-22.95, -20.05, 30), ["lon"], {"units": "degrees_east", "standard_name": "longitude"}),
        "warmth": (values, [*names, "lat", "lon"], {"units": "degC"}),
    }
    arrays |= {"depth": (np.array(depths), ["depth"], {"units": "m"})} if depths else {}
    for name, (data, dimensions, stated) in arrays.items():
        (folder / name).mkdir()
        kind = {"zarr_format": 2, "shape": data.shape, "chunks": data.shape, "dtype": data.dtype.str, "order": "C"}
        kind |= {"compressor": None, "fill_value": None, "filters": None}
        (folder / name / ".zarray").write_text(json.dumps(kind))
        (folder / name / ".zattrs").write_text(json.dumps({"_ARRAY_DIMENSIONS": dimensions, **stated}))
        (folder / name / ".".join("0" * data.ndim)).write_bytes(data.tobytes())
    return values


def write_grib(path: Path) -> None:
    """Write temperature at two pressures and two times, the messages in no order: 10 times the hour and a tenth of
    a hectopascal make each one's value."""
    stored = path.with_suffix(".tif")
    profile = {"driver": "GTiff", "width": 30, "height": 20, "count": 4, "dtype": "float32", "crs": "EPSG:4326"}
    with rasterio.open(stored, "w", transform=from_origin(-21, -37.5, 0.05, 0.05), **profile) as out:
        for band, (hour, pascal) in enumerate(((6, 85000), (0, 50000), (6, 50000), (0, 85000)), 1):
            out.write(np.full((20, 30), 10 * hour + pascal / 1000, "f4"), band)
            level = " ".join(map(str, pascal.to_bytes(4, "big")))
            out.update_tags(
                band,
                GRIB_DISCIPLINE="0",
                GRIB_IDS="CENTER=7 SUBCENTER=0 MASTER_TABLE=8 LOCAL_TABLE=0 SIGNF_REF_TIME=1 "
                "REF_TIME=2029-02-11T00:00:00Z PROD_STATUS=0 TYPE=1",
                GRIB_PDS_PDTN="0",
                GRIB_PDS_TEMPLATE_NUMBERS=f"0 0 2 0 81 0 0 0 1 0 0 0 {hour} 100 0 {level} 255 0 0 0 0 0",
            )
    rasterio.shutil.copy(stored, path, driver="GRIB")
    stored.unlink()
