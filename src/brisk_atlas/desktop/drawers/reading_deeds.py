"""What is done with one reading of the probe: copied, coloured by, filtered by."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtGui import QGuiApplication

from brisk_atlas.core.model import FieldFilter, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import Method

from ..session import Session
from .readings_tree import ReadingsTree


class ReadingDeeds:
    """Works on the current line of the tree of readings."""

    def __init__(self, session: Session, tree: ReadingsTree) -> None:
        self.session, self.tree = session, tree

    def copy(self, *, label: bool) -> None:
        """Copy the value, with its label or without."""
        reading, clipboard = self.tree.reading, QGuiApplication.clipboard()
        if reading is not None and clipboard is not None:
            clipboard.setText(f"{reading.label.strip()}\t{reading.shown}" if label else reading.text)
            self.session.noticed.emit("good", tr("Copied {text}", text=reading.text), "")

    def colour(self) -> None:
        """Colour the layer by the field."""
        reading, layer = self.tree.reading, self.session.work.layer(self.tree.layer_id)
        if reading is not None and layer is not None and isinstance(layer.style, VectorStyle):
            method: Method = "ramp" if isinstance(reading.value, int | float) else "unique"
            style = replace(layer.style, colour_by=reading.name, method=method)
            self.session.work.change(tr("colour by a value"), layer.id, style=style)

    def filter(self) -> None:
        """Show only the rows of the layer that have the value."""
        reading, layer = self.tree.reading, self.session.work.layer(self.tree.layer_id)
        if reading is not None and layer is not None:
            only = FieldFilter(reading.name, "missing" if reading.value is None else "values", (reading.value,))
            others = tuple(each for each in layer.rows.filters if each.field != reading.name)
            rows = replace(layer.rows, filters=(*others, only), on_map=True)
            self.session.work.change(tr("filter by a value"), layer.id, rows=rows)

    @property
    def is_on_field(self) -> bool:
        """Whether the line is the field of a feature."""
        reading, layer = self.tree.reading, self.session.work.layer(self.tree.layer_id)
        return reading is not None and reading.group == "attributes" and layer is not None and layer.kind.has_shapes
