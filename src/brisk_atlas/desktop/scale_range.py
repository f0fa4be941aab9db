"""The scales between which something is drawn, as two boxes."""

from __future__ import annotations

import re
from math import inf, isfinite

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QComboBox

from brisk_atlas.core.model.digit_groups import grouped, typed_number
from brisk_atlas.core.model.language import tr

from .status_line import SCALES

ANY = tr("any")
_RATIO = re.compile(r"(?:1 ?: ?)?([\d., '\u2019\u202f]+?)(?: {2}.*)?")


class ScaleRange(QObject):
    """Two boxes for numbers below one, the closest and the farthest; `any` sets no limit.

    Signals:
        changed(): another text stands in one of them.
        ended(): a scale was chosen from a list or its typing has ended.
    """

    changed = pyqtSignal()
    ended = pyqtSignal()

    def __init__(self, parent: QObject, now: float | None) -> None:
        super().__init__(parent)
        self.closest, self.farthest = self._box(now), self._box(now)

    def _box(self, now: float | None) -> QComboBox:
        box = QComboBox()
        box.setEditable(True)
        box.setMinimumContentsLength(8)
        box.addItem(ANY)
        if now is not None:
            box.addItem(tr("1:{float:,.0f}   as now", float=float(f"{now:.3g}")))
        box.addItems([f"1:{grouped(ratio)}" for ratio in SCALES])
        box.currentTextChanged.connect(lambda text: self.changed.emit())
        box.activated.connect(lambda i: self.ended.emit())
        line = box.lineEdit()
        assert line is not None
        line.editingFinished.connect(self.ended)
        return box

    def show_scales(self, scales: tuple[float, float] | None) -> None:
        """Show a range; None for all scales."""
        for box, chosen in zip((self.closest, self.farthest), scales or (None, None)):
            box.setCurrentText(f"1:{grouped(chosen, ',.0f')}" if chosen and isfinite(chosen) else ANY)

    @property
    def scales(self) -> tuple[float, float] | None:
        """What is chosen, None for all scales. Raises ValueError with a sentence for what is no range."""
        closest, farthest = _number(self.closest), _number(self.farthest)
        if closest is not None and farthest is not None and closest > farthest:
            raise ValueError(
                tr(
                    "1:{closest:,.0f} is further out than 1:{farthest:,.0f}, so that it would never be drawn.",
                    closest=closest,
                    farthest=farthest,
                )
            )
        return None if closest is None and farthest is None else (closest or 0.0, farthest or inf)


def _number(box: QComboBox) -> float | None:
    text = box.currentText().strip()
    if text in (ANY, ""):
        return None
    ratio = _RATIO.fullmatch(text)  # behind it may stand that it is the scale as now
    try:
        number = float(typed_number(ratio[1])) if ratio else 0.0
    except ValueError:
        number = 0.0
    if not number > 0:
        raise ValueError(tr("A scale is written as 1:25,000."))
    return number
