"""What is compared with what, and in which way it is looked at. A value; `Work` holds it as a step of undo."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from enum import StrEnum
from typing import TYPE_CHECKING, NamedTuple

from brisk_atlas.core.model.language import tr

from .groups import Group, layers_in

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer

SIDE_NAMES = "ABCD"  # what the sides are called; the map and three panes beside it are as many as fit a window


class Way(StrEnum):
    """How the sides are looked at."""

    CURTAIN = "curtain"
    BLINK = "blink"
    TWIN = "twin"
    CHANGE = "change"

    @property
    def words(self) -> str:
        """What it is called in a sentence."""
        return {
            Way.CURTAIN: tr("curtain"),
            Way.BLINK: tr("blinking"),
            Way.TWIN: tr("twin panes"),
            Way.CHANGE: tr("the computed change"),
        }[self]


class Divide(StrEnum):
    """What separates A from B on the curtain: an edge that stands upright or lies level, or a round glass."""

    UPRIGHT = "upright"
    LEVEL = "level"
    GLASS = "glass"


class Comparison(NamedTuple):
    """Ids of the layers of each side: A, B, and those of further panes of a twin. A layer of no side is on all."""

    sides: tuple[tuple[str, ...], ...]
    way: Way = Way.CURTAIN
    divide: Divide = Divide.UPRIGHT

    @property
    def side_a(self) -> tuple[str, ...]:
        """The layers of side A."""
        return self.sides[0]

    @property
    def side_b(self) -> tuple[str, ...]:
        """The layers of side B."""
        return self.sides[1]

    def side_of(self, layer_id: str) -> int | None:
        """Return the number of the side that a layer is on, None for one that is on all."""
        return next((number for number, ids in enumerate(self.sides) if layer_id in ids), None)

    def hidden_on(self, number: int) -> tuple[str, ...]:
        """Return the layers that one side does not show: those of the others."""
        own = set(self.sides[number])
        return tuple(each for ids in self.sides for each in ids if each not in own)

    def with_side(self, number: int, ids: tuple[str, ...]) -> Comparison:
        """Return it with other layers on a side; the number after the last side adds one."""
        return self._replace(sides=(*self.sides[:number], ids, *self.sides[number + 1 :]))

    def with_layer_on(self, layer_id: str, number: int | None) -> Comparison:
        """Return it with a layer on one side alone, or on all."""
        sides = [tuple(i for i in ids if i != layer_id) for ids in self.sides]
        if number is not None:
            sides[number] = (*sides[number], layer_id)
        return self._replace(sides=tuple(sides))

    def without(self, ids: Collection[str]) -> Comparison | None:
        """Return what is left of it when layers are closed; None where that leaves A or B with nothing."""
        sides = [tuple(i for i in side if i not in ids) for side in self.sides]
        if any(before and not after for before, after in zip(self.sides[:2], sides)):
            return None
        further = [after for before, after in zip(self.sides[2:], sides[2:]) if after or not before]
        return self._replace(sides=(*sides[:2], *further))


def side_title(ids: tuple[str, ...], layers: Sequence[Layer], groups: Sequence[Group]) -> str:
    """Return what a side is called: its layer, the group whose layers it has, or how many layers it has."""
    names = [layer.name for layer in layers if layer.id in ids]
    if len(names) == 1:
        return names[0]
    group = next((g for g in groups if {layer.id for layer in layers_in(layers, groups, g.id)} == set(ids)), None)
    return group.name if group is not None and ids else f"{len(names)} layers"
