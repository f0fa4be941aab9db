"""A layer: one part of a dataset, open in the work, with its look."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from .data_ref import DataRef
from .hole_choices import NO_CHOICES, HoleChoices
from .kinds import Blend, DataKind
from .standing import DRAPED, Standing, StandingWay
from .table_view import PLAIN_ROWS, TableView

if TYPE_CHECKING:
    from .style import Style


@dataclass(frozen=True)
class Layer:
    """One open layer. `ref` names the part that it shows, `kind` is that of the part; `style` is None for tables.

    `group` is the id of the group in which it lies, None for none. `locked` keeps it from being changed. `scales` are
    those between which it is drawn, as numbers below one, the closest first; None for all. `note` is the analyst's.
    Layers of the same `scale_group` share the ramp and the limits of their colours. `blend` is how it goes on the
    layers below. `rows` is how its rows are looked at and what was added to them. `standing` is how features stand in
    three dimensions. `holes` is what was stated of its boreholes. `id` is unique in the work and stays when the layer
    is restyled or moved.
    """

    id: str
    name: str
    ref: DataRef
    kind: DataKind
    style: Style | None = None
    visible: bool = True
    opacity: float = 1.0
    blend: Blend = Blend.NORMAL
    rows: TableView = PLAIN_ROWS
    group: str | None = None
    locked: bool = False
    scales: tuple[float, float] | None = None
    note: str = ""
    scale_group: str | None = None
    standing: Standing = DRAPED
    holes: HoleChoices = NO_CHOICES

    @property
    def stands(self) -> bool:
        """Whether its features stand in three dimensions as themselves, and are shown."""
        return self.kind.has_shapes and self.visible and self.standing.way is not StandingWay.DRAPED

    @property
    def part(self) -> str:
        """The name of the part of a dataset that the layer shows."""
        return self.ref.part or ""
