"""The strip log beside the map: what was measured, described and photographed down boreholes."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QMenu, QScrollBar, QSplitter, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model import DataRef, number_text
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.strip.holes.log_drawing import HoleOnShow
from brisk_atlas.core.strip.holes.tracks import (
    AS_IT_COMES,
    LogTemplate,
    Track,
    TrackKind,
    compact_template,
    default_template,
    with_curve,
)
from brisk_atlas.core.system.jobs import Job

from ..arrow_view import ArrowView
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import Theme
from .log_bar import PAGES, LogBar
from .log_canvas import LogCanvas, LogSpot
from .log_content import LogContent
from .log_crossplot import LogCrossplot
from .log_deeds import LogDeeds
from .log_derive import LogDerive
from .log_facts import LogFacts
from .log_files import LogFiles
from .log_list import LogList
from .log_photos import LogPhotos, image_of
from .log_track_menu import fill_track_menu
from .photo_window import PhotoWindow

if TYPE_CHECKING:
    from PIL import Image

    from brisk_atlas.core.strip.holes.read_hole import HoleData

LIST_PX, MOST_READ = 120, 12
CHANGED = "changed"  # the name of tracks that the analyst changed
LARGEST_PX = 8192  # of a photograph that is shown in full
MOST_NUMBERS = 200_000


class LogPane(QWidget):
    """A bar, the list of holes, and a page: the log, its numbers, a cross-plot, or the facts of the hole.

    Signals:
        pointed(object): (x, y, crs) of the place at the cursor, None for none.
        shown_changed(): other holes are on show.
        closed(): it is not shown any more.
    """

    pointed = pyqtSignal(object)
    shown_changed = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.content = LogContent(session)
        self.photos = LogPhotos(session)
        self.canvas = LogCanvas(self.photos)
        self.bar, self.hole_list = LogBar(), LogList()
        self.plot, self.facts = LogCrossplot(), LogFacts()
        self.numbers = ArrowView("log numbers", tr("Numbers of the depths in sight"))
        self.template: LogTemplate | None = None
        self.hung = ""  # the marker on which holes hang, "" for none
        self.deeds, self.derive = LogDeeds(session, self), LogDerive(session, self)
        self.files = LogFiles(session, self, self.deeds.markers)
        self.read = PlainLabel()
        self.read.setObjectName("quiet")
        self.read.setContentsMargins(8, 1, 8, 2)
        self.aside = QScrollBar(Qt.Orientation.Horizontal)
        self.aside.setAccessibleName(tr("Tracks to the side"))
        log = QWidget()
        inner = QVBoxLayout(log)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(0)
        inner.addWidget(self.canvas, 1)
        inner.addWidget(self.aside)
        self.pages = QStackedWidget()
        for page in (log, self.numbers, self.plot, self.facts):
            self.pages.addWidget(page)
        self.both = QSplitter(Qt.Orientation.Vertical)
        self.both.addWidget(self.hole_list)
        self.both.addWidget(self.pages)
        self.both.setStretchFactor(1, 1)
        self.both.setSizes([LIST_PX, 500])
        self.both.setChildrenCollapsible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.both, 1)
        column.addWidget(self.read)
        self._connect()

    def _connect(self) -> None:
        self.content.found.connect(self._found)
        self.content.read.connect(self._read)
        self.hole_list.holes_chosen.connect(self.content.choose)
        self.hole_list.region_wanted.connect(self.deeds.list_in_region)
        self.bar.page_chosen.connect(self.show_page)
        self.bar.list_button.clicked.connect(self.hole_list.setVisible)
        self.bar.depth_chosen.connect(self._depth_chosen)
        self.bar.choose_menu.aboutToShow.connect(self._fill_quantities)
        self.bar.quantities.turned.connect(self.turn)
        self.bar.tracks_menu.aboutToShow.connect(self._fill_tracks)
        self.bar.hang_menu.aboutToShow.connect(self._fill_hang_menu)
        self.bar.save_menu.aboutToShow.connect(lambda: self.files.fill_menu(self.bar.save_menu))
        self.canvas.pointed.connect(self._pointed)
        self.canvas.chosen.connect(lambda stretch: self._say())
        self.canvas.sight_changed.connect(self._sight_changed)
        self.canvas.marker_moved.connect(self.deeds.move_marker)
        self.canvas.marker_made.connect(self.deeds.add_marker)
        self.canvas.menu_wanted.connect(self._show_menu)
        self.canvas.photo_opened.connect(self.open_photo)
        self.plot.picked.connect(self._picked)
        self.facts.columns_wanted.connect(self.deeds.ask_columns)
        self.aside.valueChanged.connect(self._moved_aside)
        self.session.work_changed.connect(self._work_changed)

    @property
    def busy(self) -> bool:
        return self.isVisible() and (self.content.busy or self.photos.busy)

    def use_theme(self, theme: Theme) -> None:
        """Paint in the colours of a theme."""
        self.canvas.theme = self.plot.canvas.theme = theme
        self.canvas.update()
        self.plot.canvas.update()

    def showEvent(self, event: object) -> None:
        self.content.remake()
        self._fit_aside()

    def hideEvent(self, event: object) -> None:
        self.closed.emit()

    def resizeEvent(self, event: object) -> None:
        self._fit_aside()

    def _work_changed(self, what: str) -> None:
        if not self.isVisible():
            return
        if what in ("layers", "subject", "file"):
            self.content.remake()
            self.canvas.show_markers(self.deeds.markers())
        if what == "picks":
            self._choose_picked()

    def _choose_picked(self) -> None:
        """Show the holes whose collars are picked on the map or in the sheet."""
        picks, holes = self.session.work.picks, self.content.holes
        if picks is None or holes is None or picks.layer_id != self.content.layer_id:
            return
        rows = set(picks.rows)
        numbers = [n for n, hole in enumerate(holes.holes) if hole.row in rows]
        if numbers and tuple(numbers) != self.content.chosen:
            self.content.choose(numbers)

    # What is shown

    def _found(self, message: str) -> None:
        self.hole_list.show_holes(self.content.holes)
        self.template = None
        if message:
            self.canvas.show_holes((), None, message)
            self.plot.show_data(None)
            self.facts.show_data(None)

    def _read(self) -> None:
        shown = self.content.shown()
        if shown and (self.template is None or self.template.name == AS_IT_COMES):
            first = compact_template(shown[0]) if len(shown) > 1 else default_template(shown[0])
            self.template = replace(first, depth=self.bar.depth_scale)
        self.hole_list.mark(self.content.chosen)
        self.show_again()
        self.plot.show_data(self.first, self.drawn())
        self.facts.show_data(self.first)
        self.shown_changed.emit()

    def show_again(self) -> None:
        """Show the holes with the tracks as they are now."""
        shown = [HoleOnShow(data) for data in self.content.shown()]
        self.canvas.template = self.template
        if self.hung and self.template is not None:
            before, self.canvas.holes = self.canvas.holes, tuple(shown)
            shifts = self.canvas.hang_on(self.hung)
            self.canvas.holes = before
            shown = [replace(hole, shift=shift) for hole, shift in zip(shown, shifts)]
        self.canvas.show_holes(shown, self.template, "" if shown else tr("Choose a hole in the list."))
        self.canvas.show_markers(self.deeds.markers())
        self._fit_aside()
        self._show_numbers()
        self._say()

    @property
    def first(self) -> HoleData | None:
        """What was read of the first hole on show."""
        shown = self.content.shown()
        return shown[0] if shown else None

    def drawn(self) -> list[str]:
        """Return the names of what the tracks show."""
        tracks = self.template.tracks if self.template is not None else ()
        return [name for track in tracks for name in ([track.name] if track.name else [c.name for c in track.curves])]

    def _usual(self) -> tuple[Track, ...]:
        return default_template(self.first).tracks if self.first is not None else ()

    def use_template(self, template: LogTemplate) -> None:
        """Show other tracks, or the same in another way; depths stay as they are stated."""
        name = CHANGED if template.name == AS_IT_COMES and template.tracks != self._usual() else template.name
        self.template = replace(template, name=name, depth=self.bar.depth_scale)
        self.show_again()

    def turn(self, name: str, on: bool) -> None:
        """Draw a curve or a field of intervals in a track of its own, or no more."""
        if self.template is None or on == (name in self.drawn()):
            return
        curve = next((c for data in self.content.shown() if (c := data.curve(name)) is not None), None)
        if curve is not None and curve.texts is None:
            self.use_template(with_curve(self.template, curve))
        elif name in self.drawn():
            tracks = tuple(track for track in self.template.tracks if track.name != name)
            self.use_template(replace(self.template, tracks=tracks))
        else:
            texts = any(each.name == name and each.is_text for data in self.content.shown() for each in data.intervals)
            kind = TrackKind.NUMBERS if curve is not None else TrackKind.ROCKS if texts else TrackKind.INTERVALS
            track = Track(kind, name, 26.0 if texts else 16.0)
            self.use_template(replace(self.template, tracks=(*self.template.tracks, track)))

    def _fill_quantities(self) -> None:
        curves = {curve.name: curve for data in self.content.shown() for curve in data.curves}
        intervals = {each.name: each for data in self.content.shown() for each in data.intervals}
        self.bar.quantities.fill(list(curves.values()), list(intervals.values()), self.drawn())

    def _fill_tracks(self) -> None:
        fill_track_menu(self.bar.tracks_menu, self)
        self.derive.fill_menu(self.bar.tracks_menu)

    def _depth_chosen(self, depth: object) -> None:
        if self.template is not None:
            self.use_template(self.template)
            self.canvas.show_all()

    def _fill_hang_menu(self) -> None:
        menu = self.bar.hang_menu
        menu.clear()
        menu.addAction(tr("depth"), lambda: self.hang(""))
        for name in dict.fromkeys(marker.name for marker in self.deeds.markers()):
            menu.addAction(tr("marker {name}", name=name), lambda name=name: self.hang(name))

    def hang(self, name: str) -> None:
        """Move holes so that their markers of a name lie beside each other, "" for none."""
        self.hung = name
        self.show_again()
        self.canvas.show_all()

    # Pages

    def show_page(self, name: str) -> None:
        """Show one of the pages."""
        self.pages.setCurrentIndex(PAGES.index(name))
        self.bar.show_page(name)
        self._show_numbers()

    def _sight_changed(self) -> None:
        self._show_numbers()

    def sight_measured(self, data: HoleData) -> tuple[float, float]:
        """Return the depths along a hole between which the log is in sight, or those of the stretch that is chosen."""
        from brisk_atlas.core.strip.holes.log_drawing import measured_of

        if self.canvas.stretch is not None and self.content.shown()[self.canvas.stretch[0]] is data:
            return self.canvas.stretch[1], self.canvas.stretch[2]
        assert self.template is not None
        number = self.content.shown().index(data)
        shift = self.canvas.holes[number].shift
        ends = measured_of(data, np.array([self.canvas.low, self.canvas.high]) + shift, self.template.depth)
        low, high = data.depth_range
        return (float(ends[0]) if np.isfinite(ends[0]) else low), (float(ends[1]) if np.isfinite(ends[1]) else high)

    def _show_numbers(self) -> None:
        if self.pages.currentWidget() is not self.numbers:
            return
        from brisk_atlas.core.strip.holes.hole_numbers import numbers_of

        data = self.first
        if data is None or self.template is None:
            self.numbers.show_table(None)
            return
        table = numbers_of(data, self.drawn(), self.template.depth, self.sight_measured(data))
        self.numbers.show_table(table.slice(0, MOST_NUMBERS))

    def open_photo(self, ref: DataRef) -> None:
        """Show a photograph in full, in a window of its own."""

        def work(job: Job) -> Image.Image | None:
            from brisk_atlas.core.strip.holes.photographs import photograph

            return photograph(ref, LARGEST_PX)

        def done(picture: Image.Image | None) -> None:
            if picture is None:
                self.session.noticed.emit(
                    "caution", tr("{name} can't be read as a picture", name=ref.name), tr("It may be damaged.")
                )
                return
            self.window_of_photo = PhotoWindow(image_of(picture), ref.name, self)
            self.window_of_photo.show()

        self.session.run(tr("Reading a photograph"), work, done, shown=False)

    def _fit_aside(self) -> None:
        most = max(0, round(self.canvas.whole_px - self.canvas.width()))
        self.aside.setVisible(most > 0)
        self.aside.setRange(0, most)
        self.aside.setPageStep(max(1, self.canvas.width()))
        self.aside.setSingleStep(60)
        self.canvas.move_aside(0)

    def _moved_aside(self, value: int) -> None:
        self.canvas.move_aside(value - self.canvas.offset)

    # Reading

    def _pointed(self, spot: LogSpot | None) -> None:
        self._say()
        if spot is None:
            self.pointed.emit(None)
            return
        hole = self.canvas.holes[spot.hole].data.hole
        if hole.xy is not None:
            east, north, _ = hole.way.position_at(spot.measured)[0].tolist() if hole.deviates else (0.0, 0.0, 0.0)
            self.pointed.emit((hole.xy[0] + east, hole.xy[1] + north, hole.crs))

    def _picked(self, depths: np.ndarray | None) -> None:
        """Show the depths that the brush of the cross-plot picks."""
        self.canvas.show_picked(depths)

    def _say(self) -> None:
        """State every value at the cursor, or what a stretch is, or what is on show."""
        from brisk_atlas.core.strip.holes.hole_reading import reading_of, stretch_reading

        spot, stretch = self.canvas.cursor_at, self.canvas.stretch
        shown = self.content.shown()
        if stretch is not None and stretch[0] < len(shown):
            words = stretch_reading(shown[stretch[0]], self.drawn(), stretch[1], stretch[2])
        elif spot is not None and spot.hole < len(shown) and self.template is not None:
            words = reading_of(shown[spot.hole], self.drawn(), spot.measured, self.template.depth)
        else:
            words = [data.hole.name for data in shown]
            words += [f"{number_text(data.hole.length)} m" for data in shown[:1] if data.hole.length]
            words += [tr("{count} remarks, see Facts", count=len(data.remarks)) for data in shown[:1] if data.remarks]
        self.read.setText("   ".join(words[:MOST_READ]))

    def _show_menu(self, spot: LogSpot, at: QPoint) -> None:
        menu = QMenu(self)
        name = self.canvas.holes[spot.hole].data.hole.name
        menu.addAction(tr("Add a marker here…"), lambda: self.deeds.ask_marker(name, spot.measured))
        near = [
            m
            for m in self.deeds.markers()
            if m.hole == name and abs(m.depth - spot.measured) < (self.canvas.high - self.canvas.low) / 50
        ]
        for marker in near:
            menu.addAction(
                tr("Remove marker {name}", name=marker.name), lambda marker=marker: self.deeds.remove_marker(marker)
            )
        menu.exec(at)
