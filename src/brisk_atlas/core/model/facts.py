"""What is known of a dataset and its parts without reading their data."""

from __future__ import annotations

from dataclasses import dataclass, field
from math import isfinite
from typing import TYPE_CHECKING, Any, NamedTuple

from .dimension import GridDimension
from .extent import Extent
from .kinds import DataKind, Quantity
from .lattice import Lattice

if TYPE_CHECKING:
    import numpy as np


@dataclass(frozen=True)
class Field:
    """One attribute of a vector layer or table; `type` in the words of Arrow. `unit` and `meaning` are those that its
    file or its format states, "" for none."""

    name: str
    type: str
    unit: str = ""
    meaning: str = ""


class Rescale(NamedTuple):
    """How stored numbers become a quantity: number x `gain` + `offset`, in `unit`.

    With `k1` and `k2` that is a radiance, from which the temperature is K2 / ln(K1 / radiance + 1)
    kelvin (Planck's law inverted for one band).
    """

    quantity: Quantity | None  # None for the scale that a file itself declares
    gain: float
    offset: float
    unit: str = ""
    k1: float | None = None
    k2: float | None = None

    def __call__(self, values: np.ndarray) -> np.ndarray:
        """Return float64 values of the quantity."""
        import numpy as np

        scaled = values.astype(np.float64) * self.gain + self.offset
        if self.k1 is None or self.k2 is None:
            return scaled
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.where(scaled > 0, self.k2 / np.log(self.k1 / scaled + 1), np.nan)

    def formula(self) -> str:
        """Return in words how a number becomes the quantity."""
        shift = f" {'-' if self.offset < 0 else '+'} {abs(self.offset):g}" if self.offset else ""
        line = f"number x {self.gain:g}{shift}"
        return f"{self.k2:g} / ln({self.k1:g} / ({line}) + 1)" if self.k1 is not None else line


@dataclass(frozen=True)
class Band:
    """One band of a raster or scene. `centre_um` is the centre wavelength in micrometres; `classes`
    are the file's own (number, `#rrggbb`, name), for a band of classes; `rescale` says into which
    quantities its numbers can be turned."""

    index: int
    name: str
    role: str = ""
    centre_um: float | None = None
    unit: str = ""
    classes: tuple[tuple[int, str, str], ...] = ()
    rescale: tuple[Rescale, ...] = ()


@dataclass(frozen=True)
class GridFacts:
    """The grid of a raster: cells, storage and bands; `resolution` is the cell size in CRS units.

    `transform` is the affine transform (see Lattice); None for a grid whose first row is in the north. `dimensions`
    are those whose places the bands are, the last one running fastest; none for bands that are no axis.
    `drawn_by_service` says that a server draws it for each scale, so that its number of cells means nothing; its
    styles there are `server_styles`, by name and title, and it has a band for each place along its dimensions, of
    which it shows `first_band` unasked.
    """

    width: int
    height: int
    dtype: str
    nodata: float | None
    resolution: tuple[float, float]
    bands: tuple[Band, ...]
    overviews: tuple[int, ...] = ()
    transform: tuple[float, float, float, float, float, float] | None = None
    dimensions: tuple[GridDimension, ...] = ()
    drawn_by_service: bool = False
    server_styles: tuple[tuple[str, str], ...] = ()
    first_band: int = 1


@dataclass(frozen=True)
class CloudFacts:
    """The header of a point cloud. `scale` and `offset` are those of x, y and z; `records` are the
    variable-length records as (user, number, description)."""

    point_format: int | None
    version: str
    dimensions: tuple[str, ...]
    zrange: tuple[float, float] | None = None
    software: str = ""
    system: str = ""
    created: str = ""
    project: str = ""
    scale: tuple[float, float, float] | None = None
    offset: tuple[float, float, float] | None = None
    records: tuple[tuple[str, int, str], ...] = ()


def _plain(number: float | None) -> float | str | None:
    """Return a number as JSON can hold it: one that is not finite by its name."""
    return number if number is None or isfinite(number) else str(number)


@dataclass(frozen=True)
class Facts:
    """What one part is. `kind`: vector, raster, pointcloud, table, record or document.

    `count` is features, rows or points (None for rasters); `crs` is `EPSG:n`, WKT or None. `unplaced` says of a raster
    that it is a picture without a place, whose cells lie from 0 on.
    """

    name: str
    kind: DataKind
    count: int | None = None
    geometry_type: str | None = None
    fields: tuple[Field, ...] = ()
    crs: str | None = None
    extent: Extent | None = None
    grid: GridFacts | None = None
    cloud: CloudFacts | None = None
    notes: dict[str, str] = field(default_factory=dict)
    unplaced: bool = False

    @property
    def lattice(self) -> Lattice:
        """Return where the cells of a raster lie."""
        assert self.grid is not None and self.extent is not None
        if self.grid.transform is None:
            return Lattice.north_up(self.extent, (self.grid.height, self.grid.width))
        return Lattice(*self.grid.transform, self.grid.width, self.grid.height, self.crs)

    @property
    def counted_cells(self) -> Lattice | None:
        """Where the cells of a raster lie, by which a place can be named; None for what is no grid, and for what a
        server draws for each scale."""
        no_cells = self.grid is None or self.extent is None or self.grid.drawn_by_service
        return None if no_cells else self.lattice

    def as_json(self) -> dict[str, Any]:
        """Return the facts as the command line prints them."""
        out: dict[str, Any] = {
            "name": self.name,
            "kind": self.kind,
            "count": self.count,
            "geometry_type": self.geometry_type,
            "fields": [{"name": f.name, "type": f.type} for f in self.fields],
            "crs": self.crs,
            "extent": list(self.extent.bounds) if self.extent else None,
        }
        if self.grid:
            out |= {
                "width": self.grid.width,
                "height": self.grid.height,
                "band_count": len(self.grid.bands),
                "dtype": self.grid.dtype,
                "nodata": _plain(self.grid.nodata),
                "resolution": list(self.grid.resolution),
            }
        if self.cloud:
            out |= {
                "point_format": self.cloud.point_format,
                "version": self.cloud.version,
                "dimensions": list(self.cloud.dimensions),
            }
        return out
