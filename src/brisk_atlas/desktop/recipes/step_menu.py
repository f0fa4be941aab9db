"""The steps that can be added, by what they are about."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QMenu

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataKind


def fill_step_menu(menu: QMenu, kind: DataKind | None, add: Callable[[str], None]) -> None:
    """Fill a menu with the steps that work on data of a kind, those that write last. `add` is told the word of one."""
    from brisk_atlas.core.handover.steps import STEPS

    menu.clear()
    groups: dict[str, QMenu] = {}
    for word, step in STEPS.items():
        if kind is not None and kind not in step.takes:
            continue
        group = groups.get(step.group)
        if group is None:
            made = menu.addMenu(step.group)
            assert made is not None
            group = groups[step.group] = made
        action = group.addAction(step.label)
        assert action is not None
        action.setToolTip(" ".join((step.__doc__ or "").split()).partition(". ")[0])
        action.triggered.connect(lambda checked=False, w=word: add(w))
