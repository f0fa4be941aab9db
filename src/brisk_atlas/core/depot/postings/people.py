"""Accounts, circles, tokens and invitations of a Depot, and an audit log of what is done with them."""

from __future__ import annotations

import hashlib
import itertools
import re
import secrets
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from brisk_atlas.core.model.language import tr

from .posting import time_text
from .rights import ALL_RIGHTS, ANYONE, EVERYBODY, Identity, Right
from .store_database import StoreConnection, StoreDatabase

NAME = re.compile(r"[\w.@+-]{1,80}")
NOT_IN_NAMES, LONGEST_NAME = re.compile(r"[^\w.@+-]"), 70
NO_PASSWORD = "none"  # as no password is stored
SHORTEST_PASSWORD = 10
SECRET_BYTES = 32
FREE_TRIES = 5  # wrong passwords before an account is shut for a while
SHUT_S, LONGEST_SHUT_S = 2.0, 900.0  # after the first one more; twice as long after each further one
INVITED_FOR, SESSION_FOR = timedelta(days=7), timedelta(hours=12)
CHECKED_AT_ONCE = 3  # passwords, each of which takes some 64 MB


class BadAccount(ValueError):
    """A name, a password or a circle that can't be, with the reason."""


class WrongSecret(PermissionError):
    """A password, token or invitation that is not right, or of an account that is shut for now."""


@dataclass(frozen=True)
class AuditEntry:
    """What was done: when (UTC), by which account, the deed and what about."""

    at: str
    account: str
    deed: str
    about: str


@dataclass(frozen=True)
class TokenAbout:
    """A token as it is listed, without its secret: what it may do, and until when (UTC)."""

    label: str
    scope: frozenset[Right]
    until: str


def digest_of(secret: str) -> str:
    """Return what is stored of a secret that is too long to be guessed."""
    return hashlib.sha256(secret.encode()).hexdigest()


class People:
    """Who has accounts, and in which circles. Raises BadAccount, WrongSecret."""

    def __init__(self, store: StoreDatabase, hasher: PasswordHasher | None = None) -> None:
        self.store = store
        self._hasher = hasher or PasswordHasher()
        self._turns = threading.BoundedSemaphore(CHECKED_AT_ONCE)

    @cached_property
    def _nobodys(self) -> str:
        """A stored password that no account has, compared where there is no account, so that this takes as long."""
        return self._hasher.hash(secrets.token_hex(SECRET_BYTES))

    # Accounts

    def is_new(self) -> bool:
        """Return whether there is no owner yet."""
        return self.store.reading.execute("SELECT 1 FROM account WHERE is_owner = 1 LIMIT 1").fetchone() is None

    def invite(self, circles: Iterable[str] = (), *, by: str, owner: bool = False) -> str:
        """Return a secret by which one account can be made within a week."""
        names = [self._circle(each) for each in circles]
        secret = secrets.token_urlsafe(SECRET_BYTES)
        until = time_text(datetime.now(UTC) + INVITED_FOR)
        with self.store.changing() as database:
            database.execute(
                "INSERT INTO invitation VALUES (?, ?, ?, ?)", [digest_of(secret), int(owner), "\n".join(names), until]
            )
            self.note_in(database, by, "invite", "an owner" if owner else ", ".join(names) or "an account")
        return secret

    def join(self, secret: str, name: str, password: str) -> Identity:
        """Make the account that an invitation is for, which is used up by that."""
        if not NAME.fullmatch(name):
            raise BadAccount(tr("a name has letters, digits and . @ + - _ alone"))
        if len(password) < SHORTEST_PASSWORD:
            raise BadAccount(tr("a password has {count} characters or more", count=SHORTEST_PASSWORD))
        stored = self._hasher.hash(password)
        with self.store.changing() as database:
            self._take_up(database, secret, name, stored)
        return self.identity(name)

    def _take_up(self, database: StoreConnection, secret: str, name: str, stored: str) -> None:
        """Make the account that an invitation is for, with a password as it is stored."""
        found = database.execute(
            "DELETE FROM invitation WHERE digest = ? AND until > ? RETURNING is_owner, circles",
            [digest_of(secret), time_text(datetime.now(UTC))],
        ).fetchone()
        if found is None:
            raise WrongSecret(tr("the invitation is not known, or was used"))
        if self._is_taken(database, name):
            raise BadAccount(tr("this name is taken"))
        database.execute("INSERT INTO account (name, password, is_owner) VALUES (?, ?, ?)", [name, stored, found[0]])
        for circle in filter(None, found[1].split("\n")):
            database.execute("INSERT INTO member VALUES (?, ?)", [circle, name])
        self.note_in(database, name, "join", found[1].replace("\n", ", "))

    @staticmethod
    def _is_taken(database: StoreConnection, name: str) -> bool:
        return database.execute("SELECT 1 FROM account WHERE name = ?", [name]).fetchone() is not None

    def join_by_openid(self, secret: str, issuer: str, subject: str, wanted: str) -> Identity:
        """Make the account that an invitation is for, of somebody whom a provider knows. It has no password, and is
        called as `wanted`, or with a number behind it where that name is taken."""
        plain = NOT_IN_NAMES.sub("_", wanted)[:LONGEST_NAME] or "colleague"
        with self.store.changing() as database:
            names = itertools.chain([plain], (f"{plain}{number}" for number in itertools.count(2)))
            name = next(each for each in names if not self._is_taken(database, each))
            self._take_up(database, secret, name, NO_PASSWORD)
            database.execute("INSERT INTO openid VALUES (?, ?, ?)", [issuer, subject, name])
        return self.identity(name)

    def by_openid(self, issuer: str, subject: str) -> Identity:
        """Return who somebody is whom a provider knows; anyone for a person without an account."""
        asked = "SELECT account FROM openid WHERE issuer = ? AND subject = ?"
        found = self.store.reading.execute(asked, [issuer, subject]).fetchone()
        return self.identity(found[0]) if found is not None else ANYONE

    def put_into(self, circle: str, account: str, *, by: str) -> None:
        """Make an account a member of a circle."""
        with self.store.changing() as database:
            if not database.execute("SELECT 1 FROM account WHERE name = ?", [account]).fetchone():
                raise BadAccount(tr("there is no account {name}", name=account))
            database.execute("INSERT INTO member VALUES (?, ?) ON CONFLICT DO NOTHING", [self._circle(circle), account])
            self.note_in(database, by, "add member", f"{account} to {circle}")

    def take_out_of(self, circle: str, account: str, *, by: str) -> None:
        """Make an account no member of a circle any more."""
        with self.store.changing() as database:
            database.execute("DELETE FROM member WHERE circle = ? AND account = ?", [circle, account])
            self.note_in(database, by, "remove member", f"{account} from {circle}")

    def circles(self) -> dict[str, list[str]]:
        """Return the circles that have members or are invited to, and their accounts."""
        found: dict[str, list[str]] = {}
        for circle, account in self.store.reading.execute("SELECT circle, account FROM member ORDER BY 1, 2"):
            found.setdefault(circle, []).append(account)
        for (names,) in self.store.reading.execute("SELECT circles FROM invitation"):
            for circle in filter(None, names.split("\n")):
                found.setdefault(circle, [])
        return found

    @staticmethod
    def _circle(name: str) -> str:
        if not NAME.fullmatch(name) or name == EVERYBODY:
            raise BadAccount(tr("a circle can't be called “{name}”", name=name[:80]))
        return name

    # Who asks

    def identity(self, account: str, scope: frozenset[Right] = ALL_RIGHTS) -> Identity:
        """Return who an account is; nobody in particular for one that there is not."""
        found = self.store.reading.execute("SELECT is_owner FROM account WHERE name = ?", [account]).fetchone()
        if found is None:
            return ANYONE
        circles = self.store.reading.execute("SELECT circle FROM member WHERE account = ?", [account])
        return Identity(account, frozenset(circle for (circle,) in circles), scope, bool(found[0]))

    def by_password(self, account: str, password: str) -> Identity:
        """Return who an account and its password are. After some wrong ones the account is shut, longer each time."""
        now = datetime.now(UTC)
        found = self.store.reading.execute(
            "SELECT password, failures, shut_until FROM account WHERE name = ?", [account]
        ).fetchone()  # fmt: skip
        stored, failures, shut = found or (self._nobodys, 0, "")
        if shut > time_text(now):
            raise WrongSecret(tr("the account is shut for a while after wrong passwords"))
        try:
            with self._turns:
                self._hasher.verify(stored, password)
            right = found is not None
        except (VerificationError, InvalidHashError):
            right = False
        if right and failures == 0:
            return self.identity(account)
        with self.store.changing() as database:
            if right:
                database.execute("UPDATE account SET failures = 0, shut_until = '' WHERE name = ?", [account])
            else:
                wait = min(LONGEST_SHUT_S, SHUT_S * 2.0 ** max(0, failures + 1 - FREE_TRIES))
                until = time_text(now + timedelta(seconds=wait)) if failures + 1 >= FREE_TRIES else ""
                database.execute(
                    "UPDATE account SET failures = failures + 1, shut_until = ? WHERE name = ?", [until, account]
                )
                self.note_in(database, account if found else "", "wrong password", "")
        if not right:
            raise WrongSecret(tr("the name or the password is not right"))
        return self.identity(account)

    def make_token(self, account: str, label: str, scope: frozenset[Right], until: datetime) -> str:
        """Return a token for scripts, which has no more rights than its account and its scope."""
        secret = secrets.token_urlsafe(SECRET_BYTES)
        with self.store.changing() as database:
            if not database.execute("SELECT 1 FROM account WHERE name = ?", [account]).fetchone():
                raise BadAccount(tr("there is no account {name}", name=account))
            stated = [digest_of(secret), account, label, " ".join(sorted(scope)), time_text(until)]
            database.execute("INSERT INTO token VALUES (?, ?, ?, ?, ?)", stated)
            self.note_in(database, account, "make token", label)
        return secret

    def drop_tokens(self, account: str, label: str) -> None:
        """Make the tokens of a label worth nothing."""
        with self.store.changing() as database:
            database.execute("DELETE FROM token WHERE account = ? AND label = ?", [account, label])
            self.note_in(database, account, "drop token", label)

    def by_token(self, secret: str) -> Identity:
        """Return who a token is of."""
        found = self.store.reading.execute(
            "SELECT account, scope FROM token WHERE digest = ? AND until > ?",
            [digest_of(secret), time_text(datetime.now(UTC))],
        ).fetchone()
        if found is None:
            raise WrongSecret(tr("the token is not known, or has run out"))
        return self.identity(found[0], frozenset(Right(each) for each in found[1].split()))

    def tokens(self, account: str) -> list[TokenAbout]:
        """Return the tokens of an account that are good still, by their labels."""
        found = self.store.reading.execute(
            "SELECT label, scope, until FROM token WHERE account = ? AND until > ? ORDER BY label",
            [account, time_text(datetime.now(UTC))],
        )
        return [TokenAbout(label, frozenset(map(Right, scope.split())), until) for label, scope, until in found]

    def begin_session(self, account: str) -> str:
        """Return the secret by which a browser of an account is known for some hours."""
        secret, now = secrets.token_urlsafe(SECRET_BYTES), datetime.now(UTC)
        with self.store.changing() as database:
            database.execute("DELETE FROM session WHERE until < ?", [time_text(now)])
            database.execute(
                "INSERT INTO session VALUES (?, ?, ?)", [digest_of(secret), account, time_text(now + SESSION_FOR)]
            )
            self.note_in(database, account, "sign in", "")
        return secret

    def by_session(self, secret: str) -> Identity:
        """Return who a browser is of, which may only read: what is changed needs a password or a token each time, so
        that no page elsewhere can have it done. Anyone for a session that has ended."""
        found = self.store.reading.execute(
            "SELECT account FROM session WHERE digest = ? AND until > ?",
            [digest_of(secret), time_text(datetime.now(UTC))],
        ).fetchone()
        return self.identity(found[0], frozenset({Right.READ})) if found is not None else ANYONE

    def end_session(self, secret: str) -> None:
        """Have a browser be known no longer."""
        with self.store.changing() as database:
            database.execute("DELETE FROM session WHERE digest = ?", [digest_of(secret)])

    # Audit

    def audit(self) -> list[AuditEntry]:
        """Return what was done, in its order."""
        found = self.store.reading.execute("SELECT at, account, deed, about FROM audit ORDER BY number")
        return [AuditEntry(*each) for each in found]

    @staticmethod
    def note_in(database: StoreConnection, account: str, deed: str, about: str) -> None:
        """Write something into the audit log, within a transaction of the store."""
        database.execute(
            "INSERT INTO audit (at, account, deed, about) VALUES (?, ?, ?, ?)",
            [time_text(datetime.now(UTC)), account, deed, about],
        )
