"""What two grids have in common, before they are compared."""

from __future__ import annotations

from typing import NamedTuple

from brisk_atlas.core.model import Band, Facts, GridFacts
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import crs_label, same_crs, transform_extent, unit_of

from .change import unlike
from .vertical_datum import unlike_heights, vertical_datum


class PairLine(NamedTuple):
    """A label, what A and what B have, and whether that stands in the way of comparing cell by cell."""

    label: str
    a: str
    b: str
    differs: bool


def pair_lines(a: Facts, b: Facts, bands: tuple[Band, Band]) -> tuple[list[PairLine], str]:
    """Return what two grids have side by side, and in one sentence what a comparison will do."""
    assert a.grid is not None and b.grid is not None and a.extent is not None and b.extent is not None
    sizes = [" x ".join(f"{step:g}" for step in f.grid.resolution) + f" {unit_of(f.crs)}" for f in (a, b) if f.grid]
    heights_from = (vertical_datum(a.crs) or tr("not stated"), vertical_datum(b.crs) or tr("not stated"))
    lines = [
        PairLine(tr("band"), bands[0].name, bands[1].name, False),
        PairLine(tr("unit"), bands[0].unit or tr("none"), bands[1].unit or tr("none"), bands[0].unit != bands[1].unit),
        PairLine(tr("heights from"), *heights_from, bool(unlike_heights(a, b))),
        PairLine(tr("CRS"), crs_label(a.crs), crs_label(b.crs), not same_crs(a.crs, b.crs)),
        PairLine(tr("cell size"), sizes[0], sizes[1], sizes[0] != sizes[1]),
        PairLine(tr("cells"), _cells(a.grid), _cells(b.grid), False),
    ]  # fmt: skip
    reason = unlike(*bands) or unlike_heights(a, b)
    placed = transform_extent(b.extent, a.crs)
    common = placed.intersection(a.extent) if placed is not None else None
    if reason:
        return lines, tr("They can't be compared: {reason}.", reason=reason)
    if common is None or common.width <= 0 or common.height <= 0:
        return lines, tr("They can't be compared: they do not overlap.")
    share = common.width * common.height / max(a.extent.width * a.extent.height, 1e-300)
    cover = tr("B covers {share:.0%} of A.", share=share)
    if a.lattice.matches(b.lattice) and same_crs(a.crs, b.crs):
        return lines, tr("Their cells coincide. {cover}", cover=cover)
    return lines, tr("Their cells do not coincide: B is read onto the cells of A. {cover}", cover=cover)


def _cells(grid: GridFacts) -> str:
    return f"{grouped(grid.width)} x {grouped(grid.height)}"
