"""The Sheet: the subject's rows, arranged, filtered, added to and edited, and picked together with the map."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QSplitter, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, BadExpression, Edit, Extent, FeatureQuery, Layer, RowsPart, TableView
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace import Picks

from ..later import Later
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .choice_of_table import ChoiceOfTable
from .field_acts import FieldActs
from .filter_line import LARGE, FilterLine
from .grid import MOST_PICKED, SheetGrid
from .sheet_tools import SheetTools

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.table.engine import Sheet

SUM_LATER_MS = 120  # after other columns came into sight
FIRST_ROWS = 300  # of a large table, shown while the rest is read
IN_SIGHT, IN_SIGHT_ROWS = 10, 120  # columns and rows that the first look at a table sees


class Scope(StrEnum):
    """Which rows are shown, by the words of its button."""

    ALL = tr("All")
    PICKED = tr("Picked")
    VIEW = tr("In view")


class SheetDrawer(QWidget):
    """A grid under a line to filter by.

    Signals:
        row_menu_wanted(object): where the menu of the rows is wanted.
        field_menu_wanted(object): where the menu of a field is wanted, which `fields` acts on.
        go_wanted(): the analyst wants the map to go to the picked rows.
        row_chosen(object, int): one row was picked by the hand, of a layer.
        window_wanted(): the sheet is to stand in a window of its own, or go back.
        rows_edited(object): Edits of rows of a copy of an outlet.
    """

    row_menu_wanted = pyqtSignal(object)
    field_menu_wanted = pyqtSignal(object)
    go_wanted = pyqtSignal()
    row_chosen = pyqtSignal(object, int)
    window_wanted = pyqtSignal()
    rows_edited = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self.layer_id: str | None = None
        self.scope = Scope.ALL
        self.view_extent: Callable[[], Extent | None] = lambda: None
        self.words: dict[str, Any] = {}  # what records say of the fields
        self._loaded: object = None
        self._arranged: object = None
        self._job: Job | None = None
        self._summing: Job | None = None
        self._summed: object = None  # which rows the summaries on show are of
        self._whole: Sheet | None = None  # with all rows, once they are read
        self._syncing = False
        self._loading: list[str] = []
        self.tables = ChoiceOfTable(session)
        self.grid = SheetGrid()
        self.filter_line = FilterLine(session, self.grid)
        self.tools = SheetTools(session, self.grid, self)
        self.fields = FieldActs(session, self.grid, lambda: self.layer, self.put, self.tools.column_menu)
        self._later = Later(self, SUM_LATER_MS, self._sum_up)
        self._lay_out()
        self.filter_line.look_changed.connect(self.put)
        self.grid.picked.connect(self._picked)
        self.grid.sort_wanted.connect(self._sort)
        self.grid.look_changed.connect(self.put)
        self.grid.menu_wanted.connect(self.tools.column_menu)
        self.grid.row_menu_wanted.connect(self.row_menu_wanted)
        self.grid.field_menu_wanted.connect(self._offer_field_menu)
        self.grid.edited.connect(self._edited)
        self.grid.go_wanted.connect(self.go_wanted)
        self.grid.columns_wanted.connect(self._load)
        self.tools.look_changed.connect(self.put)
        self.tools.go_wanted.connect(self.go_wanted)
        self.tools.window_wanted.connect(self.window_wanted)
        self.tools.series_made.connect(self._add_series)
        self.grid.seen_changed.connect(self._later.start)
        session.work_changed.connect(self._work_changed)

    def _lay_out(self) -> None:
        title = PlainLabel(tr("Sheet"))
        title.setObjectName("heading")
        self.scopes: dict[Scope, QToolButton] = {}
        row = QHBoxLayout()
        row.setContentsMargins(8, 3, 8, 2)
        row.setSpacing(6)
        row.addWidget(title)
        row.addWidget(self.tables)
        for scope in Scope:
            button = QToolButton()
            button.setObjectName("scope")
            button.setText(scope)
            button.setMinimumWidth(button.fontMetrics().horizontalAdvance(scope) + 16)
            button.setCheckable(True)
            button.setChecked(scope is self.scope)
            button.clicked.connect(lambda checked=False, scope=scope: self.set_scope(scope))
            self.scopes[scope] = button
            row.addWidget(button)
        row.addStretch(1)
        for button in self.tools.buttons:
            row.addWidget(button)
        self.beside = QSplitter()
        self.beside.addWidget(self.grid)
        self.beside.setChildrenCollapsible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(self.filter_line)
        column.addWidget(self.beside, 1)

    def _add_series(self, chart: QWidget) -> None:
        self.beside.addWidget(chart)
        self.beside.setSizes([600, 300])

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.grid.theme = self.filter_line.edit.theme = theme
        self.tools.use_theme(theme)
        self.grid.view.update()

    @property
    def sheet(self) -> Sheet | None:
        return self.grid.sheet

    @property
    def layer(self) -> Layer | None:
        """Return the layer whose rows are shown, as it stands in the work now; None for one that has none."""
        layer = self.session.work.layer(self.layer_id)
        return layer if layer is not None and layer.kind.has_rows else None

    @property
    def busy(self) -> bool:
        return self.filter_line.busy or self._later.isActive()

    # Following the work

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file"):
            self.show_subject()
        if what == "picks":
            if self.scope is Scope.PICKED:
                self.arrange()
            self._show_picks()
        self.tools.refresh()

    def showEvent(self, event: object) -> None:
        self.show_subject()

    def view_moved(self) -> None:
        """Follow the map where only rows in view are shown."""
        if self.scope is Scope.VIEW and self.isVisible():
            self.arrange()

    def show_subject(self) -> None:
        """Load the subject's rows in the background, if it has rows and the drawer is open."""
        if not self.isVisible():
            return
        layer = self.session.work.subject
        self.tables.refresh()
        key = (layer.id, layer.ref, layer.rows.modifications) if layer else None
        if key == self._loaded:
            self.arrange()
            return
        same = layer is not None and layer.id == self.layer_id
        self._loaded, self._arranged = key, None
        self.layer_id = self.tools.layer_id = layer.id if layer else None
        if not same:
            self.filter_line.begin(layer)
            self.tools.end_editing()
        if layer is None or not layer.kind.has_rows:
            self._whole = None
            self.grid.show_sheet(None, TableView(), {})
            self.filter_line.count.setText(
                "" if layer is None else tr("{name} has no rows; it is a {kind}", name=layer.name, kind=layer.kind)
            )
            self.tools.refresh()
            return
        if not same:
            self.filter_line.count.setText(tr("reading…"))
            self._show_first(layer, key)

        def work(job: Job) -> tuple[Sheet, dict]:

            sheet = self.session.sheet_of(layer, job.check)
            return sheet, self.session.cache.field_meanings(layer.ref)

        def done(found: tuple[Sheet, dict]) -> None:
            if self._loaded == key:
                sheet, self.words = found
                self.tools.words = self.words
                self.filter_line.show_words(sheet.columns)
                self._whole = sheet
                self.arrange(anew=True)

        def failed(error: BaseException) -> None:
            if self._loaded == key:
                self.filter_line.count.setText("")
                self.filter_line.complain(error)
            if not isinstance(error, BadExpression):
                self.session.fault(error)

        self.session.run(tr("Reading rows of {name}", name=layer.name), work, done, failed=failed)

    def _show_first(self, layer: Layer, key: object) -> None:
        """Show the first rows of a large table at once, while all of it is being read."""
        facts = self.session.facts_of(layer)
        if facts is None or (facts.count or 0) <= LARGE:
            return

        def work(job: Job) -> Sheet:
            from brisk_atlas.core.table.engine import Sheet

            part = self.session.cache.part(layer.ref)
            assert isinstance(part, RowsPart)
            return Sheet(part.rows(FeatureQuery(limit=FIRST_ROWS)))

        def done(sheet: Sheet) -> None:
            if self._loaded == key and self._arranged is None:
                self.grid.show_sheet(sheet, layer.rows, self._aliases())
                self.filter_line.count.setText(
                    tr("first {count:,} of {count2:,} rows, reading on…", count=len(sheet), count2=facts.count or 0)
                )

        self.session.run(tr("First rows"), work, done, shown=False, failed=lambda error: None)

    def arrange(self, *, anew: bool = False) -> None:
        """Filter and sort in the background as the work says, then show."""
        layer, sheet = self.layer, self._whole
        if layer is None or sheet is None or self._loaded != (layer.id, layer.ref, layer.rows.modifications):
            return
        picks = self.session.work.picks
        rows = picks.rows if picks and picks.layer_id == layer.id else ()
        extent = self.view_extent() if self.scope is Scope.VIEW else None
        among = rows if self.scope is Scope.PICKED else extent
        shown = (self._loaded, layer.rows.where, layer.rows.filters, self.scope, among)
        key = (*shown, layer.rows.sort)
        if key == self._arranged and not anew:
            self._show(layer, sheet)
            return
        self._arranged = key
        if self._job is not None:
            self._job.cancel()

        in_sight = [look.name for look in layer.rows.ordered(sheet.columns) if look.shown][:IN_SIGHT]
        first = self.grid.first

        def work(job: Job) -> np.ndarray:
            from brisk_atlas.core.table import shown_rows

            mask = shown_rows(self.session.cache, layer, job.check)
            chosen = self._among(layer, sheet, rows, extent)
            mask = chosen if mask is None else mask if chosen is None else mask & chosen
            order = sheet.arrange("", layer.rows.sort, mask, job.check)
            sheet.look_up(order[first : first + IN_SIGHT_ROWS], in_sight)  # before the window asks for them
            return order

        def done(order: np.ndarray) -> None:
            if self._arranged == key:
                sheet.order = order
                if self._summed != shown:  # other rows: what was summed up is of those before
                    self._summed = shown
                    self.grid.set_summary({}, {})
                self.filter_line.complain(None)
                self._show(layer, sheet)
                self._show_picks(scroll=True)
                self._sum_up()
                if not sheet.ready(in_sight):
                    self._load(in_sight)  # so that scrolling waits for nothing

        def failed(error: BaseException) -> None:
            self.filter_line.complain(error)
            if not isinstance(error, AtlasError):
                self.session.fault(error)

        self._job = self.session.run(
            tr("Arranging rows"), work, done, shown=sheet.table.num_rows > LARGE, failed=failed
        )

    def _load(self, fields: list[str]) -> None:
        """Read fields that came into sight, in the background."""
        sheet = self.sheet
        if sheet is None or fields == self._loading:
            return
        self._loading = fields

        def done(nothing: object) -> None:
            self._loading = []
            self.grid.view.update()

        self.session.run(tr("Reading {fields}", fields=fields[0]), lambda job: sheet.load(fields), done, shown=False)

    def _among(self, layer: Layer, sheet: Sheet, rows: tuple[int, ...], extent: Extent | None) -> np.ndarray | None:
        """Return (rows,) bool of the rows that the scope lets show; None for all."""
        import numpy as np

        placed = layer.kind.has_shapes and not self.session.is_streamed(layer)
        if self.scope is Scope.ALL or (self.scope is Scope.VIEW and (extent is None or not placed)):
            return None
        mask = np.zeros(sheet.table.num_rows, bool)
        if self.scope is Scope.PICKED:
            mask[[r for r in rows if r < len(mask)]] = True
        elif extent is not None:
            mask[self.session.cache.shape_index(layer.ref, extent.crs).within(extent)] = True
        return mask

    def _show(self, layer: Layer, sheet: Sheet) -> None:
        from brisk_atlas.core.table.editing import changed_cells

        self.grid.changed_cells = changed_cells(layer.rows.edits)
        self.grid.show_sheet(sheet, layer.rows, self._aliases())
        self.filter_line.refresh()
        self.tools.refresh()
        self._sum_up()

    def _aliases(self) -> dict[str, str]:
        return {name: stated.alias for name, stated in self.words.items() if stated.alias}

    def _sum_up(self) -> None:
        """Work out the small distributions of the columns in sight, and their summaries if they are wanted."""
        layer, sheet, grid, key = self.layer, self.sheet, self.grid, self._summed
        if layer is None or sheet is None or sheet is not self._whole:
            return
        in_sight = [grid.columns.all[n].field for n in grid.columns.in_view(grid.scrolled, grid.view.width())]
        bars = [field for field in in_sight if field not in grid.bars]
        sums = [field for field in in_sight if field not in grid.summaries] if layer.rows.summary else []
        if not bars and not sums:
            return
        if self._summing is not None:
            self._summing.cancel()

        def work(job: Job) -> tuple[dict, dict]:
            import numpy as np

            counts, result = {}, {}
            for field in bars:
                job.check()
                found = sheet.distribution(field)
                counts[field] = np.zeros(0) if found is None else found
            for field in sums:
                result[field] = sheet.summary(field, job.check)
            return result, counts

        def done(found: tuple[dict, dict]) -> None:
            if self._summed == key:
                grid.set_summary({**grid.summaries, **found[0]}, {**grid.bars, **found[1]})

        self._summing = self.session.run(tr("Summing up"), work, done, shown=False)

    # What the hand changes

    def _offer_field_menu(self, field: str, at: QPoint) -> None:
        self.fields.take_field(field)
        self.field_menu_wanted.emit(at)

    def put(self, what: str, look: TableView) -> None:
        """Take on another look of the rows, as one step of undo; edits of a copy of an outlet go into its draft."""
        layer = self.layer
        if layer is not None and layer.ref.is_copy and look.edits != layer.rows.edits:
            self.rows_edited.emit(look.edits[len(layer.rows.edits) :])
        elif self.layer_id is not None:
            self.session.work.change(what, self.layer_id, rows=look)

    def _sort(self, field: str, beside: bool) -> None:
        """Sort by a field, the other way round, or not at all; `beside` keeps what it is sorted by already."""
        layer = self.layer
        if layer is None:
            return
        now = dict(layer.rows.sort)
        turned = {field: False} if field not in now else {field: True} if not now[field] else {}
        others = {k: v for k, v in now.items() if k != field} if beside else {}
        sort = tuple({**others, **turned}.items())
        if beside and field in now and turned:
            sort = tuple((k, turned[field] if k == field else v) for k, v in now.items())
        self.put(tr("sort by {field}", field=field), replace(layer.rows, sort=sort))

    def set_scope(self, scope: Scope) -> None:
        """Show all rows, the picked ones, or those in view."""
        self.scope = scope
        for key, button in self.scopes.items():
            button.setChecked(key is scope)
        self.arrange()

    # Picks

    def _picked(self, rows: set[int]) -> None:
        if self._syncing or self.layer_id is None:
            return
        self._syncing = True
        chosen = tuple(rows)
        if len(chosen) >= MOST_PICKED:
            text = tr(
                "Only {most_picked:,} rows are picked at once. Filter them, or export all that show.",
                most_picked=MOST_PICKED,
            )
            self.session.noticed.emit("fault", text, "")
        self.session.work.pick(Picks(self.layer_id, chosen) if chosen else None)
        self._syncing = False
        self.tools.show_series()
        layer = self.layer
        if len(chosen) == 1 and layer is not None:
            self.row_chosen.emit(layer, chosen[0])

    def _show_picks(self, *, scroll: bool = True) -> None:
        """Mark the picked rows and bring the first into sight."""
        picks = self.session.work.picks
        if self._syncing:
            return
        rows = set(picks.rows) if picks and picks.layer_id == self.layer_id else set()
        if rows != self.grid.rows or scroll:
            self.grid.show_picked(rows, scroll=scroll and bool(rows))

    def _edited(self, row: int, field: str, text: str) -> None:
        """Take an edited value into the working copy, if it fits its field."""
        from brisk_atlas.core.table.editing import value_from
        from brisk_atlas.core.table.write_back import state_before

        layer, sheet = self.layer, self.sheet
        if layer is None or sheet is None:
            return
        try:
            value = value_from(text, sheet.type_of(field), field)
        except BadExpression as error:
            self.filter_line.complain(error)
            return
        self.filter_line.complain(None)
        seen = sheet.table.column(field)[row].as_py()
        if seen == value:
            return
        before = layer.rows.edited_from or state_before(self.session.cache, layer)
        edits = (*layer.rows.edits, Edit(field, (row,), (value,), (seen,)))
        self.put(tr("edit {field}", field=field), replace(layer.rows, edits=edits, edited_from=before))
