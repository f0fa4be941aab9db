"""Asks how large a picture of the relief is to be, and where it is to be written."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

LARGEST = 8192
SUFFIXES = (".png", ".gif")


class ReliefPictureForm(QDialog):
    """Width and height go together, as the picture shows what the pane shows.

    Signals:
        wanted(object, int, int): the path to write, and the width and height in pixels.
    """

    wanted = pyqtSignal(object, int, int)

    def __init__(self, size: tuple[int, int], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Picture of the relief")
        self._share = size[1] / size[0]
        self.width_, self.height_ = QSpinBox(), QSpinBox()
        for box, name, value in ((self.width_, "width", 2 * size[0]), (self.height_, "height", 2 * size[1])):
            box.setObjectName(f"picture {name}")
            box.setRange(16, LARGEST)
            box.setSuffix(" px")
            box.setGroupSeparatorShown(True)
            box.setValue(value)
        self.path = QLineEdit(str(Path.home() / "relief.png"))
        self.path.setObjectName("picture path")
        self.path.setToolTip(".png for a picture, .gif for a whole turn about the middle")
        browse = QPushButton("Choose…")
        where = QHBoxLayout()
        where.addWidget(self.path, 1)
        where.addWidget(browse)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        form = QFormLayout(self)
        form.addRow("Width", self.width_)
        form.addRow("Height", self.height_)
        form.addRow("File", where)
        form.addRow(buttons)
        self.resize(460, self.sizeHint().height())
        self.width_.valueChanged.connect(lambda value: self._follow(self.height_, value * self._share))
        self.height_.valueChanged.connect(lambda value: self._follow(self.width_, value / self._share))
        browse.clicked.connect(self._browse)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)

    def _follow(self, box: QSpinBox, value: float) -> None:
        box.blockSignals(True)
        box.setValue(round(value))
        box.blockSignals(False)

    def _browse(self) -> None:
        chosen, kind = QFileDialog.getSaveFileName(
            self, "Picture of the relief", self.path.text(), "Pictures (*.png);;A whole turn (*.gif)"
        )
        if chosen:
            bare = Path(chosen).suffix.lower() not in SUFFIXES
            self.path.setText(chosen + (".gif" if "gif" in kind else ".png") if bare else chosen)

    def _accept(self) -> None:
        path = Path(self.path.text().strip()).expanduser()
        path = path if path.suffix.lower() in SUFFIXES else path.with_name(path.name + ".png")
        self.wanted.emit(path, self.width_.value(), self.height_.value())
        self.accept()
