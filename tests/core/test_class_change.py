"""From which class to which: matrices of grids and of polygon coverages."""

from __future__ import annotations

import json

import numpy as np
import pyogrio
import pytest
import rasterio
import shapely
from rasterio.transform import from_origin

from brisk_atlas import cli
from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.compare.class_change import class_matrix
from brisk_atlas.core.compare.coverage_change import coverage_matrix
from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.place.geodesy import row_areas


def classes(path, values, *, crs="EPSG:32727", cell=10.0, west=500_000.0, north=5_770_000.0, nodata=255, kind="uint8"):
    with rasterio.open(
        path, "w", driver="GTiff", count=1, height=values.shape[0], width=values.shape[1], dtype=kind, nodata=nodata,
        crs=crs, transform=from_origin(west, north, cell, cell),
    ) as out:  # fmt: skip
        out.write(values.astype(kind), 1)
    return read.open(path).parts[0]


@pytest.mark.parametrize("kind", ["uint8", "int32", "float32"])
def test_the_matrix_counts_every_pair(tmp_path, kind):
    random = np.random.default_rng(3)
    a, b = random.integers(1, 6, (2, 40, 50))
    a[:, :5] = 255
    if kind == "int32":
        b = np.where(b == 5, 2_000_000, b)  # numbers far apart
    found = class_matrix(classes(tmp_path / "a.tif", a, kind=kind), classes(tmp_path / "b.tif", b, kind=kind))
    known = a != 255
    for x, first in enumerate(found.numbers):
        for y, second in enumerate(found.numbers):
            assert found.counts[x, y] == np.count_nonzero(known & (a == first) & (b == second))
    assert found.areas == pytest.approx(found.counts * 100.0) and found.total == 40 * 45 * 100
    same = (a == b)[known].mean()
    shares = [[np.mean(side[known] == n) for n in found.numbers] for side in (a, b)]
    chance = np.dot(*shares)
    assert found.agreement == pytest.approx(same) and found.kappa == pytest.approx((same - chance) / (1 - chance))
    first = found.largest_changes(1)[0]
    assert first[2] == max(area for _, _, area in found.largest_changes(99))


def test_degrees_have_their_areas_on_the_ellipsoid_and_other_cells_the_nearest_class(tmp_path):
    a = np.ones((6, 4), int)
    b = np.kron(np.arange(24).reshape(6, 4) % 3 + 1, np.ones((2, 2), int))
    place = {"crs": "EPSG:4326", "west": -21.0, "north": -38.0}
    found = class_matrix(
        classes(tmp_path / "a.tif", a, cell=0.5, **place), classes(tmp_path / "b.tif", b, cell=0.25, **place)
    )
    edges = -38.0 - 0.5 * np.arange(7)
    assert found.resampled and found.total == pytest.approx(4 * row_areas(edges, 0.5, "EPSG:4326").sum())
    assert found.counts.sum() == 24 and (found.counts[0] > 0).sum() == 3


def test_what_holds_no_classes_is_refused(tmp_path):
    whole = classes(tmp_path / "a.tif", np.ones((3, 3)))
    with pytest.raises(AtlasError, match="fractions"):
        class_matrix(whole, classes(tmp_path / "b.tif", np.full((3, 3), 1.5), kind="float32"))
    many = np.arange(900).reshape(30, 30)
    with pytest.raises(AtlasError, match="measures rather than classes"):
        class_matrix(*(classes(tmp_path / f"{n}.tif", many, kind="int32", nodata=-1) for n in "cd"))
    nothing = classes(tmp_path / "e.tif", np.full((3, 3), 255))
    with pytest.raises(AtlasError, match="no cell has data"):
        class_matrix(whole, nothing)
    constant = class_matrix(whole, whole)
    assert constant.agreement == 1 and np.isnan(constant.kappa)


def coverage(path, parts, field="use", crs="EPSG:32727"):
    shapes, names = zip(*parts)
    pyogrio.raw.write(path, shapely.to_wkb(np.array(shapes, object)), [np.array(names, object)], [field], crs=crs,
                      geometry_type="Unknown", driver="GPKG")  # fmt: skip
    return DataCache().features(DataRef.file(path).with_part(path.stem))


def test_coverages_are_cut_with_each_other(tmp_path, capsys):
    box = lambda *edges: shapely.box(*(500_000 + 1000 * e if n % 2 == 0 else 5_770_000 + 1000 * e  # noqa: E731
                                       for n, e in enumerate(edges)))  # fmt: skip
    lake = shapely.difference(box(0, 0, 4, 4), box(1, 1, 2, 2))  # with an island, which is of the next class
    a = coverage(tmp_path / "a.gpkg", [(lake, "water"), (box(1, 1, 2, 2), "rock"), (box(4, 0, 6, 4), None)])
    b = coverage(tmp_path / "b.gpkg", [(box(0, 0, 3, 4), "water"), (box(3, 0, 6, 4), "rock")], field="kind")
    found = coverage_matrix(a, b, ("use", "kind"))
    assert found.classes == ("no value", "rock", "water")
    wanted = np.array([[0, 8, 0], [0, 0, 1], [0, 4, 11]]) * 1e6
    assert found.areas == pytest.approx(wanted, rel=1e-3, abs=1)  # the map's scale is within 0.1 % of the ellipsoid
    command = [
        "class-change",
        "--before",
        tmp_path / "a.gpkg",
        "--after",
        tmp_path / "b.gpkg",
        "--fields",
        "use",
        "kind",
    ]
    assert cli.main([str(each) for each in [*command, "--json"]]) == 0
    printed = json.loads(capsys.readouterr().out)
    assert printed["agreement"] == pytest.approx(11 / 24, rel=1e-3) and printed["classes"] == list(found.classes)
    assert cli.main([str(each) for each in command[:5]]) == 1
    assert "field of classes is not stated" in capsys.readouterr().err
    with pytest.raises(AtlasError, match="it has no field sort"):
        coverage_matrix(a, b, ("use", "sort"))
