"""What can be done with the rows of a sheet besides looking: fields, computing, joining, editing, copying, export."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QPoint, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QMenu, QToolButton, QWidget

from brisk_atlas.core.model import AtlasError, ComputedField, Layer, PlaceKind, TableView
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.words import unique_names
from brisk_atlas.core.system.jobs import Job, Lane

from ..icons import icon
from ..plain_text import plain_tip
from ..reading_again import go_on_saved
from ..session import Session
from ..theme import LIGHT, Theme
from .column_menu import ColumnMenu
from .copies import COPIES
from .fields_form import FieldsForm
from .related_tables import RelatedTables

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Written

    from .builder import Builder
    from .grid import SheetGrid
    from .join_form import JoinForm
    from .replace_form import ReplaceForm
    from .save_form import SaveForm
    from .series_chart import SeriesChart

EXPORTS = {tr("CSV (*.csv)"): "CSV", tr("XLSX (*.xlsx)"): "XLSX", tr("Parquet (*.parquet)"): "Parquet"}
BUTTON_PX = 30
BUTTONS = (
    ("fields", "columns", tr("Choose and order fields")),
    ("compute", "math-operations", tr("Add a computed field")),
    ("join", "link", tr("Join another table by a key")),
    ("summary", "list-numbers", tr("Summary of each column")),
    ("on map", "funnel", tr("Let the filters act on the map")),
    ("edit", "pencil-simple", tr("Edit values on a working copy")),
    ("go", "crosshair", tr("Go to the picked rows on the map")),
    ("window", "arrow-square-out", tr("Show the sheet in a window of its own, or back")),
    ("more", "dots-three", tr("Copy, export, save edits, replace")),
)


class SheetTools(QObject):
    """The buttons of a sheet and what they do, with the rows that `grid` shows of the layer `layer_id`.

    Signals:
        look_changed(str, object): what was changed, in words, and the new TableView.
        go_wanted(): to the picked rows on the map.
        window_wanted(): the sheet is to stand in a window of its own, or go back.
        series_made(object): a chart of related rows, to stand beside the grid.
    """

    look_changed = pyqtSignal(str, object)
    go_wanted = pyqtSignal()
    window_wanted = pyqtSignal()
    series_made = pyqtSignal(object)

    def __init__(self, session: Session, grid: SheetGrid, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.grid, self.window = session, grid, parent
        self.layer_id: str | None = None
        self.words: dict[str, Any] = {}  # what records say of the fields
        self.related = RelatedTables(session)
        self.related.look_changed.connect(self.look_changed)
        self.theme: Theme = LIGHT
        self.series: SeriesChart | None = None
        self.form: FieldsForm | Builder | JoinForm | ReplaceForm | SaveForm | None = None
        self.menu: ColumnMenu | None = None
        self.button: dict[str, QToolButton] = {}
        runs = {
            "fields": self.choose_fields, "compute": self.compute, "join": self.join, "summary": self.turn_summary,
            "on map": self.turn_on_map, "edit": self.turn_editing, "go": self.go_wanted.emit,
            "window": self.window_wanted.emit, "more": self.show_more,
        }  # fmt: skip
        for name, _, tip in BUTTONS:
            button = QToolButton()
            button.setObjectName(name)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setFixedWidth(BUTTON_PX)
            button.setCheckable(name in ("summary", "on map", "edit"))
            button.clicked.connect(lambda checked=False, run=runs[name]: run())
            self.button[name] = button

    @property
    def buttons(self) -> list[QToolButton]:
        return list(self.button.values())

    def use_theme(self, theme: Theme) -> None:
        self.theme = theme
        for name, mark, _ in BUTTONS:
            self.button[name].setIcon(icon(mark, theme.ink))
        if self.series is not None:
            self.series.use_theme(theme)

    @property
    def layer(self) -> Layer | None:
        """Return the layer if its rows are on show."""
        layer = self.session.work.layer(self.layer_id) if self.grid.sheet is not None else None
        return layer if layer is not None and layer.kind.has_rows else None

    def refresh(self) -> None:
        """Say what can be done now."""
        layer = self.layer
        for name, button in self.button.items():
            button.setEnabled(layer is not None or name == "window")
        placed = layer is not None and layer.kind.has_shapes and not self.session.is_streamed(layer)
        self.button["go"].setEnabled(placed and self.session.work.picks is not None)
        self.button["on map"].setEnabled(layer is not None and layer.kind.has_shapes)
        look = layer.rows if layer else TableView()
        self.button["summary"].setChecked(look.summary)
        self.button["on map"].setChecked(look.on_map)
        self.show_series()

    # Fields

    def choose_fields(self) -> None:
        layer, sheet = self.layer, self.grid.sheet
        if layer is None or sheet is None:
            return
        about = {
            name: " · ".join(v for v in (stated.alias, stated.description, stated.unit) if v)
            for name, stated in self.words.items()
        }
        self.form = FieldsForm(layer.rows, sheet.columns, about, self.window)
        self.form.look_changed.connect(self.look_changed)
        self.form.open()

    def column_menu(self, field: str, at: QPoint) -> None:
        """Show what can be done with a column, and count its values."""
        layer, sheet = self.layer, self.grid.sheet
        if layer is None or sheet is None:
            return
        kind = sheet.type_of(field)
        words = "number" if sheet.is_number(field) else "date" if _is_date(kind) else "text"
        self.menu = menu = ColumnMenu(field, layer.rows, sheet.columns, words, self.window)
        menu.setProperty("arrow", kind)
        menu.look_changed.connect(self.look_changed)
        menu.show_at(at)
        self.session.run(
            tr("Counting values"),
            lambda job: sheet.distinct(field, check=job.check),
            lambda found: menu.offer(found) if self.menu is menu and menu.isVisible() else None,
            shown=False,
            failed=lambda error: None,
        )

    def compute(self, before: ComputedField | None = None) -> None:
        from .builder import Builder

        layer, sheet = self.layer, self.grid.sheet
        if layer is None or sheet is None:
            return
        self.form = Builder(self.session, layer, sheet.columns, self.theme, self.window, before)
        self.form.made.connect(self._take_field)
        self.form.open()

    def _take_field(self, field: ComputedField, instead: str) -> None:
        layer = self.layer
        if layer is None:
            return
        fields = tuple(field if c.name == instead else c for c in layer.rows.computed)
        fields = fields if instead else (*fields, field)
        self.look_changed.emit(f"compute {field.name}", replace(layer.rows, computed=fields))

    def remove_field(self, name: str) -> None:
        layer = self.layer
        if layer is not None:
            rest = tuple(c for c in layer.rows.computed if c.name != name)
            self.look_changed.emit(tr("take off {name}", name=name), replace(layer.rows, computed=rest))

    def join(self) -> None:
        from .join_form import JoinForm

        layer, sheet = self.layer, self.grid.sheet
        if layer is None or sheet is None:
            return
        self.form = JoinForm(self.session, layer, sheet.columns, self.window)
        self.form.look_changed.connect(self.look_changed)
        self.form.open()

    def turn_summary(self) -> None:
        layer = self.layer
        if layer is not None:
            self.look_changed.emit(tr("summary row"), replace(layer.rows, summary=not layer.rows.summary))

    def turn_on_map(self) -> None:
        layer = self.layer
        if layer is not None:
            self.look_changed.emit(tr("filter on the map"), replace(layer.rows, on_map=not layer.rows.on_map))

    # Editing

    def turn_editing(self) -> None:
        self.grid.editable = self.button["edit"].isChecked()
        self.grid.setFocus()

    def end_editing(self) -> None:
        self.button["edit"].setChecked(False)
        self.grid.editable = False

    def replace_values(self) -> None:
        from .replace_form import ReplaceForm

        layer, sheet = self.layer, self.grid.sheet
        if layer is None or sheet is None:
            return
        current = self.grid.columns.all[self.grid.current[1]].field
        own = [f.name for f in self.session.cache.part(layer.ref).facts.fields]
        self.form = ReplaceForm(self.session, layer, sheet, own, current, self.window)
        self.form.look_changed.connect(self.look_changed)
        self.form.open()

    def save_edits(self) -> None:
        """Write the edits into the file they belong to, unless it changed meanwhile; into a table of a database once
        what will be written was seen."""
        layer = self.layer
        if layer is None or not layer.rows.edits:
            return
        if layer.ref.kind is not PlaceKind.TABLE:
            self._write_edits(layer)
            return
        from brisk_atlas.core.table.write_back import changes_of

        from .save_form import SaveForm

        def ask(changes: list[str]) -> None:
            self.form = SaveForm(str(layer.ref.whole), changes, self.window)
            self.form.accepted.connect(lambda: self._write_edits(layer))
            self.form.open()

        self.session.run(tr("Reading {name}", name=layer.name), lambda job: changes_of(self.session.cache, layer), ask)

    def _write_edits(self, layer: Layer) -> None:
        name = layer.ref.name

        from brisk_atlas.core.operations import SaveEdits

        self.session.run_operation(
            tr("Saving edits into {name}", name=name),
            SaveEdits(layer.id),
            lambda result: self._saved(layer, result),
            lane=Lane.INTERACTIVE,
        )

    def _saved(self, layer: Layer, result: Written) -> None:
        go_on_saved(self.session, layer)
        self.session.noticed.emit("good", tr("Saved {what} in {name}", what=result.what, name=layer.ref.name), "")

    def save_as_new(self) -> None:
        """Write the rows as they stand to a new file, and work with that from now on, if wanted."""
        layer = self.layer
        if layer is None:
            return
        vector = layer.kind.has_shapes
        kinds = tr("GeoPackage (*.gpkg);;GeoJSON (*.geojson);;FlatGeobuf (*.fgb);;Shapefile (*.shp)")
        start = layer.ref.beside(f"{layer.name}_edited" + (".gpkg" if vector else ".csv"))
        chosen, kind = QFileDialog.getSaveFileName(
            self.window, tr("Save as a new file"), str(start), kinds if vector else ";;".join(EXPORTS)
        )
        if chosen:
            self.write_new(layer, _with_ending(Path(chosen), kind))

    def write_new(self, layer: Layer, path: Path) -> None:
        """Write the rows of a layer as they stand to a new file."""
        from brisk_atlas.core.operations import Export

        def done(result: Written) -> None:
            self.session.noticed.emit("good", tr("Wrote {what} to {name}", what=result.what, name=path.name), "")

        self.session.run_operation(tr("Writing {name}", name=path.name), Export(layer.id, path), done)

    # Menus

    def show_more(self) -> None:
        button = self.button["more"]
        self.more_menu().popup(button.mapToGlobal(QPoint(0, button.height())))

    def more_menu(self) -> QMenu:
        """Return the menu of what is done less often."""
        from brisk_atlas.core.table.write_back import why_not

        menu, layer = QMenu(self.window), self.layer
        dataset = self.session.dataset_of(layer) if layer else None
        edits = bool(layer and layer.rows.edits)
        reason = why_not(dataset) if dataset else tr("nothing is open")
        save = menu.addAction(
            tr("Save edits into {name}", name=layer.ref.name) if layer else tr("Save edits"), self.save_edits
        )
        if save is not None:
            save.setEnabled(edits and reason is None)
            save.setToolTip(plain_tip(reason or ""))
        menu.setToolTipsVisible(True)
        menu.addAction(tr("Save as a new file…"), self.save_as_new)
        menu.addAction(tr("Find and replace…"), self.replace_values)
        if layer is not None and layer.rows.edits:
            menu.addAction(
                tr("Discard edits"),
                lambda: self.look_changed.emit(tr("discard edits"), replace(layer.rows, edits=(), edited_from=())),
            )
        menu.addSeparator()
        menu.addAction(tr("Export as seen…"), self.export)
        self._add_copies(menu)
        for field in layer.rows.computed if layer else ():
            sub = menu.addMenu(field.name)
            if sub is not None:
                sub.addAction(tr("Change…"), lambda field=field: self.compute(field))
                sub.addAction(tr("Remove field"), lambda name=field.name: self.remove_field(name))
        if layer is not None:
            self.related.offer(menu, layer)
        for join in layer.rows.joins if layer else ():
            rest = tuple(j for j in layer.rows.joins if j is not join)  # type: ignore[union-attr]
            menu.addAction(
                tr("Remove join {name}", name=join.name),
                lambda rest=rest: self.look_changed.emit(tr("part from a table"), replace(layer.rows, joins=rest)),  # type: ignore[union-attr]
            )
        return menu

    def _add_copies(self, menu: QMenu) -> None:
        menu.addSeparator()
        for kind, words in COPIES:
            if kind not in ("geojson", "wkt") or (self.layer and self.layer.kind.has_shapes):
                menu.addAction(words, lambda kind=kind: self.copy(kind))

    # Copying and exporting

    def copy(self, kind: str) -> None:
        """Copy the current cell, or the picked rows (all that show, where none is picked), as seen."""
        layer, sheet, grid = self.layer, self.grid.sheet, self.grid
        if layer is None or sheet is None or not len(sheet) or not len(grid.columns):
            return
        place, number = grid.current
        if kind == "cells":
            field = grid.columns.all[number].field
            _to_clipboard(grid.texts(place, 1, [field])[place, field])
            return
        fields = [c.field for c in grid.columns.all]
        picked = set(grid.rows)

        def work(job: Job) -> tuple[str, int]:
            import numpy as np
            import pyarrow as pa

            from brisk_atlas.core.table import copying

            order = sheet.order
            rows = order[np.isin(order, np.fromiter(picked, np.int64, len(picked)))] if picked else order
            if len(rows) > copying.MOST_COPIED:
                raise AtlasError(
                    tr("Copying"),
                    tr("{count:,} rows are too many for the clipboard", count=len(rows)),
                    tr("Export them instead."),
                )
            table = sheet.table.select(fields).take(pa.array(rows))
            if kind == "rows":
                return copying.separated(table), len(rows)
            if kind == "csv":
                return copying.separated(table, ","), len(rows)
            features = self.session.cache.features(layer.ref)
            if kind == "wkt":
                return copying.well_known(features.wkb, rows.tolist()), len(rows)
            return copying.geojson(table, features.wkb.take(pa.array(rows)), features.crs), len(rows)

        def done(found: tuple[str, int]) -> None:
            _to_clipboard(found[0])
            self.session.noticed.emit("good", trn("Copied {count:,} row", "Copied {count:,} rows", found[1]), "")

        self.session.run(tr("Copying"), work, done, shown=False)

    def export(self) -> None:
        layer = self.layer
        if layer is None:
            return
        start = layer.ref.beside(f"{layer.name}_rows.csv")
        chosen, kind = QFileDialog.getSaveFileName(self.window, tr("Export as seen"), str(start), ";;".join(EXPORTS))
        if chosen:
            self.export_to(Path(chosen), EXPORTS[kind])

    def export_to(self, path: Path, format_: str) -> None:
        """Write the table as it is seen: its rows in their order, its columns in theirs."""
        sheet, grid = self.grid.sheet, self.grid
        if sheet is None:
            return
        fields = [c.field for c in grid.columns.all]
        headings = [c.look.alias or c.field for c in grid.columns.all]
        suffix = {"CSV": ".csv", "XLSX": ".xlsx", "Parquet": ".parquet"}[format_]
        target = path if path.suffix.lower() == suffix else path.with_name(path.name + suffix)

        def work(job: Job) -> int:
            from brisk_atlas.core.handover.table import write_table

            table = sheet.rows().select(fields).rename_columns(unique_names(headings))
            write_table(table, target, format_, job.check)
            return table.num_rows

        self.session.run(
            tr("Exporting {name}", name=target.name),
            work,
            lambda count: self.session.noticed.emit(
                "good", tr("Wrote {count:,} rows to {name}", count=count, name=target.name), ""
            ),
            lane=Lane.BATCH,
        )

    # Related rows over time

    def show_series(self) -> None:
        """Draw the related rows of the picked row, where a table is related."""
        layer = self.layer
        related = next((j for j in layer.rows.joins if j.many), None) if layer else None
        if related is None:
            if self.series is not None:
                self.series.hide()
            return
        if self.series is None:
            from .series_chart import SeriesChart

            self.series = SeriesChart(self.session)
            self.series.use_theme(self.theme)
            self.series_made.emit(self.series)
        self.series.show()
        picks = self.session.work.picks
        row = picks.rows[0] if layer and picks and picks.layer_id == layer.id and picks.rows else None
        if layer is not None:
            self.series.show_rows(layer, related, row)


def _with_ending(path: Path, kind: str) -> Path:
    """Return a path with the ending of the kind of file that was chosen, such as `CSV (*.csv)`, where it has none."""
    ending = kind.rpartition("*")[2].rstrip(")")
    return path if path.suffix or not ending else path.with_name(path.name + ending)


def _is_date(kind: object) -> bool:
    import pyarrow as pa

    return bool(pa.types.is_temporal(kind))


def _to_clipboard(text: str) -> None:
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setText(text)
