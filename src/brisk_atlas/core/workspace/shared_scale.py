"""Layers that share the ramp and the limits of their colours."""

from __future__ import annotations

from collections.abc import Collection
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer


def with_shared_scale(layers: tuple[Layer, ...], changed: Collection[str]) -> tuple[Layer, ...]:
    """Return layers in which those that share a scale with changed ones have the scale of these."""
    from dataclasses import replace

    scales = {la.scale_group: la.style for la in layers if la.id in changed and la.scale_group and la.style}
    if not scales:
        return layers
    made = []
    for layer in layers:
        style = scales.get(layer.scale_group or "")
        if style is None or layer.style is None or layer.id in changed:
            made.append(layer)
        else:
            made.append(replace(layer, style=replace(layer.style, ramp=style.ramp, stretch=style.stretch)))
    return tuple(made)
