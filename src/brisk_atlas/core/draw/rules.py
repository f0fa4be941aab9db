"""What a style draws: all features in one look, or some of them by each of its rules."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import VectorStyle
from brisk_atlas.core.table import mask_of

from .view import View


class StylePart(NamedTuple):
    """A look, and the rows that it is for: (rows,) bool, None for all. `number` tells the parts of a style apart."""

    number: int
    style: VectorStyle
    rows: np.ndarray | None


def masks_of(table: pa.Table, style: VectorStyle, check: Callable[[], None] | None = None) -> tuple[np.ndarray, ...]:
    """Return (rows,) bool for each rule of a style, in their order: which rows it draws. Raises BadExpression."""
    if not table.num_rows:
        return (np.zeros(0, bool),) * len(style.rules)
    masks: list[np.ndarray | None] = []
    drawn = np.zeros(table.num_rows, bool)
    for rule in style.rules:
        if rule.otherwise:
            masks.append(None)
            continue
        mask = mask_of(table, rule.where, check) if rule.where.strip() else np.ones(table.num_rows, bool)
        masks.append(mask)
        drawn |= mask
    return tuple(~drawn if mask is None else mask for mask in masks)


def parts_of(style: VectorStyle, masks: tuple[np.ndarray, ...], view: View | None = None) -> list[StylePart]:
    """Return what a style draws, the lowest first: its rules that are on, and at the scale of a view if one is given.

    masks : what `masks_of` returns for the style
    """
    if not style.rules:
        return [StylePart(0, style, None)]
    return [
        StylePart(number, rule.style, mask)
        for number, (rule, mask) in enumerate(zip(style.rules, masks))
        if rule.name not in style.hidden and (view is None or view.shows_at(rule.scales))
    ]
