"""The rows of the style form that speak of labels."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtWidgets import QDoubleSpinBox

from brisk_atlas.core.model import Label, Layer, VectorStyle
from brisk_atlas.core.model.language import tr

from .style_rows import StyleRows


def label_rows(rows: StyleRows, fields: list[str]) -> None:
    """Add what labels say, how they look and stand, and which go first."""

    def label() -> Label | None:
        style = rows.style()
        return style.label if isinstance(style, VectorStyle) else None

    def change(what: str, **values: object) -> None:
        now = label()
        if now is not None:
            rows.change(what, label=replace(now, **values))  # type: ignore[arg-type]

    def put_text(text: str | None) -> None:
        now = label()
        rows.change(tr("labels"), label=None if text is None else replace(now, text=text) if now else Label(text))

    rows.heading(tr("Labels"))
    rows.by_field(tr("Text"), "label", tr("none"), fields, lambda s: s.label.text if s.label else None, put_text)
    first = rows.by_field(tr("First"), "label first", tr("the largest"), fields,
                          lambda s: s.label.first if s.label else None,
                          lambda value: change(tr("label order"), first=value))  # fmt: skip
    numbers = [
        _number(rows, change, tr("Text size"), "size", (6, 40, 1), tr(" px"), "", ""),
        _number(rows, change, tr("Again every"), "repeat", (0, 2000, 50), tr(" px"), tr("once a line"),
                tr("Along lines: the text is set again every so many pixels")),
        _number(rows, change, tr("Lines of"), "wrap", (0, 80, 2), tr(" letters"), tr("as it is"),
                tr("Breaks the text at spaces into several lines")),
        _number(rows, change, tr("Callout"), "callout", (0, 200, 4), tr(" px aside"), tr("none"),
                tr("The text in a box aside, with a line to its feature")),
        _number(rows, change, tr("Priority"), "priority", (0, 10, 1), "", "",
                tr("Labels of higher priority are placed before those of others, in all layers")),
    ]  # fmt: skip

    def show(layer: Layer) -> None:
        now = layer.style.label if isinstance(layer.style, VectorStyle) else None
        for spin in numbers:
            rows.form.setRowVisible(spin, now is not None)
            if now is not None:
                spin.setValue(getattr(now, spin.objectName().removeprefix("label ")))
        rows.form.setRowVisible(first, now is not None)

    rows.setters.append(show)


def _number(
    rows: StyleRows,
    change: Callable[..., None],
    label: str,
    field: str,
    reach: tuple[float, float, float],
    unit: str,
    none: str,
    tip: str,
) -> QDoubleSpinBox:
    """Add a number of the label, from, to and by steps of `reach`; `none` is what its lowest value is called."""
    spin = QDoubleSpinBox()
    spin.setObjectName(f"label {field}")
    spin.setRange(*reach[:2])
    spin.setSingleStep(reach[2])
    spin.setDecimals(0)
    spin.setSuffix(unit)
    spin.setSpecialValueText(none)
    spin.setToolTip(tip)
    spin.setKeyboardTracking(False)
    kind = type(getattr(Label(""), field))
    spin.valueChanged.connect(lambda value: None if rows.filling else change(label.lower(), **{field: kind(value)}))
    rows.form.addRow(label, spin)
    return spin
