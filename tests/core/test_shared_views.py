"""Views that others can open: which plates have a link, and which links of a page are followed."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread

import pytest

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Layer, VectorStyle
from brisk_atlas.core.read.permissions import allow
from brisk_atlas.core.workspace.plates import PlateView
from brisk_atlas.core.workspace.shared_views import link_for_others, may_have_views, views_of_page

OUTLET = "ogcapi+https://depot.tolvane.example/services#lava"


def plate_of(*places, **values):
    layers = tuple(
        Layer(str(n), str(n), DataRef.parse(place), DataKind.VECTOR, VectorStyle()) for n, place in enumerate(places)
    )
    return PlateView(layers, crs="EPSG:32727", x=510_000, y=5_769_000, resolution=4.0, width=800, height=500, **values)


def test_a_plate_has_a_link_where_others_reach_all_that_it_shows():
    link = link_for_others(plate_of(OUTLET, "https://survey.tolvane.example/2031/zones.gpkg"))
    assert [str(ref) for ref in link.layers] == [OUTLET, "https://survey.tolvane.example/2031/zones.gpkg"]
    assert (link.place.x, link.place.resolution, link.place.crs) == (510_000, 4.0, "EPSG:32727")


@pytest.mark.parametrize(
    "place",
    [
        "/home/ana/zones.gpkg",
        "/home/ana/delivery.zip/zones.gpkg",
        "postgresql://ana@db.tolvane.example/survey#zones",
        "https://survey.tolvane.example/zones.gpkg?api_key=secret",
    ],
)
def test_nothing_of_a_machine_and_no_key_goes_into_a_link(place):
    assert link_for_others(plate_of(OUTLET, place)) is None
    assert "secret" not in str(link_for_others(plate_of("wms+https://maps.tolvane.example/wms?token=secret#zones")))
    hidden = plate_of(OUTLET, place)
    shown = hidden._replace(layers=(hidden.layers[0], replace(hidden.layers[1], visible=False)))
    assert place not in str(link_for_others(shown))


def test_pages_are_told_from_data_by_their_address():
    pages = ["https://depot.tolvane.example/pages/for_all", "http://127.0.0.1:8000/pages/for_all/album",
             "https://survey.tolvane.example/albums/serrick.html"]  # fmt: skip
    data = [
        "https://survey.tolvane.example/zones.gpkg",
        OUTLET,
        "/home/ana/album.html",
        "https://tolvane.example/pages/",
    ]
    assert all(may_have_views(DataRef.parse(each)) for each in pages)
    assert not any(may_have_views(DataRef.parse(each)) for each in data)


class Pages(BaseHTTPRequestHandler):
    def __init__(self, pages, *given):
        self.pages = pages
        super().__init__(*given)

    def do_GET(self):
        body = self.pages.get(self.path)
        self.send_response(200 if body is not None else 404)
        self.send_header("Content-Type", "text/html")
        self.end_headers()
        self.wfile.write(body or b"")

    def log_message(self, *words):
        pass


def test_links_of_a_page_are_followed_and_damaged_ones_left_out():
    good = str(link_for_others(plate_of(OUTLET)))
    escaped = good.replace("&", "&amp;")
    page = (
        f'<p><a href="{escaped}" title="Harrow &lt;Bay&gt;">Open</a><a href="brisk-atlas:view?x=1">damaged</a>'
        f'<a href="{escaped.replace("layer=", "layer=%2Fhome%2Fana%2Fzones.gpkg&amp;layer=")}">a file</a>'
        f'<a href="javascript:alert(1)">no</a><a href="https://tolvane.example/">away</a><a href="{escaped}">Open</a>'
    ).encode()
    pages = {
        "/album.html": page,
        "/pages/a/album": page,
        "/empty.html": b"",
        "/odd.html": b"\xff\x00<a href=brisk-atlas:view?",
    }
    server = ThreadingHTTPServer(("127.0.0.1", 0), partial(Pages, pages))
    Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_port}"
    allow(("127.0.0.1",))
    try:
        for place in ("/album.html", "/pages/a", "/pages/a/", "/pages/a/album"):
            found = views_of_page(DataRef.parse(address + place))
            assert [(each.title, str(each.link)) for each in found] == [("Harrow <Bay>", good), ("", good)], place
        for place in ("/empty.html", "/odd.html"):
            assert views_of_page(DataRef.parse(address + place)) == ()
        with pytest.raises(CannotRead):
            views_of_page(DataRef.parse(address + "/pages/nothing"))
    finally:
        server.shutdown()
