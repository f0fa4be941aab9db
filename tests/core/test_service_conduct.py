"""How services are asked: recognised, tried, in error, gone and back; answers that are stored."""

from __future__ import annotations

import getpass
import time
from dataclasses import replace

import pytest

from brisk_atlas import demo
from brisk_atlas.core import read
from brisk_atlas.core.connect import connector_for, fetching
from brisk_atlas.core.connect.connector import localise
from brisk_atlas.core.connect.ows import check_xml
from brisk_atlas.core.connect.recognise import recognise
from brisk_atlas.core.connect.stored_answers import ANSWERS, AnswerStore, StoredAnswer, term_of
from brisk_atlas.core.draw.view import View
from brisk_atlas.core.draw.whole_frame import whole_frame
from brisk_atlas.core.find.connections import Connection, export_connections, import_connections
from brisk_atlas.core.find.trying import tried
from brisk_atlas.core.model import CannotRead, DataRef, NeedsPermission, passwords
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.place.tile_grid import TilePlace
from brisk_atlas.core.read.permissions import permissions_file
from brisk_atlas.core.read.tile_store import TILES
from brisk_atlas.core.workspace.workspace import Workspace
from server_certificates import make_certificates
from stand_in import opened

pytestmark = pytest.mark.usefixtures("well_behaved")

PICTURES = ("wms+{}/wms#elevation_2029", "wmts+{}/wmts#elevation_2029", "xyz+{}/xyz/elevation_2029/{{z}}/{{x}}/{{y}}.png",
            "xyz+{}/tms/elevation_2029/{{z}}/{{x}}/{{-y}}.png", "ogcapi+{}/#elevation_2029#part=elevation_2029%20picture", "geoservices+{}/rest/services/island/MapServer#8")  # fmt: skip
FEATURES = (
    "ogcapi+{}/#lava_flows",
    "wfs+{}/wfs#depot:lava_flows",
    "geoservices+{}/rest/services/island/FeatureServer#4",
)


def test_a_server_that_is_gone_leaves_the_map_and_is_noticed_when_it_is_back(served):
    workspace, layer = opened(PICTURES[0], served)
    view = View.fitting(served[0].offers["elevation_2029"].extent_in("EPSG:32727"), 300, 300)
    served[1].behaviour.status = 500
    frame = whole_frame(workspace.painter, [layer], view)
    assert frame.failing and "500" in frame.notes[layer.id] and not frame.faults
    served[1].behaviour.status = 0
    TILES.forget()  # as after a while
    frame = whole_frame(workspace.painter, [layer], view)
    assert not frame.failing and frame.image.any()


def test_only_tiles_of_the_latest_view_are_waited_for(served):
    workspace, layer = opened(PICTURES[0], served)
    part = workspace.cache.raster(layer.ref)
    served[1].behaviour.delay_s = 0.4
    asked = [TilePlace(3, column, row) for column in range(6) for row in range(6)]
    TILES.want(part.pictures, asked)
    time.sleep(0.6)
    TILES.want(part.pictures, [TilePlace(4, 0, 0)])
    served[1].behaviour.delay_s = 0
    TILES.wait(part.pictures, [*asked, TilePlace(4, 0, 0)])
    came = [place for place in asked if TILES.now(part.pictures, place) is not None]
    assert TILES.now(part.pictures, TilePlace(4, 0, 0)) is not None and len(came) < len(asked) // 2


@pytest.mark.parametrize(("path", "expected"), [
    ("/wms?SERVICE=WMS&REQUEST=GetCapabilities&VERSION=1.3.0", "wms+{}/wms"),
    ("/wms", "wms+{}/wms"), ("/wfs", "wfs+{}/wfs"), ("/wmts", "wmts+{}/wmts"), ("/", "ogcapi+{}/"),
    ("/csw", "csw+{}/csw"), ("/vectortiles.json", "vectortiles+{}/vectortiles.json"),
    ("/files/ash_samples.geojson.xml", "{}/files/ash_samples.geojson.xml"), ("/wcs", "wcs+{}/wcs"), ("/collections", "ogcapi+{}/collections"), ("/rest/services?f=json", "geoservices+{}/rest/services"), ("/xyz/trails/{{z}}/{{x}}/{{y}}.png", "xyz+{}/xyz/trails/{{z}}/{{x}}/{{y}}.png"),
])  # fmt: skip
def test_an_address_is_recognised_by_what_it_answers(served, path, expected):
    address = served[1].address
    ref = recognise(address + path.replace("{{", "{").replace("}}", "}")).ref
    assert str(ref) == expected.format(address) and DataRef.parse(str(ref)) == ref
    if ref.protocol == "geoservices":
        folders = connector_for(ref).list(ref)
        assert [folder.name for folder in folders] == ["island (maps)", "island (features)"]
        ref = folders[0].ref
    if ref.protocol not in ("", "xyz", "csw"):
        assert {item.name for item in connector_for(ref).list(ref) if not item.is_folder} <= {
            o.title for o in served[0].offers.values()
        }


def test_a_connection_is_tried_and_passed_on_without_secrets(served, tmp_path):
    address = served[1].address.replace("http://", "http://ana:s3cret-word@")
    served[1].behaviour.password = "ana:s3cret-word"
    ref = recognise(f"{address}/wms?token=abc123xyz").ref
    assert "s3cret" not in str(ref) and "abc123xyz" not in str(ref)
    result = tried(ref)
    assert result.things == len(served[0].offers) and result.words.endswith("11 layers, with a login")
    assert all("token=abc123xyz" in line for line in served[1].log[-1:])
    file = tmp_path / "connections.json"
    export_connections([Connection(ref, "Maps", "Office")], file)
    text = file.read_text()
    assert "s3cret" not in text and "abc123xyz" not in text
    assert import_connections(file) == [Connection(ref, "Maps", "Office")]
    passwords.forget_all()
    with pytest.raises(NeedsPassword):
        fetching.fetch(ref, f"{ref.address}?service=WMS&request=GetCapabilities&x=1")
    (tmp_path / "other.json").write_text('{"a": 1}')
    with pytest.raises(CannotRead, match="no file of connections"):
        import_connections(tmp_path / "other.json")


@pytest.mark.parametrize(("wrong", "reason"), [
    ({"html": True}, "page for people"), ({"status": 429}, "429"), ({"status": 500}, "500"), ({"status": 404}, "404"),
    ({"half": True}, "not whole JSON|broken|refuses|can't be reached|can't be understood"),
    ({"forward_to": "http://elsewhere.example/"}, "another host, elsewhere.example"),
    ({"endless": True}, "larger than"),
])  # fmt: skip
@pytest.mark.parametrize("text", ("wms+{}/wms#trails", "wfs+{}/wfs#depot:trails", "ogcapi+{}/#trails"))
def test_a_wrong_answer_gets_its_sentence(served, text, wrong, reason):
    for name, value in wrong.items():
        setattr(served[1].behaviour, name, value)
    with pytest.raises(CannotRead, match=reason) as caught:
        read.open(text.format(served[1].address))
    assert served[1].address.partition("//")[2] in caught.value.place and caught.value.remedy


def test_redirects_in_a_loop_and_busy_servers_end(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    served[1].behaviour.forward_to = f"{served[1].address}/wms"
    with pytest.raises(CannotRead, match="without end"):
        fetching.fetch(ref, ref.address)
    served[1].behaviour.forward_to = "http://elsewhere.example/"
    with pytest.raises(CannotRead, match="another host, elsewhere"):  # nor for a piece of a file
        fetching.fetch_range(ref, ref.address, 0, 9)
    served[1].behaviour.forward_to = ""
    served[1].behaviour.fail_every = len(served[1].log) + 1  # the next answer
    assert fetching.fetch(ref, f"{ref.address}?service=WMS&request=GetCapabilities&again=1").body
    assert served[1].log[-1] == served[1].log[-2]  # asked again


def test_a_whole_file_is_fetched_by_the_rules_of_any_question(served):
    behaviour = served[1].behaviour
    ref = DataRef.parse(f"{served[1].address}/files/gas_stations.csv")
    behaviour.forward_to = "http://elsewhere.example/"
    with pytest.raises(CannotRead, match="another host, elsewhere"):
        localise(ref)
    behaviour.forward_to, behaviour.password = "", "ana:s3cret-word"
    with pytest.raises(NeedsPassword):
        localise(ref)
    known = DataRef.parse(str(ref).replace("http://", "http://ana:s3cret-word@"))
    assert "s3cret" not in str(known) and localise(known).path.read_bytes() == (demo.DATA / ref.name).read_bytes()
    behaviour.password = ""
    fetching.set_offline(True)
    with pytest.raises(CannotRead, match="offline"):
        localise(ref)


def test_an_answer_without_end_and_one_with_entities_are_refused(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    with pytest.raises(CannotRead, match="larger than"):
        fetching.fetch(ref, f"{ref.address}?service=WMS&request=GetCapabilities", limit=100, stored=False)
    for body, reason in ((b"<!DOCTYPE a [<!ENTITY b 'c'>]><a>&b;</a>", "entities"), (b"hello", "not XML"),
                         (b"<ServiceExceptionReport><ServiceException>no <![CDATA[way]]></ServiceException>"
                          b"</ServiceExceptionReport>", "no way")):  # fmt: skip
        with pytest.raises(CannotRead, match=reason):
            check_xml(ref, body)


def test_a_server_that_never_answers_is_given_up_when_nobody_waits_any_more(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    served[1].behaviour.status = 503
    calls = []

    def check():
        calls.append(1)
        if len(calls) > 3:
            raise TimeoutError

    with pytest.raises(TimeoutError):
        fetching.fetch(ref, f"{ref.address}?never=1", check=check)


def test_nothing_is_asked_of_a_host_that_was_not_allowed(home):
    permissions_file().unlink(missing_ok=True)
    with Workspace() as workspace, pytest.raises(NeedsPermission, match=r"127\.0\.0\.1"):
        workspace.cache.dataset(DataRef.parse("wms+http://127.0.0.1:9/wms#trails"))


def test_answers_are_used_while_fresh_and_offline_afterwards(served):
    ref = DataRef.service("wms", f"{served[1].address}/wms")
    address = f"{ref.address}?service=WMS&request=GetCapabilities&stored=1"
    first = fetching.fetch(ref, address)
    asked = len(served[1].log)
    assert fetching.fetch(ref, address) == first and len(served[1].log) == asked
    fetching.set_offline(True)
    assert fetching.fetch(ref, address).body == first.body
    with pytest.raises(CannotRead, match="offline"):
        fetching.fetch(ref, f"{address}&other=1")


def test_the_store_follows_what_servers_state_and_stays_within_its_limit(tmp_path):
    now = time.time()
    assert term_of({"cache-control": "no-store"}) is None and term_of({"cache-control": "no-cache"}) == 0
    assert abs(term_of({"cache-control": "public, max-age=100", "age": "40"}) - now - 60) < 2
    store = AnswerStore(tmp_path, limit=3_000)
    for number in range(6):
        store.put(f"q{number}", StoredAnswer("image/png", bytes([number]) * 1000, now + 10, etag="x"))
        time.sleep(0.01)
    store.prune()
    assert store.get("q0") is None and store.get("q5").body == b"\5" * 1000 and store.size_bytes <= 3_000
    assert store.get("q5").conditions() == {"If-None-Match": "x"}
    store.clear()
    assert store.get("q5") is None and store.size_bytes == 0


@pytest.mark.parametrize("path", ("wms+{}/wms", "wmts+{}/wmts", "wfs+{}/wfs", "ogcapi+{}/"))
def test_layers_are_looked_at_anew_once_their_service_states_otherwise(served, path):
    ref = DataRef.parse(path.format(served[1].address))
    depot = served[0]

    def states():
        ANSWERS.clear()
        return {item.ref.inner: item.state for item in connector_for(ref).list(ref) if not item.is_folder}

    before, offer = states(), depot.offers["trails"]
    assert states() == before
    depot.offers["trails"] = replace(offer, layer=replace(offer.layer, name="Paths"))
    try:
        after = states()
    finally:
        depot.offers["trails"] = offer
    changed = {name for name in after if after[name] != before[name]}
    assert "trails" in {name.rpartition(":")[2] for name in changed}
    assert ref.protocol != "ogcapi" or changed == {"trails"}


def test_a_certificate_that_does_not_fit_is_a_sentence(tmp_path):
    import ssl
    import threading
    from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

    make_certificates(tmp_path, getpass.getuser())
    server = ThreadingHTTPServer(("127.0.0.1", 0), BaseHTTPRequestHandler)
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(tmp_path / "server.crt", tmp_path / "server.key")
    server.socket = context.wrap_socket(server.socket, server_side=True)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        ref = DataRef.service("wms", f"https://localhost:{server.server_port}/wms")
        with pytest.raises(CannotRead, match=r"(?i)certificate") as caught:
            fetching.fetch(ref, ref.address)
        assert "not trusted" in caught.value.remedy
        with pytest.raises(CannotRead, match=r"(?i)certificate"):
            localise(DataRef.parse(f"https://localhost:{server.server_port}/zones.geojson"))
    finally:
        server.shutdown()
        server.server_close()
