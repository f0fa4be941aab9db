"""Groups of layers in the stack: nested, in order, without gaps. Functions over values; `Work` holds the state."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer


class Group(NamedTuple):
    """A group of layers. `parent` is the group that it lies in; `opacity` multiplies that of its layers."""

    id: str
    name: str
    parent: str | None = None
    visible: bool = True
    opacity: float = 1.0
    folded: bool = False


class StackRow(NamedTuple):
    """A line of the stack: a layer or the head of a group, how deep it lies, and whether a folded group hides it."""

    id: str
    depth: int
    is_group: bool
    hidden: bool


def ancestors(groups: Sequence[Group], group_id: str | None) -> list[Group]:
    """Return a group and the groups that it lies in, the outermost first; none for None."""
    by_id = {group.id: group for group in groups}
    path: list[Group] = []
    while group_id in by_id and by_id[group_id] not in path:
        path.insert(0, by_id[group_id])
        group_id = by_id[group_id].parent
    return path


def layers_in(layers: Sequence[Layer], groups: Sequence[Group], group_id: str) -> list[Layer]:
    """Return the layers of a group and of the groups in it, the topmost first."""
    return [layer for layer in layers if any(g.id == group_id for g in ancestors(groups, layer.group))]


def gathered(layers: Sequence[Layer], groups: Sequence[Group]) -> tuple[tuple[Layer, ...], tuple[Group, ...]]:
    """Return layers with those of each group side by side, where its first one stands, and the groups that have any."""
    if not groups:
        return tuple(layers), ()
    first: dict[str, int] = {}
    paths = [[group.id for group in ancestors(groups, layer.group)] for layer in layers]
    for at, path in enumerate(paths):
        for group_id in path:
            first.setdefault(group_id, at)
    order = sorted(range(len(layers)), key=lambda at: [*(first[group_id] for group_id in paths[at]), at])
    return tuple(layers[at] for at in order), tuple(group for group in groups if group.id in first)


def rows_of(layers: Sequence[Layer], groups: Sequence[Group]) -> list[StackRow]:
    """Return the lines of the stack, top first: each group's head above what lies in it."""
    rows: list[StackRow] = []
    above: list[str] = []
    for layer in layers:
        path = ancestors(groups, layer.group)
        for depth, group in enumerate(path):
            if above[depth : depth + 1] != [group.id]:
                above = above[:depth]
                rows.append(StackRow(group.id, depth, True, any(outer.folded for outer in path[:depth])))
                above.append(group.id)
        above = above[: len(path)]
        rows.append(StackRow(layer.id, len(path), False, any(outer.folded for outer in path)))
    return rows


def moved(
    layers: Sequence[Layer], groups: Sequence[Group], ids: Collection[str], above: str | None, into: str | None
) -> tuple[tuple[Layer, ...], tuple[Group, ...]]:
    """Return the stack with some layers and groups moved to stand above another line, in a group (the stack itself for
    None); at the end of the group, or of the stack, where `above` is None."""
    from dataclasses import replace

    if into is not None and any(group.id in ids for group in ancestors(groups, into)):
        return tuple(layers), tuple(groups)  # a group can't lie in itself
    along = {layer.id for each in ids for layer in layers_in(layers, groups, each)} | set(ids)
    going = [replace(layer, group=into) if layer.id in ids else layer for layer in layers if layer.id in along]
    staying = [layer for layer in layers if layer.id not in along]
    parents = tuple(group._replace(parent=into) if group.id in ids else group for group in groups)
    at = len(staying)
    if above is not None and above in along:  # where the topmost of them stands
        first = next(i for i, layer in enumerate(layers) if layer.id in along)
        return gathered([*layers[:first], *going, *(la for la in layers[first:] if la.id not in along)], parents)
    for place, layer in enumerate(staying):
        within = [group.id for group in ancestors(groups, layer.group)]
        if above is not None and (layer.id == above or above in within):
            at = place
            break
        if above is None and into is not None and into in within:
            at = place + 1
    return gathered([*staying[:at], *going, *staying[at:]], parents)


def as_drawn(layer: Layer, groups: Sequence[Group]) -> Layer:
    """Return a layer as its groups show it: hidden by one that is, paler by theirs."""
    from dataclasses import replace

    visible, opacity = layer.visible, layer.opacity
    for group in ancestors(groups, layer.group):
        visible, opacity = visible and group.visible, opacity * group.opacity
    if (visible, opacity) == (layer.visible, layer.opacity):
        return layer
    return replace(layer, visible=visible, opacity=opacity)
