"""Drawing point clouds: order, levels of detail, and what shows on top."""

from __future__ import annotations

import laspy
import numpy as np
import pytest

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View, cloud
from brisk_atlas.core.draw.cloud import draw_order
from brisk_atlas.core.draw.cloud_order import order_of
from brisk_atlas.core.kinds import kind_of, painter_for
from brisk_atlas.core.model import CloudStyle, DataKind, Extent, Layer
from brisk_atlas.core.model.cloud import Points
from brisk_atlas.core.system.jobs import Cancelled
from made_files import at

MANY = 700_000


@pytest.fixture(scope="module")
def points():
    random = np.random.default_rng(4)
    return Points(random.uniform((0, 0, 0), (1000, 800, 90), (MANY, 3)), {}, None)


@pytest.fixture(scope="module")
def order(points):
    return order_of(points, None)


def picture(order, inks, view, size=1.0):
    image = np.zeros((view.height, view.width, 4), np.uint8)
    counts = draw_order(image, order, inks, size, view, lambda: None, lambda: None)
    return image, counts


def test_every_point_stands_once_in_the_order_and_at_its_place(points, order):
    assert np.array_equal(np.sort(order.order), np.arange(MANY)) and order.levels == 2
    x = order.extent.xmin + order.x * order.quantum
    assert np.abs(x - points.xyz[order.order, 0]).max() < 1e-5


def test_the_coarse_level_is_spread_over_the_whole(order):
    first = order.starts[order.tiles**2]
    assert first == pytest.approx(300_000, rel=0.01)
    cells, _, _ = np.histogram2d(order.x[:first], order.y[:first], bins=8)
    assert cells[:, :6].min() > 0.7 * cells[:, :6].mean()


def test_a_part_of_the_map_asks_for_its_tiles_alone(order):
    corner = Extent(0, 0, 120, 100)
    runs = [run for level in range(order.levels) for run in order.runs(corner, level)]
    asked = sum(b - a for a, b in runs)
    assert MANY * 0.01 < asked < MANY * 0.1
    assert not order.runs(Extent(5000, 0, 6000, 100), 0)


def test_the_highest_point_shows():
    pile = Points(np.array([[5.5, 5.5, 1.0], [5.5, 5.5, 9.0], [5.5, 5.5, 4.0], [0, 0, 0], [10, 10, 0]]), {}, None)
    made = order_of(pile, None)
    inks = made.inks(np.array([1, 2, 3, 4, 5], np.uint32) | np.uint32(255 << 24))
    image, _ = picture(made, inks, View(5, 5, 1.0, 10, 10), size=3)
    assert image[4, 5].tolist() == [2, 0, 0, 255] and (image[3:6, 4:7, 0] == 2).all()


def test_from_afar_some_points_are_left_out_and_it_is_said(order, monkeypatch):
    inks = np.full(MANY, 0xFFFFFFFF, np.uint32)
    monkeypatch.setattr(cloud, "MOST_DRAWN", 400_000)
    _, (shown, seen) = picture(order, inks, View(500, 400, 2.0, 500, 400))
    assert shown < 310_000 and seen == MANY
    _, (shown, seen) = picture(order, inks, View(500, 400, 0.2, 500, 400))
    assert shown == seen < MANY / 5  # near by, all that are in view


def test_a_pan_keeps_a_thinned_cloud_as_dense_everywhere(points, tmp_path, monkeypatch):
    monkeypatch.setattr(cloud, "MOST_DRAWN", 400_000)
    header = laspy.LasHeader(version="1.4", point_format=6)
    header.scales = [0.01] * 3
    las = laspy.LasData(header)
    las.x, las.y, las.z = points.xyz.T
    las.write(tmp_path / "dense.las")
    layer = Layer("c", "c", at(tmp_path / "dense.las", "dense"), DataKind.POINTCLOUD, CloudStyle(size=1.0))
    painter, view = painter_for(DataCache()), View(500, 400, 0.8, 900, 700)
    assert "at this scale" in painter.frame([layer], view).notes["c"]
    frame = painter.frame([layer], view.panned(-60, 0))
    covered = (frame.image[..., 3] > 0).mean(axis=0)
    assert covered[850:].mean() == pytest.approx(covered[300:700].mean(), rel=0.05) and "c" in frame.notes


@pytest.fixture
def long_file(tmp_path, monkeypatch):
    """A LAZ file that counts as too long to read before the first picture."""
    monkeypatch.setattr(cloud, "AT_ONCE", 100_000)
    header = laspy.LasHeader(version="1.4", point_format=6)
    header.scales, header.offsets = [0.01] * 3, [0, 0, 0]
    las = laspy.LasData(header)
    las.x, las.y = np.linspace(0, 1000, MANY), np.random.default_rng(1).uniform(0, 500, MANY)
    las.z = las.x / 10
    path = tmp_path / "long.laz"
    las.write(path)
    return path


def test_a_long_file_is_seen_in_part_first_and_then_in_full(long_file):
    cache = DataCache()
    layer = Layer("c", "c", at(long_file, "long"), DataKind.POINTCLOUD, CloudStyle())
    painter, view = painter_for(cache), View(500, 250, 2.0, 510, 260)
    first = painter.frame([layer], view)
    assert first.unfinished == (layer.ref,) and first.notes["c"].startswith("1 in 7 points")
    covered = (first.image[..., 3] > 0).any(axis=0)
    assert covered.mean() == pytest.approx(0.15, abs=0.06) and covered[:80].any() and covered[-80:].any()
    shares = []
    kind_of(layer.kind).prepare(cache, layer, shares.append)
    whole = painter.frame([layer], view)
    assert shares and not whole.unfinished and (whole.image[6:-6, 6:-6, 3] == 255).mean() > 0.95


def test_reading_a_long_file_can_be_stopped(long_file):
    def stop(share):
        raise Cancelled("enough")

    cache = DataCache()
    with pytest.raises(Cancelled):
        cache.points(at(long_file, "long"), stop)
    assert len(cache.points(at(long_file, "long"))) == MANY
