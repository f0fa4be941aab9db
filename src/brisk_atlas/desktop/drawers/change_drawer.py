"""The Change drawer: what differs between A and B, asked in the way that suits them."""

from __future__ import annotations

from enum import StrEnum

from PyQt6.QtWidgets import QComboBox, QFormLayout, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model import Band, Facts, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band

from ..session import Session
from .class_pane import ClassPane
from .cloud_pane import CloudPane
from .delivery_pane import DeliveryPane
from .image_pane import ImagePane
from .surface_pane import SurfacePane


class ChangeKind(StrEnum):
    """What A and B are compared as."""

    SURFACES = tr("surfaces: what rose and fell")
    PICTURES = tr("pictures: what changed")
    CLASSES = tr("classes: from which to which")
    CLOUDS = tr("points: how far off they lie")
    DELIVERIES = tr("deliveries: rows and fields")


OF_GRIDS = (ChangeKind.SURFACES, ChangeKind.PICTURES, ChangeKind.CLASSES)
OF_CLOUDS = (ChangeKind.CLOUDS,)
OF_ROWS = (ChangeKind.DELIVERIES, ChangeKind.CLASSES)


class ChangeDrawer(QWidget):
    """Chooses two layers and what they are compared as; each kind of comparison has a pane of its own."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.side_a, self.side_b, self.kind = QComboBox(), QComboBox(), QComboBox()
        self.side_a.setObjectName("change a")
        self.side_b.setObjectName("change b")
        self.kind.setObjectName("change kind")
        self.surface, self.image = SurfacePane(session), ImagePane(session)
        self.classes, self.delivery = ClassPane(session), DeliveryPane(session)
        self.clouds = CloudPane(session)
        self.panes: dict[ChangeKind, SurfacePane | ImagePane | ClassPane | CloudPane | DeliveryPane] = {
            ChangeKind.SURFACES: self.surface,
            ChangeKind.PICTURES: self.image,
            ChangeKind.CLASSES: self.classes,
            ChangeKind.CLOUDS: self.clouds,
            ChangeKind.DELIVERIES: self.delivery,
        }
        self._chosen: ChangeKind | None = None  # by hand
        self._of: tuple[str, ...] = ()  # the layers that the kind was chosen for
        self.either = QStackedWidget()
        for pane in self.panes.values():
            self.either.addWidget(pane)
        form = QFormLayout()
        form.setVerticalSpacing(9)
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        form.addRow(tr("A, before"), self.side_a)
        form.addRow(tr("B, after"), self.side_b)
        form.addRow(tr("As"), self.kind)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(10)
        column.addLayout(form)
        column.addWidget(self.either, 1)
        for box in (self.side_a, self.side_b):
            box.activated.connect(lambda at: self._show_pair())
        self.kind.activated.connect(lambda at: self._choose_kind())
        session.work_changed.connect(self._work_changed)

    def showEvent(self, event: object) -> None:
        self._fill()

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "comparison", "file", "subject") and self.isVisible():
            self._fill()

    def _fill(self) -> None:
        """Offer the open layers of the kind that is compared on the map, else of the subject's, grids if that has no
        change; chosen are the sides that are compared, then those of the result on show, else the subject and the layer
        most like it."""
        work = self.session.work
        subject = self._compared() or work.subject
        by_rows = subject is not None and subject.kind.has_rows
        has_points = subject is not None and subject.kind.has_points
        layers = [
            layer for layer in work.layers
            if (layer.kind == subject.kind if by_rows and subject is not None
                else layer.kind.has_cells or (has_points and layer.kind.has_points))
        ]  # fmt: skip
        pair = self.session.workspace.proposed_pair() if subject in layers else None
        has_result = any(pane.result is not None for pane in self.panes.values())
        for side, box in enumerate((self.side_a, self.side_b)):
            now = box.currentData()
            box.clear()
            for layer in layers:
                box.addItem(layer.name, layer.id)
            compared = work.state.comparison
            wanted = next((layer.id for layer in layers if compared and layer.id in compared.sides[side]), None)
            if wanted is None and has_result and box.findData(now) >= 0:
                wanted = now
            if wanted is None and pair and pair[side] in layers:
                wanted = pair[side].id
            at = next((box.findData(i) for i in (wanted, now) if box.findData(i) >= 0), min(side, len(layers) - 1))
            box.setCurrentIndex(at)
        self._show_pair()

    def _compared(self) -> Layer | None:
        """Return the first layer of what is compared on the map, whatever else is the subject."""
        comparison = self.session.work.state.comparison
        return self.session.work.layer(comparison.side_a[0]) if comparison is not None and comparison.side_a else None

    def _show_pair(self) -> None:
        """Offer what the two can be compared as, and show the pane of it."""
        sides = self.sides
        subject = self._compared() or self.session.work.subject
        by_rows = sides[0].kind.has_rows if sides else subject is not None and subject.kind.has_rows
        has_points = any(layer.kind.has_points for layer in sides or ())
        offered = OF_ROWS if by_rows else OF_CLOUDS if has_points else OF_GRIDS
        of = tuple(layer.id for layer in sides) if sides else ()
        if of != self._of:
            self._of, self._chosen = of, None
        kind = self._chosen
        if kind is None or kind not in offered:
            kind = offered[0] if by_rows or has_points else self._likely(sides)
        self.kind.clear()
        for each in offered:
            self.kind.addItem(each.value, each)
        self.kind.setCurrentIndex(offered.index(kind))
        self.either.setCurrentWidget(self.panes[kind])
        self.panes[kind].show_sides(sides)

    def _likely(self, sides: tuple[Layer, Layer] | None) -> ChangeKind:
        """Return what two grids most likely hold: classes where both name them, pictures where both measure light."""
        facts = [self.session.facts_of(layer) for layer in sides or ()]
        bands = [_band_of(each, layer) for each, layer in zip(facts, sides or ())]
        if bands and all(band is not None and band.classes for band in bands):
            return ChangeKind.CLASSES
        if bands and all(band is not None and band.centre_um is not None for band in bands):
            return ChangeKind.PICTURES
        return ChangeKind.SURFACES

    def _choose_kind(self) -> None:
        self._chosen = ChangeKind(self.kind.currentData())
        self._show_pair()

    def show_kind(self, kind: ChangeKind) -> None:
        """Compare as something else."""
        self._chosen = kind
        self._show_pair()

    @property
    def sides(self) -> tuple[Layer, Layer] | None:
        """The two layers that are chosen, None unless they are two."""
        a, b = (self.session.work.layer(box.currentData()) for box in (self.side_a, self.side_b))
        return (a, b) if a and b and a.id != b.id else None

    def compute(self) -> None:
        """Compare in the way that is on show."""
        self.panes[ChangeKind(self.kind.currentData())].compute()


def _band_of(facts: Facts | None, layer: Layer) -> Band | None:
    if facts is None or facts.grid is None:
        return None
    number = shown_band(layer.style)
    return facts.grid.bands[number - 1] if number <= len(facts.grid.bands) else None
