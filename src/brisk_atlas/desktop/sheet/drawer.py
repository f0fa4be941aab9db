"""The Sheet: the subject's rows, arranged, filtered, added to and edited, and picked together with the map."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import (
    WITH_ROWS,
    AtlasError,
    BadExpression,
    DataKind,
    Edit,
    Extent,
    FeatureQuery,
    Layer,
    RowsPart,
    TableView,
)
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace import Picks

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .choice_of_table import ChoiceOfTable
from .expression_edit import ExpressionEdit, words_for
from .grid import MOST_PICKED, SheetGrid
from .sheet_tools import SheetTools

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.sheet import Sheet

SCOPES = (("all", "All"), ("picked", "Picked"), ("view", "In view"))
TRY_MS = 220
SUM_LATER_MS = 120  # after other columns came into sight
FIRST_ROWS = 300  # of a large table, shown while the rest is read
LARGE = 200_000  # rows
IN_SIGHT = 10  # columns that the first look at a table sees


class SheetDrawer(QWidget):
    """A grid under a line to filter by.

    Signals:
        go_wanted(): the analyst wants the map to go to the picked rows.
        row_chosen(object, int): one row was picked by the hand, of a layer.
        window_wanted(): the sheet is to stand in a window of its own, or go back.
    """

    go_wanted = pyqtSignal()
    row_chosen = pyqtSignal(object, int)
    window_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self.layer_id: str | None = None
        self.scope = "all"
        self.view_extent: Callable[[], Extent | None] = lambda: None
        self.words: dict[str, Any] = {}  # what records say of the fields
        self._loaded: object = None
        self._arranged: object = None
        self._job: Job | None = None
        self._summing: Job | None = None
        self._summed: object = None  # which rows the summaries on show are of
        self._counting: Job | None = None
        self._whole: Sheet | None = None  # with all rows, once they are read
        self._syncing = False
        self._loading: list[str] = []
        self.tables = ChoiceOfTable(session)
        self.grid = SheetGrid()
        self.filter = ExpressionEdit()
        self.filter.setObjectName("sheet filter")
        self.filter.setPlaceholderText("Show rows where… an SQL condition, such as year = 2031")
        self.count = PlainLabel("")
        self.count.setObjectName("quiet")
        self.wrong = PlainLabel("")
        self.wrong.setObjectName("fault")
        self.wrong.setWordWrap(True)
        self.wrong.hide()
        self.tools = SheetTools(session, self.grid, self)
        self._try = QTimer(self)
        self._try.setSingleShot(True)
        self._try.setInterval(TRY_MS)
        self._try.timeout.connect(self._count_matches)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(SUM_LATER_MS)
        self._later.timeout.connect(self._sum_up)
        self._lay_out()
        self.filter.entered.connect(self.apply_filter)
        self.filter.textChanged.connect(self._typed)
        self.grid.picked.connect(self._picked)
        self.grid.sort_wanted.connect(self._sort)
        self.grid.look_changed.connect(self.put)
        self.grid.menu_wanted.connect(self.tools.column_menu)
        self.grid.row_menu_wanted.connect(self.tools.row_menu)
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
        title = PlainLabel("Sheet")
        title.setObjectName("heading")
        self.scopes: dict[str, QToolButton] = {}
        row = QHBoxLayout()
        row.setContentsMargins(8, 3, 8, 2)
        row.setSpacing(6)
        row.addWidget(title)
        row.addWidget(self.tables)
        for key, text in SCOPES:
            button = QToolButton()
            button.setObjectName("scope")
            button.setText(text)
            button.setMinimumWidth(button.fontMetrics().horizontalAdvance(text) + 16)
            button.setCheckable(True)
            button.setChecked(key == self.scope)
            button.clicked.connect(lambda checked=False, key=key: self.set_scope(key))
            self.scopes[key] = button
            row.addWidget(button)
        row.addStretch(1)
        for button in self.tools.buttons:
            row.addWidget(button)
        self.clear = QPushButton("Show all")
        self.clear.setObjectName("clear filters")
        self.clear.clicked.connect(self.clear_filters)
        self.clear.hide()
        second = QHBoxLayout()
        second.setContentsMargins(8, 0, 8, 4)
        second.setSpacing(8)
        second.addWidget(self.filter, 1)
        second.addWidget(self.count)
        second.addWidget(self.clear)
        self.beside = QSplitter()
        self.beside.addWidget(self.grid)
        self.beside.setChildrenCollapsible(False)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addLayout(second)
        column.addWidget(self.wrong)
        column.addWidget(self.beside, 1)

    def _add_series(self, chart: QWidget) -> None:
        self.beside.addWidget(chart)
        self.beside.setSizes([600, 300])

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.grid.theme = self.filter.theme = theme
        self.tools.use_theme(theme)
        self.grid.view.update()

    @property
    def sheet(self) -> Sheet | None:
        return self.grid.sheet

    @property
    def layer(self) -> Layer | None:
        """Return the layer whose rows are shown, as it stands in the work now; None for one that has none."""
        layer = self.session.work.layer(self.layer_id)
        return layer if layer is not None and layer.kind in WITH_ROWS else None

    @property
    def busy(self) -> bool:
        return self._try.isActive() or self._later.isActive()

    # Following the work

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file"):
            self.show_subject()
        if what == "picks":
            if self.scope == "picked":
                self.arrange()
            self._show_picks()
        self.tools.refresh()

    def showEvent(self, event: object) -> None:
        self.show_subject()

    def view_moved(self) -> None:
        """Follow the map where only rows in view are shown."""
        if self.scope == "view" and self.isVisible():
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
            self.filter.setText(layer.rows.where if layer else "")
            self._complain(None)
            self.tools.end_editing()
        if layer is None or layer.kind not in WITH_ROWS:
            self._whole = None
            self.grid.show_sheet(None, TableView(), {})
            self.count.setText("" if layer is None else f"{layer.name} has no rows; it is a {layer.kind}")
            self.tools.refresh()
            return
        if not same:
            self.count.setText("reading…")
            self._show_first(layer, key)

        def work(job: Job) -> tuple[Sheet, dict]:

            sheet = self.session.sheet_of(layer, job.check)
            return sheet, self.session.cache.field_meanings(layer.ref)

        def done(found: tuple[Sheet, dict]) -> None:
            if self._loaded == key:
                sheet, self.words = found
                self.tools.words = self.words
                self.filter.set_words(words_for(sheet.columns))
                self._whole = sheet
                self.arrange(anew=True)

        def failed(error: BaseException) -> None:
            if self._loaded == key:
                self.count.setText("")
                self._complain(error)
            if not isinstance(error, BadExpression):
                self.session.fault(error)

        self.session.run(f"Reading rows of {layer.name}", work, done, failed=failed)

    def _show_first(self, layer: Layer, key: object) -> None:
        """Show the first rows of a large table at once, while all of it is being read."""
        facts = self.session.facts_of(layer)
        if facts is None or (facts.count or 0) <= LARGE:
            return

        def work(job: Job) -> Sheet:
            from brisk_atlas.core.sheet import Sheet

            part = self.session.cache.part(layer.ref)
            assert isinstance(part, RowsPart)
            return Sheet(part.rows(FeatureQuery(limit=FIRST_ROWS)))

        def done(sheet: Sheet) -> None:
            if self._loaded == key and self._arranged is None:
                self.grid.show_sheet(sheet, layer.rows, self._aliases())
                self.count.setText(f"first {len(sheet):,} of {facts.count or 0:,} rows, reading on…")

        self.session.run("First rows", work, done, shown=False, failed=lambda error: None)

    def arrange(self, *, anew: bool = False) -> None:
        """Filter and sort in the background as the work says, then show."""
        layer, sheet = self.layer, self._whole
        if layer is None or sheet is None or self._loaded != (layer.id, layer.ref, layer.rows.modifications):
            return
        picks = self.session.work.picks
        rows = picks.rows if picks and picks.layer_id == layer.id else ()
        extent = self.view_extent() if self.scope == "view" else None
        among = rows if self.scope == "picked" else extent
        shown = (self._loaded, layer.rows.where, layer.rows.filters, self.scope, among)
        key = (*shown, layer.rows.sort)
        if key == self._arranged and not anew:
            self._show(layer, sheet)
            return
        self._arranged = key
        if self._job is not None:
            self._job.cancel()

        in_sight = [look.name for look in layer.rows.ordered(sheet.columns) if look.shown][:IN_SIGHT]

        def work(job: Job) -> np.ndarray:
            from brisk_atlas.core.rows import shown_rows

            mask = shown_rows(self.session.cache, layer, job.check)
            chosen = self._among(layer, sheet, rows, extent)
            mask = chosen if mask is None else mask if chosen is None else mask & chosen
            order = sheet.arrange("", layer.rows.sort, mask, job.check)
            sheet.load(in_sight)  # before the window asks for them
            return order

        def done(order: np.ndarray) -> None:
            if self._arranged == key:
                sheet.order = order
                if self._summed != shown:  # other rows: what was summed up is of those before
                    self._summed = shown
                    self.grid.set_summary({}, {})
                self._complain(None)
                self._show(layer, sheet)
                self._show_picks(scroll=True)
                self._sum_up()

        def failed(error: BaseException) -> None:
            self._complain(error)
            if not isinstance(error, AtlasError):
                self.session.fault(error)

        self._job = self.session.run("Arranging rows", work, done, shown=sheet.table.num_rows > LARGE, failed=failed)

    def _load(self, fields: list[str]) -> None:
        """Read fields that came into sight, in the background."""
        sheet = self.sheet
        if sheet is None or fields == self._loading:
            return
        self._loading = fields

        def done(nothing: object) -> None:
            self._loading = []
            self.grid.view.update()

        self.session.run(f"Reading {fields[0]}", lambda job: sheet.load(fields), done, shown=False)

    def _among(self, layer: Layer, sheet: Sheet, rows: tuple[int, ...], extent: Extent | None) -> np.ndarray | None:
        """Return (rows,) bool of the rows that the scope lets show; None for all."""
        import numpy as np

        placed = layer.kind is DataKind.VECTOR and not self.session.is_streamed(layer)
        if self.scope == "all" or (self.scope == "view" and (extent is None or not placed)):
            return None
        mask = np.zeros(sheet.table.num_rows, bool)
        if self.scope == "picked":
            mask[[r for r in rows if r < len(mask)]] = True
        elif extent is not None:
            mask[self.session.cache.shape_index(layer.ref, extent.crs).within(extent)] = True
        return mask

    def _show(self, layer: Layer, sheet: Sheet) -> None:
        from brisk_atlas.core.rows.editing import changed_cells

        self.grid.changed_cells = changed_cells(layer.rows.edits)
        self.grid.show_sheet(sheet, layer.rows, self._aliases())
        self.filter.setText(layer.rows.where) if not self.filter.hasFocus() else None
        self.clear.setVisible(layer.rows.filtered)
        self._tell()
        self.tools.refresh()
        self._sum_up()

    def _aliases(self) -> dict[str, str]:
        return {name: stated.alias for name, stated in self.words.items() if stated.alias}

    def _tell(self) -> None:
        sheet, layer = self.sheet, self.layer
        if sheet is None or layer is None:
            return
        whole, shown = sheet.table.num_rows, len(sheet)
        text = f"{shown:,} of {whole:,} rows" if shown != whole else f"{whole:,} rows"
        edits = len(self.grid.changed_cells)
        self.count.setText(text + (f" · {edits:,} edited" if edits else ""))
        from brisk_atlas.core.rows.filters import words_of

        lines = [words_of(f) for f in layer.rows.filters]
        if self.session.is_streamed(layer):
            lines.append("The layer is read by view, so its rows are not tied to the map.")
        self.count.setToolTip("\n".join(lines))

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

        self._summing = self.session.run("Summing up", work, done, shown=False)

    # What the hand changes

    def put(self, what: str, look: TableView) -> None:
        """Take on another look of the rows, as one step of undo."""
        if self.layer_id is not None:
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
        self.put(f"sort by {field}", replace(layer.rows, sort=sort))

    def set_scope(self, scope: str) -> None:
        """Show all rows, the picked ones, or those in view."""
        self.scope = scope
        for key, button in self.scopes.items():
            button.setChecked(key == scope)
        self.arrange()

    def _typed(self) -> None:
        if self.filter.hasFocus():
            self._try.start()
        if not self.filter.text() and self.layer is not None and self.layer.rows.where:
            self.apply_filter()

    def _count_matches(self) -> None:
        """Say how many rows the condition that is being typed would show, or what is wrong with it."""
        layer, text = self.layer, self.filter.text()
        if self._counting is not None:
            self._counting.cancel()
        if layer is None or not text or self.sheet is None or text == layer.rows.where:
            self._complain(None)
            self._tell()
            return

        def work(job: Job) -> int:
            from brisk_atlas.core.rows import matching

            return int(matching(self.session.cache, layer, text, job.check).sum())

        def done(count: int) -> None:
            if self.filter.text() == text:
                self._complain(None)
                self.count.setText(f"{count:,} rows match, Return shows them")

        def failed(error: BaseException) -> None:
            if self.filter.text() == text:
                self._complain(error)

        shown = self.sheet.table.num_rows > LARGE  # with a way to cancel it
        self._counting = self.session.run("Counting rows", work, done, shown=shown, failed=failed)

    def apply_filter(self) -> None:
        """Filter by what is typed. A wrong expression is told under the line; the rows stay as they are."""
        layer, text = self.layer, self.filter.text()
        self._try.stop()
        if layer is None or self.sheet is None:
            return
        if not text:
            self._complain(None)
            self.put("filter rows", replace(layer.rows, where=""))
            return

        def check(job: Job) -> None:
            from brisk_atlas.core.rows import matching

            matching(self.session.cache, layer, text, job.check)

        self.session.run(
            "Filtering rows",
            check,
            lambda nothing: self.put("filter rows", replace(layer.rows, where=text)),
            shown=self.sheet.table.num_rows > LARGE,
            failed=self._complain,
        )

    def clear_filters(self) -> None:
        layer = self.layer
        if layer is not None:
            self.filter.setText("")
            self.put("show all rows", replace(layer.rows, where="", filters=()))

    def _complain(self, error: BaseException | None) -> None:
        text = f"{error.reason}. {error.remedy}".strip() if isinstance(error, AtlasError) else ""
        self.wrong.setText("  " + text)
        self.wrong.setVisible(bool(text))
        self.filter.mark(error.at if isinstance(error, BadExpression) else None, wrong=bool(text))

    # Picks

    def _picked(self, rows: set[int]) -> None:
        if self._syncing or self.layer_id is None:
            return
        self._syncing = True
        chosen = tuple(rows)
        if len(chosen) >= MOST_PICKED:
            text = f"Only {MOST_PICKED:,} rows are picked at once. Filter them, or export all that show."
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
        from brisk_atlas.core.rows.editing import state_of, value_from

        layer, sheet = self.layer, self.sheet
        if layer is None or sheet is None:
            return
        try:
            value = value_from(text, sheet.type_of(field), field)
        except BadExpression as error:
            self._complain(error)
            return
        self._complain(None)
        if sheet.table.column(field)[row].as_py() == value:
            return
        dataset = self.session.dataset_of(layer)
        before = layer.rows.edited_from or (state_of(dataset.members) if dataset else ())
        edits = (*layer.rows.edits, Edit(field, (row,), (value,)))
        self.put(f"edit {field}", replace(layer.rows, edits=edits, edited_from=before))
