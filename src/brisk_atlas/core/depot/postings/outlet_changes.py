"""What changed in what an outlet shows, and what was done to a row of it, without a word of what it leaves out.

A cursor says up to which edit somebody knows. It is sealed, so that nobody learns from it how many edits there were
that are not shown; and it stays as it was until something that is shown has changed.
"""

from __future__ import annotations

import hashlib
import hmac
import secrets
from dataclasses import dataclass

from .outlet_rows import OutletRows, ShownRow
from .posted_rows import PostedRow

AT_ONCE = 1000  # edits that are looked at together
MOST_REMEMBERED = 10_000  # cursors
NONCE, NUMBER, SEAL = 8, 8, 12  # bytes of a cursor


class BadCursor(ValueError):
    """A cursor of another outlet, or of this one as it was offered before: all of it is to be read anew."""


@dataclass(frozen=True)
class ShownChanges:
    """Rows as they are shown now, the names of those that are not shown any more, and where to go on from."""

    changed: list[ShownRow]
    gone: list[str]
    cursor: str


@dataclass(frozen=True)
class ShownEdit:
    """What was done to a row as an outlet shows it; `edit` names it when it is to be taken back."""

    edit: str
    at: str
    account: str
    before: ShownRow | None
    after: ShownRow | None


def changes_since(shown: OutletRows, cursor: str, looked_at: dict[str, int]) -> ShownChanges:
    """Return what changed since a cursor, none of it for "", which asks where to begin. `looked_at` has up to which
    edit nothing had changed for a cursor, and is written into. Raises BadCursor."""
    if not cursor:
        return ShownChanges([], [], _sealed(shown, shown.rows.last_edit))
    number = max(_number_in(shown, cursor), looked_at.get(cursor, 0))
    while edits := shown.rows.edits(after=number, limit=AT_ONCE):
        before: dict[str, PostedRow | None] = {}
        for edit in edits:
            before.setdefault(edit.row, edit.before)
        was = shown.as_shown([row for row in before.values() if row is not None])
        now = {name: shown.row(name) for name in before}
        number = edits[-1].number
        changed = [row for name, row in now.items() if row is not None and row != was.get(name)]
        gone = [name for name in was if now[name] is None]
        if changed or gone:
            return ShownChanges(changed, gone, _sealed(shown, number))
        if len(looked_at) >= MOST_REMEMBERED:
            looked_at.clear()
        looked_at[cursor] = number
    return ShownChanges([], [], cursor)


def edits_of(shown: OutletRows, row: str) -> list[ShownEdit]:
    """Return what was done to a row as it is shown; edits of what is not shown are left out."""
    found = []
    for edit in shown.rows.edits(row):
        was, now = (shown.as_shown([each]).get(row) if each is not None else None for each in (edit.before, edit.after))
        if was != now:
            found.append(ShownEdit(_sealed(shown, edit.number), edit.at, edit.account, was, now))
    return found


def edit_number(shown: OutletRows, edit: str) -> int:
    """Return the number of an edit by what names it. Raises BadCursor."""
    return _number_in(shown, edit)


def _sealed(shown: OutletRows, number: int) -> str:
    key, nonce = key_of(shown), secrets.token_bytes(NONCE)
    mask = hmac.digest(key, b"mask" + nonce, "sha256")[:NUMBER]
    hidden = bytes(a ^ b for a, b in zip(number.to_bytes(NUMBER), mask))
    return (nonce + hidden + hmac.digest(key, b"seal" + nonce + hidden, "sha256")[:SEAL]).hex()


def _number_in(shown: OutletRows, cursor: str) -> int:
    try:
        whole = bytes.fromhex(cursor)
    except ValueError:
        whole = b""
    nonce, hidden, seal = whole[:NONCE], whole[NONCE : NONCE + NUMBER], whole[NONCE + NUMBER :]
    key = key_of(shown)
    if not hmac.compare_digest(hmac.digest(key, b"seal" + nonce + hidden, "sha256")[:SEAL], seal):
        raise BadCursor("this is no cursor of what is offered now")
    mask = hmac.digest(key, b"mask" + nonce, "sha256")[:NUMBER]
    return int.from_bytes(bytes(a ^ b for a, b in zip(hidden, mask)))


def key_of(shown: OutletRows) -> bytes:
    """Return the key of an outlet as it is offered now."""
    outlet = shown.outlet
    what = (outlet.id, outlet.posting, outlet.fields, outlet.where, outlet.area, outlet.blur)
    return hmac.digest(shown.rows.store.key, hashlib.sha256(repr(what).encode()).digest(), "sha256")
