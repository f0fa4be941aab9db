"""What heights are counted from."""

from __future__ import annotations

from brisk_atlas.core.model import Facts
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs

ELLIPSOID = "the ellipsoid"


def vertical_datum(crs: str | None) -> str:
    """Return what the heights of a CRS are counted from: the name of its vertical datum, the ellipsoid for one with
    three axes, "" where it states nothing of heights."""
    if crs is None:
        return ""
    found = proj_crs(crs)
    for part in found.sub_crs_list if found.is_compound else [found]:
        if part.is_vertical and part.datum is not None:
            return str(part.datum.name)
    return ELLIPSOID if len(found.axis_info) == 3 and not found.is_compound else ""


def unlike_heights(a: Facts, b: Facts) -> str:
    """Return why heights of two grids can't be subtracted: both state what they are counted from, and it differs; ""
    where they may be, or where one states nothing."""
    first, second = vertical_datum(a.crs), vertical_datum(b.crs)
    if first and second and first != second:
        return tr("heights of A are counted from {first}, those of B from {second}", first=first, second=second)
    return ""
