"""Changing a layer's look at its legend: colours, names and limits where they stand, classes on and off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QColorDialog, QWidget

from brisk_atlas.core.draw.class_edit import with_entry_colour, with_entry_name
from brisk_atlas.core.draw.legend import Legend
from brisk_atlas.core.draw.swatch import shape_of
from brisk_atlas.core.model import CloudStyle, Layer, Stretch, VectorStyle
from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import LINE

from .name_line import NameLine
from .session import Session
from .stack_tile import LegendSpot

SWITCH = tr("switch a class")


class LegendEdit:
    """Takes what the hand does to a legend and makes it a change of the style."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self.session, self.parent = session, parent

    def turn_class(self, layer_id: str, text: str) -> None:
        """Switch a class of a layer off, or on again."""
        layer = self.session.work.layer(layer_id)
        if layer is not None and isinstance(layer.style, VectorStyle):
            style: VectorStyle | CloudStyle = replace(layer.style, hidden=_switched(layer.style.hidden, text))
        elif layer is not None and isinstance(layer.style, CloudStyle):
            style = replace(layer.style, hidden=_switched(layer.style.hidden, int(text)))
        else:
            return
        self.session.work.change(SWITCH, layer_id, style=style)

    def edit(self, layer: Layer, legend: Legend, spot: LegendSpot) -> None:
        """Begin to change what lies under the pointer."""
        if spot.what == "swatch":
            self._ask_colour(layer, legend, spot.text)
        elif spot.what == "text":
            self._type(legend.name_of(spot.text), spot, lambda name: self.rename(layer.id, spot.text, name))
        else:
            value = legend.low if spot.what == "low" else legend.high
            self._type(f"{value:.6g}", spot, lambda text: self.use_limit(layer.id, legend, spot.what, text))

    def take_back_switch(self) -> None:
        """Take back what the first click of a double click switched."""
        if self.session.work.undo_text == SWITCH:
            self.session.work.undo()

    def _type(self, text: str, spot: LegendSpot, take: Callable[[str], None]) -> None:
        line = NameLine(text, self.parent)
        line.setGeometry(spot.rect.adjusted(-4, -3, 0, 3))
        line.named.connect(take)
        line.show()
        line.setFocus()

    def _ask_colour(self, layer: Layer, legend: Legend, text: str) -> None:
        now = next((colour for colour, each in legend.entries if each == text), "#000000")
        chosen = QColorDialog.getColor(
            QColor(now), self.parent, tr("Colour of {name_of}", name_of=legend.name_of(text))
        )
        if chosen.isValid():
            self.use_colour(layer.id, text, chosen.name())

    def use_colour(self, layer_id: str, text: str, colour: str) -> None:
        """Give an entry of a legend another colour."""
        layer = self.session.work.layer(layer_id)
        if layer is None or not isinstance(layer.style, VectorStyle):
            return
        facts = self.session.facts_of(layer)
        of_line = facts is not None and shape_of(facts.geometry_type or "") == LINE
        style = with_entry_colour(layer.style, text, colour, of_line=of_line)
        self.session.work.change(tr("colour of a class"), layer_id, style=style)

    def rename(self, layer_id: str, text: str, name: str) -> None:
        """Call an entry of a legend otherwise; where it stands for the whole layer, the layer."""
        layer = self.session.work.layer(layer_id)
        if layer is None or not isinstance(layer.style, VectorStyle):
            return
        if layer.style.colour_by is None and not layer.style.rules:
            self.session.work.rename(layer_id, name)
        else:
            style = with_entry_name(layer.style, text, name)
            self.session.work.change(tr("name of a class"), layer_id, style=style)

    def use_limit(self, layer_id: str, legend: Legend, end: str, text: str) -> None:
        """Have the colours of a ramp begin or end at a value that was typed."""
        layer = self.session.work.layer(layer_id)
        if layer is None or layer.style is None:
            return
        try:
            value = float(typed_number(text))
        except ValueError:
            self.session.noticed.emit("caution", tr("{text} is no number; the limit stays as it is.", text=text), "")
            return
        low, high = (value, legend.high) if end == "low" else (legend.low, value)
        if not low < high:
            self.session.noticed.emit(
                "caution", tr("{value:g} is beyond the other end; the limit stays as it is.", value=value), ""
            )
            return
        stretch = Stretch("hand", low, high, layer.style.stretch.gamma)
        self.session.work.change(tr("limit of the colours"), layer_id, style=replace(layer.style, stretch=stretch))


def _switched(now: tuple[Any, ...], one: str | int) -> tuple[Any, ...]:
    return tuple(each for each in now if each != one) if one in now else (*now, one)
