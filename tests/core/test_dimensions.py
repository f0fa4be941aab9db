"""Grids with time, depth and levels: one layer, found by real coordinates, against the arrays that were written."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas import demo
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.limits import grid_limits
from brisk_atlas.core.inspect import Where
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.kinds.asking import probe
from brisk_atlas.core.model import CellWindow, GridDimension, GridStyle, Layer
from brisk_atlas.core.model.dimension import band_at, bands_along, places_of
from made_files import at, write_grib, write_sea, write_zarr


def grid_of(path):
    cache = DataCache()
    part = cache.dataset(at(path)).parts[0]
    return cache, part, part.facts.grid


@given(st.lists(st.integers(1, 6), min_size=1, max_size=4), st.data())
def test_places_and_bands_are_inverse(sizes, data):
    dimensions = [GridDimension(str(i), tuple(map(float, range(n))), ("x",) * n) for i, n in enumerate(sizes)]
    places = tuple(data.draw(st.integers(0, n - 1)) for n in sizes)
    band = band_at(dimensions, places)
    assert places_of(dimensions, band) == places
    assert band == 1 + int(np.ravel_multi_index(places, sizes))
    for which in range(len(sizes)):
        along = bands_along(dimensions, band, which)
        assert along[places[which]] == band and len(along) == sizes[which]


def test_a_variable_with_time_and_depth_is_one_grid_whose_bands_are_its_places(tmp_path):
    values = write_sea(tmp_path / "sea.nc")
    _, part, grid = grid_of(tmp_path / "sea.nc")
    assert [d.name for d in grid.dimensions] == ["time", "depth"]
    assert grid.dimensions[0].texts[:3] == ("2029-01-15 12:00", "2029-02-15 12:00", "2029-03-14 12:00")
    assert [grid.dimensions[1].shown(i) for i in range(3)] == ["5 m", "50 m", "200 m"]
    assert not grid.dimensions[1].is_time and grid.bands[4].name == "sea warmth, 2029-02-15 12:00, 50 m"
    assert grid.bands[0].unit == "°C"
    for places in ((0, 0), (3, 1), (5, 2)):
        block = part.block(CellWindow(0, 0, 30, 20), bands=(band_at(grid.dimensions, places),))
        assert np.array_equal(block.values[0], values[places])


@pytest.mark.parametrize(
    "calendar, units, texts",
    [
        ("noleap", "days since 2028-02-27", ("2028-02-27", "2028-03-30", "2028-04-26")),
        ("360_day", "days since 2029-01-30", ("2029-01-30", "2029-03-01", "2029-03-28")),
        ("standard", "hours since 2029-01-01 06:30", ("2029-01-01 06:30", "2029-01-02 13:30", "2029-01-03 16:30")),
        ("proleptic_gregorian", "seconds since 2029-01-01", ("2029-01-01 00:00", "2029-01-01 00:00:31")),
    ],
)
def test_times_are_read_in_the_calendar_that_is_stated(tmp_path, calendar, units, texts):
    write_sea(tmp_path / "sea.nc", calendar=calendar, units=units)
    _, _, grid = grid_of(tmp_path / "sea.nc")
    assert grid.dimensions[0].texts[: len(texts)] == texts
    assert list(grid.dimensions[0].seconds) == sorted(grid.dimensions[0].seconds)


def test_times_that_are_not_understood_stay_numbers(tmp_path):
    write_sea(tmp_path / "sea.nc", calendar="moons", units="days since the flood")
    _, _, grid = grid_of(tmp_path / "sea.nc")
    time = grid.dimensions[0]
    assert not time.is_time and time.shown(1) == "31 days since the flood"


def test_a_zarr_store_names_its_times(tmp_path):
    values = write_zarr(tmp_path / "sea.zarr")
    _, part, grid = grid_of(tmp_path / "sea.zarr")
    assert [d.texts for d in grid.dimensions] == [("2029-01-15", "2029-02-15", "2029-03-15")]
    assert np.array_equal(part.block(CellWindow(0, 0, 30, 20), bands=(2,)).values[0], values[1])


def test_a_zarr_array_of_four_dimensions_has_a_slider_for_each(tmp_path):
    values = write_zarr(tmp_path / "sea.zarr", depths=(0.0, 10.0, 50.0, 200.0))
    _, part, grid = grid_of(tmp_path / "sea.zarr")
    assert [(d.name, len(d)) for d in grid.dimensions] == [("time", 3), ("depth", 4)]
    assert grid.dimensions[1].shown(3) == "200 m"
    for time, depth in ((0, 0), (1, 2), (2, 3)):
        band = band_at(grid.dimensions, (time, depth))
        assert np.array_equal(part.block(CellWindow(0, 0, 30, 20), bands=(band,)).values[0], values[time, depth])


def test_messages_of_a_grib_file_in_any_order_become_times_and_levels(tmp_path):
    write_grib(tmp_path / "air.grb2")
    _, part, grid = grid_of(tmp_path / "air.grb2")
    assert part.facts.name == "Temperature" and [d.name for d in grid.dimensions] == ["time", "level"]
    assert grid.dimensions[0].texts == ("2029-02-11 00:00", "2029-02-11 06:00")
    assert grid.dimensions[1].shown(0) == "50,000 Pa"
    for band, value in zip(range(1, 5), (50, 85, 110, 145)):
        assert part.block(CellWindow(0, 0, 1, 1), bands=(band,)).values[0, 0, 0] == pytest.approx(value, abs=0.1)


def test_a_probe_reads_what_is_shown_and_the_values_along_each_dimension(tmp_path):
    values = write_sea(tmp_path / "sea.nc")
    cache, part, grid = grid_of(tmp_path / "sea.nc")
    band = band_at(grid.dimensions, (2, 1))
    layer = Layer("s", "s", at(tmp_path / "sea.nc", part.facts.name), part.facts.kind, GridStyle(bands=(band,)))
    found = probe(cache, layer, Where.at(-22.0, -38.0, "EPSG:4326", 0.0))
    bands = [r for r in found.readings if r.group == "bands"]
    row, column = found.reading("cell").value
    assert bands[0].value == pytest.approx(values[2, 1, row, column]) and bands[0].unit == "°C"
    assert not any(r.key == grid.bands[0].name for r in found.readings)  # not every band of hundreds
    time, depth = found.series
    assert time.values == pytest.approx(values[:, 1, row, column]) and time.at == 2 and time.unit == "°C"
    assert depth.values == pytest.approx(values[2, :, row, column]) and depth.at == 1


def test_a_colour_means_the_same_at_each_time(tmp_path):
    values = write_sea(tmp_path / "sea.nc")
    cache, part, grid = grid_of(tmp_path / "sea.nc")
    style = first_style(part.facts, 0)
    ref = at(tmp_path / "sea.nc", part.facts.name)
    ends = {grid_limits(cache, ref, band, style.stretch) for band in range(1, len(grid.bands) + 1)}
    assert len(ends) == 1
    low, high = ends.pop()
    assert values.min() - 0.01 <= low < high <= values.max() + 0.01


def test_only_the_place_in_view_is_read(tmp_path, monkeypatch):
    write_sea(tmp_path / "sea.nc")
    cache, part, _ = grid_of(tmp_path / "sea.nc")
    layer = Layer(
        "s", "s", at(tmp_path / "sea.nc", part.facts.name), part.facts.kind, GridStyle(bands=(5,), stretch=HAND)
    )
    asked = []
    cells = type(part).cells
    monkeypatch.setattr(type(part), "cells", lambda self, band, *rest: asked.append(band) or cells(self, band, *rest))
    frame = painter_for(cache).frame([layer], View.fitting(part.facts.extent, 120, 90))
    assert frame.image.any() and set(asked) == {5}


HAND = GridStyle().stretch.__class__("hand", 0.0, 20.0)


def test_the_demo_shows_the_water_warm_after_lava_reached_it():
    cache, part, grid = grid_of(demo.DATA / "sea_temperature.nc")
    assert [(d.name, len(d)) for d in grid.dimensions] == [("time", 36), ("depth", 4)]
    assert grid.dimensions[0].texts[27] == "2031-04-15"
    layer = Layer("s", "s", at(demo.DATA / "sea_temperature.nc", part.facts.name), part.facts.kind, GridStyle())
    along = probe(cache, layer, Where.at(513_800, 5_769_600, "EPSG:32727", 0.0)).series[0].values
    assert along[27] > max(along[3], along[15]) + 2.0
