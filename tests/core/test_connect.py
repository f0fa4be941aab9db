"""Connectors: what a place lists, whether it changed, and how its data gets here."""

from __future__ import annotations

import gzip
import time
import zipfile

import boto3
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


@pytest.fixture(scope="module")
def bucket():
    """A bucket of an object store on the loopback; gives its host."""
    from moto.server import ThreadedMotoServer

    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    store = boto3.client(
        "s3", endpoint_url=f"http://{host}:{port}", aws_access_key_id="made-up", aws_secret_access_key="made-up",
        region_name="us-east-1",
    )  # fmt: skip
    store.create_bucket(Bucket="shelf", ACL="public-read")
    objects = {
        "2031/rain.csv": TEXT,
        "2031/more.csv.gz": gzip.compress(TEXT),
        "2031/old/rain.csv": TEXT,
        "top.csv": TEXT,
    }
    for key, body in objects.items():
        store.put_object(Bucket="shelf", Key=key, Body=body, ACL="public-read")
    yield f"{host}:{port}"
    server.stop()


def test_what_lies_elsewhere_is_neither_edited_nor_taken_for_its_copy(folder):
    record = b"<metadata><idinfo><citation><citeinfo><title>Rain</title></citeinfo></citation></idinfo></metadata>"
    (folder / "rain.xml").write_bytes(record)
    with serving(folder) as address:
        remote = read.open(f"{address}/rain.csv")
        (kept,), failed = find_records(read.open(f"{address}/rain.xml"))
    assert not kept.can_edit and kept.document.record.title == "Rain" and not failed
    for dataset in (remote, read.open(folder / "all.zip" / "year" / "rain.csv"), read.open(folder / "more.csv.gz")):
        assert why_not(dataset) in ("it lies on a server or in an archive", "it is packed")


@pytest.mark.parametrize("who", ("", "&anonymous=true"))
def test_a_bucket_is_listed_and_what_is_in_it_is_read(bucket, monkeypatch, who):
    for name in ("AWS_ACCESS_KEY_ID", "AWS_SECRET_ACCESS_KEY"):
        monkeypatch.setenv(name, "made-up") if not who else monkeypatch.delenv(name, raising=False)
    monkeypatch.setenv("AWS_EC2_METADATA_DISABLED", "true")
    where = f"?scheme=http&endpoint_override={bucket}&region=us-east-1{who}"
    ref = DataRef.parse(f"s3://shelf/2031/rain.csv{where}")
    assert ref.name == "rain.csv" and head_of(ref, 7) == TEXT[:7]
    size, modified = connector_for(ref).stat(ref)
    assert size == len(TEXT) and abs(modified.timestamp() - time.time()) < 600
    assert localise(ref).path.read_bytes() == TEXT
    whole = DataRef.parse(f"s3://shelf{where}")
    assert {(item.name, item.is_folder) for item in connector_for(whole).list(whole)} == {
        ("2031", True),
        ("top.csv", False),
    }
    top = DataRef.parse(f"s3://shelf/2031{where}")
    listed = {item.name: item for item in connector_for(top).list(top)}
    assert {(name, item.is_folder) for name, item in listed.items()} == {
        ("rain.csv", False),
        ("more.csv.gz", False),
        ("old", True),
    }
    assert [item.name for item in connector_for(top).list(listed["old"].ref)] == ["rain.csv"]
    assert read.open(listed["more.csv.gz"].ref).parts[0].facts.count == read.open(ref).parts[0].facts.count == 1
    with pytest.raises(CannotRead, match="does not hold it"):
        connector_for(ref).stat(DataRef.parse(f"s3://shelf/2031/none.csv{where}"))
    with pytest.raises(CannotRead, match="can't be read"):
        connector_for(ref).list(DataRef.parse(f"s3://nothing{where}"))


def test_places_that_no_connector_reaches_say_so():
    with pytest.raises(CannotRead, match="'az' can't be reached yet"):
        localise(DataRef.parse("az://survey/zones.gpkg"))
