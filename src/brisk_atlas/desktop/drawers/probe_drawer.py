"""The Probe drawer: what lies where the hand pointed, the subject first; held probes side by side."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSplitter, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model import FieldFilter, Layer, VectorStyle, bands_of
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import Method
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace import Picks

from ..icons import icon
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .along_chart import AlongChart
from .coordinates import Coordinates
from .held_list import HeldList
from .held_pane import HeldPane
from .picture_strip import PictureStrip
from .readings_tree import ReadingsTree

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.compare.point_change import PointChange
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.inspect import ProbeResult, Where
    from brisk_atlas.core.inspect.finding import ProbeSeries
    from brisk_atlas.core.inspect.measured import Measured

EMPTY = tr("Click the map to ask what is there.\nWith the keyboard: F6 to the map, arrows, then Space.")
TOOL_PAD_PX, SCOPE_PAD_PX, TOOL_PX = 20, 14, 18  # beside the word on a tool and on the choice; of its picture
TOOLS = (
    ("box", tr("Box"), "selection-plus", tr("Pick what a box meets")),
    ("lasso", tr("Lasso"), "path", tr("Pick what lies in a shape drawn by hand")),
    ("line", tr("Line"), "line-segment", tr("Pick what a line meets")),
    ("distance", tr("Measure"), "ruler", tr("Distance, bearing and the surface along a line")),
    ("area", tr("Area"), "polygon", tr("Measure an area")),
)

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
        self.steps, self.step = self._step_row()
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
        self._measuring: Job | None = None
        self._held_changed()

    def _lay_out(self) -> None:
        bar = QHBoxLayout()
        bar.setContentsMargins(8, 6, 6, 2)
        bar.setSpacing(2)
        self.tools: dict[str, QToolButton] = {}
        for kind, text, mark, tip in TOOLS:
            button = QToolButton()
            button.setObjectName(f"tool {kind}")
            button.setText(text)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIcon(icon(mark, self._theme.ink, TOOL_PX))
            button.setIconSize(QSize(TOOL_PX, TOOL_PX))
            button.setToolTip(tip)
            button.setCheckable(True)
            button.setMinimumWidth(button.fontMetrics().horizontalAdvance(text) + TOOL_PAD_PX)
            button.clicked.connect(lambda checked=False, kind=kind: self.tool_wanted.emit(kind))
            self.tools[kind] = button
            bar.addWidget(button)
        bar.addStretch(1)
        self.scope_button = QToolButton()
        self.scope_button.setObjectName("probe scope")
        self.scope_button.setText(tr("all layers"))
        self.scope_button.setCheckable(True)
        self.scope_button.setMinimumWidth(
            self.scope_button.fontMetrics().horizontalAdvance(tr("all layers")) + SCOPE_PAD_PX
        )
        self.scope_button.setToolTip(tr("Ask all visible layers, or the subject alone"))
        self.scope_button.clicked.connect(lambda on: self.set_scope("subject" if on else "all"))
        bar.addWidget(self.scope_button)
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
        column.addLayout(bar)
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

    def _step_row(self) -> tuple[QLabel, QWidget]:
        """Return the line that steps through overlapping features: its text, and all of it."""
        holder, text = QWidget(), PlainLabel("")
        row = QHBoxLayout(holder)
        row.setContentsMargins(8, 0, 6, 0)
        for name, mark, by in (("step back", "◂", -1), ("step on", "▸", 1)):
            button = QToolButton()
            button.setObjectName(name)
            button.setText(mark)
            button.setToolTip(tr("The one before") if by < 0 else tr("The next one"))
            button.clicked.connect(lambda checked=False, by=by: self.step_by(by))
            row.addWidget(button)
            if by < 0:
                row.addWidget(text)
        row.addStretch(1)
        holder.hide()
        return text, holder

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.tree.theme = theme
        for kind, _, mark, _ in TOOLS:
            self.tools[kind].setIcon(icon(mark, theme.ink, TOOL_PX))
        self.below.use_theme(theme)
        self.along.use_theme(theme)

    def set_scope(self, scope: str) -> None:
        self.scope = scope
        self.scope_button.setChecked(scope == "subject")
        self.scope_button.setText(tr("subject") if scope == "subject" else tr("all layers"))
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
        self.step.setVisible(finding is not None)
        if finding is not None and finding.row is not None:
            layer = self.session.work.layer(finding.layer_id)
            name = layer.name if layer else ""
            self.steps.setText(
                tr(
                    "{index:,} of {count:,} in {name}",
                    index=finding.rows.index(finding.row) + 1,
                    count=len(finding.rows),
                    name=name,
                )
            )

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
        crs = self.session.work.state.crs
        heights = self._heights() if ended else None
        if self._measuring is not None:
            self._measuring.cancel()

        def ask(job: Job) -> Measured:
            from brisk_atlas.core.inspect.measured import measure

            return measure(self.session.cache, xy, crs, closed=kind == "area", heights=heights)

        def done(found: Measured) -> None:
            if callable(then):
                then(found)
            if ended:
                self.where.hide()
                self.tree.begin()
                self.tree.add(tr("Measured"), [*found.lines], strong="distance" if kind == "distance" else "area")
                self.findings = []
                self.hold_button.setEnabled(False)

        self._measuring = self.session.run(tr("Measuring"), ask, done, shown=False)

    def _heights(self) -> Layer | None:
        """Return the elevation to follow the surface on: the subject, else the topmost grid of heights."""
        work = self.session.work
        layers = [layer for layer in (work.subject, *work.layers) if layer is not None and layer.kind.has_cells]
        for layer in layers:
            facts = self.session.facts_of(layer)
            bands = bands_of(layer.style)
            if facts is None or facts.grid is None or len(bands) != 1:
                continue
            band = facts.grid.bands[bands[0] - 1]
            if band.unit in ("m", "ft", "metre", "meters") and layer.visible:
                return layer
        return None

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

    def copy_reading(self, *, label: bool) -> None:
        """Copy the value of the current line, with its label or without."""
        reading, clipboard = self.tree.reading, QGuiApplication.clipboard()
        if reading is not None and clipboard is not None:
            clipboard.setText(f"{reading.label.strip()}\t{reading.shown}" if label else reading.text)
            self.session.noticed.emit("good", tr("Copied {text}", text=reading.text), "")

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

    def colour_by_reading(self) -> None:
        """Colour the layer of the current line by its field."""
        reading, layer = self.tree.reading, self.session.work.layer(self.tree.layer_id)
        if reading is not None and layer is not None and isinstance(layer.style, VectorStyle):
            method: Method = "ramp" if isinstance(reading.value, int | float) else "unique"
            style = replace(layer.style, colour_by=reading.name, method=method)
            self.session.work.change(tr("colour by a value"), layer.id, style=style)

    def filter_by_reading(self) -> None:
        """Show only the rows of the layer that have the value of the current line."""
        reading, layer = self.tree.reading, self.session.work.layer(self.tree.layer_id)
        if reading is not None and layer is not None:
            only = FieldFilter(reading.name, "missing" if reading.value is None else "values", (reading.value,))
            others = tuple(each for each in layer.rows.filters if each.field != reading.name)
            rows = replace(layer.rows, filters=(*others, only), on_map=True)
            self.session.work.change(tr("filter by a value"), layer.id, rows=rows)

    @property
    def is_on_field(self) -> bool:
        """Whether the current line is the field of a feature."""
        reading, layer = self.tree.reading, self.session.work.layer(self.tree.layer_id)
        return reading is not None and reading.group == "attributes" and layer is not None and layer.kind.has_shapes

    def copy(self) -> None:
        """Copy the held comparison if there is one, else what is shown, as tab-separated lines."""
        text = self.below.as_text() if len(self.held) else self.tree.as_text()
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(text)
        self.session.noticed.emit(
            "good", tr("Copied the held probes as a table") if len(self.held) else tr("Copied"), ""
        )
