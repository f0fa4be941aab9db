"""A histogram to read: bars, and the value under the pointer."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QMouseEvent

from brisk_atlas.core.model.language import tr

from ..chart import Chart
from ..picture_painter import picture_painter
from ..plain_text import plain_tip
from ..theme import LIGHT, Theme, mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.inspect import StatisticsSummary

HEIGHT_PX, FOOT_PX = 110, 16
LEFT = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
RIGHT = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter


class Bars(Chart):
    """Shows the histogram of a Summary."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bars")
        self.setAccessibleName(tr("Histogram"))
        self.setFixedHeight(HEIGHT_PX)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.theme: Theme = LIGHT
        self.summary: StatisticsSummary | None = None
        self.unit = self.name = ""
        self.years = False

    @property
    def title_words(self) -> str:
        return tr("Histogram of {name}", name=self.name) if self.summary is not None else ""

    def sizeHint(self) -> QSize:
        return QSize(240, HEIGHT_PX)

    def show_summary(self, summary: StatisticsSummary | None, unit: str, name: str, *, years: bool = False) -> None:
        """Show a summary of what has a name; `years` are written without separators."""
        self.summary, self.unit, self.name, self.years = summary, unit, name, years
        self.setVisible(summary is not None)
        self.update()

    def _text(self, value: float) -> str:
        from brisk_atlas.core.model import number_text

        return number_text(float(f"{value:.5g}"), in_groups=not self.years)

    def paintEvent(self, event: object) -> None:
        if self.summary is None:
            return
        painter = picture_painter(self)
        counts, edges = self.summary.counts, self.summary.edges
        tall = self.height() - FOOT_PX - 2
        wide = self.width() / len(counts)
        for i, count in enumerate(counts.tolist()):
            height = max(1.0 if count else 0.0, tall * count / max(1, counts.max()))
            painter.fillRect(QRectF(i * wide, tall - height, max(1.0, wide - 1), height), QColor(self.theme.second))
        painter.setPen(QColor(self.theme.rule))
        painter.drawLine(0, tall, self.width(), tall)
        painter.setFont(mono_font(11))
        painter.setPen(QColor(self.theme.quiet))
        foot = QRectF(0, tall, self.width(), FOOT_PX + 2).adjusted(3, 0, -3, 0)
        painter.drawText(foot, LEFT, self._text(edges[0]))
        painter.drawText(foot, RIGHT, f"{self._text(edges[-1])} {self.unit}".strip())
        if self.hasFocus() and not self.is_captured:
            painter.setPen(QColor(self.theme.accent))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if self.summary is None or event is None:
            return
        counts, edges = self.summary.counts, self.summary.edges
        i = min(max(int(event.position().x() / self.width() * len(counts)), 0), len(counts) - 1)
        low, high = map(self._text, (edges[i], edges[i + 1]))
        self.setToolTip(
            plain_tip(tr("{low} to {high} {unit}: {counts:,}", low=low, high=high, unit=self.unit, counts=counts[i]))
        )
