"""The Numbers drawer: statistics and histogram of a band, field or dimension; zonal numbers as a new table."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QComboBox, QFormLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError, Extent, number_text
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import is_year
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace.workspace import FrozenWorkspace

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .bars import Bars
from .readings_tree import ReadingsTree

if TYPE_CHECKING:
    from brisk_atlas.core.inspect import StatisticsSummary, Where
    from brisk_atlas.core.operations import Written
    from brisk_atlas.core.operations.statistics import StatisticsResult

WHOLE, IN_VIEW, IN_AREA = tr("the whole"), tr("what is in view"), tr("the drawn area")


class StatisticsDrawer(QWidget):
    """Asks what of the subject to sum up and where, and shows it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self.view_extent: Callable[[], Extent | None] = lambda: None
        self.area: Where | None = None
        self.what, self.over = QComboBox(), QComboBox()
        self.what.setObjectName("numbers of")
        self.over.setObjectName("statistics over")
        self.over.addItems([WHOLE, IN_VIEW, IN_AREA])
        self.message = PlainLabel(tr("Choose a layer to sum up."))
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.bars = Bars()
        self.tree = ReadingsTree()
        self.tree.setObjectName("statistics")
        self.tree.setAccessibleName(tr("Statistics"))
        self.summary: StatisticsSummary | None = None
        self.zones, self.grid, self.band = QComboBox(), QComboBox(), QComboBox()
        for box, name in ((self.zones, "zones"), (self.grid, "zonal grid"), (self.band, "zonal band")):
            box.setObjectName(name)
        self.make = QPushButton(tr("Make the table"))
        self.make.setObjectName("main")
        self.make.clicked.connect(self.make_zonal)
        form, zonal = QFormLayout(), QFormLayout()
        form.addRow(tr("of"), self.what)
        form.addRow(tr("over"), self.over)
        zonal.addRow(tr("polygons of"), self.zones)
        zonal.addRow(tr("over the grid"), self.grid)
        zonal.addRow(tr("band"), self.band)
        heading = PlainLabel(tr("Zonal statistics"))
        heading.setObjectName("heading")
        self.zonal = QWidget()
        below = QVBoxLayout(self.zonal)
        below.setContentsMargins(0, 6, 0, 0)
        below.addWidget(heading)
        below.addLayout(zonal)
        below.addWidget(self.make)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.addLayout(form)
        column.addWidget(self.bars)
        column.addWidget(self.message)
        column.addWidget(self.tree, 1)
        column.addWidget(self.zonal)
        self._listed: object = None
        self._job: Job | None = None
        self.what.activated.connect(lambda i: self.sum_up())
        self.over.activated.connect(lambda i: self.sum_up())
        self.grid.currentIndexChanged.connect(lambda i: self._bands())
        session.work_changed.connect(self._work_changed)

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.tree.theme = self.bars.theme = theme

    def showEvent(self, event: object) -> None:
        self._follow()

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file") and self.isVisible():
            self._follow()

    def _follow(self) -> None:
        """Offer what the subject has, and the layers that zones and grids can be."""
        work = self.session.work
        layer = work.subject
        self._zonal_choices()
        key = (layer.id, layer.ref, layer.rows.modifications, layer.rows.where, layer.rows.filters) if layer else None
        if key == self._listed:
            return
        self._listed = key
        self.what.clear()
        if layer is None:
            return

        def listed(names: list[str]) -> None:
            if self._listed == key:
                self.what.clear()
                self.what.addItems(names)
                self.sum_up()

        def ask(job: Job) -> list[str]:
            from brisk_atlas.core.kinds.asking import names_of

            return names_of(self.session.cache, layer)

        self.session.run(tr("Fields"), ask, listed, shown=False, failed=self._fail)

    def view_moved(self) -> None:
        if self.isVisible() and self.over.currentText() == IN_VIEW:
            self.sum_up()

    def area_drawn(self, area: Where) -> None:
        self.area = area
        if self.isVisible():
            self.over.setCurrentText(IN_AREA)
            self.sum_up()

    def sum_up(self) -> None:
        """Work out the statistics in the background."""
        layer, name, over = self.session.work.subject, self.what.currentText(), self.over.currentText()
        if self._job is not None:
            self._job.cancel()
        if layer is None or not name:
            self._show(None, "", "", tr("Nothing here has numbers to sum up."))
            return
        where: Where | Extent | None = None
        if over == IN_VIEW:
            where = self.view_extent()
        elif over == IN_AREA:
            where = self.area
            if where is None:
                self._show(None, "", "", tr("Draw a box or a lasso on the map first (in the Probe drawer)."))
                return
        self.message.setText(tr("summing up…"))

        from brisk_atlas.core.operations import Statistics

        operation, frozen = Statistics(layer.id, name), FrozenWorkspace(self.session.workspace)

        def ask(job: Job) -> StatisticsResult:
            return operation.over(frozen, where, job.report)

        def done(result: StatisticsResult) -> None:
            text = tr("{name}, {name2}, over {over}", name=layer.name, name2=name, over=over)
            known = result.summary is not None
            self._show(
                result.summary, result.unit, name, text if known else tr("No known value of {name} there.", name=name)
            )

        self._job = self.session.run(tr("Summing up {name}", name=name), ask, done, failed=self._fail)

    def _show(self, summary: StatisticsSummary | None, unit: str, name: str, text: str) -> None:
        self.summary = summary
        self.bars.show_summary(summary, unit, name, years=is_year(name))
        self.tree.begin()
        if summary is not None:
            from brisk_atlas.core.inspect.statistics import summary_readings

            self.tree.add(name, [(r.label, r.shown) for r in summary_readings(name, summary, unit)])
        self.message.setText(text)

    def _fail(self, error: BaseException) -> None:
        if isinstance(error, AtlasError):
            self._show(None, "", "", str(error))
        else:
            self.session.fault(error)

    # Zones

    def _zonal_choices(self) -> None:
        work = self.session.work
        polygons = []
        for layer in work.layers:
            facts = self.session.facts_of(layer)
            if layer.kind.has_shapes and facts and "Polygon" in (facts.geometry_type or ""):
                polygons.append(layer)
        grids = sorted((la for la in work.layers if la.kind.has_cells), key=lambda layer: not layer.visible)
        for box, layers in ((self.zones, polygons), (self.grid, grids)):
            now = box.currentData()
            box.blockSignals(True)
            box.clear()
            for layer in layers:
                box.addItem(layer.name, layer.id)
            box.setCurrentIndex(max(0, box.findData(now)))
            box.blockSignals(False)
        subject = work.subject
        if subject in polygons:
            self.zones.setCurrentIndex(self.zones.findData(subject.id))
        self.zonal.setVisible(bool(polygons) and bool(grids))
        self._bands()

    def _bands(self) -> None:
        layer = self.session.work.layer(self.grid.currentData())
        facts = self.session.facts_of(layer) if layer else None
        now = self.band.currentText()
        self.band.clear()
        if facts and facts.grid:
            self.band.addItems([band.name for band in facts.grid.bands])
            self.band.setCurrentIndex(max(0, self.band.findText(now)))

    def make_zonal(self) -> None:
        """Compute zonal statistics, store them as a table, and open it."""
        work = self.session.work
        zones, grid = work.layer(self.zones.currentData()), work.layer(self.grid.currentData())
        band = self.band.currentIndex() + 1
        if zones is None or grid is None or band < 1:
            return

        from brisk_atlas.core.operations import ZonalStatistics

        def done(result: Written) -> None:
            self.session.open_files(result.paths)
            self.session.noticed.emit(
                "good",
                tr("{name} by {grid_name}: a new table", name=number_text(zones.name), grid_name=grid.name),
                tr("Stored in {paths}", paths=result.paths[0]),
            )

        self.session.run_operation(
            tr("Zonal statistics of {name} by {zones_name}", name=grid.name, zones_name=zones.name),
            ZonalStatistics(zones.id, grid.id, band),
            done,
            failed=self._fail,
        )
