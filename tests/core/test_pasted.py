"""Text from the clipboard as data, against pyproj and shapely."""

from __future__ import annotations

import json

import numpy as np
import pyproj
import pytest
import shapely

from brisk_atlas import demo
from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.read import pasted as reading
from brisk_atlas.core.read.pasted import PastedKind, pasted

UTM = "EPSG:32727"
TO_DEGREES = pyproj.Transformer.from_crs(UTM, "EPSG:4326", always_xy=True)


def shapes_of(found):
    (ref,) = found.refs
    features = json.loads(ref.place)["features"]
    return [shapely.from_geojson(json.dumps(each["geometry"])) for each in features]


def test_well_known_text_is_read_in_the_maps_crs_and_says_so():
    found = pasted("POINT (509000 5771000)\n\nLINESTRING Z (509000 5771000 12.5, 510000 5772000 13)\n", UTM)
    point, line = shapes_of(found)
    assert (point.x, point.y) == pytest.approx(TO_DEGREES.transform(509_000, 5_771_000), abs=1e-8)
    assert np.allclose(shapely.get_coordinates(line, include_z=True)[:, 2], [12.5, 13])
    assert found.kind is PastedKind.SHAPES and UTM in found.remark


@pytest.mark.parametrize("form", ["ewkt", "ewkb"])
def test_geometry_that_names_its_crs_needs_no_map(form):
    area = shapely.set_srid(shapely.box(509_000, 5_771_000, 510_000, 5_772_000), 32727)
    text = "SRID=32727;" + area.wkt if form == "ewkt" else shapely.to_wkb(area, hex=True, include_srid=True)
    found = pasted(text, "EPSG:3857")
    (shape,) = shapes_of(found)
    expected = np.column_stack(TO_DEGREES.transform(*shapely.get_coordinates(area).T))
    assert np.allclose(shapely.get_coordinates(shape), expected, atol=1e-8) and not found.remark


def test_geojson_is_carried_as_it_is():
    text = '{"type": "Point", "coordinates": [-20.9, -38.2]}'
    found = pasted(f"  {text}\n", None)
    assert found.refs[0].is_inline and found.refs[0].place == text and found.kind is PastedKind.SHAPES


def test_paths_and_addresses_are_opened():
    path = demo.DATA / "vents.kml"
    found = pasted(f'"{path}"\nhttps://survey.tolvane.example/wms\n', None)
    assert found.kind is PastedKind.REFS
    assert [str(ref) for ref in found.refs] == [str(path), "https://survey.tolvane.example/wms"]


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("vent\theight, m\nA\t12.5\n", 'vent,"height, m"\nA,12.5\n'),
        ("a;b\r\n1;2\r\n\r\n", "a,b\n1,2\n"),
        ('name,note\n"North, upper","two\nlines"\n', 'name,note\n"North, upper","two\nlines"\n'),
    ],
)
def test_rows_are_a_table(text, rows):
    found = pasted(text, None)
    assert found.kind is PastedKind.ROWS and found.rows == rows


@pytest.mark.parametrize(
    ("text", "crs", "reason"),
    [
        ("", UTM, "no text"),
        ("just words", UTM, "no geometry"),
        ("one, two\nthree\n", UTM, "no geometry"),
        ("{broken", UTM, "no JSON"),
        ("[1, 2]", UTM, "no GeoJSON"),
        ("POINT (1 2", UTM, "line 1 is no geometry"),
        ("POINT (1 1)\n" + "00" * 22, UTM, "line 2 is no geometry"),
        ("POINT (1 1)", None, "neither"),
        ("POINT (509000 5771000)", "EPSG:4326", "no place on the Earth"),
        ("/nowhere/file.gpkg", None, "no geometry"),
    ],
)
def test_what_means_no_data_is_refused_with_a_reason(text, crs, reason):
    with pytest.raises(AtlasError, match=reason):
        pasted(text, crs)


def test_more_than_a_reference_carries_belongs_into_a_file(monkeypatch):
    monkeypatch.setattr(reading, "LARGEST", 20)
    with pytest.raises(AtlasError, match="longer than 20"):
        pasted('{"type": "Point", "coordinates": [-20.9, -38.2]}', None)
