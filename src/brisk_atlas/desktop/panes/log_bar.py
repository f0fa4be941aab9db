"""The tools of the strip log: pages, quantities, templates, how depths are stated, what can be saved."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QSizePolicy, QWidgetAction

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.strip.holes.tracks import DepthScale, DepthZero

from ..plain_text import PlainLabel
from .bar_buttons import bar_button, bar_menu
from .log_quantities import LogQuantities

PAGES = ("log", "numbers", "plot", "facts")
VERTICAL, IN_FEET = tr("vertical"), tr("in feet")
PAGE_NAMES = {"log": tr("Log"), "numbers": tr("Numbers"), "plot": tr("Plot"), "facts": tr("Facts")}
PAGE_TIPS = {"log": tr("Tracks over depth"), "numbers": tr("The numbers of the depths in sight"),
             "plot": tr("Two or three quantities against each other"),
             "facts": tr("What is known of the hole")}  # fmt: skip


class LogBar(QFrame):
    """Signals:
    page_chosen(str): one of PAGES.
    depth_chosen(object): another DepthScale.
    closed(): the strip log is to be hidden.
    """

    page_chosen = pyqtSignal(str)
    depth_chosen = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paneBar")
        self.depth_scale = DepthScale()
        title = PlainLabel(tr("Strip log"))
        title.setObjectName("heading")
        self.list_button = bar_button(
            tr("Holes"), "log holes", tr("Show or hide the list of boreholes"), checkable=True
        )
        self.list_button.setChecked(True)
        self.pages = QButtonGroup(self)
        self.page_buttons = {}
        for name in PAGES:
            button = bar_button(PAGE_NAMES[name], f"log {name}", PAGE_TIPS[name], checkable=True)
            self.pages.addButton(button)
            button.clicked.connect(lambda checked=False, name=name: self.page_chosen.emit(name))
            self.page_buttons[name] = button
        self.page_buttons["log"].setChecked(True)
        self.quantities = LogQuantities()
        self.choose, self.choose_menu = bar_menu(tr("Quantities"), "log quantities", tr("What is drawn, by category"))
        action = QWidgetAction(self.choose_menu)
        action.setDefaultWidget(self.quantities)
        self.choose_menu.addAction(action)
        self.tracks, self.tracks_menu = bar_menu(
            tr("Tracks"), "log tracks", tr("Order and looks of tracks, and templates of them")
        )
        self.view, self.view_menu = bar_menu(tr("Depth"), "log depth", tr("How depths are stated"))
        self.save, self.save_menu = bar_menu(tr("Save"), "log save", tr("Write the log or its numbers"))
        self._fill_depths()
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        row.setSpacing(3)
        for widget in (
            title,
            self.list_button,
            *self.page_buttons.values(),
            self.choose,
            self.tracks,
            self.view,
            self.save,
        ):
            row.addWidget(widget)
        row.addStretch(1)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def _fill_depths(self) -> None:
        self.actions_by_name: dict[str, QAction] = {}
        self._groups: dict[str, QActionGroup] = {}
        for words, on in ((tr("along the hole"), True), (VERTICAL, False)):
            self._depth_action("way", words, on)
        self.view_menu.addSeparator()
        for zero in DepthZero:
            self._depth_action("zero", tr("from {zero}", zero=shown(zero)), zero is DepthZero.COLLAR)
        self.view_menu.addSeparator()
        for words, on in ((tr("in metres"), True), (IN_FEET, False)):
            self._depth_action("unit", words, on)
        self.view_menu.addSeparator()
        below = self.view_menu.addMenu(tr("Hang on"))
        assert below is not None
        self.hang_menu = below

    def _depth_action(self, group: str, words: str, on: bool) -> None:
        held = self._groups.setdefault(group, QActionGroup(self))
        action = self.view_menu.addAction(words)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(on)
        held.addAction(action)
        self.actions_by_name[words] = action
        action.triggered.connect(self._depth_turned)

    def _depth_turned(self) -> None:
        on = {words for words, action in self.actions_by_name.items() if action.isChecked()}
        zero = DepthZero.SEA if tr("from {zero}", zero=shown(DepthZero.SEA)) in on else DepthZero.COLLAR
        self.depth_scale = DepthScale(VERTICAL in on, zero, IN_FEET in on)
        self.depth_chosen.emit(self.depth_scale)

    def show_page(self, name: str) -> None:
        """Mark the page that is on show."""
        self.page_buttons[name].setChecked(True)
