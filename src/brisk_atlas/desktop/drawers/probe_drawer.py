"""The Probe drawer: what lies where the hand pointed, the subject first; held probes side by side."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace import Picks

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .along_chart import AlongChart
from .coordinates import Coordinates
from .held_list import HeldList
from .held_pane import HeldPane
from .measuring import Measuring
from .picture_strip import PictureStrip
from .probe_bar import ProbeBar
from .reading_deeds import ReadingDeeds
from .readings_tree import ReadingsTree
from .step_row import StepRow

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.compare.point_change import PointChange
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.inspect import ProbeResult, Where
    from brisk_atlas.core.inspect.finding import ProbeSeries
    from brisk_atlas.core.inspect.measured import Measured

EMPTY = tr("Click the map to ask what is there.\nWith the keyboard: F6 to the map, arrows, then Space.")

PINNED = "values pinned in the probe"


class ProbeDrawer(QWidget):
    """Shows findings, and picks the features that were hit.

    Signals:
        found(): what is shown is of another place, or another row.
        held_changed(): the held probes are others.
        attachment_opened(object): a picture, document or page that a value points at is to be opened.
        tool_wanted(str): a tool for the map: box, lasso, line, distance, area.
    """

    found = pyqtSignal()
    held_changed = pyqtSignal()
    tool_wanted = pyqtSignal(str)
    attachment_opened = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self.held = HeldList()
        self.findings: list[ProbeResult] = []
        self.where_at: Where | None = None
        self.scope = "all"
        self.where = PlainLabel(EMPTY)
        self.where.setObjectName("place")
        self.where.setWordWrap(True)
        self.where.setContentsMargins(10, 4, 6, 0)
        self.places = Coordinates()
        self.places.copied.connect(lambda text: session.noticed.emit("good", tr("Copied {text}", text=text), ""))
        self.tree = ReadingsTree()
        self.along = AlongChart()
        self.pictures = PictureStrip(session)
        self.tree.attachment_opened.connect(self.attachment_opened)
        self.pictures.opened.connect(self.attachment_opened)
        self._settings: QSettings | None = None
        self.map_view: Callable[[], View | None] = lambda: None  # what the map shows, set by whoever has one
        self.bar, self.step = ProbeBar(), StepRow()
        self.readings, self.measuring = ReadingDeeds(session, self.tree), Measuring(session)
        self.bar.tool_wanted.connect(self.tool_wanted)
        self.bar.scope_chosen.connect(self.set_scope)
        self.step.stepped.connect(self.step_by)
        self.hold_button = QPushButton(tr("Hold"))
        self.hold_button.setObjectName("hold")
        self.hold_button.setToolTip(tr("Keep what is shown as a column to compare  (K)"))
        self.hold_button.clicked.connect(self.hold)
        self.corners = QPushButton(tr("Vertices"))
        self.corners.setObjectName("vertices")
        self.corners.setToolTip(tr("List the coordinates of the feature's vertices"))
        self.corners.clicked.connect(self.show_vertices)
        self.copy_button = QPushButton(tr("Copy"))
        self.copy_button.clicked.connect(self.copy)
        self.save_button = QPushButton(tr("Save held…"))
        self.save_button.setObjectName("save held")
        self.save_button.setToolTip(tr("Save the held probes as a layer of points with their values"))
        self.below = HeldPane(session, self.held)
        self.save_button.clicked.connect(self.below.ask_and_save)
        self._lay_out()
        copy = QShortcut(QKeySequence.StandardKey.Copy, self.tree)
        copy.setContext(Qt.ShortcutContext.WidgetShortcut)
        copy.activated.connect(self.copy)
        self.held.changed.connect(self._held_changed)
        session.work_changed.connect(
            lambda what: self.show_subject() if what in ("subject", "layers", "file") else None
        )
        self._job: Job | None = None
        self._held_changed()

    def _lay_out(self) -> None:
        end = QHBoxLayout()
        end.setContentsMargins(8, 4, 6, 6)
        end.setSpacing(6)
        for push in (self.hold_button, self.corners, self.copy_button, self.save_button):
            end.addWidget(push)
        end.addStretch(1)
        above = QWidget()
        column = QVBoxLayout(above)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.bar)
        column.addWidget(self.where)
        column.addWidget(self.places)
        column.addWidget(self.step)
        column.addWidget(self.tree, 1)
        column.addWidget(self.pictures)
        column.addWidget(self.along)
        column.addLayout(end)
        self.parts = QSplitter(Qt.Orientation.Vertical)
        self.parts.setChildrenCollapsible(False)
        self.parts.addWidget(above)
        self.parts.addWidget(self.below)
        self.parts.setSizes([290, 400])
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.parts)

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.tree.theme = theme
        self.bar.use_theme(theme)
        self.below.use_theme(theme)
        self.along.use_theme(theme)

    def set_scope(self, scope: str) -> None:
        self.scope = scope
        self.bar.show_scope(scope)
        if self.where_at is not None and self.where_at.reach:
            self.probe(self.where_at)

    # Asking

    def _layers(self) -> list[Layer]:
        """Return the layers to ask, the subject first."""
        work = self.session.work

        view = self.map_view()
        layers = [layer for layer in reversed(work.drawn()) if layer.visible and layer.style is not None]
        layers = [layer for layer in layers if view is None or view.shows_at(layer.scales)]
        subject = work.subject
        if self.scope == "subject":
            return [subject] if subject is not None and subject.style is not None else []
        if subject in layers:
            layers.remove(subject)
            layers.insert(0, subject)
        return layers

    def probe(self, where: Where) -> None:
        """Ask what is there: at a click, in an area or along a line."""
        work = self.session.work
        layers, subject = self._layers(), work.subject
        sides = work.compared_grids() if where.kind == "click" else None
        dates = self.session.workspace.series_of_subject() if where.kind == "click" else []
        every = work.layers
        self.where_at = where
        cache = self.session.cache

        def ask(job: Job) -> tuple:
            from brisk_atlas.core.compare.point_change import change_at
            from brisk_atlas.core.compare.point_series import series_at
            from brisk_atlas.core.kinds.asking import probe_all
            from brisk_atlas.core.place import Spot, notations

            findings = probe_all(cache, layers, where, job.check)
            x, y = where.middle
            change = change_at(cache, *sides, x, y, where.crs) if sides else None
            through = series_at(cache, dates, every, subject.id, x, y, where.crs, job.check) if subject else None
            facts = self.session.facts_of(subject) if subject else None
            cells = cache.raster(subject.ref).facts.counted_cells if subject and subject.kind.has_cells else None
            texts = notations(Spot(x, y, where.crs, facts.crs if facts else None, cells))
            return texts, findings, change, through

        if self._job:
            self._job.cancel()
        self._job = self.session.run(tr("Probing"), ask, lambda found: self._show(where, *found), shown=False)

    def _show(
        self,
        where: Where,
        texts: dict[str, str],
        findings: list[ProbeResult],
        change: PointChange | None,
        through: ProbeSeries | None = None,
    ) -> None:
        self.findings = findings
        kinds = {
            "box": tr("middle of the box"),
            "lasso": tr("middle of the lasso"),
            "line": tr("half way along the line"),
        }
        self.where.setText(kinds.get(where.kind, ""))
        self.where.setVisible(where.kind in kinds)
        self.places.show_texts(texts)
        self.tree.begin()
        if change is not None:
            difference = change.unlike or self._side(change.change, change.unit, signed=True)
            lines = [
                ("A", self._side(change.a, change.units[0])),
                ("B", self._side(change.b, change.units[1])),
                (tr("not comparable") if change.unlike else tr("change, B − A"), difference),
            ]
            self.tree.add(tr("From A to B"), lines, strong="change")
        self._add_findings()
        if not findings and change is None:
            self.tree.add(tr("Nothing here"), [("", tr("No visible layer has anything at this place."))])
        self.along.show_results(findings, through)
        self._show_steps()
        self.hold_button.setEnabled(bool(findings))
        self.corners.setEnabled(bool(findings) and findings[0].row is not None)
        self._pick(findings)

    @staticmethod
    def _side(value: float | None, unit: str, *, signed: bool = False) -> str:
        return tr("no data") if value is None else f"{grouped(value, '+,.2f' if signed else ',.2f')} {unit}".strip()

    def show_row(self, layer: Layer, row: int) -> None:
        """Show one row of the sheet as a finding, with the place of its feature."""
        crs, facts = self.session.work.state.crs, self.session.facts_of(layer)
        if self.session.is_streamed(layer):
            return

        def ask(job: Job) -> tuple[ProbeResult, Where | None, dict[str, str]]:
            from brisk_atlas.core.inspect import Where, feature_finding, place_of, row_finding
            from brisk_atlas.core.place import Spot, notations

            cache = self.session.cache
            if not layer.kind.has_shapes:
                return row_finding(cache, layer, row), None, {}
            finding, place = feature_finding(cache, layer, row, (row,)), place_of(cache, layer, row, crs)
            if place is None:
                return finding, None, {}
            texts = notations(Spot(*place, crs, facts.crs if facts else None))
            return finding, Where.at(*place, crs, 0.0), texts

        def done(found: tuple[ProbeResult, Where | None, dict[str, str]]) -> None:
            finding, self.where_at, texts = found
            self._show_one(finding, texts, tr("a place in the feature") if texts else "", corners=layer.kind.has_shapes)

        if self._job:
            self._job.cancel()
        self._job = self.session.run(tr("Reading a row"), ask, done, shown=False)

    def show_points(self, layer: Layer, rows: np.ndarray) -> None:
        """Show what points of a cloud are that were picked, by their places in the file."""
        cache = self.session.cache

        def ask(job: Job) -> ProbeResult:
            from brisk_atlas.core.inspect.point import rows_finding

            return rows_finding(cache, layer, rows)

        def done(finding: ProbeResult) -> None:
            self.where_at = None
            self._show_one(finding, {}, tr("points picked in the relief"))

        if self._job:
            self._job.cancel()
        self._job = self.session.run(tr("Reading points"), ask, done, shown=False)

    def _show_one(self, finding: ProbeResult, texts: dict[str, str], where: str, *, corners: bool = False) -> None:
        self.findings = [finding]
        self.where.setText(where)
        self.where.setVisible(bool(where))
        self.places.show_texts(texts)
        self.tree.begin()
        self.along.show_results([])
        self._add_findings()
        self._show_steps()
        self.hold_button.setEnabled(True)
        self.corners.setEnabled(corners)

    # Stepping through what overlaps

    def _stepped(self) -> ProbeResult | None:
        """Return the finding whose features can be stepped through."""
        return next((f for f in self.findings if len(f.rows) > 1), None)

    def _show_steps(self) -> None:
        self.found.emit()
        finding = self._stepped()
        self.step.hide()
        if finding is not None and finding.row is not None:
            layer = self.session.work.layer(finding.layer_id)
            at = finding.rows.index(finding.row) + 1
            self.step.show_step(at, len(finding.rows), layer.name if layer else "")

    def step_by(self, by: int) -> None:
        """Go to the next of the features that were hit, or the one before."""
        finding = self._stepped()
        layer = self.session.work.layer(finding.layer_id) if finding else None
        if finding is None or layer is None or finding.row is None:
            return
        row = finding.rows[(finding.rows.index(finding.row) + by) % len(finding.rows)]

        def ask(job: Job) -> ProbeResult:
            from brisk_atlas.core.inspect import feature_finding

            return feature_finding(self.session.cache, layer, row, finding.rows)

        def done(other: ProbeResult) -> None:
            self.findings = [other if f is finding else f for f in self.findings]
            self._show_again()
            self._show_steps()
            self.session.work.pick(Picks(layer.id, (row,)))

        self.session.run(tr("Next feature"), ask, done, shown=False)

    def _pick(self, findings: list[ProbeResult]) -> None:
        """Pick the features that were hit: of the subject if there are some, else of the topmost layer."""
        work = self.session.work
        hit = next((f for f in findings if f.row is not None), None)
        if hit is None or hit.row is None:
            work.pick(None)
            return
        area = self.where_at is not None and self.where_at.kind != "click"
        spoken_of = area and any(f.layer_id == work.state.subject for f in findings)
        if (
            work.state.subject != hit.layer_id
            and not spoken_of
            and (work.subject is None or work.subject.kind.has_shapes or not work.state.comparison)
        ):
            work.choose(hit.layer_id)
        work.pick(Picks(hit.layer_id, hit.rows if area and hit.rows else (hit.row,)))

    def show_vertices(self) -> None:
        """List the vertices of the feature on show."""
        finding = next((f for f in self.findings if f.row is not None), None)
        layer = self.session.work.layer(finding.layer_id) if finding else None
        if finding is None or layer is None or finding.row is None or not layer.kind.has_shapes:
            return
        row = finding.row

        def ask(job: Job) -> list:
            from brisk_atlas.core.inspect import vertex_readings

            return vertex_readings(self.session.cache, layer, row)

        def done(lines: list) -> None:
            self.tree.add(tr("Vertices of row {row:,}", row=row + 1), [(r.label, r.text) for r in lines])

        self.session.run(tr("Vertices"), ask, done, shown=False)

    # Measuring

    def measure(self, kind: str, xy: np.ndarray, *, ended: bool, then: object = None) -> None:
        """Measure a line or an area; while it is drawn, only what takes no time."""

        def done(found: Measured) -> None:
            if callable(then):
                then(found)
            if ended:
                self.where.hide()
                self.tree.begin()
                self.tree.add(tr("Measured"), [*found.lines], strong="distance" if kind == "distance" else "area")
                self.findings = []
                self.hold_button.setEnabled(False)

        self.measuring.measure(xy, closed=kind == "area", ended=ended, done=done)

    # Holding

    def hold(self) -> None:
        """Keep the first finding on show as a column."""
        if not self.findings:
            return
        x, y = self.where_at.middle if self.where_at is not None else (float("nan"), float("nan"))
        self.held.hold(self.findings[0], x, y, self.session.work.state.crs)

    def _held_changed(self) -> None:
        self.below.refresh()
        self.save_button.setVisible(len(self.held) > 0)
        self.held_changed.emit()

    def turn_pin(self) -> None:
        """Show the value of the current line first from now on, in later runs too, or no more."""
        reading = self.tree.reading
        if reading is not None:
            self.tree.pinned ^= {reading.name}
            if self._settings is not None:
                self._settings.setValue(PINNED, sorted(self.tree.pinned))
            self._show_again()

    def show_subject(self) -> None:
        """Show what is known of the subject while nothing has been probed."""
        subject = self.session.work.subject
        facts = self.session.facts_of(subject) if subject is not None else None
        if self.findings or self.where_at is not None:
            return
        self.tree.begin()
        if subject is not None and facts is not None:
            from brisk_atlas.core.inspect.about_layer import about_layer

            self.tree.add(tr("About {name}", name=subject.name), about_layer(subject, facts))

    def use_settings(self, settings: QSettings) -> None:
        """Show first what was pinned in earlier runs."""
        self._settings = settings
        self.tree.pinned = {text for text in settings.value(PINNED) or [] if isinstance(text, str)}

    def _show_again(self) -> None:
        self.tree.begin()
        self._add_findings()

    def _add_findings(self) -> None:
        """Show the findings, and the pictures beside their data."""
        self.tree.add_findings(self.findings, self._folder_of)
        pictures = [a for a in self.tree.attachments if a.kind == "picture" and a.beside]
        self.pictures.show_pictures(list(dict.fromkeys(pictures)))

    def _folder_of(self, layer_id: str) -> Path | None:
        layer = self.session.work.layer(layer_id)
        return layer.ref.folder if layer is not None else None

    def copy(self) -> None:
        """Copy the held comparison if there is one, else what is shown, as tab-separated lines."""
        text = self.below.as_text() if len(self.held) else self.tree.as_text()
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(text)
        self.session.noticed.emit(
            "good", tr("Copied the held probes as a table") if len(self.held) else tr("Copied"), ""
        )
