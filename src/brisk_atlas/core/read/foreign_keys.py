"""Which tables of a SQLite file belong to each other, as their foreign keys of one column state."""

from __future__ import annotations

import sqlite3
from collections import defaultdict
from contextlib import closing

from brisk_atlas.core.model import DataRef, Relation

from .sqlite_file import read_only

KEYS = """SELECT m.name, k.id, k."table", k."from", k."to" FROM sqlite_master m, pragma_foreign_key_list(m.name) k
          WHERE m.type = 'table' ORDER BY m.name, k.id"""
PRIMARY = """SELECT m.name, t.name FROM sqlite_master m, pragma_table_info(m.name) t
             WHERE m.type = 'table' AND t.pk = 1"""


def relations_in(ref: DataRef) -> dict[str, tuple[Relation, ...]]:
    """Return what each table is related to, by its name in lower case: what its own keys refer to, and what refers to
    it. None for a file that can't be asked."""
    found: dict[str, list[Relation]] = defaultdict(list)
    try:
        with closing(sqlite3.connect(read_only(ref.path), uri=True)) as database:
            stated = database.execute(KEYS).fetchall()
            keys = {name.lower(): key for name, key in database.execute(PRIMARY)}
            names = {name.lower(): name for (name,) in database.execute("SELECT name FROM sqlite_master")}
    except (sqlite3.Error, UnicodeDecodeError):
        return {}
    several = [(table, number) for table, number, *_ in stated]
    for table, number, other, field, target in stated:
        target = target or keys.get(other.lower())  # without a name the primary key is meant
        if several.count((table, number)) > 1 or target is None or table.startswith(("gpkg_", "rtree_")):
            continue
        whole, far = ref.whole, names.get(other.lower(), other)
        found[table.lower()].append(Relation(whole.with_part(far), field, target, many=False))
        found[far.lower()].append(Relation(whole.with_part(table), target, field, many=True))
    return {table: tuple(relations) for table, relations in found.items()}
