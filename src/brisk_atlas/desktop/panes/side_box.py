"""Chooses what stands on one side of a comparison: a layer or a group."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.comparison import SIDE_NAMES, side_title
from brisk_atlas.core.workspace.groups import layers_in

from ..session import Session

SHORTEST_CHARACTERS = 8


class SideBox(QComboBox):
    """The layers and groups of the stack; the layers of a side that are neither stand as one entry more.

    Signals:
        side_chosen(int, tuple): the number of the side, and the ids of the layers that were chosen for it.
    """

    side_chosen = pyqtSignal(int, tuple)

    def __init__(self, session: Session, number: int) -> None:
        super().__init__()
        self.session, self.number = session, number
        self.setObjectName(f"side {SIDE_NAMES[number]}")
        self.setAccessibleName(tr("Side {side_names}", side_names=SIDE_NAMES[number]))
        self.setToolTip(tr("The layer or group on side {side_names}", side_names=SIDE_NAMES[number]))
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.setMinimumContentsLength(SHORTEST_CHARACTERS)
        self.activated.connect(lambda at: self.side_chosen.emit(self.number, self.itemData(at)))

    def fill(self) -> None:
        """Show what can be chosen and what is."""
        work = self.session.work
        comparison = work.state.comparison
        if comparison is None or self.number >= len(comparison.sides):
            return
        now = comparison.sides[self.number]
        groups = [(group.name, tuple(la.id for la in layers_in(work.layers, work.state.groups, group.id)))
                  for group in work.state.groups]  # fmt: skip
        every = [*groups, *((layer.name, (layer.id,)) for layer in work.layers if layer.style is not None)]
        if all(set(ids) != set(now) for _, ids in every):
            every.insert(0, (side_title(now, work.layers, work.state.groups), now))
        self.blockSignals(True)
        self.clear()
        for name, ids in every:
            self.addItem(name, ids)
        self.setCurrentIndex(next(at for at, (_, ids) in enumerate(every) if set(ids) == set(now)))
        self.blockSignals(False)
