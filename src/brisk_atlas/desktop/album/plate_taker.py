"""Capturing plates: what the pane that has the keyboard shows becomes one of the album."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtWidgets import QApplication, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.plates import Plate, PlateKind, PlateTable, PlateView

from ..chart import Chart
from ..session import Session
from .plate_pictures import DENSITY, map_pictures, stored_image

if TYPE_CHECKING:
    from brisk_atlas.core.model import ColumnView, Layer
    from brisk_atlas.core.system.jobs import Job
    from brisk_atlas.core.table.engine import Sheet

    from ..pages.desk_page import DeskPage
    from ..pages.record_page import RecordPage
    from ..sheet.grid import SheetGrid

MOST_ROWS = 500  # of a sheet
NAMES = {PlateKind.MAP: tr("Map"), PlateKind.RELIEF: tr("Relief"), PlateKind.STRIP: tr("Profile"),
         PlateKind.SHEET: tr("Rows"), PlateKind.CHART: tr("Chart"), PlateKind.RECORD: tr("Record")}  # fmt: skip


class Taken(NamedTuple):
    """What a capture made: a picture, one of side B, or rows."""

    picture: bytes = b""
    other: bytes = b""
    table: PlateTable | None = None


class PlateTaker:
    """Captures what is shown; the pictures are drawn in the background."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def take_desk(self, desk: DeskPage) -> None:
        """Capture the pane of the Desk that has the keyboard, else the map."""
        view = view_of(desk)
        if view is None:
            return
        chart = chart_with_keyboard()
        if chart is not None:
            self._take_chart(view, desk, chart)
            return
        match kind := pane_with_keyboard(desk):
            case PlateKind.RELIEF | PlateKind.STRIP:
                self._take_image(kind, view, picture_of_pane(desk, kind))
            case PlateKind.SHEET:
                self._take_rows(view, desk.sheet.grid)
            case _:
                self._store(PlateKind.MAP, view, lambda job: Taken(*map_pictures(self.session, view, job.check)))

    def take_record(self, page: RecordPage) -> None:
        """Capture the view of the record that is read."""
        work = self.session.work
        view = PlateView(work.layers, work.state.groups, work.state.subject, work.state.crs)
        self._take_image(PlateKind.RECORD, view, page.views)

    def take_map(self, desk: DeskPage, then: Callable[[str], None]) -> None:
        """Capture the map; `then` is given the id of the plate."""
        view = view_of(desk)
        if view is not None:
            take = lambda job: Taken(*map_pictures(self.session, view, job.check))  # noqa: E731
            self._store(PlateKind.MAP, view, take, then=then)

    def _take_image(self, kind: PlateKind, view: PlateView, widget: QWidget) -> None:
        image = widget.grab().toImage()
        density = image.width() / max(1, widget.width())
        self._store(kind, view, lambda job: Taken(stored_image(image)), density=density)

    def _take_chart(self, view: PlateView, desk: DeskPage, chart: Chart) -> None:
        within = next((name for name, drawer in desk.side.drawers.items() if drawer.isAncestorOf(chart)), "")
        within = "strip" if pane_with_keyboard(desk) is PlateKind.STRIP else within
        image = chart.image(DENSITY)
        take = lambda job: Taken(stored_image(image))  # noqa: E731
        self._store(PlateKind.CHART, view._replace(drawer=within), take, words=chart.title_words)

    def _take_rows(self, view: PlateView, grid: SheetGrid) -> None:
        sheet, looks = grid.sheet, [column.look for column in grid.columns.all if column.look.shown]
        picked = tuple(grid.rows)
        if sheet is not None:
            self._store(PlateKind.SHEET, view, lambda job: Taken(table=sheet_table(sheet, looks, picked)))

    def _store(
        self,
        kind: PlateKind,
        view: PlateView,
        take: Callable[[Job], Taken],
        *,
        density: float = DENSITY,
        words: str = "",
        then: Callable[[str], None] | None = None,
    ) -> None:
        """Have a plate in the album, once its pictures are drawn; `words` are what it shows of the layer."""
        work = self.session.work
        subject = work.subject
        layers = view.shown if kind in (PlateKind.MAP, PlateKind.RELIEF) or subject is None else (subject,)
        named = next(
            (each for each in layers if subject is not None and each.id == subject.id), next(iter(layers), None)
        )
        title = ": ".join(filter(None, (named.name if named is not None else "", words))) or NAMES[kind]
        plate = Plate("", title, kind, view, density=density, alt=_alt(words or NAMES[kind], layers),
                      captured=datetime.now(UTC).isoformat(timespec="seconds"))  # fmt: skip

        def make(job: Job) -> Plate:
            from brisk_atlas.core.workspace.plate_sources import sources_of

            return plate._replace(**take(job)._asdict(), sources=sources_of(layers))

        def done(made: Plate) -> None:
            album = work.state.album
            free = album.free_id()
            work.change_album(tr("capture a plate"), album.with_item(made._replace(id=free)))
            if then is not None:
                then(free)
                return
            count = len(work.state.album.plates)
            self.session.noticed.emit(
                "good", tr("{title} is plate {count} of the album, on Hand over.", title=title, count=count), ""
            )

        self.session.run(tr("Capturing a plate"), make, done)


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


def sheet_table(sheet: Sheet, looks: Sequence[ColumnView], picked: Sequence[int]) -> PlateTable:
    """Return rows of a sheet as it shows them: those that are picked, or the first. Reads what it needs."""
    import numpy as np

    from brisk_atlas.core.table.formats import text_of

    names = [look.name for look in looks]
    sheet.load(names)
    chosen = np.flatnonzero(np.isin(sheet.order, picked)) if picked else np.arange(min(len(sheet), MOST_ROWS))
    total, places = len(chosen) if picked else len(sheet), chosen[:MOST_ROWS].tolist()
    cells = [sheet.values(place, 1, names) for place in places]
    rows = tuple(tuple(_cell(row[look.name][0], look, text_of) for look in looks) for row in cells)
    return PlateTable(tuple(names), tuple(sheet.is_number(name) for name in names), rows, total)


def _cell(value: object, look: ColumnView, text: Callable[[object, ColumnView], str]) -> str:
    return "" if value is None or value != value else text(value, look)


def picture_of_pane(desk: DeskPage, kind: PlateKind) -> QWidget:
    """Return the widget that is the picture of a kind of pane."""
    match kind:
        case PlateKind.RELIEF:
            return desk.relief.canvas
        case PlateKind.STRIP:
            return desk.log.canvas if desk.shows_log else desk.strip.canvas
        case PlateKind.SHEET:
            return desk.sheet.grid
        case _:
            return desk.map.canvas


def pane_with_keyboard(desk: DeskPage) -> PlateKind:
    """Return what kind of pane has the keyboard, the map if none has."""
    focus = QApplication.focusWidget()
    panes: list[tuple[PlateKind, QWidget]] = [(PlateKind.RELIEF, desk.relief), (PlateKind.SHEET, desk.sheet)]
    panes += [(PlateKind.STRIP, desk.strip)] if desk.shows_strip else []
    panes += [(PlateKind.STRIP, desk.log)] if desk.shows_log else []
    if focus is not None:
        for kind, pane in panes:
            if pane.isVisible() and pane.isAncestorOf(focus):
                return kind
    return PlateKind.MAP


def chart_with_keyboard() -> Chart | None:
    """Return the chart that has the keyboard and shows something, None without one."""
    widget = QApplication.focusWidget()
    while widget is not None and not isinstance(widget, Chart):
        widget = widget.parentWidget()
    return widget if isinstance(widget, Chart) and widget.title_words else None


def _alt(shown: str, layers: tuple[Layer, ...]) -> str:
    """Return what a plate shows, for those who don't see it, until somebody writes it better."""
    names = [layer.name for layer in layers]
    listed = ", ".join(names[:4]) + (tr(" and {count} more layers", count=len(names) - 4) if len(names) > 4 else "")
    return tr("{shown} of {layers}", shown=shown, layers=listed) if listed else shown
