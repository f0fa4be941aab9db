"""Programs that edit the rows of a Depot, killed at random moments: what was accepted is there, whole, and the history
replays to what there is."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet import Outlet, OutletField
from brisk_atlas.core.depot.postings.posted_rows import PostedRow
from brisk_atlas.core.depot.postings.posting import FieldType, PostedField
from brisk_atlas.core.depot.postings.rights import ALL_RIGHTS

from .files import Report

LONGEST_S = 3.0  # that an editor is left alone once it has begun
EDITOR = """
import random, sys
from pathlib import Path
from brisk_atlas.core.depot.postings.depot_store import DepotStore
from brisk_atlas.core.depot.postings.outlet_rows import RowsAsked
from brisk_atlas.core.depot.postings.rights import Identity
store, who, chance = DepotStore(Path(sys.argv[1])), Identity("ada", frozenset({"team"})), random.Random(int(sys.argv[2]))
print("begun", flush=True)
while True:
    rows = store.through("team", who).page(RowsAsked(), 20)
    row, deed = chance.choice(rows) if rows else None, chance.random()
    if row is None or deed < 0.3:
        store.add_row("team", who, {"n": chance.randrange(10**6), "text": "x" * chance.randrange(20_000)}, None)
    elif deed < 0.8:
        store.change_row("team", who, row.name, row.state, {"n": chance.randrange(10**6)})
    elif deed < 0.9:
        store.delete_row("team", who, row.name, row.state)
    else:
        edits = store.rows("it").edits()
        try:
            store.undo("it", edits[-1].number, who)
        except Exception:
            continue
    print("accepted", flush=True)
"""


def attack_edits(folder: Path, seed: int, seconds: float) -> Report:
    """Kill editors at random moments for a while."""
    report, rng = Report(), random.Random(seed)
    store = DepotStore(folder / "depot of edits")
    fields = (PostedField("n", FieldType.INTEGER), PostedField("text", FieldType.TEXT))
    posting = store.post("It", fields, [({"n": n}, None) for n in range(5)], owner="olga")
    shown = tuple(OutletField(each.name, each.name) for each in fields)
    store.offer(Outlet("team", posting.id, "Team", shown, (("team", ALL_RIGHTS),)), by="olga")
    rows, accepted = store.rows(posting.id), 0
    begin = {row.name: row for row in rows.all_rows()}
    end = time.monotonic() + seconds
    while time.monotonic() < end or report.tried == 0:
        program = [sys.executable, "-c", EDITOR, str(store.database.path.parent), str(rng.randrange(10**6))]
        editor = subprocess.Popen(program, stdout=subprocess.PIPE, text=True)
        assert editor.stdout is not None
        editor.stdout.readline()
        time.sleep(rng.uniform(0, LONGEST_S))
        os.kill(editor.pid, signal.SIGKILL)
        accepted += sum(line == "accepted\n" for line in editor.stdout)
        editor.wait()
        report.tried += 1
        report.outcomes["killed"] += 1
        edits = rows.edits()
        if (
            not accepted <= len(edits) <= accepted + report.tried
        ):  # one more may have been written by each that was killed
            report.faults.append(f"kill {report.tried}: {accepted} edits were accepted, {len(edits)} are there")
        now: dict[str, PostedRow | None] = dict(begin)
        for edit in edits:
            if now.get(edit.row) != edit.before:
                report.faults.append(f"kill {report.tried}: edit {edit.number} is of another row than there was")
            now[edit.row] = edit.after
        if {name: row for name, row in now.items() if row is not None} != {row.name: row for row in rows.all_rows()}:
            report.faults.append(f"kill {report.tried}: the history does not replay to the rows")
        if store.database.reading.execute("PRAGMA integrity_check").fetchone() != ("ok",):
            report.faults.append(f"kill {report.tried}: the store is damaged")
    store.close()
    return report
