"""The rows that style forms are made of. Each changes one value of the subject's style."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QLineEdit,
    QPushButton,
    QSlider,
    QWidget,
)

from brisk_atlas.core.model import Blend, Layer, Style, VectorStyle
from brisk_atlas.core.model.language import tr

from ..frame_image import ramp_strip
from ..later import Later
from ..living import is_living
from ..plain_text import PlainLabel
from ..session import Session
from .histogram import Histogram
from .rule_list import RuleList
from .tried_expression import try_expression

STRETCHES = {
    "percent": tr("percent clip"),
    "deviations": tr("standard deviations"),
    "range": tr("minimum to maximum"),
    "hand": tr("by hand"),
}
UNITS = {"percent": " %", "deviations": " σ"}
STARTS = {"percent": (2.0, 98.0), "deviations": (2.0, 2.0), "range": (0.0, 0.0)}
SWATCH = QSize(96, 14)
SLIDE_MS = 60  # one step of undo for a drag, not one a pixel
MAKE_RAMP = "…"  # what stands for making a ramp among ramps
BY_EXPRESSION = "…"  # what stands for an expression among names of fields
EXPRESSION_HINT = tr("SQL, such as area_m2 / 10000")


def ramp_icon(name: str) -> QIcon:
    """Return a strip of a colour ramp."""
    return QIcon(QPixmap.fromImage(ramp_strip(name).scaled(SWATCH)))


def slim(box: QComboBox) -> QComboBox:
    """Return the box made to fit the drawer, however long its entries."""
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    return box


class StyleRows:
    """Adds rows to a form; `setters` bring them up to date with a layer."""

    def __init__(self, session: Session, form: QFormLayout, parent: QWidget) -> None:
        self.session, self.form, self.parent = session, form, parent
        self.setters: list[Callable[[Layer], None]] = []
        self.filling = False
        self.rules: RuleList | None = None

    def fill(self, layer: Layer) -> None:
        self.filling = True
        if self.rules is not None and isinstance(layer.style, VectorStyle):
            self.rules.show_style(layer.style)
        spoken_of = self.with_rule(layer)
        for setter in self.setters:
            if is_living(setter):  # the event that led here may be taking the form apart
                setter(spoken_of)
        self.filling = False

    def refill(self) -> None:
        """Bring the rows up to date, as they speak of another rule now."""
        if self.session.work.subject is not None:
            self.fill(self.session.work.subject)

    def with_rule(self, layer: Layer) -> Layer:
        """Return a layer with the look that the rows speak of: that of the current rule, where there are rules."""
        number = self.rules.current if self.rules is not None else None
        if number is None or not isinstance(layer.style, VectorStyle) or number >= len(layer.style.rules):
            return layer
        return replace(layer, style=layer.style.rules[number].style)

    def change(self, what: str, **values: object) -> None:
        """Change values of the subject's style, of the current rule's where there are rules."""
        layer = self.session.work.subject
        if layer is None or layer.style is None or self.filling:
            return
        number = self.rules.current if self.rules is not None else None
        if number is None or not isinstance(layer.style, VectorStyle):
            self.change_style(what, replace(layer.style, **values))  # type: ignore[arg-type]
            return
        rules = list(layer.style.rules)
        look = replace(rules[number].style, **values)  # type: ignore[arg-type]
        rules[number] = replace(rules[number], style=look)
        self.change_style(what, replace(layer.style, rules=tuple(rules)))

    def change_style(self, what: str, style: Style) -> None:
        """Give the subject another style, as a step of undo."""
        layer = self.session.work.subject
        if layer is not None and not self.filling:
            self.session.work.change(what, layer.id, style=style)

    def change_layer(self, what: str, **values: object) -> None:
        layer = self.session.work.subject
        if layer is not None and not self.filling:
            self.session.work.change(what, layer.id, **values)

    def style(self) -> Style | None:
        layer = self.session.work.subject
        return self.with_rule(layer).style if layer else None

    def heading(self, text: str) -> None:
        label = PlainLabel(text)
        label.setObjectName("heading")
        label.setContentsMargins(0, 6, 0, 0)
        self.form.addRow(label)

    def opacity(self) -> None:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setObjectName("opacity")
        slider.setRange(0, 100)
        later = Later(slider, SLIDE_MS, lambda: self.change_layer(tr("opacity"), opacity=slider.value() / 100))
        slider.valueChanged.connect(lambda value: None if self.filling else later.start())
        self.form.addRow(tr("Opacity"), slider)
        self.setters.append(lambda layer: slider.setValue(round(layer.opacity * 100)))
        self.choice_of(tr("Blend"), "blend", [(tr("normal"), Blend.NORMAL), (tr("multiply (darken)"), Blend.MULTIPLY)],
                       lambda layer: layer.blend, lambda to: self.change_layer(tr("blend"), blend=to))  # fmt: skip

    def colour(self, label: str, field: str) -> QPushButton:
        button = QPushButton()
        button.setObjectName(field)
        button.setAccessibleName(label)

        def choose() -> None:
            colour = QColorDialog.getColor(QColor(getattr(self.style(), field)), self.parent, label)
            if colour.isValid():
                self.change(label.lower(), **{field: colour.name()})

        def show(layer: Layer) -> None:
            pixmap = QPixmap(SWATCH)
            pixmap.fill(QColor(getattr(layer.style, field)))
            button.setIcon(QIcon(pixmap))
            button.setIconSize(SWATCH)
            button.setText(getattr(layer.style, field))

        button.clicked.connect(choose)
        self.form.addRow(label, button)
        self.setters.append(show)
        return button

    def number(self, label: str, field: str, low: float, high: float, step: float, unit: str = " px") -> QDoubleSpinBox:
        spin = QDoubleSpinBox()
        spin.setObjectName(field)
        spin.setRange(low, high)
        spin.setSingleStep(step)
        spin.setDecimals(1 if step < 1 else 0)
        spin.setSuffix(unit)
        spin.setKeyboardTracking(False)
        spin.valueChanged.connect(lambda value: self.change(label.lower(), **{field: value}))
        self.form.addRow(label, spin)
        self.setters.append(lambda layer: spin.setValue(getattr(layer.style, field)))
        return spin

    def check(self, label: str, text: str, name: str, get: Callable[[Any], bool], put: Callable[[bool], None]) -> None:
        box = QCheckBox(text)
        box.setObjectName(name)
        box.toggled.connect(lambda on: None if self.filling else put(on))
        self.form.addRow(label, box)
        self.setters.append(lambda layer: box.setChecked(get(layer.style)))

    def choice(self, label: str, field: str, options: list[tuple[str, object]]) -> QComboBox:
        return self.choice_of(label, field, options, lambda layer: getattr(layer.style, field),
                              lambda value: self.change(label.lower(), **{field: value}))  # fmt: skip

    def choice_of(
        self,
        label: str,
        name: str,
        options: list[tuple[str, object]],
        get: Callable[[Layer], object],
        put: Callable[[Any], None],
    ) -> QComboBox:
        box = slim(QComboBox())
        box.setObjectName(name)
        box.setAccessibleName(label)
        for text, data in options:
            box.addItem(text, data)
        box.currentIndexChanged.connect(lambda i: None if self.filling else put(box.itemData(i)))
        self.form.addRow(label, box)

        def show(layer: Layer) -> None:
            value = get(layer)
            at = next((i for i in range(box.count()) if box.itemData(i) == value), 0)
            box.setCurrentIndex(at)

        self.setters.append(show)
        return box

    def by_field(
        self,
        label: str,
        name: str,
        none: str,
        fields: list[str],
        get: Callable[[Any], str | None],
        put: Callable[[str | None], None],
    ) -> QComboBox:
        """Add a choice of a field, or of an SQL expression, which is tried before it is taken."""
        box = slim(QComboBox())
        box.setObjectName(name)
        box.setAccessibleName(label)
        for text, data in [(none, None), *((f, f) for f in fields), (tr("an expression…"), BY_EXPRESSION)]:
            box.addItem(text, data)
        line = QLineEdit()
        line.setObjectName(f"{name} expression")
        line.setPlaceholderText(EXPRESSION_HINT)
        self.form.addRow(label, box)
        self.form.addRow("", line)
        self.form.setRowVisible(line, False)

        def chosen(i: int) -> None:
            own = box.itemData(i) == BY_EXPRESSION
            self.form.setRowVisible(line, own)
            if self.filling:
                return
            if own:
                line.setFocus()
            else:
                put(box.itemData(i))

        def typed() -> None:
            text = line.text().strip()
            if text and text != get(self.style()):
                self._try(text, line, put)

        def show(layer: Layer) -> None:
            value = get(layer.style)
            own = value is not None and value not in fields
            box.setCurrentIndex(box.count() - 1 if own else 0 if value is None else fields.index(value) + 1)
            self.form.setRowVisible(line, own)
            if own:
                line.setText(value)

        box.currentIndexChanged.connect(chosen)
        line.editingFinished.connect(typed)
        self.setters.append(show)
        return box

    def _try(self, expression: str, line: QLineEdit, put: Callable[[str | None], None]) -> None:
        layer = self.session.work.subject
        if layer is not None:
            try_expression(self.session, layer, expression, line, lambda: put(expression))

    def ramp(self) -> QComboBox:
        """Add the choice of a ramp: ours, those of one's own that open layers have, and the making of another."""
        box = slim(QComboBox())
        box.setObjectName("ramp")
        box.setAccessibleName(tr("Ramp"))
        box.setIconSize(SWATCH)
        self.form.addRow(tr("Ramp"), box)

        def show(layer: Layer) -> None:
            from brisk_atlas.core.draw.ramps import NAMES

            now = layer.style.ramp  # type: ignore[union-attr]
            used = {look.style.ramp for look in self.session.work.layers if look.style is not None} | {now}
            wanted = [*NAMES, *sorted(used - {*NAMES})]
            if [box.itemData(i) for i in range(box.count() - 1)] != wanted:
                box.clear()
                for name in wanted:
                    box.addItem(ramp_icon(name), name if name in NAMES else tr("your own"), name)
                box.addItem(tr("make one…"), MAKE_RAMP)
            box.setCurrentIndex(wanted.index(now))

        def chosen(i: int) -> None:
            if self.filling:
                return
            if box.itemData(i) == MAKE_RAMP:
                self._make_ramp()
            else:
                self.change(tr("ramp"), ramp=box.itemData(i))

        box.currentIndexChanged.connect(chosen)
        self.setters.append(show)
        return box

    def _make_ramp(self) -> None:
        """Ask for a ramp of one's own, beginning with the one that is used."""
        from .ramp_form import RampForm

        layer = self.session.work.subject
        style = self.style()
        if layer is None or style is None:
            return
        self.ramp_form = RampForm(style.ramp, self.parent)
        self.ramp_form.accepted.connect(lambda: self.change(tr("ramp"), ramp=self.ramp_form.ramp))
        self.ramp_form.rejected.connect(lambda: self.fill(layer))
        self.ramp_form.open()

    # Stretch

    def stretch(self, *, in_view: bool = False) -> None:
        self.histogram = Histogram()
        self.histogram.limits_chosen.connect(
            lambda low, high: self._change_stretch(kind="hand", low=low, high=high, in_view=False)
        )
        self.form.addRow(self.histogram)
        self.setters.append(self._refresh_histogram)
        kind = slim(QComboBox())
        kind.setObjectName("stretch")
        for key, text in STRETCHES.items():
            kind.addItem(text, key)
        low, high, gamma = QDoubleSpinBox(), QDoubleSpinBox(), QDoubleSpinBox()
        for spin, name in ((low, "stretch low"), (high, "stretch high"), (gamma, "gamma")):
            spin.setObjectName(name)
            spin.setRange(-1e12, 1e12)
            spin.setDecimals(2)
            spin.setKeyboardTracking(False)
        gamma.setRange(0.1, 10.0)
        gamma.setSingleStep(0.1)

        def apply() -> None:
            style = self.style()
            if self.filling or style is None:
                return
            chosen = kind.currentData()
            if chosen != style.stretch.kind:
                self._start_stretch(chosen)
            elif chosen == "deviations" or low.value() < high.value():
                self._change_stretch(low=low.value(), high=high.value())

        def show(layer: Layer) -> None:
            stretch = layer.style.stretch  # type: ignore[union-attr]
            kind.setCurrentIndex(kind.findData(stretch.kind))
            gamma.setValue(stretch.gamma)
            for spin, value in ((low, stretch.low), (high, stretch.high)):
                spin.setEnabled(stretch.kind != "range")
                spin.setSuffix(UNITS.get(stretch.kind, ""))
                spin.setValue(value)

        for signal in (kind.currentIndexChanged, low.valueChanged, high.valueChanged):
            signal.connect(lambda value: apply())
        gamma.valueChanged.connect(lambda value: None if self.filling else self._change_stretch(gamma=value))
        self.form.addRow(tr("Stretch"), kind)
        self.form.addRow(tr("from"), low)
        self.form.addRow(tr("to"), high)
        self.form.addRow(tr("Gamma"), gamma)
        self.setters.append(show)
        if in_view:
            self.check("", tr("by what is in view"), "in view", lambda style: style.stretch.in_view,
                       self._measure_in_view)  # fmt: skip

    def _measure_in_view(self, on: bool) -> None:
        """Take the limits from what the map shows, or from the whole; by hand there is nothing to measure."""
        style = self.style()
        if on and style is not None and style.stretch.kind == "hand":
            low, high = STARTS["percent"]
            self._change_stretch(kind="percent", low=low, high=high, in_view=True)
        else:
            self._change_stretch(in_view=on)

    def _change_stretch(self, **values: object) -> None:
        style = self.style()
        if style is not None and not self.filling:
            self.change(tr("stretch"), stretch=replace(style.stretch, **values))  # type: ignore[arg-type]

    def _refresh_histogram(self, layer: Layer) -> None:
        asked = layer.id, layer.style

        def work(job: object) -> object:
            from brisk_atlas.core.kinds import kind_of

            return kind_of(layer.kind).distribution(self.session.cache, layer)

        def done(distribution: Any) -> None:
            subject = self.session.work.subject
            is_there = not sip.isdeleted(self.histogram)  # the form may have been made anew since
            now = self.with_rule(subject) if is_there and subject is not None else None
            if now is not None and (now.id, now.style) == asked:
                self.histogram.show_distribution(distribution)

        self.session.run(
            tr("Histogram"), work, done, shown=False, failed=lambda error: None
        )  # the map says what is wrong

    def _start_stretch(self, kind: str) -> None:
        """Go over to another kind of stretch; by hand begins at the limits that are on show."""
        layer = self.session.work.subject
        if kind != "hand":
            low, high = STARTS[kind]
            self._change_stretch(kind=kind, low=low, high=high)
            return
        if layer is None:
            return
        spoken_of = self.with_rule(layer)

        def work(job: object) -> tuple[float, float]:
            from brisk_atlas.core.kinds import kind_of

            distribution = kind_of(layer.kind).distribution(self.session.cache, spoken_of)
            return (distribution.low, distribution.high) if distribution else (0.0, 1.0)

        def done(ends: tuple[float, float]) -> None:
            self._change_stretch(kind="hand", low=ends[0], high=ends[1], in_view=False)

        self.session.run(tr("Limits"), work, done, shown=False)
