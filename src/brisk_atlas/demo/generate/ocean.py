"""The sea around the island by month and depth, as a model gives it: a grid with two more dimensions."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import numpy as np
from pyproj import CRS as ProjCRS
from scipy.io import netcdf_file

from .grids import seafloor
from .ground import rng, smooth_noise

DEPTHS_M = (2.0, 50.0, 150.0, 400.0)
MONTHS = 36  # from January 2029 on
ERUPTION_MONTH = 27  # from when on the lava warms the water at its coast
EVERY = 8  # cells of the sea floor's grid to one of this
FILL, STEP, ZERO = -32768, 0.005, 10.0
DELTA = (513_000.0, 5_769_900.0)  # where lava came to the sea


def temperatures() -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Return days since 2029-01-01, longitudes, latitudes and temperatures (time, depth, lat, lon) in degrees Celsius;
    NaN on land and below the sea floor."""
    from pyproj import Transformer

    lon, lat, floor = seafloor()
    lon, lat, floor = (
        lon[EVERY // 2 :: EVERY],
        lat[EVERY // 2 :: EVERY],
        floor[EVERY // 2 :: EVERY, EVERY // 2 :: EVERY],
    )
    x, y = Transformer.from_crs(4326, "EPSG:32727", always_xy=True).transform(*np.meshgrid(lon, lat))
    days = np.array([(date(2029 + m // 12, m % 12 + 1, 15) - date(2029, 1, 1)).days for m in range(MONTHS)], float)
    random = rng("sea temperature")
    warmth = np.exp(-((np.hypot(x - DELTA[0], y - DELTA[1]) / 1800.0) ** 2))
    found = np.empty((MONTHS, len(DEPTHS_M), *floor.shape))
    eddies = smooth_noise(random, (MONTHS * 2 + floor.shape[0], floor.shape[1]), 14, octaves=3)
    for month in range(MONTHS):
        season = np.cos(2 * np.pi * (month - 1.5) / 12)  # warmest in mid February, in the south
        drift = eddies[month * 2 : month * 2 + floor.shape[0]]
        for level, depth in enumerate(DEPTHS_M):
            fades = np.exp(-depth / 180.0)
            value = 6.0 + 9.5 * fades + 2.6 * season * np.exp(-depth / 70.0) + 0.7 * drift * fades
            if month >= ERUPTION_MONTH:
                value = value + 4.0 * warmth * np.exp(-depth / 25.0) * np.exp(-(month - ERUPTION_MONTH) / 6.0)
            found[month, level] = np.where(floor < -depth, value, np.nan)
    return days, lon, lat, found


def write_sea_temperature(folder: Path) -> None:
    """Write the grid by the CF conventions."""
    days, lon, lat, values = temperatures()
    with netcdf_file(folder / "sea_temperature.nc", "w", version=1) as out:
        out.Conventions = "CF-1.8"
        out.title = "Sea temperature around Tolvane Island by month and depth, 2029 to 2031"
        out.institution = "Tolvane Survey Office"
        axes = (
            ("time", days, "time", {"units": "days since 2029-01-01", "calendar": "standard"}),
            ("depth", np.array(DEPTHS_M), "depth", {"units": "m", "positive": "down"}),
            ("lat", lat, "latitude", {"units": "degrees_north"}),
            ("lon", lon, "longitude", {"units": "degrees_east"}),
        )
        for name, coordinates, standard, stated in axes:
            out.createDimension(name, coordinates.size)
            variable = out.createVariable(name, "f8", (name,))
            variable[:] = coordinates
            variable.standard_name = standard
            for key, value in stated.items():
                setattr(variable, key, value)
        crs = out.createVariable("crs", "i4", ())
        crs.grid_mapping_name = "latitude_longitude"
        crs.spatial_ref = ProjCRS.from_epsg(4326).to_wkt("WKT1_GDAL")
        crs.semi_major_axis, crs.inverse_flattening = 6378137.0, 298.257223563
        stored = out.createVariable("sea_temperature", "i2", ("time", "depth", "lat", "lon"))
        stored[:] = np.where(np.isnan(values), FILL, np.round((values - ZERO) / STEP)).astype("i2")
        stored.units, stored.standard_name, stored.long_name = "degC", "sea_water_temperature", "Sea temperature"
        stored.scale_factor, stored.add_offset = STEP, ZERO
        stored._FillValue = np.int16(FILL)
        stored.grid_mapping = "crs"
