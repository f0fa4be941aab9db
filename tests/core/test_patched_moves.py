"""Positions moved patch by patch: as the transformation itself moves them, wherever and however they lie."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyproj
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.handover import wkb_moves
from brisk_atlas.core.handover.patched_moves import MANY, is_smooth, moved_in_patches
from brisk_atlas.core.handover.wkb_moves import wkb_bounds

UTM, DEGREES = 32727, 4326


def transformer(source, target):
    return pyproj.Transformer.from_crs(source, target, always_xy=True)


@pytest.mark.parametrize(
    ("source", "target", "lower", "upper"),
    [
        (UTM, DEGREES, (500_000, 5_760_000), (560_000, 5_800_000)),
        (UTM, 32728, (-200_000, 5_000_000), (900_000, 5_200_000)),
        (DEGREES, UTM, (-21.4, -38.6), (-20.4, -38.0)),
        (DEGREES, UTM, (-30, -60), (-15, -30)),
        (DEGREES, 3857, (179.5, -40), (180.5, -39)),  # a world ends in the middle
        (DEGREES, 32601, (179.5, 60), (180.5, 61)),
        (32601, DEGREES, (100_000, 6_600_000), (260_000, 6_700_000)),  # the other way across
        (DEGREES, 3031, (-180, -90), (180, -89.5)),
        (3031, DEGREES, (-30_000, -30_000), (30_000, 30_000)),  # around the pole
        (2225, DEGREES, (6_000_000, 2_000_000), (6_300_000, 2_200_000)),  # in feet
        (2056, DEGREES, (2_500_000, 1_100_000), (2_700_000, 1_200_000)),  # another datum
        (27700, DEGREES, (300_000, 200_000), (330_000, 230_000)),  # several transformations, by place
        (DEGREES, 54052, (-60, -20), (20, 20)),  # cut into lobes
    ],
)
def test_positions_are_moved_as_the_transformation_moves_them(source, target, lower, upper):
    move = transformer(source, f"ESRI:{target}" if target == 54052 else target)
    xy = np.random.default_rng(5).uniform(lower, upper, (60_000, 2))
    xy[::977] = np.nan
    xy[5] = np.inf, 0
    expected = np.column_stack(move.transform(*xy.T))
    found = moved_in_patches(move, xy)
    with np.errstate(invalid="ignore"):
        known = np.isfinite(expected).all(axis=1)
    assert (np.isfinite(found).all(axis=1) == known).all()
    assert np.abs(found - expected)[known].max() <= (1e-11 if target == DEGREES else 1e-6)


def test_most_positions_of_a_large_layer_are_moved_by_polynomials(monkeypatch):
    asked = []
    move = transformer(UTM, DEGREES)
    whole = pyproj.Transformer.transform
    monkeypatch.setattr(pyproj.Transformer, "transform", lambda self, x, y: asked.append(len(x)) or whole(self, x, y))
    xy = np.random.default_rng(5).uniform((500_000, 5_760_000), (560_000, 5_800_000), (60_000, 2))
    moved_in_patches(move, xy)
    assert sum(asked) < 2_000
    asked.clear()
    moved_in_patches(move, xy[: MANY - 1])
    far = np.concatenate([xy, np.array([[5e5, -9e9]])])
    moved_in_patches(move, far)
    assert asked == [MANY - 1, len(far)]  # too few, or all over the place


def test_tables_of_shifts_and_several_formulas_by_place_are_never_replaced():
    chain = "+proj=pipeline +step +proj=utm +zone=27 +inv"
    assert is_smooth(transformer(UTM, DEGREES)) and is_smooth(pyproj.Transformer.from_pipeline(chain))
    assert not is_smooth(pyproj.Transformer.from_pipeline(f"{chain} +step +proj=hgridshift +grids=@none.gsb"))
    assert not is_smooth(transformer(27700, DEGREES))


SHAPES = st.sampled_from([
    "POINT (3 4)", "POINT EMPTY", "POINT Z (1 2 9)", "LINESTRING (0 0, 5 -2, 3 7)", "LINESTRING EMPTY",
    "POLYGON ((0 0, 9 0, 9 8, 0 0), (2 1, 3 1, 3 2, 2 1))", "MULTIPOINT (1 1, -4 6)", "POLYGON EMPTY",
    "MULTIPOLYGON (((0 0, 1 0, 1 1, 0 0)), ((5 5, 7 5, 7 9, 5 5)))", "LINESTRING ZM (1 2 3 4, -5 6 7 8)",
    "GEOMETRYCOLLECTION (POINT (9 9), LINESTRING (0 1, 2 3))", "GEOMETRYCOLLECTION EMPTY", None,
])  # fmt: skip


@settings(deadline=None)
@given(
    texts=st.lists(SHAPES, max_size=8), big=st.booleans(), first=st.integers(0, 3),
    compiled_from=st.sampled_from([1, wkb_moves.COMPILED_FROM]),
)  # fmt: skip
def test_bounds_are_those_of_the_geometry_library(texts, big, first, compiled_from):
    shapes = shapely.from_wkt(np.array(texts, object)) if texts else np.empty(0, object)
    wkb = pa.chunked_array([pa.array(shapely.to_wkb(shapes, byte_order=0 if big else 1, flavor="iso"), pa.binary())])
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(wkb_moves, "COMPILED_FROM", compiled_from)
        found = wkb_bounds(wkb.slice(first))
    assert found == pytest.approx(shapely.bounds(shapes[first:]).reshape(-1, 4), nan_ok=True)
