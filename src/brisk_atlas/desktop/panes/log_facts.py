"""What is known of a hole: the facts of its collar, what belongs to it and why, and what is odd."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr, trn

from ..arrow_view import ArrowView
from ..plain_text import PlainLabel

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.read_hole import HoleData


class LogFacts(QWidget):
    """Signals:
    columns_wanted(): how tables belong to the holes is to be stated.
    """

    columns_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.table = ArrowView("hole facts", tr("Facts of the hole"))
        self.words = PlainLabel()
        self.words.setObjectName("quiet")
        self.columns = QPushButton(tr("Columns…"))
        self.columns.setObjectName("hole columns")
        self.columns.setToolTip(
            tr("State which columns of a table name the hole and its depths, where that was guessed wrong")
        )
        row = QHBoxLayout()
        row.addWidget(self.words, 1)
        row.addWidget(self.columns)
        column = QVBoxLayout(self)
        column.setContentsMargins(6, 4, 6, 4)
        column.addLayout(row)
        column.addWidget(self.table, 1)
        self.columns.clicked.connect(self.columns_wanted)

    def show_data(self, data: HoleData | None) -> None:
        """Show what is known of a hole."""
        import pyarrow as pa

        if data is None:
            self.table.show_table(None)
            self.words.setText("")
            return
        hole = data.hole
        rows = [("hole", hole.name, "")]
        if hole.xy is not None:
            rows.append(
                (
                    "collar",
                    f"{grouped(hole.xy[0], ',.2f')}, {grouped(hole.xy[1], ',.2f')}",
                    hole.crs or tr("its CRS is not stated"),
                )
            )
        if hole.elevation is not None:
            rows.append((tr("elevation of the collar"), f"{grouped(hole.elevation, ',.1f')} m", ""))
        if hole.length is not None:
            rows.append(("length", f"{grouped(hole.length, ',.1f')} m", ""))
            if hole.deviates:
                east, north, down = hole.way.position_at(hole.length)[0].tolist()
                away = tr(
                    "{down:,.1f} m below the collar, {east:,.1f} m {what}",
                    down=down,
                    east=abs(east),
                    what="east" if east >= 0 else "west",
                )
                rows.append(
                    (
                        tr("its end"),
                        f"{away}, {grouped(abs(north), ',.1f')} m {'north' if north >= 0 else 'south'}",
                        tr("minimum curvature"),
                    )
                )
        rows += [(name.replace("_", " "), value, "collar") for name, value in hole.facts]
        rows += [(str(table.role), table.ref.name, table.reason) for table in hole.tables]
        rows += [
            (tr("photograph"), each.ref.name, tr("{top:g} to {base:g} m, by its name", top=each.top, base=each.base))
            for each in hole.pictures
        ]
        rows += [(tr("description"), ref.name, tr("{count:,} depths", count=len(data.texts))) for ref in hole.texts]
        rows += [(tr("remark"), remark, "") for remark in data.remarks]
        schema = pa.schema([(name, pa.string()) for name in ("fact", "stated", "about")])
        table = pa.Table.from_pylist([dict(zip(schema.names, row)) for row in rows], schema)
        self.table.show_table(table, [tr("Fact"), tr("Stated"), tr("From, or why")])
        count = len(data.remarks)
        self.words.setText(f"{hole.name}: {trn('{count} remark', '{count} remarks', count)}" if count else hole.name)
