"""GeoJSON parsed once: the same facts and features as when the library is asked for facts first."""

from __future__ import annotations

import json

import pyogrio
import pytest

from brisk_atlas.core import read
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.draw import View
from brisk_atlas.core.kinds import first_style, painter_for
from brisk_atlas.core.model import CannotRead, Layer
from brisk_atlas.core.read.geojson import HeldLayer, layer_name
from made_files import at

POINT = {"type": "Point", "coordinates": [-20.9, -38.2]}
AREA = {"type": "Polygon", "coordinates": [[[-20.9, -38.2], [-20.8, -38.2], [-20.8, -38.1], [-20.9, -38.2]]]}
CRS = {"type": "name", "properties": {"name": "urn:ogc:def:crs:EPSG::32727"}}


def feature(geometry, **properties):
    return {"type": "Feature", "properties": properties, "geometry": geometry}


def collection(*features, **members):
    return {"type": "FeatureCollection", **members, "features": list(features)}


WHOLE = {
    "plain": collection(feature(POINT, n=1), feature(POINT, n=2)),
    "named": collection(feature(POINT, n=1), name="vents of 2031"),
    "named after": {**collection(feature(POINT, n=1)), "name": "after", "note": {"made": "2031"}},
    "mixed": collection(feature(POINT, n=1.5), feature(AREA, n=None), name="mixed", crs=CRS),
    "without geometry": collection(feature(None, n=1), feature(POINT, n=2)),
    "no geometry at all": collection(feature(None, n=1, day="2031-06-24")),
    "times": collection(feature(AREA, at="2031-06-24T13:50:00Z", day="2031-06-24", wet=True, text="ä")),
    "nothing in it": collection(),
    "one feature": feature(AREA, n=1),
    "bare geometry": AREA,
    "no name": collection(feature(POINT, n=1), name=""),
    "features in the head": collection(feature(POINT, features=["x"]), about={"features": "none"}, name="tricky"),
    "brackets behind": {**collection(feature(POINT, n=1)), "list": [1, 2], "name": "behind"},
}


@pytest.mark.parametrize("case", WHOLE)
def test_what_is_held_is_what_the_library_says(tmp_path, case):
    path = tmp_path / "ash falls.geojson"
    path.write_text(json.dumps(WHOLE[case], ensure_ascii=False))
    known, found = read.open(path), DataCache().dataset(at(path))
    assert [part.facts for part in found.parts] == [part.facts for part in known.parts]
    assert found.as_json() == known.as_json()
    for mine, theirs in zip(found.parts, known.parts):
        assert mine.rows().equals(theirs.rows())
        if hasattr(mine, "read"):
            a, b = mine.read(), theirs.read()
            assert a.wkb.equals(b.wkb) and a.crs == b.crs and a.table.equals(b.table)


def test_from_a_path_to_the_first_picture_it_is_parsed_once(tmp_path, monkeypatch):
    path = tmp_path / "zones.geojson"
    path.write_text(json.dumps(WHOLE["mixed"]))
    asked = []
    for name in ("read_arrow", "read_info", "list_layers", "read_bounds"):
        whole = getattr(pyogrio, name)
        monkeypatch.setattr(pyogrio, name, lambda *a, f=whole, n=name, **k: asked.append(n) or f(*a, **k))
    cache = DataCache()
    facts = cache.dataset(at(path)).parts[0].facts
    layer = Layer("z", "z", at(path, facts.name), facts.kind, first_style(facts, 0))
    frame = painter_for(cache).frame([layer], View.fitting(facts.extent, 160, 120))
    assert frame.image.any() and not frame.faults and cache.table(layer.ref).num_rows == 2
    assert asked == ["read_arrow"]


def test_only_a_name_that_is_sure_is_taken_from_the_text(tmp_path):
    names = {}
    for case, content in WHOLE.items():
        path = tmp_path / f"{case}.geojson"
        path.write_text(json.dumps(content))
        names[case] = layer_name(at(path))
    assert names["named"] == "vents of 2031" and names["named after"] == "after" and names["plain"] == "plain"
    assert names["one feature"] is None and names["features in the head"] in (None, "tricky")
    path = tmp_path / "cut.geojson"
    path.write_text(json.dumps(WHOLE["mixed"])[:-40])
    with pytest.raises(CannotRead, match="ends in the middle"):
        DataCache().dataset(at(path))
    assert isinstance(DataCache().dataset(at(tmp_path / "named.geojson")).parts[0], HeldLayer)
