"""The classes of a point cloud, each on or off."""

from __future__ import annotations

from typing import Any

from PyQt6 import sip
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from brisk_atlas.core.model import CloudStyle, DataRef, Layer
from brisk_atlas.core.model.cloud import POINT_CLASSES
from brisk_atlas.core.model.language import tr

from .style_rows import StyleRows


class ClassSwitches(QWidget):
    """A box to tick for each class that occurs, with how many points it has; they are counted in the background."""

    def __init__(self, rows: StyleRows) -> None:
        super().__init__()
        self._rows = rows
        self._ref: DataRef | None = None
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(2)
        self.boxes: dict[int, QCheckBox] = {}

    def show_layer(self, layer: Layer) -> None:
        """Show which classes of a layer are on."""
        if layer.ref != self._ref:
            self._ref = layer.ref
            self._count(layer)
        if isinstance(layer.style, CloudStyle):
            for code, box in self.boxes.items():
                box.blockSignals(True)
                box.setChecked(code not in layer.style.hidden)
                box.blockSignals(False)

    def _count(self, layer: Layer) -> None:
        cache = self._rows.session.cache

        def work(job: Any) -> dict[int, int]:
            import numpy as np

            from brisk_atlas.core.draw.cloud import AT_ONCE, CLASS

            points, _ = cache.points_so_far(layer.ref, AT_ONCE, (CLASS,))
            codes, counts = np.unique(points.dimensions[CLASS], return_counts=True)
            return dict(zip(codes.tolist(), counts.tolist()))

        def done(found: dict[int, int]) -> None:
            if not sip.isdeleted(self) and layer.ref == self._ref:
                self._build(found)
                now = self._rows.session.work.subject
                if now is not None:
                    self.show_layer(now)

        self._rows.session.run(tr("Counting classes"), work, done, shown=False)

    def _build(self, found: dict[int, int]) -> None:
        for code in found:
            box = QCheckBox(f"{code} {POINT_CLASSES.get(code, '')}".strip())
            box.setObjectName(f"class {code}")
            box.toggled.connect(lambda on, code=code: self._turn(code, on))
            self.boxes[code] = box
            self._column.addWidget(box)

    def _turn(self, code: int, on: bool) -> None:
        style = self._rows.style()
        if isinstance(style, CloudStyle):
            hidden = tuple(each for each in style.hidden if each != code)
            self._rows.change(tr("classes"), hidden=hidden if on else (*hidden, code))
