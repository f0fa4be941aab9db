"""A record in brief: title, picture, where it lies, and what one asks first."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QTextDocument
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..locator_map import LocatorMap
from ..plain_text import PlainLabel
from ..reading_view import ReadingView
from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.record import Record, Section
    from brisk_atlas.core.system.jobs import Job

    from ..pages.glance_picture import GlancePicture

SIDE_PX, PICTURE_PX, MAP_PX = 270, 190, 170


class BriefView(QWidget):
    """The short reading with the picture of the data and a small map beside it.

    Signals:
        place_chosen(object): a label was clicked; the place that it stands for.
    """

    place_chosen = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self._picture_of: DataRef | None = None
        self._picture: GlancePicture | None = None
        self._job: Job | None = None
        self.reading = ReadingView()
        self.reading.setObjectName("record reading")
        self.reading.setAccessibleName(tr("The record in brief"))
        self.map = LocatorMap()
        self.map.setFixedHeight(MAP_PX)
        self.place = PlainLabel("")
        self.place.setObjectName("place")
        self.place.setWordWrap(True)
        side = QWidget()
        side.setFixedWidth(SIDE_PX)
        self._side = QVBoxLayout(side)
        self._side.setContentsMargins(8, 4, 0, 0)
        self._side.setSpacing(8)
        self._side.addWidget(self.map)
        self._side.addWidget(self.place)
        self._side.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.reading, 1)
        row.addWidget(side)
        self.side = side
        self.reading.place_chosen.connect(self.place_chosen)

    @property
    def busy(self) -> bool:
        waiting = self._job is not None and not self._job.finished
        return waiting or (self._picture is not None and self._picture.isVisible() and self._picture.busy)

    def show_record(self, record: Record | None, derived: Sequence[Section], data: DataRef | None) -> None:
        """Show a record, what the data tells below it, and the data's picture."""
        from brisk_atlas.core.record import brief
        from brisk_atlas.core.record.brief_sections import box_text

        sections = [*(brief(record) if record else []), *derived]
        self.reading.show_sections(sections, title=record.title or tr("without a title") if record else "")
        boxes = [(b.west, b.south, b.east, b.north) for b in record.boxes] if record else []
        whole = [box for box in boxes if None not in box]
        self.map.show_boxes(whole, chosen=whole[0] if whole else None)  # type: ignore[arg-type]
        self.map.setVisible(bool(whole))
        self.side.setVisible(bool(whole) or self._has_picture(data))
        self.place.setText(box_text(record.boxes[0]) if record and whole else "")
        self._show_picture(data)

    def _has_picture(self, data: DataRef | None) -> bool:
        return data is not None and data == self._picture_of and bool(self._picture and self._picture.layers)

    def _show_picture(self, data: DataRef | None) -> None:
        if data == self._picture_of:
            return
        self._picture_of = data
        if self._picture is not None:
            self._picture.setVisible(False)
        if data is None:
            return
        session = self.session

        def work(job: Job) -> tuple:
            from brisk_atlas.core.draw.frame import extent_of
            from brisk_atlas.core.kinds.first_sight import first_layers

            layers = first_layers(session.cache.dataset(data))
            crs = session.cache.part(layers[0].ref).facts.crs if layers else None
            return layers, extent_of(session.cache, layers, crs) if layers else None

        def done(found: tuple) -> None:
            layers, extent = found
            if data != self._picture_of or extent is None:
                return
            if self._picture is None:
                from ..pages.glance_picture import GlancePicture

                self._picture = GlancePicture(session)
                self._picture.setFixedHeight(PICTURE_PX)
                self._picture.theme = self.theme
                self._side.insertWidget(0, self._picture)
            self.side.setVisible(True)
            self._picture.setVisible(True)
            self._picture.resize(SIDE_PX - 8, PICTURE_PX)  # before it is laid out, so that all of the data is in it
            self._picture.show_layers(layers, extent)

        self._job = session.run(
            tr("Drawing the data"), work, done, shown=False, failed=lambda error: self._forget_picture()
        )

    def _forget_picture(self) -> None:
        """Try again next time: the data may have been read anew meanwhile."""
        self._picture_of = None

    def go_to(self, place: Sequence[str | int], section: str) -> None:
        """Scroll to the line of a place, or to the section it is in."""
        self.reading.go_to(place, section)

    def find_next(self, words: str) -> bool:
        """Go to the next place with the words in it; after the last comes the first."""
        view = self.reading
        if not view.find(words):
            cursor = view.textCursor()
            cursor.movePosition(cursor.MoveOperation.Start)
            view.setTextCursor(cursor)
            return bool(view.find(words, QTextDocument.FindFlag(0)))
        return True

    def repaint_theme(self, theme: Theme) -> None:
        self.theme = theme
        self.reading.repaint_theme(theme)
        self.map.theme = theme
        self.map.update()
        if self._picture is not None:
            self._picture.theme = theme
            self._picture.update()
