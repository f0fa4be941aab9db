"""Decoding points in processes beside this one."""

from __future__ import annotations

import laspy
import numpy as np
import pytest

from brisk_atlas.core.read import points_decoder
from brisk_atlas.core.read.points_decoder import DamagedPoints, decode
from brisk_atlas.core.system.jobs import Cancelled

MANY = 130_000


@pytest.fixture(scope="module")
def las(tmp_path_factory):
    header = laspy.LasHeader(version="1.4", point_format=7)
    header.scales, header.offsets = [0.01] * 3, [500_000, 5_770_000, 0]
    las = laspy.LasData(header)
    random = np.random.default_rng(6)
    las.x, las.y, las.z = random.uniform((5e5, 577e4, 0), (501e3, 5771e3, 90), (MANY, 3)).T
    las.intensity, las.red = random.integers(0, 4000, (2, MANY))
    las.classification, las.return_number = random.integers(1, 7, (2, MANY))
    path = tmp_path_factory.mktemp("points") / "points.laz"
    las.write(path)
    return path


@pytest.fixture
def beside(monkeypatch):
    monkeypatch.setattr(points_decoder, "IN_THIS_PROCESS", 0)


def test_children_decode_what_this_process_does(las, monkeypatch):
    runs = [(0, 60_000), (70_000, 50_001)]
    here = decode(las, runs, None, lambda share: None)
    monkeypatch.setattr(points_decoder, "IN_THIS_PROCESS", 0)
    shares = []
    there = decode(las, runs, None, shares.append)
    assert here.keys() == there.keys() and {"intensity", "red", "return_number"} <= here.keys()
    assert all(np.array_equal(here[name], there[name]) for name in here)
    exact = laspy.read(las)
    assert np.array_equal(there["xyz"][60_000:, 2], exact.z[70_000:120_001]) and shares == sorted(shares)


def test_only_the_wanted_dimensions_are_made(las, beside):
    assert list(decode(las, [(0, MANY)], ("intensity",), lambda share: None)) == ["xyz", "intensity"]


def test_stopping_ends_the_children(las, beside):
    def stop(share):
        raise Cancelled("enough")

    with pytest.raises(Cancelled):
        decode(las, [(0, MANY)], None, stop)


def test_damage_is_told_by_a_child(las, beside, tmp_path):
    cut = tmp_path / "cut.laz"
    whole = bytearray(las.read_bytes())
    whole[len(whole) // 2 : len(whole) // 2 + 4000] = bytes(4000)
    cut.write_bytes(whole)
    with pytest.raises(DamagedPoints):
        decode(cut, [(0, MANY)], None, lambda share: None)
