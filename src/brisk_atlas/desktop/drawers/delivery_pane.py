"""What changed from one layer or table to a later delivery of it: counts, a list to step through, a layer, a page."""

from __future__ import annotations

from html import escape
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from brisk_atlas.core.model import DataRef, Extent, Facts, Layer, VectorStyle
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import ClassLook
from brisk_atlas.core.model.words import file_name_of
from brisk_atlas.core.system.jobs import Job, Lane

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import mono_font

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.compare.datasets import PartChange
    from brisk_atlas.core.operations.compare import CompareResult

EXPLAINED = tr("Compares two deliveries row by row: what was added, removed, changed in shape or in values.")
GUESS, NO_KEY = tr("a key that is found"), tr("shape, or all values")
MOST_LISTED = 2_000
LOOK = VectorStyle(
    colour_by="change", method="unique", width=2.4, size=9.0,
    class_looks=(
        ClassLook("added", "#1C7C7D"), ClassLook("removed", "#C2452D"), ClassLook("shape", "#B7791F"),
        ClassLook("values", "#2F5D9B"), ClassLook("shape and values", "#6B4A12"),
    ),
)  # fmt: skip
PLACE = Qt.ItemDataRole.UserRole


class DeliveryPane(QWidget):
    """Compares two layers, or two tables, by a key.

    Signals:
        place_wanted(Extent): where the chosen change lies, to be shown on the map.
    """

    place_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.sides: tuple[Layer, Layer] | None = None
        self.result: CompareResult | None = None
        self.key = QComboBox()
        self.key.setObjectName("delivery key")
        self.key.setToolTip(tr("The field that identifies rows, by which those of A are found again in B"))
        self.compare = QPushButton(tr("Compare the deliveries"))
        self.compare.setObjectName("main")
        self.answer = PlainLabel(EXPLAINED)
        self.answer.setWordWrap(True)
        self.answer.setObjectName("quiet")
        self.list = QTreeWidget()
        self.list.setObjectName("changes")
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setHeaderLabels([tr("Change"), tr("Row"), tr("Field: before, after")])
        header = self.list.header()
        if header is not None:
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.ResizeToContents)
            header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.room = QWidget()  # that the list takes once there is something in it
        self.add = QPushButton(tr("Add as a layer"))
        self.add.setToolTip(tr("Write the changes to a GeoPackage among your own data and open it"))
        self.report = QPushButton(tr("Write a report…"))
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow(tr("Match by"), self.key)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add)
        buttons.addWidget(self.report)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(10)
        column.addLayout(form)
        column.addWidget(self.compare)
        column.addWidget(self.answer)
        column.addWidget(self.list, 1)
        column.addWidget(self.room, 1)
        column.addLayout(buttons)
        self.compare.clicked.connect(self.compute)
        self.add.clicked.connect(self.add_layer)
        self.report.clicked.connect(self._ask_and_write)
        self.list.currentItemChanged.connect(lambda item, before: self._go_to(item))
        self._clear(EXPLAINED)

    def show_sides(self, sides: tuple[Layer, Layer] | None) -> None:
        """Offer to compare two layers; what was found of the same two stays."""
        now = tuple(layer.ref for layer in sides) if sides else None
        before = tuple(layer.ref for layer in self.sides) if self.sides else None
        self.sides = sides
        self.compare.setEnabled(sides is not None)
        if now == before:
            return
        self.key.clear()
        self.key.addItem(GUESS, None)
        facts = [self.session.facts_of(layer) for layer in sides or ()]
        if len(facts) == 2 and facts[0] is not None and facts[1] is not None:
            there = {field.name for field in facts[1].fields}
            for field in facts[0].fields:
                if field.name in there:
                    self.key.addItem(field.name, (field.name,))
        self.key.addItem(NO_KEY, ())
        self._clear(EXPLAINED if sides else tr("Open both deliveries to compare them."))

    def _clear(self, text: str) -> None:
        self.result = None
        self.answer.setTextFormat(Qt.TextFormat.PlainText)
        self.answer.setText(text)
        self.list.clear()
        self._show_list(False)
        self.add.setEnabled(False)
        self.report.setEnabled(False)

    def compute(self) -> None:
        """Compare in the background and show what changed."""
        if self.sides is None:
            return
        a, b = self.sides
        from brisk_atlas.core.operations import Compare

        self._clear(tr("Comparing…"))
        self.session.run_operation(
            tr("Comparing {name} with {b_name}", name=a.name, b_name=b.name),
            Compare(a.id, b.id, self.key.currentData()),
            lambda result: self._show(result, a, b),
            lane=Lane.INTERACTIVE,
            failed=lambda error: self._clear(str(error)),
        )

    def _show(self, result: CompareResult, a: Layer, b: Layer) -> None:
        if self.sides is None or [side.ref for side in self.sides] != [a.ref, b.ref]:
            return  # other layers were chosen meanwhile
        from brisk_atlas.core.operations.compare import row_lines

        self.result = result
        part = result.change.parts[0]
        if part.rows is None:
            return
        counts = "".join(
            f"<tr><td>{escape(str(kind))}&nbsp;&nbsp;</td><td align=right>{grouped(count)}</td></tr>"
            for kind, count in part.rows.counts.items()
        )
        facts = "".join(f"<br>{escape(label)}: {escape(one)} → {escape(two)}" for label, one, two in part.facts)
        first, *others = row_lines(part.rows)
        words = "<br>".join(map(escape, others))
        edits = any(layer.rows.edits for layer in (a, b))
        unsaved = tr("<p>Edits that are not saved are not compared.</p>") if edits else ""
        matched = escape(first.rpartition(" (")[2].rstrip(")"))
        self.answer.setTextFormat(Qt.TextFormat.RichText)  # made here; names and values are escaped
        self.answer.setText(
            tr(
                "<b>{name} against {name2}</b><table cellspacing=3 style='font-family:{family}; "
                "font-size:12px'>{counts}</table><p>{what}.{value}{facts}</p>{unsaved}",
                name=escape(b.name),
                name2=escape(a.name),
                family=mono_font().family(),
                counts=counts,
                what=tr("Rows are ") + matched,
                value="<br>" + words if words else "",
                facts=facts,
                unsaved=unsaved,
            )
        )
        changed = part.rows.rows_differ
        self.add.setEnabled(changed)
        self.report.setEnabled(True)

        def fill(listed: tuple[pa.Table, list[Extent | None]]) -> None:
            if self.result is result:
                self._fill(listed)

        if changed:
            self.session.run(tr("Listing the changes"), lambda job: _listed(self.session, part), fill, shown=False)

    def _fill(self, listed: tuple[pa.Table, list[Extent | None]]) -> None:
        table, places = listed
        key = self.result.change.parts[0].rows.match.key if self.result and self.result.change.parts[0].rows else ()
        self.list.clear()
        items = []
        for row, place in zip(table.to_pylist(), places):
            name = ", ".join(row[field] for field in key) or str(row["row in B"] or row["row in A"])
            text = ""
            if row["field"] is not None:
                text = f"{row['field']}: {_shown(row['old'])} → {_shown(row['new'])}"
            elif row["distance_m"] is not None:
                text = tr("shape: {row:,.3f} m", row=row["distance_m"])
            item = QTreeWidgetItem([row["change"], name, text])
            item.setData(0, PLACE, place)
            item.setToolTip(2, text)
            items.append(item)
        self.list.addTopLevelItems(items)
        self._show_list(bool(items))

    def _show_list(self, shown: bool) -> None:
        self.list.setVisible(shown)
        self.room.setVisible(not shown)

    def _go_to(self, item: QTreeWidgetItem | None) -> None:
        place = item.data(0, PLACE) if item is not None else None
        if place is not None:
            self.place_wanted.emit(place)

    def add_layer(self) -> None:
        """Write the changes to the user's own data and open them as a layer."""
        if self.result is None or self.sides is None:
            return
        change, (a, b) = self.result.change, self.sides

        def work(job: Job) -> list[tuple[DataRef, Facts]]:
            from brisk_atlas.core.compare.patch import write_patch
            from brisk_atlas.core.handover.grid import derived_folder

            folder = derived_folder()
            folder.mkdir(parents=True, exist_ok=True)
            path = folder / f"{file_name_of(a.name)}_to_{file_name_of(b.name)}_changes.gpkg"
            write_patch(self.session.cache, change, path)
            ref = DataRef.file(path)
            self.session.cache.forget(ref)
            parts = self.session.cache.dataset(ref).parts
            return [(ref.with_part(part.facts.name), part.facts) for part in reversed(parts)]

        def done(found: list[tuple[DataRef, Facts]]) -> None:
            self.session.painter.forget()
            with self.session.work.together():  # the layer, which comes last, is the subject at once
                made = [
                    self.session.work.add(ref, facts, LOOK if facts.kind.has_shapes else None) for ref, facts in found
                ]
            self.session.layers_opened.emit([layer.id for layer in made])

        self.session.run(tr("Writing the changes"), work, done, lane=Lane.BATCH)

    def _ask_and_write(self) -> None:
        if self.sides is None:
            return
        start = str(Path.home() / f"{file_name_of(self.sides[1].name)}_changes.html")
        chosen, _ = QFileDialog.getSaveFileName(self, tr("Write a report of the changes"), start, tr("Pages (*.html)"))
        if chosen:
            self.write_report(Path(chosen))

    def write_report(self, path: Path) -> None:
        """Write a page of what changed."""
        if self.result is None:
            return
        path, change = path if path.suffix else path.with_suffix(".html"), self.result.change

        def work(job: Job) -> None:
            from brisk_atlas.core.compare.report import write_report

            write_report(self.session.cache, change, path)

        self.session.run(
            tr("Writing the report"), work,
            lambda nothing: self.session.noticed.emit("good", tr("Wrote the report {path}", path=path), ""),
            lane=Lane.BATCH,
        )  # fmt: skip


def _listed(session: Session, part: PartChange) -> tuple[pa.Table, list[Extent | None]]:
    """Return the first changes, and where each lies."""
    import numpy as np

    from brisk_atlas.core.compare.delivery import changes_listed
    from brisk_atlas.core.compare.patch import sides_of
    from brisk_atlas.core.model.shapes import Features

    assert part.rows is not None
    sides = sides_of(session.cache, part)
    table = changes_listed(*sides, part.rows).slice(0, MOST_LISTED)
    places: list[Extent | None] = []
    for in_a, in_b in zip(table.column("row in A").to_pylist(), table.column("row in B").to_pylist()):
        side, row = (sides[0], in_a) if in_b is None else (sides[1], in_b)
        box = side.shapes.bounds[row - 1] if isinstance(side, Features) else np.full(4, np.nan)
        crs = side.crs if isinstance(side, Features) else None
        places.append(Extent.of(box, crs) if np.isfinite(box).all() else None)
    return table, places


def _shown(value: str | None) -> str:
    return tr("no value") if value is None else value
