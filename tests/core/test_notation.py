"""Notations of a place, shown and typed: published points, both hemispheres, zone exceptions, poles, antimeridian."""

from __future__ import annotations

import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.model import Lattice
from brisk_atlas.core.place import Spot, notations, transform
from brisk_atlas.core.place.notation import mgrs_text, utm_text, utm_zone
from brisk_atlas.core.place.typed import understand

UTM27S = "EPSG:32727"
GRID = Lattice(10.0, 0.0, 504_000.0, 0.0, -10.0, 5_776_000.0, 1024, 900, UTM27S)


@pytest.mark.parametrize(
    ("lon", "lat", "utm", "mgrs"),
    [
        # GeographicLib, GeoConvert(1): 33.3 44.4 in its examples
        (44.4, 33.3, "38 north 444,141 E 3,684,706 N", "38S MB 44140 84706"),
        # NGA.SIG.0012 (2014): the equator on the central meridian has easting 500 000 and northing 0
        (3.0, 0.0, "31 north 500,000 E 0 N", "31N EA 00000 00000"),
        (2.999999999, 62.0, "31 north 500,000 E 6,874,180 N", "31V DJ 99999 74180"),  # where the zone ends early
        (3.0, -6e-9, "31 south 500,000 E 10,000,000 N", "31M EV 00000 99999"),
        # both sides of the antimeridian, and the same meridian by two names; metres as the projection's library gives them
        (179.999999, 10.0, "60 north 828,929 E 1,106,909 N", "60P ZS 28928 06908"),
        (-180.0, 10.0, "1 north 171,071 E 1,106,909 N", "01P AM 71071 06908"),
        (180.0, 10.0, "1 north 171,071 E 1,106,909 N", "01P AM 71071 06908"),
        (-20.9, -38.2, "27 south 508,756 E 5,771,989 N", "27H WT 08755 71989"),
    ],
)
def test_utm_and_mgrs_of_published_and_odd_points(lon, lat, utm, mgrs):
    assert utm_text(lon, lat) == utm
    assert mgrs_text(lon, lat) == mgrs


@pytest.mark.parametrize(
    ("lon", "lat", "zone"),
    [  # NGA.SIG.0012, section 7: the wider zones of the far north, and just beside them
        (4.0, 60.0, 32), (2.9, 60.0, 31), (4.0, 55.9, 31), (4.0, 64.0, 31), (11.9, 56.0, 32),
        (8.9, 75.0, 31), (9.0, 75.0, 33), (20.9, 75.0, 33), (21.0, 75.0, 35), (33.0, 84.0, 37), (41.9, 72.0, 37),
        (42.0, 75.0, 38), (-0.1, 75.0, 30), (10.0, 71.9, 32), (180.0, 0.0, 1), (-180.0, 0.0, 1), (540.0, 0.0, 1),
        (-20.9, -38.2, 27), (10.0, -75.0, 32),
    ],
)  # fmt: skip
def test_zones_with_their_exceptions(lon, lat, zone):
    assert utm_zone(lon, lat) == zone
    letters = mgrs_text(lon, lat)
    assert int("".join(c for c in letters.split()[0] if c.isdigit())) == zone


def test_the_poles_have_grids_of_their_own():
    # EPSG guidance note 7-2 (2024), polar stereographic variant A: 73 N 44 E, here in the northern polar grid
    assert utm_text(44.0, 84.5).startswith("outside UTM, UPS north")
    there = notations(Spot(44.0, 73.0, "EPSG:4326", "EPSG:5041"))["layer"]
    assert there.startswith("3,320,416.7 E 632,668.4 N")
    assert utm_text(0, 90) == "outside UTM, UPS north 2,000,000 E 2,000,000 N"
    assert utm_text(0, -90) == "outside UTM, UPS south 2,000,000 E 2,000,000 N"
    assert mgrs_text(0, 90) == "Z AH 00000 00000" and mgrs_text(0, -90) == "B AN 00000 00000"
    assert utm_text(0, 90.1) == "outside UTM" and mgrs_text(0, -90.1) == "outside MGRS"
    assert utm_text(0, 84.0).startswith("31 north") and utm_text(0, -80.0).startswith("31 south")


def test_all_notations_of_a_spot():
    found = notations(Spot(508_700.0, 5_771_900.0, UTM27S, "EPSG:4326", GRID))
    assert found == {
        "pane": "508,700.0 E 5,771,900.0 N EPSG:32727",
        "layer": "-38.200807° -20.900637° EPSG:4326",
        "degrees": "38.200807° S 20.900637° W",
        "sexagesimal": "38°12′02.9″S 20°54′02.3″W",
        "utm": "27 south 508,700 E 5,771,900 N",
        "mgrs": "27H WT 08700 71900",
        "cell": "pixel 470.0, line 410.0",
    }
    outside = notations(Spot(0.0, 0.0, UTM27S, None, GRID))
    assert outside["cell"] == "outside the grid" and "layer" not in outside
    assert notations(Spot(1.0, 2.0, None))["utm"] == "no CRS"
    assert notations(Spot(1e9, 1e9, UTM27S))["mgrs"] == "outside this CRS"


@pytest.mark.parametrize(
    "text",
    [
        "38.200807 S 20.900637 W", "-38.200807, -20.900637", "-38.200807 -20.900637", "20.900637° W, 38.200807° S",
        "38°12′02.905″S 20°54′02.293″W", "38 12 2.905 S, 20 54 2.293 W", "S38 12.04842 W20 54.03822", "S 38 12 2.905 W 20 54 2.293",
        "38,200807 S 20,900637 W", "-38.200807-020.900637/", "-381202.905-0205402.293/", "27 south 508700 5771900",
        "27S 508,700 5,771,900", "27H 508700 5771900", "zone 27 south 508700 E 5771900 N", "UTM 27H 508700mE 5771900mN",
        "27H WT 08700 71900", "27hwt0870071900", "508700 5771900", "508,700 E 5,771,900 N", "5771900 N 508700 E",
        "508700; 5771900", "EPSG:4326 -38.200807 -20.900637", "508700 5771900 EPSG:32727", "pixel 470, line 410",
        "row 410 col 470", "x 508700 y 5771900", "381203S 0205402W", "381202.9S 205402.3W", "3812.0484S 02054.0382W",
        "38:12:03S 20:54:02W", "S38:12:03 W20:54:02", "geo:-38.200807,-20.900637", "geo:-38.200807,-20.900637;u=5",
        "lat -38.200807 lon -20.900637", "Longitude: 20.900637 W, latitude: 38.200807 S", "(-38.200807, -20.900637)",
        "POINT(-20.900637 -38.200807)", "SRID=32727;POINT(508700 5771900)", "38d12m02.9s S 20d54m02.3s W",
        "zone 27S E 508700 N 5771900", "27 south N 5771900 E 508700", "[508700, 5771900]",
    ],
)  # fmt: skip
def test_every_usual_way_to_type_a_place_is_understood(text):
    found = understand(text, UTM27S, GRID)
    assert found, text
    assert found[0].placed(UTM27S) == pytest.approx(
        (508_700, 5_771_900), abs=7.5 if re.search(r"0?3[S ;]|03$", text) else 1.2
    ), found[0]
    assert found[0].words


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("27S 508700 5771900", "UTM zone 27 south"), ("27H WT 08 71", "a square of 1 km"), ("508700 5771900", "EPSG:32727"),
        ("-38.2 -20.9", "latitude and longitude"), ("100.0 50.0", "longitude and latitude"), ("UPS north 2000000 1555732", "UPS north"),
    ],
)  # fmt: skip
def test_what_was_understood_is_said(text, words):
    assert words in understand(text, UTM27S)[0].words


def test_what_can_be_taken_in_two_ways_gives_both():
    assert [u.words for u in understand("27S 508700 5771900", UTM27S)] == ["UTM zone 27 south", "UTM zone 27 north"]
    assert [u.words[:3] for u in understand("-38.2 -20.9", "EPSG:4326")] == ["lat", "lon"]
    packed = understand("381203N 205402E", UTM27S)  # degrees, minutes and seconds, or metres
    assert [u.crs for u in packed] == ["EPSG:4326", UTM27S] and packed[1][:2] == (205402, 381203)
    point = understand("POINT(20 38)", UTM27S)
    assert [(u.x, u.y, u.crs) for u in point] == [(20, 38, "EPSG:4326"), (20, 38, UTM27S)]


def test_places_beyond_the_poles_are_none():
    found = notations(Spot(-20.0, 92.0, "EPSG:4326"))
    assert found["pane"] == "outside EPSG:4326" and set(found.values()) == {"outside EPSG:4326", "outside this CRS"}
    assert notations(Spot(190.0, 10.0, "EPSG:4326"))["degrees"] == "10.000000° N 170.000000° W"


@pytest.mark.parametrize(
    "text",
    [
        "",
        "  ",
        "nowhere",
        "12",
        "99 S 20 W",
        "61 south 5 5",
        "27Z 5 5",
        "EPSG:nonsense 1 2",
        "1 2 3 4 5",
        "pixel 9999, line 3",
        "38°61′S 20°W",
        "386203S 0205402W",
        "geo:-98,20",
        "POINT EMPTY",
        "lat 95 lon 20",
    ],
)
def test_what_means_no_place_gives_none(text):
    assert understand(text, UTM27S, GRID) == []


@given(st.floats(-179.9, 179.9), st.floats(-89.9, 89.9))
def test_every_notation_that_is_shown_can_be_typed_again(lon, lat):
    found = notations(Spot(lon, lat, "EPSG:4326"))
    for name, reach in (("degrees", 0.2), ("sexagesimal", 3.5), ("utm", 1.0), ("mgrs", 1.6)):
        text = found[name].removeprefix("outside UTM, ")
        meant = understand(text, "EPSG:4326")
        assert meant, (name, text)
        x, y = meant[0].placed("EPSG:4326")
        metres = np.hypot((y - lat) * 111_400, ((x - lon + 180) % 360 - 180) * 111_400 * np.cos(np.radians(lat)))
        assert metres <= reach, (name, text, meant[0])


@given(st.floats(504_000, 514_240), st.floats(5_767_000, 5_776_000))
def test_pixel_and_line_lead_back(x, y):
    text = notations(Spot(x, y, UTM27S, None, GRID))["cell"]
    place = understand(text, "EPSG:4326", GRID)[0].placed(UTM27S)
    assert place == pytest.approx((x, y), abs=0.51)
    lonlat = transform(np.array([[x, y]]), UTM27S, "EPSG:4326")
    assert np.isfinite(lonlat).all()
