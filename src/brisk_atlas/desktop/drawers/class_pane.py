"""From which class to which: the matrix of A and B, whose cells lead to the places."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHeaderView,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import DataRef, Layer, VectorStyle
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.compare.class_change import ClassMatrix
    from brisk_atlas.core.operations.class_change import ClassChangeResult

EXPLAINED = tr("Compares two grids of classes, or two layers of polygons: what each class of A became in B.")
HECTARE = 10_000.0
SAME, OTHER = "#DCE8DF", "#F3E3D3"  # washes of what stayed and of what changed, by day and by night with dark ink
INK = "#1D2A35"


class ClassPane(QWidget):
    """Asks for the matrix and shows it: A in rows, B in columns, hectares.

    Signals:
        pair_chosen(object): the numbers of two classes, whose places the map is to show; None for none.
    """

    pair_chosen = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides: tuple[Layer, Layer] | None = None
        self.result: ClassChangeResult | None = None
        self.fields = [QComboBox(), QComboBox()]
        for side, box in zip("AB", self.fields):
            box.setObjectName(f"class field {side}")
            box.setToolTip(tr("The field that holds the classes of {side}", side=side))
        self.compare = QPushButton(tr("Compare the classes"))
        self.compare.setObjectName("main")
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.table = QTableWidget()
        self.table.setTabKeyNavigation(False)
        self.table.setObjectName("class matrix")
        self.table.setAccessibleName(tr("Classes of A in rows, of B in columns, hectares"))
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
        self.table.setFont(mono_font(11))
        self.chosen = PlainLabel("")
        self.chosen.setWordWrap(True)
        self.add = QPushButton(tr("Add these places as a layer"))
        self.form = QFormLayout()
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self.form.addRow(tr("Classes of A"), self.fields[0])
        self.form.addRow(tr("Classes of B"), self.fields[1])
        self.room = QWidget()  # that the matrix takes once there is one
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addLayout(self.form)
        for widget in (self.compare, self.answer):
            column.addWidget(widget)
        column.addWidget(self.table, 1)
        column.addWidget(self.room, 1)
        column.addWidget(self.chosen)
        column.addWidget(self.add)
        self.compare.clicked.connect(self.compute)
        self.add.clicked.connect(self.add_places)
        self.table.currentCellChanged.connect(lambda row, col, before, was: self._choose(row, col))
        self._forget(EXPLAINED)

    def show_sides(self, sides: tuple[Layer, Layer] | None) -> None:
        """Offer to compare two layers; what was found of the same two stays."""
        now = tuple(layer.id for layer in sides) if sides else None
        before = tuple(layer.id for layer in self.sides) if self.sides else None
        self.sides = sides
        self.compare.setEnabled(sides is not None)
        if now == before:
            return
        self._forget(EXPLAINED)
        by_fields = sides is not None and sides[0].kind.has_rows
        for box, layer in zip(self.fields, sides or ()):
            self.form.setRowVisible(box, by_fields)
            box.clear()
            facts = self.session.facts_of(layer)
            box.addItems([field.name for field in facts.fields] if facts is not None else [])
        likely = next((i for i in range(self.fields[0].count()) if "string" in self._type_of(i)), 0)
        self.fields[0].setCurrentIndex(likely)
        self.fields[1].setCurrentText(self.fields[0].currentText())

    def hideEvent(self, event: object) -> None:
        self.pair_chosen.emit(None)  # places stand out only as long as it can be seen which

    def showEvent(self, event: object) -> None:
        self._choose(self.table.currentRow(), self.table.currentColumn())

    def _type_of(self, number: int) -> str:
        facts = self.session.facts_of(self.sides[0]) if self.sides is not None else None
        return facts.fields[number].type if facts is not None else ""

    def _forget(self, words: str) -> None:
        had = self.result is not None
        self.result = None
        self.answer.setText(words)
        self.chosen.setText("")
        self.table.hide()
        self.room.show()
        self.add.setEnabled(False)
        if had:
            self.pair_chosen.emit(None)

    def compute(self) -> None:
        """Ask for the matrix in the background."""
        if self.sides is None:
            self._forget(tr("Choose two different layers."))
            return
        from brisk_atlas.core.operations import ClassChange

        a, b = self.sides
        fields = (self.fields[0].currentText(), self.fields[1].currentText()) if a.kind.has_rows else None
        self._forget(tr("Comparing…"))
        self.session.run_operation(
            tr("Comparing the classes of {name} and {b_name}", name=a.name, b_name=b.name),
            ClassChange(a.id, b.id, fields),
            lambda found: self._show(found, a, b), lane=Lane.INTERACTIVE,
            failed=lambda error: self._forget(str(error)),
        )  # fmt: skip

    def _show(self, found: ClassChangeResult, a: Layer, b: Layer) -> None:
        if self.sides is None or (self.sides[0].id, self.sides[1].id) != (a.id, b.id):
            return
        self.result = found
        matrix = found.matrix
        kappa = "" if matrix.kappa != matrix.kappa else tr(", kappa {kappa:.3f}", kappa=matrix.kappa)
        rest = tr("; B has the class of its nearest cell") if matrix.resampled else ""
        self.answer.setText(
            tr(
                "{agreement:.2%} of {total:,.1f} ha are the same{kappa}{rest}. Hectares, A in rows, B in "
                "columns; choose a cell to see its places.",
                agreement=matrix.agreement,
                total=matrix.total / HECTARE,
                kappa=kappa,
                rest=rest,
            )
        )
        self._fill(matrix)
        self.table.show()
        self.room.hide()

    def _fill(self, matrix: ClassMatrix) -> None:
        """Show areas, with the sums of A at the right and those of B below."""
        size = len(matrix.classes)
        self.table.blockSignals(True)
        self.table.setRowCount(size + 1)
        self.table.setColumnCount(size + 1)
        self.table.setHorizontalHeaderLabels([*matrix.classes, tr("all of A")])
        self.table.setVerticalHeaderLabels([*matrix.classes, tr("all of B")])
        for row in range(size + 1):
            for col in range(size + 1):
                if row < size and col < size:
                    area = matrix.areas[row, col]
                else:
                    area = matrix.before[row] if row < size else matrix.after[col] if col < size else matrix.total
                item = QTableWidgetItem(grouped(area / HECTARE, ",.1f") if area else "")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                if row < size and col < size and area:
                    item.setBackground(QColor(SAME if row == col else OTHER))
                    item.setForeground(QColor(INK))
                    item.setToolTip(f"{matrix.classes[row]} → {matrix.classes[col]}: {grouped(area, ',.0f')} m²")
                if row == size or col == size:
                    item.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.table.setItem(row, col, item)
        for header in (self.table.horizontalHeader(), self.table.verticalHeader()):
            if header is not None:
                header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.setCurrentItem(None)
        self.table.blockSignals(False)

    @property
    def pair(self) -> tuple[int, int] | None:
        """The row and column that are chosen, None for a sum or an empty cell."""
        row, col = self.table.currentRow(), self.table.currentColumn()
        if self.result is None or row < 0 or col < 0:
            return None
        matrix = self.result.matrix
        size = len(matrix.classes)
        return (row, col) if row < size and col < size and matrix.areas[row, col] > 0 else None

    def _choose(self, row: int, col: int) -> None:
        pair = self.pair
        self.add.setEnabled(pair is not None)
        if pair is None or self.result is None:
            self.chosen.setText("")
            self.pair_chosen.emit(None)
            return
        matrix = self.result.matrix
        area, count = matrix.areas[pair], matrix.counts[pair]
        what = tr("cells") if matrix.numbers else tr("pieces")
        self.chosen.setText(
            tr(
                "{classes} → {classes2}: {area:,.2f} ha, {count:,} {what}, {area2:.1%} of what it was",
                classes=matrix.classes[pair[0]],
                classes2=matrix.classes[pair[1]],
                area=area / HECTARE,
                count=count,
                what=what,
                area2=area / max(matrix.before[pair[0]], 1e-09),
            )
        )
        self.pair_chosen.emit((matrix.numbers[pair[0]], matrix.numbers[pair[1]]) if matrix.numbers else None)

    def add_places(self) -> None:
        """Write the places of the chosen cell as polygons among the user's own data and open them as a layer."""
        pair = self.pair
        if pair is None or self.result is None or self.sides is None:
            return
        matrix, (a, b) = self.result.matrix, self.sides
        before, after = matrix.classes[pair[0]], matrix.classes[pair[1]]
        fields = (self.fields[0].currentText(), self.fields[1].currentText())
        cache = self.session.cache

        def work(job: Job) -> Path:
            from brisk_atlas.core.compare.class_places import PAIR, class_places
            from brisk_atlas.core.compare.coverage_change import write_pieces
            from brisk_atlas.core.compare.patches import write_patches
            from brisk_atlas.core.handover.grid import derived_path
            from brisk_atlas.core.model.style import shown_band

            path = derived_path(f"{before}_to_{after}", ".gpkg")
            if not matrix.numbers:
                write_pieces(cache.features(a.ref), cache.features(b.ref), fields, (before, after), path)
                return path
            bands = shown_band(a.style), shown_band(b.style)
            numbers = matrix.numbers[pair[0]], matrix.numbers[pair[1]]
            found, lattice = class_places(cache.raster(a.ref), cache.raster(b.ref), bands, numbers, job.report)
            write_patches(found, lattice, {PAIR: f"{before} to {after}"}, path, value="class")
            return path

        def done(path: Path) -> None:
            self.session.add_derived(DataRef.file(path), VectorStyle())

        self.session.run(tr("Writing the places"), work, done, lane=Lane.BATCH)
