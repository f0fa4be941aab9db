"""Connectors: what a place lists, whether it changed, and how its data gets here."""

from __future__ import annotations

import gzip
import threading
import zipfile
from contextlib import contextmanager
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from brisk_atlas.core import read
from brisk_atlas.core.connect import connector_for, fingerprint, head_of, localise
from brisk_atlas.core.model import CannotRead, DataRef, PlaceKind
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.table.write_back import why_not
from range_server import serving

TEXT = b"station,mm\nHarrow,1.5\n"


@pytest.fixture
def folder(tmp_path):
    """A folder with a table in it, bare, packed with gzip, and in an archive."""
    inbox = tmp_path / "inbox"
    (inbox / "deep").mkdir(parents=True)
    (inbox / "rain.csv").write_bytes(TEXT)
    (inbox / "more.csv.gz").write_bytes(gzip.compress(TEXT))
    with zipfile.ZipFile(inbox / "all.zip", "w") as out:
        out.writestr("year/rain.csv", TEXT)
    return inbox


def test_a_folder_and_an_archive_list_what_is_in_them(folder):
    ref = DataRef.file(folder)
    items = {item.name: item for item in connector_for(ref).list(ref)}
    assert set(items) == {"rain.csv", "more.csv.gz", "all.zip", "deep"} and items["deep"].is_folder
    assert items["rain.csv"].size_bytes == len(TEXT) and items["rain.csv"].ref == DataRef.file(folder / "rain.csv")
    inner = DataRef.parse(folder / "all.zip" / "year" / "rain.csv")
    assert [item.ref for item in connector_for(inner).list(inner)] == [inner]


@pytest.mark.parametrize("name", ["rain.csv", "more.csv.gz", "all.zip/year/rain.csv"])
def test_a_fingerprint_tells_that_data_changed(folder, name):
    ref = DataRef.parse(folder / name)
    before = fingerprint(ref)
    assert fingerprint(ref) == before
    here = localise(ref)
    assert here.kind is PlaceKind.FILE and here.path.read_bytes() == TEXT and here.name in ("rain.csv", "more.csv")
    assert localise(ref) == here  # the same copy
    with open(ref.place, "ab") as file:  # noqa: PTH123
        file.write(b" ")
    assert fingerprint(ref) != before


def test_what_a_server_has_is_fetched_once_while_it_stays_the_same(folder):
    with serving(folder) as address:
        ref = DataRef.parse(f"{address}/more.csv.gz")
        here = localise(ref)
        assert here.name == "more.csv" and here.path.read_bytes() == TEXT and localise(ref) == here
        assert head_of(DataRef.parse(f"{address}/rain.csv"), 7) == TEXT[:7]
        size, modified = connector_for(ref).stat(ref)
        stat = (folder / "more.csv.gz").stat()
        assert size == stat.st_size and abs(modified.timestamp() - stat.st_mtime) < 2
        (folder / "more.csv.gz").write_bytes(gzip.compress(b"a,b\n1,2\n"))
        assert localise(ref).path.read_bytes() == b"a,b\n1,2\n"
        with pytest.raises(CannotRead, match="does not list its files"):
            connector_for(ref).list(ref)
    with pytest.raises(CannotRead, match="can't be reached"):
        head_of(ref, 7)


class _ObjectStore(BaseHTTPRequestHandler):
    """As much of the protocol of object stores as reading and listing one bucket needs."""

    objects = {"2031/rain.csv": TEXT, "2031/more.csv.gz": gzip.compress(TEXT)}

    def log_message(self, *arguments):
        pass

    def do_HEAD(self):
        self._answer(body=False)

    def do_GET(self):
        self._answer(body=True)

    def _answer(self, body):
        path, _, query = self.path.partition("?")
        key = path.removeprefix("/shelf").strip("/")
        if "list-type=2" in query:
            rows = "".join(
                f"<Contents><Key>{name}</Key><Size>{len(data)}</Size><LastModified>2031-06-24T00:00:00.000Z</LastModified></Contents>"
                for name, data in self.objects.items()
                if name.startswith("2031/")
            )
            self._send(
                200,
                f"<ListBucketResult><Name>shelf</Name><IsTruncated>false</IsTruncated>{rows}</ListBucketResult>".encode(),
                body,
            )
        elif key in self.objects:
            data, wanted = self.objects[key], self.headers.get("Range")
            if wanted:
                first, last = wanted.removeprefix("bytes=").split("-")
                data = data[int(first) : int(last or len(data)) + 1]
            self._send(206 if wanted else 200, data, body)
        else:
            self._send(404, b"", body)

    def _send(self, code, data, body):
        self.send_response(code)
        self.send_header("Content-Length", str(len(data)))
        self.send_header("Last-Modified", "Tue, 24 Jun 2031 00:00:00 GMT")
        self.end_headers()
        if body:
            self.wfile.write(data)


@contextmanager
def object_store():
    server = ThreadingHTTPServer(("127.0.0.1", 0), _ObjectStore)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield f"127.0.0.1:{server.server_port}"
    finally:
        server.shutdown()
        server.server_close()


def test_what_lies_elsewhere_is_neither_edited_nor_taken_for_its_copy(folder):
    record = b"<metadata><idinfo><citation><citeinfo><title>Rain</title></citeinfo></citation></idinfo></metadata>"
    (folder / "rain.xml").write_bytes(record)
    with serving(folder) as address:
        remote = read.open(f"{address}/rain.csv")
        (kept,), failed = find_records(read.open(f"{address}/rain.xml"))
    assert not kept.can_edit and kept.document.record.title == "Rain" and not failed
    for dataset in (remote, read.open(folder / "all.zip" / "year" / "rain.csv"), read.open(folder / "more.csv.gz")):
        assert why_not(dataset) in ("it lies on a server or in an archive", "it is packed")


def test_a_bucket_is_listed_and_what_is_in_it_is_read(monkeypatch):
    for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
        monkeypatch.setenv(name, "made-up")
    monkeypatch.setenv("AWS_EC2_METADATA_DISABLED", "true")
    with object_store() as host:
        where = f"?scheme=http&endpoint_override={host}&region=tolvane"
        ref = DataRef.parse(f"s3://shelf/2031/rain.csv{where}")
        assert ref.name == "rain.csv" and head_of(ref, 7) == TEXT[:7]
        assert connector_for(ref).stat(ref) == (len(TEXT), datetime(2031, 6, 24, tzinfo=UTC))
        assert localise(ref).path.read_bytes() == TEXT
        top = DataRef.parse(f"s3://shelf/2031{where}")
        assert {item.name for item in connector_for(top).list(top)} == {"rain.csv", "more.csv.gz"}
        packed = next(item.ref for item in connector_for(top).list(top) if item.name == "more.csv.gz")
        assert read.open(packed).parts[0].facts.count == read.open(ref).parts[0].facts.count == 1
        with pytest.raises(CannotRead, match="does not hold it"):
            connector_for(ref).stat(DataRef.parse(f"s3://shelf/2031/none.csv{where}"))


def test_places_that_no_connector_reaches_say_so():
    with pytest.raises(CannotRead, match="'az' can't be reached yet"):
        localise(DataRef.parse("az://survey/zones.gpkg"))
