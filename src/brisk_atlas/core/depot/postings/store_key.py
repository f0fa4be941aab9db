"""The secret of a store, by which what it gives out is sealed."""

from __future__ import annotations

import secrets

from .store_database import StoreConnection


def key_in(database: StoreConnection) -> bytes:
    """Return the secret of a store, made where there is none yet, within a transaction of it."""
    database.execute("INSERT INTO setting VALUES ('key', ?) ON CONFLICT DO NOTHING", [secrets.token_hex(32)])
    (found,) = database.execute("SELECT value FROM setting WHERE name = 'key'").fetchone()
    return bytes.fromhex(found)
