"""The slim bar of the relief: its ground, how heights are exaggerated, from where it is seen, and what can be done."""

from __future__ import annotations

from PyQt6.QtCore import pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QDoubleSpinBox, QFrame, QHBoxLayout, QMenu, QSizePolicy, QToolButton, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.eye import HIGHEST_EXAGGERATION, LOWEST_EXAGGERATION, Eye

from ..icons import icon
from ..plain_text import PlainLabel
from ..theme import Theme

RIM_PX, GAP_PX, NARROWEST_PX = 8, 8, 260
GROUND_PX = 120  # that the name of a ground takes at most; the tip has all of it
VIEWS = (
    (tr("All of the ground"), "whole"), (tr("From the north"), "north"), (tr("From the east"), "east"),
    (tr("From the south"), "south"),
    (tr("From the west"), "west"), (tr("From above"), "above"), (tr("Back to the view before"), "back"),
)  # fmt: skip
DEEDS = (
    (tr("Measure along the ground"), "distance"), (tr("Line of sight"), "sight"),
    (tr("What can be seen from the middle…"), "viewshed"), ("", ""),
    (tr("Pick points in a box"), "box"), (tr("Pick points with a lasso"), "lasso"), ("", ""),
    (tr("Write a picture…"), "picture"), (tr("Write a film…"), "film"), (tr("Write a model…"), "model"),
)  # fmt: skip


class ReliefBar(QFrame):
    """One row of tools.

    Signals:
        view_wanted(str): from where it is to be seen, as `VIEWS` names it.
        deed_wanted(str): what is to be done, as `DEEDS` names it.
    """

    view_wanted = pyqtSignal(str)
    deed_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paneBar")
        self.ground = _button(
            "", "relief ground", tr("Which grids give the heights; an upper layer comes before a lower one")
        )
        self.ground.setMaximumWidth(GROUND_PX)
        self.ground_menu = QMenu(self.ground)
        _with_menu(self.ground, self.ground_menu)
        self.heights = QDoubleSpinBox()
        self.heights.setObjectName("vertical exaggeration")
        self.heights.setAccessibleName(tr("Vertical exaggeration"))
        self.heights.setToolTip(tr("Vertical exaggeration; the spot in the middle stays where it is"))
        self.heights.setRange(LOWEST_EXAGGERATION, HIGHEST_EXAGGERATION)
        self.heights.setDecimals(1)
        self.heights.setSingleStep(0.5)
        self.heights.setPrefix("× ")
        self.heights.setValue(Eye().exaggeration)
        self.heights.setKeyboardTracking(False)
        self.views = _button(tr("View"), "relief views", tr("From where the relief is seen"))
        _with_menu(self.views, _menu_of(self.views, VIEWS, self.view_wanted))
        self.surface = _button(
            tr("Surface"), "relief surface button",
            tr("What lies over the ground, contour lines, water, and how much the ground hides"),
        )  # fmt: skip
        self.light = _button(tr("Light"), "relief light",
                             tr("Where the light comes from, shadows, haze, and the contrast of the map"))  # fmt: skip
        self.tethered = _button("", "relief tethered", tr("Tethered: the relief goes with the map, by place and scale"))
        self.tethered.setCheckable(True)
        self.more = _button("", "relief more", tr("Measure, pick points, write pictures, films and models"))
        menu = _menu_of(self.more, DEEDS, self.deed_wanted)
        menu.insertMenu(menu.actions()[0], _menu_of(menu, VIEWS, self.view_wanted, tr("View")))
        for button in (self.surface, self.light):
            action = QAction(f"{button.text()}…", menu)
            action.triggered.connect(button.click)
            menu.insertAction(menu.actions()[1], action)
        menu.insertSeparator(menu.actions()[3])
        _with_menu(self.more, menu)
        row = QHBoxLayout(self)
        row.setContentsMargins(RIM_PX, 2, RIM_PX, 2)
        title = PlainLabel(tr("Relief"))
        title.setObjectName("heading")
        self._all = (title, self.ground, self.heights, self.views, self.surface, self.light, self.tethered, self.more)
        self._spared = (title, self.views, self.surface, self.light)  # in this order; the menu has all that they do
        for widget in self._all:
            row.addWidget(widget)
        row.addStretch(1)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setMinimumWidth(NARROWEST_PX)

    def resizeEvent(self, event: object) -> None:
        """Leave out what there is no room for."""
        room = self.width() - 2 * RIM_PX
        wanted = {widget: widget.sizeHint().width() + GAP_PX for widget in self._all}
        total = sum(wanted.values())
        for widget in self._spared:
            widget.setVisible(total <= room)
            total -= 0 if total <= room else wanted[widget]

    def use_theme(self, theme: Theme) -> None:
        """Paint in the colours of a theme."""
        self.tethered.setIcon(icon("link", theme.ink))
        self.more.setIcon(icon("dots-three", theme.ink))

    def show_exaggeration(self, factor: float) -> None:
        """Show by how much heights are exaggerated, which changes nothing."""
        self.heights.blockSignals(True)
        self.heights.setValue(factor)
        self.heights.blockSignals(False)


def _button(text: str, name: str, tip: str) -> QToolButton:
    button = QToolButton()
    button.setText(text)
    button.setObjectName(name)
    button.setAccessibleName(text or tip)
    button.setToolTip(tip)
    return button


def _with_menu(button: QToolButton, menu: QMenu) -> None:
    button.setMenu(menu)
    button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)


def _menu_of(parent: QWidget, entries: tuple[tuple[str, str], ...], wanted: pyqtBoundSignal, title: str = "") -> QMenu:
    menu = QMenu(title, parent)
    for words, name in entries:
        if not words:
            menu.addSeparator()
            continue
        action = menu.addAction(words)
        assert action is not None
        action.triggered.connect(lambda checked=False, name=name: wanted.emit(name))
    return menu
