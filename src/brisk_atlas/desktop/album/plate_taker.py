"""Capturing plates: what the pane that has the keyboard shows becomes one of the album."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication, QWidget

from brisk_atlas.core.workspace.plates import Plate, PlateKind, PlateTable, PlateView

from ..session import Session
from .plate_pictures import DENSITY, map_pictures, stored_image, widget_image

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.system.jobs import Job

    from ..pages.desk_page import DeskPage
    from ..pages.record_page import RecordPage

MOST_ROWS = 500  # of a sheet
NAMES = {PlateKind.MAP: "Map", PlateKind.RELIEF: "Relief", PlateKind.STRIP: "Profile", PlateKind.SHEET: "Rows",
         PlateKind.RECORD: "Record"}  # fmt: skip


class PlateTaker:
    """Captures what is shown; the pictures are drawn in the background."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def take_desk(self, desk: DeskPage) -> None:
        """Capture the pane of the Desk that has the keyboard, else the map."""
        view = view_of(desk)
        if view is None:
            return
        match _pane_with_keyboard(desk):
            case PlateKind.RELIEF:
                self._take_image(PlateKind.RELIEF, view, desk.relief.canvas)
            case PlateKind.STRIP:
                pane = desk.log.canvas if desk.log.isVisible() else desk.strip.canvas
                self._take_image(PlateKind.STRIP, view, pane)
            case PlateKind.SHEET:
                self._store(PlateKind.SHEET, view, lambda job: (b"", b""), table=sheet_table(desk))
            case _:
                self._store(PlateKind.MAP, view, lambda job: map_pictures(self.session, view, job.check))

    def take_record(self, page: RecordPage) -> None:
        """Capture the view of the record that is read."""
        work = self.session.work
        view = PlateView(work.layers, work.state.groups, work.state.subject, work.state.crs)
        self._take_image(PlateKind.RECORD, view, page.views)

    def _take_image(self, kind: PlateKind, view: PlateView, widget: QWidget) -> None:
        image = widget_image(widget)
        self._store(kind, view, lambda job: (stored_image(image), b""), density=_density_of(image, widget))

    def _store(
        self, kind: PlateKind, view: PlateView, pictures: Callable[[Job], tuple[bytes, bytes]], *,
        density: float = DENSITY, table: PlateTable | None = None,
    ) -> None:  # fmt: skip
        """Have a plate in the album, once its pictures are drawn."""
        work = self.session.work
        subject = work.subject
        title = subject.name if subject is not None else NAMES[kind]
        layers = view.shown if kind in (PlateKind.MAP, PlateKind.RELIEF) or subject is None else (subject,)
        plate = Plate("", title, kind, view, density=density, alt=_alt(kind, layers), table=table,
                      captured=datetime.now(UTC).isoformat(timespec="seconds"))  # fmt: skip

        def make(job: Job) -> Plate:
            from brisk_atlas.core.workspace.plate_sources import sources_of

            picture, other = pictures(job)
            return plate._replace(picture=picture, other=other, sources=sources_of(layers))

        def done(made: Plate) -> None:
            album = work.state.album
            work.change_album("capture a plate", album.with_item(made._replace(id=album.free_id())))
            count = len(work.state.album.plates)
            self.session.noticed.emit("good", f"{title} is plate {count} of the album, on Hand over.", "")

        self.session.run("Capturing a plate", make, done)


def view_of(desk: DeskPage) -> PlateView | None:
    """Return what the Desk shows, None without a map."""
    view, work = desk.map.canvas.view, desk.session.work
    if view is None or not work.layers:
        return None
    state = work.state
    return PlateView(
        state.layers, state.groups, state.subject, view.crs, state.comparison, view.x, view.y, view.resolution,
        view.turn, view.width, view.height, desk.map.grid, desk.tether.stored_eye(),
        tuple(layer.id for layer in desk.relief.choice.chosen_grids()) if desk.relief.isVisible() else (),
    )  # fmt: skip


def sheet_table(desk: DeskPage) -> PlateTable | None:
    """Return the rows of the sheet: those that are picked, or the first."""
    grid = desk.sheet.grid
    if grid.sheet is None:
        return None
    columns = [column for column in grid.columns.all if column.look.shown]
    names, total = [column.field for column in columns], len(grid.sheet)
    texts = grid.texts(0, min(total, MOST_ROWS), names)
    places = [place for place in range(min(total, MOST_ROWS)) if not grid.rows or grid.row_at(place) in grid.rows]
    rows = tuple(tuple(texts.get((place, name), "") for name in names) for place in places)
    return PlateTable(tuple(names), tuple(column.number for column in columns), rows, len(grid.rows) or total)


def _pane_with_keyboard(desk: DeskPage) -> PlateKind:
    focus = QApplication.focusWidget()
    panes = {PlateKind.RELIEF: desk.relief, PlateKind.STRIP: desk.strip, PlateKind.SHEET: desk.sheet}
    if focus is not None:
        if desk.log.isVisible() and desk.log.isAncestorOf(focus):
            return PlateKind.STRIP
        for kind, pane in panes.items():
            if pane.isVisible() and pane.isAncestorOf(focus):
                return kind
    return PlateKind.MAP


def _density_of(image: QImage, widget: QWidget) -> float:
    return image.width() / max(1, widget.width())


def _alt(kind: PlateKind, layers: tuple[Layer, ...]) -> str:
    """Return what a plate shows, for those who don't see it, until somebody writes it better."""
    names = [layer.name for layer in layers]
    listed = ", ".join(names[:4]) + (f" and {len(names) - 4} more layers" if len(names) > 4 else "")
    return f"{NAMES[kind]} of {listed}" if listed else NAMES[kind]
