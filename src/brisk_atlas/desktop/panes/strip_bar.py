"""The tools of the strip: pages, quantities, how they are looked at."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QAction, QActionGroup
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QInputDialog, QSizePolicy

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.vocabulary import shown
from brisk_atlas.core.strip.trace_view import PLAIN, Reference, TraceView

from ..plain_text import PlainLabel
from .bar_buttons import bar_button, bar_menu

if TYPE_CHECKING:
    from brisk_atlas.core.strip.profile import Trace

PAGES = ("profile", "crossovers", "check", "header")
PAGE_NAMES = {
    "profile": tr("Profile"), "crossovers": tr("Crossovers"), "check": tr("Check"), "header": tr("Header"),
}  # fmt: skip
PAGE_TIPS = {"profile": tr("What was measured along the line"),
             "crossovers": tr("Where lines cross, and by how much they differ"),
             "check": tr("What looks wrong along the lines"),
             "header": tr("What the survey says of itself")}  # fmt: skip


class StripBar(QFrame):
    """Signals:
    page_chosen(str): one of PAGES.
    quantity_turned(str, bool): a quantity is to be drawn, or no more.
    looking_changed(): `looking`, `by_time`, `together` or `zooms_map` is another.
    corridor_chosen(float): another width, 0 for no points of clouds.
    """

    page_chosen = pyqtSignal(str)
    quantity_turned = pyqtSignal(str, bool)
    looking_changed = pyqtSignal()
    corridor_chosen = pyqtSignal(float)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("paneBar")
        self.looking: TraceView = PLAIN
        self.corridor = 0.0
        self.unit = "m"
        self._others: tuple[str, ...] = ()  # quantities that can be a reference
        title = PlainLabel(tr("Strip"))
        title.setObjectName("heading")
        self.lines = bar_button(tr("Lines"), "strip lines", tr("Show or hide the list of lines"), checkable=True)
        self.pages = QButtonGroup(self)
        buttons = [bar_button(PAGE_NAMES[name], f"strip {name}", PAGE_TIPS[name], checkable=True) for name in PAGES]
        for button, name in zip(buttons, PAGES):
            self.pages.addButton(button)
            button.clicked.connect(lambda checked=False, name=name: self.page_chosen.emit(name))
        buttons[0].setChecked(True)
        self.page_buttons = dict(zip(PAGES, buttons))
        self.quantities, self.menu = bar_menu(
            tr("Quantities"), "strip quantities", tr("What is drawn, from above to below")
        )
        self.view, self.view_menu = bar_menu(
            tr("View"), "strip view", tr("How values are looked at, and what is at the foot")
        )
        self.draw = bar_button(
            tr("Draw"), "strip draw", tr("Draw a line on the map; grids and clouds are shown along it")
        )
        self.whole = bar_button(tr("All"), "strip all", tr("Bring all of the line into sight"))
        self.save, self.save_menu = bar_menu(tr("Save"), "strip save", tr("Write the line, or lines of surveys"))
        self.what = PlainLabel("")
        self.what.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 2, 8, 2)
        row.setSpacing(4)
        for widget in (title, self.lines, *buttons, self.quantities, self.view, self.draw, self.whole, self.save):
            row.addWidget(widget)
        row.addWidget(self.what, 1)
        self._fill_view_menu()
        self.show_lines_tools(False)

    def show_lines_tools(self, on: bool) -> None:
        """Show the tools of lines of surveys, or hide them."""
        for button in (self.lines, *self.page_buttons.values()):
            button.setVisible(on)
        for button in (self.draw, self.whole):
            button.setVisible(not on)

    def show_page(self, name: str) -> None:
        """Mark the page that is on show."""
        self.page_buttons[name].setChecked(True)

    def _switch(self, text: str, tip: str, *, on: bool = False) -> QAction:
        action = self.view_menu.addAction(text)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(on)
        action.setToolTip(tip)
        action.toggled.connect(lambda on: self.looking_changed.emit())
        return action

    def _fill_view_menu(self) -> None:
        self.by_time = self._switch(tr("Time at the foot"), tr("Time instead of distance at the foot"))
        self.together = self._switch(
            tr("One axis for one unit"), tr("Quantities of one unit on one axis, such as surfaces that are compared")
        )
        self.on_two_axes = self._switch(
            tr("First two on two axes"),
            tr("The first two quantities over each other, the second with its values at the right"),
        )
        self.zooms_map = self._switch(
            tr("Zoom with the map"), tr("The map shows the stretch in sight, and the other way round")
        )
        self.view_menu.addSeparator()
        self.despike = self._switch(tr("Without spikes"), tr("Leave values out that stand out of those around them"))
        self.despike.toggled.disconnect()
        self.despike.toggled.connect(lambda on: self._look(despike=on))
        self.smooth = self.view_menu.addAction(tr("Mean over a distance…"))
        assert self.smooth is not None
        self.smooth.triggered.connect(self.ask_width)
        self.view_menu.addSeparator()
        below = self.view_menu.addMenu(tr("Reference line"))
        assert below is not None
        self.references = below
        self.references.aboutToShow.connect(self._fill_references)
        self._fill_references()
        self.view_menu.addSeparator()
        self.wide = self.view_menu.addAction(tr("Corridor of point clouds…"))
        assert self.wide is not None
        self.wide.triggered.connect(self.ask_corridor)

    def _fill_references(self) -> None:
        self.references.clear()
        group = QActionGroup(self.references)
        plain = [(shown(each), each, "") for each in Reference if each is not Reference.TRACE]
        for words, reference, other in [*plain, *((name, Reference.TRACE, name) for name in self._others)]:
            action = self.references.addAction(words)
            assert action is not None
            action.setCheckable(True)
            action.setChecked((self.looking.reference, self.looking.other) == (reference, other))
            group.addAction(action)
            action.triggered.connect(partial(self.compare_with, reference, other))

    def compare_with(self, reference: Reference, other: str = "", *_: object) -> None:
        """Compare what is drawn with a reference."""
        self._look(reference=reference, other=other)

    def _look(self, **changed: object) -> None:
        from dataclasses import replace

        self.looking = replace(self.looking, **changed)  # type: ignore[arg-type]
        self.looking_changed.emit()

    def ask_width(self) -> None:
        """Ask over how much values are averaged."""
        label = tr("Mean of the values within so many {unit} (0 for the values as they are)", unit=self.unit or "units")
        width, chosen = QInputDialog.getDouble(self, tr("Smoothing"), label, self.looking.width, 0.0, 1e9, 1)
        if chosen:
            self.smooth_over(width)

    def smooth_over(self, width: float) -> None:
        """Average values over a distance, 0 for none."""
        self._look(width=width)

    def ask_corridor(self) -> None:
        """Ask how wide the corridor is, from which points of clouds are taken."""
        label = tr("Points of clouds within so many metres across the line (0 for none)")
        width, chosen = QInputDialog.getDouble(self, tr("Corridor"), label, self.corridor, 0.0, 100_000.0, 2)
        if chosen:
            self.corridor = width
            self.corridor_chosen.emit(width)

    def fill_quantities(self, traces: Sequence[Trace], chosen: Sequence[str]) -> None:
        """List what can be drawn."""
        self._others = tuple(trace.name for trace in traces)
        self.menu.clear()
        for trace in traces:
            action = self.menu.addAction(f"{trace.name}, {trace.unit}" if trace.unit else trace.name)
            assert action is not None
            action.setCheckable(True)
            action.setChecked(trace.name in chosen)
            action.toggled.connect(lambda on, name=trace.name: self.quantity_turned.emit(name, on))
