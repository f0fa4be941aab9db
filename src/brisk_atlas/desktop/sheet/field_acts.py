"""What is done with one field of the sheet by command: sort, pin, hide, filter, colour and label by it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QPoint

from brisk_atlas.core.model import FieldFilter, Label, Layer, TableView, VectorStyle
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import Method

from ..session import Session
from .grid import SheetGrid


class FieldActs:
    """Acts on the field whose head a menu was opened at, else on that of the current cell."""

    def __init__(
        self,
        session: Session,
        grid: SheetGrid,
        layer: Callable[[], Layer | None],
        put: Callable[[str, TableView], None],
        panel: Callable[[str, QPoint], None],
    ) -> None:
        self.session, self.grid = session, grid
        self._layer, self._put, self._panel = layer, put, panel
        self._at_menu: str | None = None

    def take_field(self, field: str) -> None:
        """Note the field whose head a menu is opened at."""
        self._at_menu = field

    def take_none(self) -> None:
        """Act on the field of the current cell again."""
        self._at_menu = None

    @property
    def field(self) -> str | None:
        """The field that is acted on, None without rows."""
        columns = self.grid.columns.all
        names = [column.field for column in columns]
        if self._at_menu in names:
            return self._at_menu
        return (
            names[self.grid.current[1]] if self.grid.sheet is not None and self.grid.current[1] < len(names) else None
        )

    @property
    def can_act(self) -> bool:
        """Whether there is a field to act on."""
        return self._layer() is not None and self.field is not None

    @property
    def can_style(self) -> bool:
        """Whether the layer is drawn with a style that can go by a field."""
        layer = self._layer()
        return self.can_act and layer is not None and isinstance(layer.style, VectorStyle)

    def _change(self, what: str, change: Callable[[str, TableView], TableView]) -> None:
        layer, field = self._layer(), self.field
        self._at_menu = None
        if layer is not None and field is not None:
            self._put(what.format(field), change(field, layer.rows))

    def sort(self, *, down: bool) -> None:
        """Sort the rows by the field."""
        self._change(tr("sort by {}"), lambda field, look: replace(look, sort=((field, down),)))

    def turn_pin(self) -> None:
        """Pin the field at the left, or unpin it."""
        self._look(tr("pin {}"), "pinned")

    def hide(self) -> None:
        """Hide the field; it stays among those that can be chosen."""
        self._look(tr("hide {}"), "shown")

    def _look(self, what: str, switch: str) -> None:
        sheet = self.grid.sheet

        def turned(field: str, look: TableView) -> TableView:
            column = look.column(field)
            turned_column = replace(column, **{switch: not getattr(column, switch)})  # type: ignore[arg-type]
            return look.with_column(turned_column, sheet.columns if sheet is not None else [])

        self._change(what, turned)

    def filter_by(self, kind: str) -> None:
        """Show only rows in which the field is `known` or `missing`; all of them for ""."""

        def filtered(field: str, look: TableView) -> TableView:
            others = tuple(each for each in look.filters if each.field != field)
            own = (FieldFilter(field, kind),) if kind else ()
            return replace(look, filters=(*others, *own))

        self._change(tr("filter by {}"), filtered)

    def colour_by(self) -> None:
        """Colour the layer on the map by the field."""
        field, sheet = self.field, self.grid.sheet
        if field is not None and sheet is not None:
            method: Method = "ramp" if sheet.is_number(field) else "unique"
            self._restyle(tr("colour by {}"), lambda style, name: replace(style, colour_by=name, method=method))

    def label_by(self) -> None:
        """Write the field on the map."""
        self._restyle(
            tr("label by {}"),
            lambda style, name: replace(style, label=replace(style.label, text=name) if style.label else Label(name)),
        )

    def _restyle(self, what: str, change: Callable[[VectorStyle, str], VectorStyle]) -> None:
        layer, field = self._layer(), self.field
        self._at_menu = None
        if layer is not None and field is not None and isinstance(layer.style, VectorStyle):
            self.session.work.change(what.format(field), layer.id, style=change(layer.style, field))

    @property
    def has_times(self) -> bool:
        """Whether the field holds dates, or times with their dates."""
        sheet, field = self.grid.sheet, self.field
        kind = str(sheet.type_of(field)) if self.can_act and sheet is not None and field is not None else ""
        return kind.startswith(("date", "timestamp"))

    @property
    def shows_dates(self) -> bool:
        """Whether the dates of the field stand along the map."""
        layer = self._layer()
        return layer is not None and bool(layer.rows.dates) and layer.rows.dates == self.field

    def turn_dates(self) -> None:
        """Put the dates of the field along the map to go through them, or take them away; then all rows show."""

        def turned(field: str, look: TableView) -> TableView:
            others = tuple(each for each in look.filters if each.field != look.dates)
            return replace(look, dates="" if look.dates == field else field, filters=others)

        self._change(tr("go through the dates of {}"), turned)

    def open_panel(self) -> None:
        """Open the panel in which values are ticked and formats are chosen."""
        field = self.field
        self._at_menu = None
        if field is not None:
            self._panel(field, self.grid.view.mapToGlobal(self.grid.head_rect(field).bottomLeft()))
