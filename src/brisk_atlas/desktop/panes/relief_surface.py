"""What is seen of the ground of a relief: what is draped over it, contour lines, water, and how much it hides."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDoubleSpinBox, QFormLayout, QFrame, QHBoxLayout, QSlider, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.surface_drape import DrapeKind

SURFACES = (
    (tr("the map"), DrapeKind.MAP), (tr("slope"), DrapeKind.SLOPE), (tr("aspect"), DrapeKind.ASPECT),
    (tr("bands of height"), DrapeKind.HEIGHTS),
)  # fmt: skip
MOST_CONTOUR_M = 5000.0
WIDTH_PX = 300


class ReliefSurface(QFrame):
    """A panel below its button.

    Signals:
        changed(): contour lines, water or opacity are others.
        surface_chosen(object): another DrapeKind is to be draped.
    """

    changed = pyqtSignal()
    surface_chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("columnMenu")
        self.surface = QComboBox()
        self.surface.setObjectName("relief surface")
        for words, value in SURFACES:
            self.surface.addItem(words, value)
        self.contours = QDoubleSpinBox()
        self.contours.setObjectName("relief contours")
        self.contours.setToolTip(
            tr("Lines of equal height, drawn on the ground as it is seen; every fifth is stronger")
        )
        self.contours.setRange(0.0, MOST_CONTOUR_M)
        self.contours.setSpecialValueText(tr("none"))
        self.contours.setDecimals(1)
        self.contours.setSingleStep(10.0)
        self.contours.setPrefix(tr("every "))
        self.contours.setSuffix(" m")
        self.contours.setKeyboardTracking(False)
        self.solid = QSlider(Qt.Orientation.Horizontal)
        self.solid.setObjectName("ground opacity")
        self.solid.setAccessibleName(tr("Opacity of the ground"))
        self.solid.setToolTip(tr("Less than all shows what lies below the ground: boreholes, walls, points"))
        self.solid.setRange(10, 100)
        self.solid.setValue(100)
        self.wet = QCheckBox(tr("water up to"))
        self.wet.setObjectName("has water")
        self.water = QDoubleSpinBox()
        self.water.setObjectName("water level")
        self.water.setRange(-12_000.0, 9_000.0)
        self.water.setDecimals(1)
        self.water.setSuffix(" m")
        self.water.setKeyboardTracking(False)
        level = QWidget()
        line = QHBoxLayout(level)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.wet)
        line.addWidget(self.water, 1)
        form = QFormLayout(self)
        form.setContentsMargins(10, 10, 10, 10)
        form.setVerticalSpacing(7)
        for words, each in (
            (tr("Over the ground"), self.surface), (tr("Contour lines"), self.contours), (tr("Opacity"), self.solid),
            ("", level),
        ):  # fmt: skip
            form.addRow(words, each)
        self.setFixedWidth(WIDTH_PX)
        self.surface.activated.connect(lambda number: self.surface_chosen.emit(SURFACES[number][1]))
        self.contours.valueChanged.connect(lambda value: self.changed.emit())
        self.solid.valueChanged.connect(lambda value: self.changed.emit())
        self.wet.toggled.connect(lambda on: self.changed.emit())
        self.water.valueChanged.connect(lambda value: self.changed.emit() if self.wet.isChecked() else None)

    def show_below(self, button: QWidget) -> None:
        """Open below a button."""
        self.adjustSize()
        self.move(button.mapToGlobal(QPoint(0, button.height())))
        self.show()
        self.surface.setFocus()
