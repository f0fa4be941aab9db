"""What may be done with an outlet, and who asks."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from brisk_atlas.core.model.language import tr, untranslated

EVERYBODY = "everybody"  # the circle of all, with or without an account
LOCAL = "local"  # the account of who works on the store itself


class Right(StrEnum):
    READ = "read"
    ADD = "add"
    CHANGE = "change"
    DELETE = "delete"


ALL_RIGHTS = frozenset(Right)
_WORDS = {
    Right.READ: untranslated("read"), Right.ADD: untranslated("add"), Right.CHANGE: untranslated("change"),
    Right.DELETE: untranslated("delete"),
}  # fmt: skip


def right_words(right: Right) -> str:
    """Return what a right is called."""
    return tr(_WORDS[right])


def circle_words(circle: str) -> str:
    """Return what a circle is called: all but that of everybody have names of their own."""
    return tr("everybody") if circle == EVERYBODY else circle


@dataclass(frozen=True)
class Identity:
    """Who asks: an account ("" for nobody in particular), the circles that it belongs to, and what its token was made
    for. Owners of the Depot have all rights with every outlet."""

    account: str = ""
    circles: frozenset[str] = frozenset()
    scope: frozenset[Right] = ALL_RIGHTS
    is_owner: bool = False


ANYONE = Identity()
