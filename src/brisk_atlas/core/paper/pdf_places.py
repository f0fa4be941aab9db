"""What a PDF states beside what it shows: where its maps lie on the Earth, and which layers can be switched off.

Source: ISO 32000-2:2020, 12.10 (geospatial features), 8.11 (optional content), 11.6.6 (transparency groups).
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING

import numpy as np

from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.place import transform
from brisk_atlas.core.place.crs import proj_crs

from .box import POINTS
from .map_frame import MapFrame

if TYPE_CHECKING:
    import pikepdf

CORNERS = ((0.0, 0.0), (0.0, 1.0), (1.0, 1.0), (1.0, 0.0))  # of a unit square, y grows up
FORM = "/FormXob."  # what stands before the names of forms


@dataclass(frozen=True)
class PlacedFrame:
    """A map on a page (from 0): its box, points from the lower left corner as PDF counts them, and where the corners of
    that lie in a CRS, clockwise from the upper left one."""

    page: int
    name: str
    left: float
    low: float
    right: float
    top: float
    crs: str
    corners: tuple[tuple[float, float], ...]


def placed_frame(page: int, name: str, height: float, frame: MapFrame) -> PlacedFrame | None:
    """Return where a map lies on a page of so many millimetres; None without a CRS."""
    if frame.view.crs is None:
        return None
    box = frame.box
    left, low, right, top = (side * POINTS for side in (box.x, height - box.bottom, box.right, height - box.y))
    return PlacedFrame(page, name, left, low, right, top, frame.view.crs, tuple(frame.corners))


def with_places(data: bytes, frames: Sequence[PlacedFrame], layers: Mapping[str, str]) -> bytes:
    """Return a PDF whose pages state where their maps lie. layers : names of layers, by the forms that hold them."""
    import pikepdf

    with pikepdf.open(io.BytesIO(data)) as pdf:
        groups: dict[str, pikepdf.Object] = {}
        for number, page in enumerate(pdf.pages):
            views = [_viewport(each) for each in frames if each.page == number]
            found = [each for each in views if each is not None]
            if found:
                page.VP = pikepdf.Array(found)
            for form, held in dict(page.Resources.get("/XObject", {})).items():
                name = layers.get(str(form).removeprefix(FORM))
                if name is not None:
                    if name not in groups:
                        groups[name] = pdf.make_indirect(
                            pikepdf.Dictionary(Type=pikepdf.Name.OCG, Name=pikepdf.String(name))
                        )
                    held.OC = groups[name]
                    held.Group = pikepdf.Dictionary(S=pikepdf.Name.Transparency, I=False, K=False)
        if groups:
            every = list(groups.values())
            shown = pikepdf.Dictionary(ON=pikepdf.Array(every), Order=pikepdf.Array(every[::-1]))
            pdf.Root.OCProperties = pikepdf.Dictionary(OCGs=pikepdf.Array(every), D=shown)
        out = io.BytesIO()
        pdf.save(out, min_version="2.0" if frames else "1.7", deterministic_id=True)
    return out.getvalue()


def _viewport(frame: PlacedFrame) -> pikepdf.Object | None:
    """Return what states where a map lies, None where that is not known."""
    import pikepdf

    places = _corner_places(frame)
    if places is None:
        return None
    crs = proj_crs(frame.crs)
    square = pikepdf.Array([value for corner in CORNERS for value in corner])
    system = pikepdf.Dictionary(
        Type=pikepdf.Name.GEOGCS if crs.is_geographic else pikepdf.Name.PROJCS,
        WKT=pikepdf.String(crs.to_wkt("WKT1_GDAL")),
    )
    code = crs.to_epsg()
    if code is not None:
        system.EPSG = code
    measure = pikepdf.Dictionary(
        Type=pikepdf.Name.Measure, Subtype=pikepdf.Name.GEO, Bounds=square, LPTS=square, GCS=system,
        GPTS=pikepdf.Array([Decimal(f"{value:.9f}") for lon, lat in places for value in (lat, lon)]),
    )  # fmt: skip
    sides = frame.left, frame.low, frame.right, frame.top
    return pikepdf.Dictionary(
        Type=pikepdf.Name.Viewport, Name=pikepdf.String(frame.name), Measure=measure,
        BBox=pikepdf.Array([Decimal(f"{side:.4f}") for side in sides]),
    )  # fmt: skip


def _corner_places(frame: PlacedFrame) -> np.ndarray | None:
    """Return (4, 2) longitudes and latitudes, of the datum of the map, of the corners of its box."""
    upper_left, upper_right, lower_right, lower_left = frame.corners
    xy, crs = np.array([lower_left, upper_left, upper_right, lower_right]), proj_crs(frame.crs)
    geodetic = crs.geodetic_crs
    if geodetic is None:
        return None
    try:
        places = xy if crs.is_geographic else transform(xy, frame.crs, geodetic.to_2d().to_wkt())
    except CannotPlace:
        return None
    return places if np.isfinite(places).all() else None
