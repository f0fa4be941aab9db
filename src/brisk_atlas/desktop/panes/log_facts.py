"""What is known of a hole: the facts of its collar, what belongs to it and why, and what is odd."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

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
        self.table = ArrowView("hole facts", "Facts of the hole")
        self.words = PlainLabel()
        self.words.setObjectName("quiet")
        self.columns = QPushButton("Columns…")
        self.columns.setObjectName("hole columns")
        self.columns.setToolTip(
            "State which columns of a table name the hole and its depths, where that was guessed wrong"
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
            rows.append(("collar", f"{hole.xy[0]:,.2f}, {hole.xy[1]:,.2f}", hole.crs or "its CRS is not stated"))
        if hole.elevation is not None:
            rows.append(("elevation of the collar", f"{hole.elevation:,.1f} m", ""))
        if hole.length is not None:
            rows.append(("length", f"{hole.length:,.1f} m", ""))
            if hole.deviates:
                east, north, down = hole.way.position_at(hole.length)[0].tolist()
                away = f"{down:,.1f} m below the collar, {abs(east):,.1f} m {'east' if east >= 0 else 'west'}"
                rows.append(
                    (
                        "its end",
                        f"{away}, {abs(north):,.1f} m {'north' if north >= 0 else 'south'}",
                        "minimum curvature",
                    )
                )
        rows += [(name.replace("_", " "), value, "collar") for name, value in hole.facts]
        rows += [(str(table.role), table.ref.name, table.reason) for table in hole.tables]
        rows += [
            ("photograph", each.ref.name, f"{each.top:g} to {each.base:g} m, by its name") for each in hole.pictures
        ]
        rows += [("description", ref.name, f"{len(data.texts):,} depths") for ref in hole.texts]
        rows += [("remark", remark, "") for remark in data.remarks]
        schema = pa.schema([(name, pa.string()) for name in ("fact", "stated", "about")])
        table = pa.Table.from_pylist([dict(zip(schema.names, row)) for row in rows], schema)
        self.table.show_table(table, ["Fact", "Stated", "From, or why"])
        word = "remark" if len(data.remarks) == 1 else "remarks"
        self.words.setText(f"{hole.name}: {len(data.remarks)} {word}" if data.remarks else hole.name)
