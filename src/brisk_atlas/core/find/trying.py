"""Finding out what an address is good for: whether it must be recognised first, and how it answers."""

from __future__ import annotations

from time import monotonic
from typing import NamedTuple

from brisk_atlas.core.connect import connector_for, is_listed
from brisk_atlas.core.connect.recognise import FILES
from brisk_atlas.core.model import DataRef, PlaceKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.passwords import password_of
from brisk_atlas.core.read import known_suffixes


class TryResult(NamedTuple):
    """How a place answered: after how many seconds, with how many things in it, and whether a login was needed."""

    seconds: float
    things: int
    noun: str
    login: bool

    @property
    def words(self) -> str:
        """The result as a line."""
        login = tr("with a login") if self.login else tr("no login")
        noun = self.noun if self.things != 1 else self.noun.removesuffix("s")
        return tr(
            "answers in {seconds:,.0f} ms, {things:,} {noun}, {login}",
            seconds=self.seconds * 1000,
            things=self.things,
            noun=noun,
            login=login,
        )


def must_be_recognised(ref: DataRef) -> bool:
    """Return whether it must be found out what lies at an address: it does not end like a file.

    >>> must_be_recognised(DataRef.parse("https://survey.tolvane.example/ows"))
    True
    """
    is_web = ref.place.startswith(("http://", "https://")) and not ref.protocol and not ref.inner
    return is_web and (ref.suffix not in known_suffixes() or ref.suffix in FILES or "{z}" in ref.place)


def tried(ref: DataRef) -> TryResult:
    """Return how a place answers now. Raises CannotRead."""
    began = monotonic()
    items = connector_for(ref).list(ref) if is_listed(ref) or ref.protocol else []
    seconds = monotonic() - began
    files = ref.kind is PlaceKind.ADDRESS
    user = ref.place.partition("://")[2].partition("/")[0].rpartition("@")[0]
    noun = "layers" if ref.protocol else tr("files and folders") if files else tr("schemas or tables")
    return TryResult(seconds, len(items), noun, bool(user) or password_of(ref.place) is not None)
