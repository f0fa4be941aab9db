"""The sections of a record, each with how complete it is under the chosen standard."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPen
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from brisk_atlas.core.model.language import tr, trn

from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.record import Finding
    from brisk_atlas.core.record.checks import Completeness

ROW_PX, BAR_PX = 40, 46
_SAID, _ASKED, _FAULTS, _COUNT = (Qt.ItemDataRole.UserRole + i for i in range(1, 5))


class _RowPainter(QStyledItemDelegate):
    """Draws a section: its name, a bar of what is filled in of what is asked, the number of faults."""

    def __init__(self, outline: Outline) -> None:
        super().__init__(outline)
        self.outline = outline

    def sizeHint(self, option: QStyleOptionViewItem, index: object) -> QSize:
        return QSize(160, ROW_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        assert painter is not None
        t, box = self.outline.theme, QRectF(option.rect)
        if option.state & QStyle.StateFlag.State_Selected:
            t = t.on_wash
            painter.fillRect(box, QColor(t.wash))
        data = index.data  # type: ignore[attr-defined]
        stated, asked, faults, count = (data(role) or 0 for role in (_SAID, _ASKED, _FAULTS, _COUNT))
        painter.setPen(QColor(t.ink if count or asked else t.quiet))
        painter.drawText(
            box.adjusted(10, 4, -10, -18), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, data(0)
        )
        small = painter.font()
        small.setPixelSize(11)
        painter.save()
        painter.setFont(small)
        words = (
            tr("{number} of {count}", number=stated, count=asked)
            if asked
            else (tr("filled in") if count else tr("empty"))
        )
        if faults:
            words += trn(" · {count} fault", " · {count} faults", faults)
        painter.setPen(QColor(t.fault if faults else t.quiet))
        left = 10 + (BAR_PX + 8 if asked else 0)
        painter.drawText(
            box.adjusted(left, 20, -6, -2), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, words
        )
        painter.restore()
        if asked:
            bar = QRectF(box.left() + 10, box.top() + 27, BAR_PX, 5)
            painter.fillRect(bar, QColor(t.rule))
            bar.setWidth(BAR_PX * stated / asked)
            painter.fillRect(bar, QColor(t.good if stated == asked else t.caution if not faults else t.fault))
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())


class Outline(QListWidget):
    """Sections in the order of the model.

    Signals:
        section_chosen(str): the section to go to.
    """

    section_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("record outline")
        self.setAccessibleName(tr("Sections of the record"))
        self.theme: Theme = LIGHT
        self.setItemDelegate(_RowPainter(self))
        self.itemSelectionChanged.connect(self._chosen)
        self.itemClicked.connect(lambda item: self.section_chosen.emit(item.text()))

    def show_sections(
        self, names: Sequence[str], full: Completeness | None, findings: Sequence[Finding], counts: dict[str, int]
    ) -> None:
        """Show sections with `counts` of what each says."""
        from brisk_atlas.core.record.checks import section_of

        shares = {name: (stated, asked) for name, stated, asked in full.sections} if full else {}
        faults: dict[str, int] = {}
        for finding in findings:
            if finding.severity == "fault" and finding.place:
                section = section_of(str(finding.place[0]))
                faults[section] = faults.get(section, 0) + 1
        before = self.chosen
        self.blockSignals(True)
        self.clear()
        for name in names:
            item = QListWidgetItem(name)
            stated, asked = shares.get(name, (0, 0))
            item.setData(_SAID, stated)
            item.setData(_ASKED, asked)
            item.setData(_FAULTS, faults.get(name, 0))
            item.setData(_COUNT, counts.get(name, 0))
            state = (
                tr("{stated} of {asked} filled in", stated=stated, asked=asked)
                if asked
                else tr("filled in")
                if counts.get(name)
                else tr("empty")
            )
            item.setData(
                Qt.ItemDataRole.AccessibleTextRole,
                tr("{name}, {state}, {get} faults", name=name, state=state, get=faults.get(name, 0)),
            )
            self.addItem(item)
            if name == before:
                item.setSelected(True)
                self.setCurrentItem(item)
        self.blockSignals(False)

    @property
    def chosen(self) -> str:
        items = self.selectedItems()
        return items[0].text() if items else ""

    def mark(self, name: str) -> None:
        """Show where the reading is, without going there."""
        for i in range(self.count()):
            item = self.item(i)
            if item is not None and item.text() == name:
                self.blockSignals(True)
                self.setCurrentItem(item)
                self.blockSignals(False)

    def _chosen(self) -> None:
        if self.chosen and self.hasFocus():
            self.section_chosen.emit(self.chosen)
