"""The Strip pane: what was measured along lines, or what grids and clouds are along one."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSplitter, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from ..session import Session
from ..theme import Theme
from .strip_bar import PAGES, StripBar
from .strip_canvas import StripCanvas
from .strip_check_page import StripCheckPage
from .strip_content import StripContent
from .strip_crossovers_page import StripCrossoversPage
from .strip_deeds import StripDeeds
from .strip_header_page import StripHeaderPage
from .strip_lines import StripLines

if TYPE_CHECKING:
    from brisk_atlas.core.strip.profile import Profile

MOST_AT_FIRST = 3  # quantities
HEIGHT_PX, LIST_PX = 250, 390
WITH_LIST = ("profile", "header")  # pages beside which the list of lines is shown


class StripPane(QWidget):
    """A bar, the list of lines where there are some, and a page: the profile, crossovers, a check, or the header.

    Signals:
        pointed(object): (x, y, crs) of the place at the cursor, None for none.
        seen_changed(): another stretch is in sight, or another profile.
        spots_changed(): other crossovers are to be marked on the map.
        draw_wanted(): a line is to be drawn on the map.
        closed(): it is not shown any more.
    """

    pointed = pyqtSignal(object)
    seen_changed = pyqtSignal()
    spots_changed = pyqtSignal()
    draw_wanted = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.canvas = StripCanvas()
        self.content = StripContent(session)
        self.bar = StripBar()
        self.bar.corridor = self.content.corridor
        self.lines = StripLines()
        self.crossovers, self.check, self.header = StripCrossoversPage(), StripCheckPage(), StripHeaderPage()
        self.deeds = StripDeeds(session, self.lines, self.check, self.crossovers, self)
        self._shown: dict[str, tuple[str, ...]] = {}  # by layer, the quantities that were chosen
        self.pages = QStackedWidget()
        for page in (self.canvas, self.crossovers, self.check, self.header):
            self.pages.addWidget(page)
        self.both = QSplitter(Qt.Orientation.Horizontal)
        self.both.addWidget(self.lines)
        self.both.addWidget(self.pages)
        self.both.setStretchFactor(1, 1)
        self.both.setSizes([LIST_PX, 600])
        self.both.setChildrenCollapsible(False)
        self.lines.hide()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.both, 1)
        self._connect()

    def _connect(self) -> None:
        self.canvas.pointed.connect(self._pointed)
        self.canvas.chosen.connect(lambda stretch: self._say())
        self.canvas.seen_changed.connect(self.seen_changed)
        self.content.found.connect(self._found)
        self.content.lines_listed.connect(self._list)
        self.lines.line_chosen.connect(self.content.choose)
        self.lines.filtered.connect(lambda: self.lines.mark(self._number))
        self.bar.page_chosen.connect(self.show_page)
        self.bar.lines.clicked.connect(self._turn_list)
        self.bar.quantity_turned.connect(self._turn)
        self.bar.looking_changed.connect(self._look)
        self.bar.corridor_chosen.connect(self.content.set_corridor)
        self.bar.draw.clicked.connect(self.draw_wanted)
        self.bar.whole.clicked.connect(self.canvas.show_all)
        self.bar.save_menu.aboutToShow.connect(self._fill_save_menu)
        self.crossovers.quantity_chosen.connect(self.spots_changed)
        self.crossovers.crossover_chosen.connect(self._go_to_crossover)
        self.check.place_chosen.connect(self.go_to_place)
        self.session.work_changed.connect(self._work_changed)

    @property
    def profile(self) -> Profile | None:
        """What is on show."""
        return self.content.profile

    @property
    def what(self):  # type: ignore[no-untyped-def]
        """The label that states what is read."""
        return self.bar.what

    @property
    def busy(self) -> bool:
        return self.isVisible() and self.content.busy

    def use_theme(self, theme: Theme) -> None:
        """Paint in the colours of a theme."""
        self.canvas.theme = self.crossovers.bars.theme = theme
        self.canvas.update()

    def showEvent(self, event: object) -> None:
        self.content.remake()

    def hideEvent(self, event: object) -> None:
        self.closed.emit()

    def _work_changed(self, what: str) -> None:
        if not self.isVisible() or what not in ("layers", "subject", "file", "comparison", "picks"):
            return
        if what in ("subject", "file"):
            self.content.drop_line()
        self.content.remake()
        if what == "picks":
            self.content.choose_picked()

    def show_line(self, xy: np.ndarray, crs: str | None) -> None:
        """Show what lies along a line that was drawn."""
        self.content.show_line(xy, crs)

    # Pages

    def show_page(self, name: str) -> None:
        """Show one of the pages."""
        self.pages.setCurrentIndex(PAGES.index(name))
        self.bar.show_page(name)
        self._turn_list(name in WITH_LIST)
        if name == "check":
            self.deeds.offer_land()
        if name == "header":
            self._show_header()
        self.spots_changed.emit()

    def _show_header(self) -> None:
        listed, number = self.content.listed, self.content.number
        self.header.show_header(listed.headers[number] if listed is not None and number is not None else None)

    def _list(self) -> None:
        """List the lines, where there is a choice or a header to read."""
        listed = self.content.listed
        many = listed is not None and (len(listed) > 1 or listed.headers[0] is not None)
        self.bar.show_lines_tools(many)
        other = listed is not self.lines.listed
        self.lines.show_lines(listed)
        self.lines.setVisible(listed is not None and len(listed) > 1)
        self.bar.lines.setChecked(self.lines.isVisibleTo(self))
        if other:
            self.check.show_check(None)
            self.crossovers.show_crossovers(None)
        if not many and self.pages.currentWidget() is not self.canvas:
            self.show_page("profile")

    def _turn_list(self, on: bool) -> None:
        self.lines.setVisible(on and self.content.listed is not None)
        self.bar.lines.setChecked(self.lines.isVisibleTo(self))

    @property
    def _number(self) -> int:
        return self.content.number if self.content.number is not None else -1

    def _go_to_crossover(self, number: int) -> None:
        found = self.crossovers.found
        if found is not None:
            line, place = found.lines[number, 0], found.places[number, 0]
            self._go_to(found.of.layers[line].id, found.of.names[line], int(place - found.of.starts[line]))
            self.pointed.emit((*found.xy[number].tolist(), found.of.crs))

    def go_to_place(self, place: int) -> None:
        """Show the line of a place that was checked, with the cursor there, and the map around it."""
        found = self.check.found
        if found is not None:
            line = int(np.searchsorted(found.of.starts, place, "right")) - 1
            self._go_to(found.of.layers[line].id, found.of.names[line], int(place - found.of.starts[line]))

    def _go_to(self, layer_id: str, name: str, place: int) -> None:
        listed = self.content.listed
        if listed is None:
            return
        keys = [(layer.id, each) for layer, each in zip(listed.lines.layers, listed.lines.names)]
        if (layer_id, name) in keys:
            self.content.choose(keys.index((layer_id, name)))
            self.canvas.point_at(float(self.canvas.axis.values[place]))

    # The profile

    def _found(self, message: str) -> None:
        self.bar.quantities.setEnabled(self.profile is not None)
        self.bar.unit = self.profile.unit if self.profile is not None else "m"
        self._show(message)
        self.lines.mark(self._number)
        if self.pages.currentWidget() is self.header:
            self._show_header()
        self.seen_changed.emit()

    def _show(self, message: str = "") -> None:
        from brisk_atlas.core.strip.trace_view import viewed

        names, profile = self.chosen(), self.profile
        traces = viewed(profile, names, self.bar.looking) if profile is not None else ()
        self.canvas.together = self.bar.together.isChecked()
        self.canvas.on_two_axes = self.bar.on_two_axes.isChecked()
        self.canvas.show_profile(
            profile, traces, message, by_time=self.bar.by_time.isChecked(), looking=self.bar.looking
        )
        self.bar.fill_quantities(profile.traces if profile is not None else (), names)
        self.bar.by_time.setEnabled(profile is not None and profile.time is not None)
        self._say()

    def _look(self) -> None:
        self._show()
        self.seen_changed.emit()

    def chosen(self) -> tuple[str, ...]:
        """Return the quantities that are drawn: those that were chosen, else the first few."""
        if self.profile is None:
            return ()
        from brisk_atlas.core.strip.survey_lines import PLACES  # shown when they are asked for

        names = [trace.name for trace in self.profile.traces]
        stored = [name for name in self._shown.get(self.profile.layer_id, ()) if name in names]
        usual = [name for name in names if name.lower() not in PLACES][:MOST_AT_FIRST]
        return tuple(stored or usual or names[:MOST_AT_FIRST])

    def choose(self, names: tuple[str, ...]) -> None:
        """Draw other quantities."""
        if self.profile is not None:
            self._shown[self.profile.layer_id] = names
            self._show()

    def _turn(self, name: str, on: bool) -> None:
        now = self.chosen()
        self.choose((*now, name) if on else tuple(each for each in now if each != name))

    def _fill_save_menu(self) -> None:
        menu = self.bar.save_menu
        menu.clear()
        if self.profile is not None:
            menu.addAction(tr("What is drawn, as a table…"), self.ask_save)
        if self.content.listed is not None:
            count = len(self.lines.chosen_lines() or self.lines.numbers)
            menu.addAction(
                tr("This line…") if count == 1 else tr("{count} lines as one…", count=count), self.deeds.ask_save_lines
            )
            menu.addAction(tr("As MGD77 into a folder…"), self.deeds.ask_save_surveys)

    def ask_save(self) -> None:
        """Ask where what is drawn is to be written, and write it."""
        if self.profile is not None:
            self.deeds.ask_save_profile(replace(self.profile, traces=self.canvas.traces))

    def write(self, path: Path) -> None:
        """Write the places of the line with the quantities that are drawn."""
        if self.profile is not None:
            self.deeds.save_profile(replace(self.profile, traces=self.canvas.traces), path)

    # Reading

    def _pointed(self, place: int | None) -> None:
        self._say()
        profile = self.profile
        self.pointed.emit(
            (*profile.xy[place].tolist(), profile.crs) if profile is not None and place is not None else None
        )

    def _say(self) -> None:
        """State what is read at the cursor, or of the stretch that is chosen, or what the line is."""
        profile, stretch = self.profile, self.canvas.stretch
        if profile is None:
            self.bar.what.setText("")
        elif stretch is not None:
            self.bar.what.setText(
                tr("a stretch of {length}", length=_length(stretch[1] - stretch[0], self.canvas.axis.unit))
            )
        elif self.canvas.cursor_at is not None:
            place = self.canvas.cursor_at
            when = (
                f"   {profile.time[place]}".replace("T", " ").removesuffix(".000") if profile.time is not None else ""
            )
            self.bar.what.setText(
                tr("at {length}{when}", length=_length(float(profile.distance[place]), profile.unit), when=when)
            )
        else:
            done = self.bar.looking.words(profile.unit)
            words = [
                profile.title,
                _length(profile.length, profile.unit),
                tr("{places:,} places", places=len(profile)),
                done,
            ]
            self.bar.what.setText("   ".join(word for word in words if word))


def _length(value: float, unit: str) -> str:
    if unit == "s":
        return f"{grouped(value / 3600, ',.2f')} h" if value >= 3600 else f"{grouped(value, ',.0f')} s"
    return (
        f"{grouped(value / 1000, ',.3f')} km"
        if unit == "m" and value >= 10_000
        else f"{grouped(value, ',.1f')} {unit}".strip()
    )
