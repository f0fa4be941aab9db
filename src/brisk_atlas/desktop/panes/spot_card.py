"""A small card beside the place that was probed, for quick reading while the drawers are closed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel

if TYPE_CHECKING:
    from collections.abc import Collection

    from brisk_atlas.core.inspect import ProbeResult

MOST_LINES = 6
AWAY_PX = 16  # from the place
WIDEST_PX = 330


class SpotCard(QFrame):
    """One line a layer: its name, and what it has there in short.

    Signals:
        more_wanted(): all of it is to be shown.
    """

    more_wanted = pyqtSignal()

    def __init__(self, over: QWidget) -> None:
        super().__init__(over)
        self.setObjectName("spotCard")
        self.lines = QGridLayout()
        self.lines.setHorizontalSpacing(12)
        self.lines.setVerticalSpacing(2)
        self.more = QPushButton(tr("All of it"))
        self.more.setToolTip(tr("Open the Probe drawer  (P)"))
        self.more.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.more.clicked.connect(self.more_wanted)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.addLayout(self.lines)
        column.addWidget(self.more, 0, Qt.AlignmentFlag.AlignLeft)
        self.hide()

    def show_results(self, found: list[ProbeResult], pinned: Collection[str], at: QPoint) -> None:
        """Show what layers have at a place of the widget below."""
        while (item := self.lines.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        for row, each in enumerate(found[:MOST_LINES]):
            for column, text in enumerate((each.title, each.headline(pinned))):
                label = PlainLabel()
                label.setText(label.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, WIDEST_PX // 2))
                label.setObjectName("quiet" if column == 0 else "")
                self.lines.addWidget(label, row, column)
        if not found:
            self.lines.addWidget(PlainLabel(tr("Nothing here")), 0, 0)
        more = len(found) - MOST_LINES
        self.more.setText(tr("All of it, and {more} more layers", more=more) if more > 0 else tr("All of it"))
        self.more.setVisible(bool(found))
        self.adjustSize()
        self._stand_beside(at)
        self.show()
        self.raise_()

    def _stand_beside(self, at: QPoint) -> None:
        """Stand right of and below the place, or on the other side where there is no room."""
        over = self.parentWidget()
        assert over is not None
        x = at.x() + AWAY_PX if at.x() + AWAY_PX + self.width() < over.width() else at.x() - AWAY_PX - self.width()
        y = at.y() + AWAY_PX if at.y() + AWAY_PX + self.height() < over.height() else at.y() - AWAY_PX - self.height()
        self.move(max(4, x), max(4, y))

    def texts(self) -> list[tuple[str, str]]:
        """Return the lines as (layer, text)."""
        found = []
        for row in range(self.lines.rowCount()):
            cells = [self.lines.itemAtPosition(row, column) for column in (0, 1)]
            labels = [cell.widget() for cell in cells if cell is not None]
            if len(labels) == 2:
                found.append((labels[0].text(), labels[1].text()))  # type: ignore[union-attr]
        return found
