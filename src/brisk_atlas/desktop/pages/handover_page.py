"""The Hand over page: a piece of the subject, written for somebody else."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import DataRef, Extent, Facts, Layer
from brisk_atlas.core.system.jobs import Job

from ..plain_text import PlainLabel
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Export, Written

EMPTY = "Choose a subject on the Desk; a piece of it can be handed over here."
WHOLE, IN_VIEW, INSIDE = "whole", "view", "inside"
ALL_ROWS, PICKED_ROWS, WHERE_ROWS = "all", "picked", "where"
SUFFIXES = {
    "GeoPackage": ".gpkg",
    "GeoJSON": ".geojson",
    "FlatGeobuf": ".fgb",
    "Shapefile": ".shp",
    "GeoTIFF": ".tif",
    "CSV": ".csv",
    "Parquet": ".parquet",
}
NOTES = {
    "GeoJSON": "Always in longitude and latitude (EPSG:4326).",
    "Shapefile": "Cuts field names to 10 characters and text to 254.",
    "CSV": "Loses types; numbers and dates become text.",
}
BY_KIND = {
    "vector": ("GeoPackage", "GeoJSON", "FlatGeobuf", "Shapefile"),
    "raster": ("GeoTIFF",),
    "table": ("CSV", "Parquet", "XLSX"),
}


class HandoverPage(QWidget):
    """A form: extent, rows, fields, CRS, format, where to; then progress and the result.

    Signals:
        open_wanted(list): paths of written files to open.
    """

    open_wanted = pyqtSignal(list)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.view_extent: Extent | None = None
        self.layer: Layer | None = None
        self.job: Job | None = None
        self.written: Path | None = None
        self._named = ""
        self.title = PlainLabel(EMPTY)
        self.title.setObjectName("title")
        self.extent, self.rows, self.format = QComboBox(), QComboBox(), QComboBox()
        self.within = QComboBox()
        self.where = QLineEdit()
        self.where.setPlaceholderText("an SQL condition, such as year = 2031")
        self.crs = QLineEdit()
        self.crs.setPlaceholderText("the layer's own")
        self.crs_said = PlainLabel("")
        self.crs_said.setObjectName("quiet")
        self.fields = QListWidget()
        self.fields.setMinimumHeight(150)
        self.path = QLineEdit()
        self.browse = QPushButton("Choose…")
        self.note = PlainLabel("")
        self.note.setObjectName("quiet")
        self.go = QPushButton("Hand over")
        self.go.setObjectName("main")
        self.stop = QPushButton("Cancel")
        self.progress = QProgressBar()
        self.step = PlainLabel("")
        self.step.setObjectName("quiet")
        self.result = PlainLabel("")
        self.result.setWordWrap(True)
        self.result.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.open_result = QPushButton("Open the result")
        for widget, name in (
            (self.extent, "extent"),
            (self.within, "inside"),
            (self.rows, "rows"),
            (self.where, "where"),
            (self.crs, "crs"),
            (self.format, "format"),
            (self.path, "target"),
            (self.fields, "fields"),
        ):
            widget.setObjectName(f"hand over {name}")
            widget.setAccessibleName(name)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        form = QFormLayout()
        form.setVerticalSpacing(10)
        form.setHorizontalSpacing(18)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        extent_row = QHBoxLayout()
        extent_row.addWidget(self.extent, 1)
        extent_row.addWidget(self.within, 1)
        rows_row = QHBoxLayout()
        rows_row.addWidget(self.rows, 1)
        rows_row.addWidget(self.where, 2)
        crs_row = QHBoxLayout()
        crs_row.addWidget(self.crs, 1)
        crs_row.addWidget(self.crs_said, 2)
        path_row = QHBoxLayout()
        path_row.addWidget(self.path, 1)
        path_row.addWidget(self.browse)
        format_row = QHBoxLayout()
        format_row.addWidget(self.format, 1)
        format_row.addWidget(self.note, 2)
        for label, row in (
            ("Extent", extent_row),
            ("Rows", rows_row),
            ("Fields", self.fields),
            ("CRS", crs_row),
            ("Format", format_row),
            ("Write to", path_row),
        ):
            form.addRow(label, row)
        self.form = form
        for row in (extent_row, rows_row, crs_row, path_row, format_row):
            row.setSpacing(8)
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        for widget in (self.go, self.stop, self.progress):
            buttons.addWidget(widget)
        buttons.addStretch(1)
        self.go.setMinimumWidth(140)
        self.progress.setMinimumWidth(320)
        sheet = QWidget()
        sheet.setMaximumWidth(860)
        column = QVBoxLayout(sheet)
        column.setContentsMargins(24, 18, 24, 18)
        column.setSpacing(12)
        column.addWidget(self.title)
        column.addLayout(form)
        column.addLayout(buttons)
        column.addWidget(self.step)
        column.addWidget(self.result)
        end = QHBoxLayout()
        end.addWidget(self.open_result)
        end.addStretch(1)
        column.addLayout(end)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(sheet)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(area)
        for widget in (self.stop, self.progress, self.open_result):
            widget.hide()

    def _connect(self) -> None:
        self.extent.currentIndexChanged.connect(lambda i: self.within.setVisible(self.extent.currentData() == INSIDE))
        self.rows.currentIndexChanged.connect(lambda i: self.where.setVisible(self.rows.currentData() == WHERE_ROWS))
        self.format.currentTextChanged.connect(self._format_changed)
        self.crs.textChanged.connect(self._crs_changed)
        self.browse.clicked.connect(self._browse)
        self.go.clicked.connect(self.hand_over)
        self.stop.clicked.connect(self._cancel)
        self.open_result.clicked.connect(self._open_written)
        self.session.work_changed.connect(
            lambda what: self.refresh() if self.isVisible() and what in ("subject", "picks", "file") else None
        )

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Speak of the subject; choices that still make sense stay."""
        subject = self.session.work.subject
        facts = self.session.facts_of(subject) if subject else None
        usable = subject is not None and facts is not None and subject.kind in BY_KIND
        self.go.setEnabled(usable and (self.job is None or self.job.finished))
        for i in range(self.form.rowCount()):
            self.form.setRowVisible(i, usable)
        if subject is None or facts is None or not usable:
            self.layer = None
            self.title.setText(
                EMPTY if subject is None else f"{subject.name}: {subject.kind} layers can't be handed over yet."
            )
            return
        if subject != self.layer or not self.extent.count():
            new_source = self.layer is None or (subject.ref, subject.rows.modifications) != (
                self.layer.ref,
                self.layer.rows.modifications,
            )
            self.layer = subject
            self.title.setText(f"Hand over a piece of {subject.name}")
            self._fill_choices(subject, facts, new_source)
        self._fill_rows(subject)

    def _fill_choices(self, layer: Layer, facts: Facts, new_source: bool) -> None:
        before = self.extent.currentData(), self.within.currentData()
        self.extent.clear()
        self.extent.addItem("all of it", WHOLE)
        self.within.clear()
        if layer.kind.has_place:
            self.extent.addItem("what the map shows", IN_VIEW)
        if layer.kind.has_shapes:
            for other in self.session.work.layers:
                known = self.session.facts_of(other)
                if other.id != layer.id and known and known.geometry_type and "Polygon" in known.geometry_type:
                    self.within.addItem(other.name, other.id)
            if self.within.count():
                self.extent.addItem("inside the polygons of", INSIDE)
        if not new_source:
            self.extent.setCurrentIndex(max(0, self.extent.findData(before[0])))
            self.within.setCurrentIndex(max(0, self.within.findData(before[1])))
        self.within.setVisible(self.extent.currentData() == INSIDE)
        if not new_source:
            return
        self.fields.clear()
        names = (
            [(f.name, f.type) for f in self.session.fields_of(layer)]
            if not facts.grid
            else [(b.name, f"band {b.index}") for b in facts.grid.bands]
        )
        for name, kind in names:
            item = QListWidgetItem(f"{name}   {kind}")
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)
            self.fields.addItem(item)
        label = self.form.labelForField(self.fields)
        if isinstance(label, QLabel):
            label.setText("Bands" if facts.grid else "Fields")
        self.form.setRowVisible(1, not layer.kind.has_cells)
        self.form.setRowVisible(3, layer.kind.has_place)
        self.crs.clear()
        self.where.clear()
        self._crs_changed("")
        self.format.clear()
        self.format.addItems(BY_KIND[layer.kind])
        self._suggest()

    def _fill_rows(self, layer: Layer) -> None:
        before = self.rows.currentData()
        picks = self.session.work.picks
        self.rows.clear()
        self.rows.addItem("all rows", ALL_ROWS)
        if picks and picks.layer_id == layer.id:
            self.rows.addItem(f"picked rows ({len(picks.rows):,})", PICKED_ROWS)
        self.rows.addItem("rows where…", WHERE_ROWS)
        self.rows.setCurrentIndex(max(0, self.rows.findData(before)))
        self.where.setVisible(self.rows.currentData() == WHERE_ROWS)

    def _suggest(self) -> None:
        """Fill in a path beside nothing of value: the home folder, named for the layer."""
        layer = self.layer
        if layer is not None and (not self.path.text() or self.path.text() == self._named):
            self._named = str(
                Path.home() / f"{layer.name.replace(' ', '_')}_piece{SUFFIXES.get(self.format.currentText(), '')}"
            )
            self.path.setText(self._named)

    def _format_changed(self, name: str) -> None:
        self.note.setText(NOTES.get(name, ""))
        text = self.path.text()
        if text and name in SUFFIXES:
            path = Path(text)
            if path.suffix in SUFFIXES.values():
                changed = str(path.with_suffix(SUFFIXES[name]))
                self._named = changed if text == self._named else self._named
                self.path.setText(changed)

    def _crs_changed(self, text: str) -> None:
        from brisk_atlas.core.model import CannotPlace
        from brisk_atlas.core.place import crs_name

        wrong = ""
        facts = self.session.facts_of(self.layer) if self.layer else None
        try:
            stated = crs_name(text.strip() or (facts.crs if facts else None))
        except CannotPlace as error:
            stated, wrong = "", error.reason
        self.crs_said.setText(wrong or stated)
        self.crs_said.setObjectName("fault" if wrong else "quiet")
        self.crs.setProperty("wrong", bool(wrong))
        for widget in (self.crs, self.crs_said):
            style = widget.style()
            assert style is not None
            style.polish(widget)
        self.go.setEnabled(not wrong and self.layer is not None)

    def _browse(self) -> None:
        suffix = SUFFIXES.get(self.format.currentText(), "")
        chosen, _ = QFileDialog.getSaveFileName(self, "Write to", self.path.text(), f"*{suffix}")
        if chosen:
            self.path.setText(chosen)

    def _chosen_fields(self) -> tuple[str, ...]:
        items = [self.fields.item(i) for i in range(self.fields.count())]
        return tuple(
            i.data(Qt.ItemDataRole.UserRole) for i in items if i is not None and i.checkState() == Qt.CheckState.Checked
        )

    def hand_over(self) -> None:
        """Write the piece in the background."""
        layer = self.layer
        if layer is None or (self.job and not self.job.finished):
            return
        target = Path(self.path.text()).expanduser()
        suffix = SUFFIXES[self.format.currentText()]
        if target.suffix.lower() != suffix:
            target = target.with_name(target.name + suffix)
        if DataRef.file(target) in {other.ref.whole for other in self.session.work.layers}:
            self._say(
                f"{target.name} is open on the Desk as a source, and originals are read-only. Choose another name.",
                bad=True,
            )
            return
        chosen = self._chosen_fields()
        if layer.kind.has_cells and not chosen:
            self._say("Choose at least one band.", bad=True)
            return
        self._begin()
        self.job = self.session.run_operation(
            f"Handing over {layer.name}", self._export(layer, target, chosen), self._done, failed=self._failed
        )

    def _export(self, layer: Layer, target: Path, chosen: tuple[str, ...]) -> Export:
        """Return what the form asks for."""
        from brisk_atlas.core.operations import Export

        rows_kind, extent_kind, picks = self.rows.currentData(), self.extent.currentData(), self.session.work.picks
        return Export(
            layer.id,
            target,
            chosen,
            self.where.text() if rows_kind == WHERE_ROWS else "",
            picks.rows if rows_kind == PICKED_ROWS and picks else None,
            self.view_extent if extent_kind == IN_VIEW else None,
            self.within.currentData() if extent_kind == INSIDE else None,
            self.crs.text().strip() or None,
        )

    def _cancel(self) -> None:
        if self.job:
            self.job.cancel()

    def _open_written(self) -> None:
        if self.written:
            self.open_wanted.emit([self.written])

    def _begin(self) -> None:
        self.result.setText("")
        self.open_result.hide()
        self.go.setEnabled(False)
        self.stop.show()
        self.progress.setValue(0)
        self.progress.show()
        self.session.job_changed.connect(self._progressed)

    def _progressed(self, job: Job) -> None:
        if job is not self.job:
            return
        self.progress.setValue(round(job.progress * 100))
        self.step.setText(job.step if not job.finished else "")
        if job.finished:
            self._end()
            if job.state == "cancelled":
                self._say("Cancelled; nothing was written.", bad=False)

    def _end(self) -> None:
        try:
            self.session.job_changed.disconnect(self._progressed)
        except TypeError:
            return
        self.stop.hide()
        self.progress.hide()
        self.go.setEnabled(True)

    def _say(self, text: str, *, bad: bool) -> None:
        self.result.setObjectName("fault" if bad else "")
        style = self.result.style()
        assert style is not None
        style.polish(self.result)
        self.result.setText(text)

    def _done(self, result: Written) -> None:
        self.written = result.paths[0]
        self._say(f"Wrote {result.what} to {self.written}", bad=False)
        self.open_result.show()
        self.open_result.setFocus()

    def _failed(self, error: BaseException) -> None:
        from brisk_atlas.core.model import AtlasError

        self._say(str(error) if isinstance(error, AtlasError) else f"It failed: {error}", bad=True)
        if not isinstance(error, AtlasError):
            self.session.fault(error)
