"""Twenty clients that edit a served Depot at once, with conflicts: what was accepted is there, whole, and in its order."""

from __future__ import annotations

import random
import threading
import time
from pathlib import Path

import httpx

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.posted_rows import PostedRow
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS, Right
from brisk_atlas.core.depot.postings.store_database import StoreDatabase
from brisk_atlas.core.depot.serving import running_postings

from .files import Report

CLIENTS, ROWS = 20, 60
LATEST = "2999-01-01T00:00:00.000000Z"


def attack_clients(place: Path | StoreDatabase, seed: int, seconds: float, edits: int = 10_000) -> Report:
    """Have clients edit until so many edits were accepted, or the time is over."""
    report = Report()
    store = DepotStore(place / "depot of clients" if isinstance(place, Path) else place)
    fields = (PostedField("n", FieldType.INTEGER), PostedField("text", FieldType.TEXT))
    posting = store.post("It", fields, [({"n": n}, None) for n in range(ROWS)], owner="olga")
    shown = tuple(OutletField(each.name, each.name) for each in fields)
    store.offer(Outlet("team", posting.id, "Team", shown, (("team", ALL_RIGHTS),)), by="olga")
    begin: dict[str, PostedRow | None] = {row.name: row for row in store.rows(posting.id).all_rows()}
    accepted, tokens = [0] * CLIENTS, []
    for number in range(CLIENTS):
        name = f"client{number}"
        store.people.join(store.people.invite(["team"], by=""), name, f"long enough {number}")
        tokens.append(_token(store, name))
    end = time.monotonic() + seconds  # accounts take a while to be made

    def client(number: int, address: str) -> None:
        chance = random.Random(seed * 1000 + number)
        with httpx.Client(base_url=f"{address}/collections/team", headers={"Authorization": f"Bearer {tokens[number]}"},
                          timeout=60.0) as web:  # fmt: skip
            states: dict[str, str] = {}
            while sum(accepted) < edits and time.monotonic() < end:
                if not states or chance.random() < 0.05:
                    found = web.get("/items?limit=200").json()["features"]
                    states = {each["id"]: each["state"] for each in found}
                answer = _edited(web, chance, states)
                report.outcomes[str(answer.status_code)] += 1
                accepted[number] += answer.status_code in (200, 201, 204)
                if answer.status_code not in (200, 201, 204, 404, 412):
                    report.faults.append(f"client {number}: {answer.status_code} {answer.text[:200]}")

    with running_postings(store, "Depot of clients") as address:
        threads = [threading.Thread(target=client, args=(number, address)) for number in range(CLIENTS)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    report.tried = sum(accepted)
    found = store.rows(posting.id).edits()
    if len(found) != sum(accepted):
        report.faults.append(f"{sum(accepted)} edits were accepted, {len(found)} are there")
    for edit in found:
        if begin.get(edit.row) != edit.before:
            report.faults.append(f"edit {edit.number} is of another row than there was")
        begin[edit.row] = edit.after
    now = {row.name: row for row in store.rows(posting.id).all_rows()}
    if {name: row for name, row in begin.items() if row is not None} != now:
        report.faults.append("the history does not replay to the rows")
    if [edit.at for edit in found] != sorted(edit.at for edit in found):
        report.faults.append("times go back in the history")
    store.close()
    return report


def _token(store: DepotStore, name: str) -> str:
    from datetime import datetime

    return store.people.make_token(name, "attack", frozenset(Right), datetime.fromisoformat(LATEST))


def _edited(web: httpx.Client, chance: random.Random, states: dict[str, str]) -> httpx.Response:
    """Do something to a row as it was last seen; what it is now is noted in `states`."""
    deed, row = chance.random(), chance.choice(list(states))
    if deed < 0.1:
        feature = {"type": "Feature", "properties": {"n": chance.randrange(10**6)}, "geometry": None}
        return web.post("/items", json=feature)
    match = {"If-Match": f'"{states[row]}"'}
    if deed < 0.2 and len(states) > ROWS:
        answer = web.delete(f"/items/{row}", headers=match)
    else:
        change = {"properties": {"n": chance.randrange(10**6), "text": "x" * chance.randrange(200)}}
        answer = web.patch(f"/items/{row}", json=change, headers=match)
    if answer.status_code in (200, 412):
        states[row] = answer.headers["etag"].strip('"')
    else:
        del states[row]
    return answer
