"""A Depot whose disk is full, and questions that are far too large."""

from __future__ import annotations

import json
import resource
import socket
import subprocess
import sys
import time

import httpx
import pytest
from argon2 import PasswordHasher

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.people import People
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, EVERYBODY, Right
from brisk_atlas.core.depot.serving import free_port, running_postings

PASSWORD = "long enough 1"
TEXT = PostedField("text", FieldType.TEXT)
HUGE = 5_000 << 20


@pytest.fixture
def folder(tmp_path):
    store = DepotStore(tmp_path / "depot", lambda database: People(database, PasswordHasher(1, 8, 1)))
    store.people.join(store.people.invite(["team"], by=""), "ada", PASSWORD)
    posting = store.post("It", [TEXT], [({"text": "first"}, None)], owner="")
    rights = (("team", ALL_RIGHTS), (EVERYBODY, frozenset({Right.READ})))
    store.offer(Outlet("it", posting.id, "It", (OutletField("text", "text"),), rights), by="")
    store.close()
    return tmp_path / "depot"


def test_a_full_disk_refuses_changes_answers_questions_and_loses_nothing(folder):
    port = free_port()
    most = (folder / "depot.sqlite").stat().st_size + 600_000

    def small_disk():
        resource.setrlimit(resource.RLIMIT_FSIZE, (most, most))

    server = subprocess.Popen([sys.executable, "-m", "brisk_atlas", "depot", "serve", "--store", str(folder), "--port", str(port)],
                              stdout=subprocess.PIPE, text=True, preexec_fn=small_disk)  # fmt: skip
    accepted = []
    try:
        assert any("OGC API" in line for line in server.stdout)
        with httpx.Client(base_url=f"http://127.0.0.1:{port}/collections/it", timeout=30) as web:
            end = time.monotonic() + 20
            while time.monotonic() < end:
                try:
                    web.get("")
                    break
                except httpx.ConnectError:
                    time.sleep(0.05)
            refused = 0
            for number in range(40):
                feature = {"type": "Feature", "geometry": None, "properties": {"text": f"{number} " + "x" * 40_000}}
                answer = web.post("/items", json=feature, auth=("ada", PASSWORD))
                if answer.status_code == 201:
                    accepted.append(answer.headers["location"].rpartition("/")[2])
                else:
                    assert answer.status_code == 503 and "nothing was changed" in answer.text
                    refused += 1
            assert accepted and refused > 5
            found = web.get("/items?limit=100")
            assert found.status_code == 200 and {each["id"] for each in found.json()["features"]} >= set(accepted)
    finally:
        server.kill()
        server.communicate()
    store = DepotStore(folder)  # on a larger disk
    rows, edits = list(store.rows("it").all_rows()), store.rows("it").edits()
    assert {row.name for row in rows[1:]} == {edit.row for edit in edits} == set(accepted)
    assert store.database.reading.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    store.close()


@pytest.fixture
def served(folder):
    store = DepotStore(folder, lambda database: People(database, PasswordHasher(1, 8, 1)))
    with running_postings(store, "Depot") as address:
        yield address
    store.close()


@pytest.mark.parametrize("stated", [True, False])
def test_a_body_without_end_is_refused_long_before_its_end(served, stated):
    sent = 0

    def body():
        nonlocal sent
        while sent < HUGE:
            sent += 1 << 20
            yield b"x" * (1 << 20)

    headers = {"Content-Type": "application/geo+json"} | ({"Content-Length": str(HUGE)} if stated else {})
    try:
        answer = httpx.post(
            f"{served}/collections/it/items", content=body(), headers=headers, auth=("ada", PASSWORD), timeout=30
        )
        assert answer.status_code == 413
    except (httpx.WriteError, httpx.RemoteProtocolError, httpx.ReadError):
        pass  # it hung up
    assert sent < 200_000_000
    assert httpx.get(f"{served}/collections/it/items").json()["numberMatched"] == 1


def test_a_filter_of_ten_million_characters_harms_nobody(served):
    host, port = served.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), 20) as wire:
        answer = b""
        try:
            wire.sendall(b"GET /collections/it/items?filter=" + b"(" * 10_000_000 + b" HTTP/1.1\r\nHost: x\r\n\r\n")
            answer = wire.recv(100)
        except OSError:
            pass
    assert not answer or answer.split()[1] in (b"400", b"414", b"431")
    question = json.dumps({"op": "not", "args": ["x"] * 10})
    for text in ("NOT " * 990 + "a=1", "(" * 3_000, "'" * 3_999, "a" * 4_001, question):
        found = httpx.get(f"{served}/collections/it/items", params={"filter": text, "filter-lang": "cql2-text"})
        assert found.status_code == 400, text[:50]
    assert httpx.get(f"{served}/collections/it/items").status_code == 200
