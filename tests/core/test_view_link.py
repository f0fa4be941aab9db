"""Links to views of the map: what they carry comes back, and what is damaged or hostile is refused."""

from __future__ import annotations

from urllib.parse import quote

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.workspace.named_places import NamedPlace
from brisk_atlas.core.workspace.view_link import ViewLink

LAYERS = ("/data/Straße & Weg.gpkg#part=lava flows", "ogcapi+https://depot.tolvane.example/api#buildings",
          "https://data.tolvane.example/a.tif?x=1&y=2", "postgresql://ana@server.tolvane.example/survey#public.vents")  # fmt: skip
numbers = st.floats(-1e8, 1e8, allow_nan=False)


@given(numbers, numbers, st.floats(1e-6, 1e6), st.sampled_from([None, "EPSG:32727", "EPSG:4326"]), st.floats(-180, 180),
       st.lists(st.sampled_from(LAYERS), max_size=4, unique=True))  # fmt: skip
def test_a_link_says_what_was_linked_to(x, y, resolution, crs, turn, layers):
    place = NamedPlace("", "", x, y, resolution, 840, 480, crs, turn)
    link = ViewLink.of(place._replace(id="p1", name="Bay", picture=b"..."), map(DataRef.parse, layers))
    assert ViewLink.parse(str(link)) == link and link.place == place
    assert [str(ref) for ref in ViewLink.parse(str(link)).layers] == [str(DataRef.parse(each)) for each in layers]


GOOD = "brisk-atlas:view?crs=EPSG:32727&x=1&y=2&resolution=4&width=840&height=480"


@pytest.mark.parametrize("text", [
    "brisk-atlas:", "brisk-atlas:run?x=1", "https://view?x=1", GOOD.replace("x=1", "x=nan"), GOOD.replace("resolution=4", "resolution=0"),
    GOOD.replace("resolution=4", "resolution=-1"), GOOD.replace("width=840", "width=0"), GOOD.replace("width=840", "width=99999999"),
    GOOD.replace("width=840", "width=x"), GOOD.replace("EPSG:32727", "EPSG:999999"), GOOD.replace("EPSG:32727", "%2Binit=/etc/passwd:1"),
    GOOD.replace("EPSG:32727", "/etc/passwd"), f"{GOOD}&layer=" + "a" * 40_000, GOOD + "&layer=a.tif" * 100,
])  # fmt: skip
def test_what_is_no_view_is_refused(text):
    assert ViewLink.parse(GOOD).layers == ()
    with pytest.raises(AtlasError):
        ViewLink.parse(text)


def test_what_is_drawn_by_hand_is_not_linked_to():
    sketch = DataRef.inline("marks.geojson", "{}")
    assert ViewLink.of(NamedPlace("", "", 0, 0, 1, 9, 9, None), [sketch, DataRef.file("/a.tif")]).layers == (
        DataRef.file("/a.tif"),
    )
    with pytest.raises(AtlasError):
        ViewLink.parse(f"{GOOD}&layer={quote(str(sketch), safe='')}")
