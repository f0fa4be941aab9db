"""What may be done with an outlet, and who asks."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

EVERYBODY = "everybody"  # the circle of all, with or without an account


class Right(StrEnum):
    READ = "read"
    ADD = "add"
    CHANGE = "change"
    DELETE = "delete"


ALL_RIGHTS = frozenset(Right)


@dataclass(frozen=True)
class Identity:
    """Who asks: an account ("" for nobody in particular), the circles that it belongs to, and what its token was made
    for. Owners of the Depot have all rights with every outlet."""

    account: str = ""
    circles: frozenset[str] = frozenset()
    scope: frozenset[Right] = ALL_RIGHTS
    is_owner: bool = False


ANYONE = Identity()
