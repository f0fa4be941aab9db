"""Go to: type a place in any usual notation; what it was understood as is said before going."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.place import Cells
    from brisk_atlas.core.place.typed import Understood

WIDTH_PX, HEIGHT_PX = 520, 210
EXAMPLES = (
    "38.2008 S 20.9006 W   ·   38°12′02.9″S 20°54′02.3″W   ·   27 south 508700 5771900   ·   27H WT 08700 71900   ·   "
    "508700 5771900   ·   EPSG:4326 -38.2008 -20.9006   ·   pixel 470, line 410"
)


class GoTo(QDialog):
    """A line to type into and what it can mean.

    Signals:
        chosen(float, float): a position in the map's CRS.
    """

    chosen = pyqtSignal(float, float)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.session = session
        self.setObjectName("go to")
        self.line = QLineEdit()
        self.line.setObjectName("go to line")
        self.line.setPlaceholderText("Go to…  a position in any usual notation")
        self.list = QListWidget()
        self.told = QLabel(EXAMPLES)
        self.told.setObjectName("quiet")
        self.told.setWordWrap(True)
        column = QVBoxLayout(self)
        column.addWidget(self.line)
        column.addWidget(self.list, 1)
        column.addWidget(self.told)
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.found: list[Understood] = []
        self.line.textChanged.connect(self._read)
        self.line.installEventFilter(self)
        self.list.itemActivated.connect(lambda item: self._go())
        self.list.itemClicked.connect(lambda item: self._go())

    def begin(self) -> None:
        self.line.clear()
        self._read("")
        parent = self.parentWidget()
        assert parent is not None
        corner = parent.mapToGlobal(parent.rect().topLeft())
        self.move(corner.x() + (parent.width() - self.width()) // 2, corner.y() + 60)
        self.show()
        self.line.setFocus()

    def _cells(self) -> Cells | None:
        """Return the lattice of the subject, if it is a grid."""
        from brisk_atlas.core.inspect import cells_of

        subject = self.session.work.subject
        if subject is None or subject.kind != "raster" or self.session.dataset_of(subject) is None:
            return None
        return cells_of(self.session.holdings.raster(subject.source))

    def _read(self, text: str) -> None:
        from brisk_atlas.core.place.typed import understand

        crs = self.session.work.state.crs
        self.list.clear()
        self.found = [u for u in understand(text, crs, self._cells()) if u.placed(crs) is not None]
        for meant in self.found:
            x, y = meant.placed(crs) or (0.0, 0.0)
            self.list.addItem(
                QListWidgetItem(
                    f"{meant.words}   →   {x:,.6g}, {y:,.6g}"
                    if abs(x) < 1e3
                    else f"{meant.words}   →   {x:,.1f}, {y:,.1f}"
                )
            )
        self.list.setCurrentRow(0)
        self.told.setText(
            "This means no place in a notation known here." if text.strip() and not self.found else EXAMPLES
        )

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._go()
                return True
        return super().eventFilter(watched, event)

    def _go(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self.found):
            place = self.found[row].placed(self.session.work.state.crs)
            if place is not None:
                self.hide()
                self.chosen.emit(*place)
