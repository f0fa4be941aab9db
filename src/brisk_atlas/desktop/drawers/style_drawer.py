"""The Style drawer: how the subject looks. Every change is a step of undo."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QIcon, QLinearGradient, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import CloudStyle, Facts, GridStyle, Layer, Stretch, Style, VectorStyle

from ..session import Session

STRETCHES = {"percent": "cut the tails", "range": "least to greatest", "hand": "by hand"}
SWATCH = QSize(96, 14)
EMPTY = "Open a layer to style it."


def ramp_icon(name: str) -> QIcon:
    """Return a strip of a colour ramp."""
    from brisk_atlas.core.draw.ramps import ramp

    pixmap = QPixmap(SWATCH)
    strip = QLinearGradient(0, 0, SWATCH.width(), 0)
    colours = ramp(name)
    for i in range(0, 256, 15):
        strip.setColorAt(i / 255, QColor(*map(int, colours[i])))
    painter = QPainter(pixmap)
    painter.fillRect(pixmap.rect(), strip)
    painter.end()
    return QIcon(pixmap)


def _slim(box: QComboBox) -> QComboBox:
    """Return the box made to fit the drawer, however long its entries."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    return box


class StyleDrawer(QScrollArea):
    """A form made anew for each kind of layer."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._built: tuple | None = None
        self._form = QFormLayout()
        self._filling = False
        self._setters: list[Callable[[Layer], None]] = []
        session.work_changed.connect(self._work_changed)
        self._build()

    def showEvent(self, event: object) -> None:
        self._build()

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file") and self.isVisible():
            self._build()

    def _build(self) -> None:
        """Make the form for the subject, or only refresh its values."""
        layer = self.session.work.subject
        facts = self.session.facts_of(layer) if layer else None
        key = (layer.id, layer.kind, facts is not None, self._many_bands(layer)) if layer else None
        if key != self._built:
            self._built = key
            # The old form may be the sender of what brought us here, so it goes after this event.
            self._make_form(layer, facts)
        if layer:
            self._filling = True
            for setter in self._setters:
                setter(layer)
            self._filling = False

    @staticmethod
    def _many_bands(layer: Layer | None) -> int:
        return len(layer.style.bands) if layer and isinstance(layer.style, GridStyle) else 0

    def _make_form(self, layer: Layer | None, facts: Facts | None) -> None:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(12, 10, 12, 10)
        self._setters = []
        self._form = QFormLayout()
        self._form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self._form.setVerticalSpacing(9)
        if layer is None or facts is None or layer.style is None:
            text = EMPTY if layer is None else f"{layer.name} is a {layer.kind}; it is not drawn."
            label = QLabel(text)
            label.setObjectName("quiet")
            label.setWordWrap(True)
            column.addWidget(label)
        else:
            heading = QLabel(layer.name)
            heading.setObjectName("heading")
            column.addWidget(heading)
            column.addLayout(self._form)
            self._opacity()
            if isinstance(layer.style, VectorStyle):
                self._vector(facts)
            elif isinstance(layer.style, GridStyle):
                self._grid(facts, layer.style)
            elif isinstance(layer.style, CloudStyle):
                self._cloud(facts)
        column.addStretch(1)
        old = self.takeWidget()
        self.setWidget(page)
        if old is not None:
            old.deleteLater()

    # Pieces of the form

    def _change(self, what: str, **values: object) -> None:
        """Change values of the subject's style."""
        layer = self.session.work.subject
        if layer is not None and layer.style is not None and not self._filling:
            self.session.work.change(what, layer.id, style=replace(layer.style, **values))  # type: ignore[arg-type]

    def _style(self) -> Style | None:
        layer = self.session.work.subject
        return layer.style if layer else None

    def _opacity(self) -> None:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setObjectName("opacity")
        slider.setRange(0, 100)
        later = QTimer(slider)
        later.setSingleShot(True)
        later.setInterval(60)  # one step of undo for a drag, not one a pixel

        def apply() -> None:
            layer = self.session.work.subject
            if layer is not None:
                self.session.work.change("opacity", layer.id, opacity=slider.value() / 100)

        later.timeout.connect(apply)
        slider.valueChanged.connect(lambda value: None if self._filling else later.start())
        self._form.addRow("Opacity", slider)
        self._setters.append(lambda layer: slider.setValue(round(layer.opacity * 100)))

    def _colour(self, label: str, field: str) -> None:
        button = QPushButton()
        button.setObjectName(field)
        button.setAccessibleName(label)

        def choose() -> None:
            now = getattr(self._style(), field)
            colour = QColorDialog.getColor(QColor(now), self, label)
            if colour.isValid():
                self._change(label.lower(), **{field: colour.name()})

        def show(layer: Layer) -> None:
            pixmap = QPixmap(SWATCH)
            pixmap.fill(QColor(getattr(layer.style, field)))
            button.setIcon(QIcon(pixmap))
            button.setIconSize(SWATCH)
            button.setText(getattr(layer.style, field))

        button.clicked.connect(choose)
        self._form.addRow(label, button)
        self._setters.append(show)

    def _number(self, label: str, field: str, low: float, high: float, step: float, unit: str = " px") -> None:
        spin = QDoubleSpinBox()
        spin.setObjectName(field)
        spin.setRange(low, high)
        spin.setSingleStep(step)
        spin.setDecimals(1 if step < 1 else 0)
        spin.setSuffix(unit)
        spin.valueChanged.connect(lambda value: self._change(label.lower(), **{field: value}))
        self._form.addRow(label, spin)
        self._setters.append(lambda layer: spin.setValue(getattr(layer.style, field)))

    def _choice(self, label: str, field: str, options: list[tuple[str, object]], *, name: str = "") -> QComboBox:
        box = _slim(QComboBox())
        box.setObjectName(name or field)
        box.setAccessibleName(label)
        for text, data in options:
            box.addItem(text, data)
        box.currentIndexChanged.connect(lambda i: self._change(label.lower(), **{field: box.itemData(i)}))
        self._form.addRow(label, box)
        self._setters.append(lambda layer: box.setCurrentIndex(max(0, box.findData(getattr(layer.style, field)))))
        return box

    def _ramp(self) -> None:
        from brisk_atlas.core.draw.ramps import NAMES

        box = self._choice("Ramp", "ramp", [(name, name) for name in NAMES])
        box.setIconSize(SWATCH)
        for i, name in enumerate(NAMES):
            box.setItemIcon(i, ramp_icon(name))

    def _stretch(self) -> None:
        kind = _slim(QComboBox())
        kind.setObjectName("stretch")
        for key, text in STRETCHES.items():
            kind.addItem(text, key)
        low, high = QDoubleSpinBox(), QDoubleSpinBox()
        low.setObjectName("stretch low")
        high.setObjectName("stretch high")
        for spin in (low, high):
            spin.setRange(-1e12, 1e12)
            spin.setDecimals(2)
            spin.setKeyboardTracking(False)

        def apply() -> None:
            style = self._style()
            if self._filling or style is None:
                return
            chosen, now = kind.currentData(), style.stretch
            if chosen != now.kind:
                self._start_stretch(chosen)
            elif chosen != "range" and low.value() < high.value():
                self._change("stretch", stretch=Stretch(chosen, low.value(), high.value()))

        def show(layer: Layer) -> None:
            stretch = layer.style.stretch  # type: ignore[union-attr]
            kind.setCurrentIndex(kind.findData(stretch.kind))
            for spin, value in ((low, stretch.low), (high, stretch.high)):
                spin.setEnabled(stretch.kind != "range")
                spin.setSuffix(" %" if stretch.kind == "percent" else "")
                spin.setValue(value)

        for signal in (kind.currentIndexChanged, low.valueChanged, high.valueChanged):
            signal.connect(lambda value: apply())
        self._form.addRow("Stretch", kind)
        self._form.addRow("from", low)
        self._form.addRow("to", high)
        self._setters.append(show)

    def _start_stretch(self, kind: str) -> None:
        """Go over to another kind of stretch; by hand begins at the limits that are on show."""
        if kind != "hand":
            self._change("stretch", stretch=Stretch(kind))
            return
        layer = self.session.work.subject
        if layer is None:
            return

        def work(job: object) -> tuple[float, float]:
            from brisk_atlas.core.draw.legend import legend_of
            from brisk_atlas.core.draw.limits import grid_limits

            if isinstance(layer.style, GridStyle) and len(layer.style.bands) == 3:
                return grid_limits(self.session.holdings, layer.source, layer.style.bands[0], layer.style.stretch)
            legend = legend_of(self.session.holdings, layer)
            return (legend.low, legend.high) if legend and legend.ramp else (0.0, 1.0)

        self.session.run(
            "Limits", work, lambda ends: self._change("stretch", stretch=Stretch("hand", *ends)), shown=False
        )

    # Kinds

    def _vector(self, facts: Facts) -> None:
        kind = facts.geometry_type or ""
        self._choice("Colour by", "colour_by", [("one colour", None), *((f.name, f.name) for f in facts.fields)])
        if "Line" not in kind:
            self._colour("Fill", "fill")
            hollow = QCheckBox("outline only")
            hollow.toggled.connect(lambda on: self._change("outline only", hollow=on))
            self._form.addRow("", hollow)
            self._setters.append(lambda layer: hollow.setChecked(layer.style.hollow))  # type: ignore[union-attr]
        self._colour("Line", "line")
        self._number("Width", "width", 0.0, 30.0, 0.2)
        if "Point" in kind or kind == "Unknown":
            self._number("Size", "size", 1.0, 60.0, 1.0)
        self._ramp()

    def _grid(self, facts: Facts, style: GridStyle) -> None:
        assert facts.grid is not None
        bands = facts.grid.bands
        if len(bands) >= 3:
            mode = _slim(QComboBox())
            mode.setObjectName("composite")
            mode.addItem("three bands", 3)
            mode.addItem("one band through a ramp", 1)
            mode.currentIndexChanged.connect(
                lambda i: self._change("composite", bands=(1, 2, 3) if mode.itemData(i) == 3 else (1,))
            )
            self._form.addRow("Show", mode)
            self._setters.append(lambda layer: mode.setCurrentIndex(mode.findData(len(layer.style.bands))))  # type: ignore[union-attr]
        labels = ("Red", "Green", "Blue") if len(style.bands) == 3 else ("Band",)
        for place, label in enumerate(labels):
            self._band(label, place, [(b.name, b.index) for b in bands])
        if len(style.bands) == 1:
            self._ramp()
            light = QCheckBox("hillshade")
            light.setObjectName("shade")
            light.toggled.connect(lambda on: self._change("hillshade", shade=0.75 if on else 0.0))
            self._form.addRow("Light", light)
            self._setters.append(lambda layer: light.setChecked(layer.style.shade > 0))  # type: ignore[union-attr]
        self._stretch()
        self._choice("Resample", "smooth", [("interpolate (continuous)", True), ("nearest cell (classes)", False)])

    def _band(self, label: str, place: int, options: list[tuple[str, int]]) -> None:
        box = _slim(QComboBox())
        box.setObjectName(f"band {label.lower()}")
        for text, index in options:
            box.addItem(text, index)

        def chosen(i: int) -> None:
            style = self._style()
            if isinstance(style, GridStyle):
                bands = list(style.bands)
                bands[place] = box.itemData(i)
                self._change("bands", bands=tuple(bands))

        box.currentIndexChanged.connect(chosen)
        self._form.addRow(label, box)

        def show(layer: Layer) -> None:
            if isinstance(layer.style, GridStyle) and place < len(layer.style.bands):
                box.setCurrentIndex(max(0, box.findData(layer.style.bands[place])))

        self._setters.append(show)

    def _cloud(self, facts: Facts) -> None:
        names = [f.name for f in facts.fields if f.name not in ("X", "Y", "Z")]
        options: list[tuple[str, object]] = [("height", "z"), *((n.replace("_", " "), n) for n in names)]
        if "red" in names:
            options.insert(1, ("measured colour", "rgb"))
        self._choice("Colour by", "colour_by", options)
        self._number("Size", "size", 1.0, 20.0, 1.0)
        self._ramp()
        self._stretch()
