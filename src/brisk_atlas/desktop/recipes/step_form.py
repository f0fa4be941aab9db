"""The settings of a step: an input for each, made from the step's own fields."""

from __future__ import annotations

import typing
from dataclasses import MISSING, Field, fields
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QLineEdit, QVBoxLayout, QWidget

from brisk_atlas.core.model import Extent
from brisk_atlas.core.model.argument import Source, plain_type
from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel, plain_tip
from .fields_input import FieldsInput
from .setting_names import setting_name
from .step_inputs import (
    ChoiceInput,
    ExtentInput,
    SourceInput,
    StepInput,
    SwitchInput,
    Taking,
    TextInput,
    TransformationInput,
)
from .step_surroundings import StepSurroundings

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import RecipeStep
    from brisk_atlas.core.handover.step import Step

EXPRESSIONS = {"where", "expression"}
FIELD_NAMES = {"fields", "by", "field", "key", "x", "y", "z"}
BAND_NAMES = {"bands", "band"}
TRANSFORMATION = "transformation"
OF_A_GRID = tr("of a grid: ")  # how settings begin that grids alone have


class StepForm(QWidget):
    """The inputs of one step, and what it does.

    Signals:
        edited(object): the settings as they are now, a dictionary as JSON holds it; those with their default are left
            out.
        comment_edited(str): another comment was written.
    """

    edited = pyqtSignal(object)
    comment_edited = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.inputs: dict[str, StepInput] = {}
        self._defaults: dict[str, Any] = {}
        self._others: dict[str, Any] = {}
        self.title, self.about = PlainLabel(), PlainLabel()
        self.title.setObjectName("title")
        self.about.setObjectName("quiet")
        self.about.setWordWrap(True)
        self.comment = QLineEdit()
        self.comment.setPlaceholderText(tr("A comment on this step"))
        self.comment.setAccessibleName(tr("Comment on this step"))
        self.comment.editingFinished.connect(lambda: self.comment_edited.emit(self.comment.text().strip()))
        self.form = QFormLayout()
        self.form.setVerticalSpacing(8)
        self.form.setHorizontalSpacing(12)
        self.form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 10)
        column.setSpacing(8)
        column.addWidget(self.title)
        column.addWidget(self.about)
        column.addLayout(self.form)
        column.addWidget(self.comment)
        column.addStretch(1)

    def show_step(self, step: RecipeStep, kind: type[Step], around: StepSurroundings) -> None:
        """Show a step with its settings."""
        while self.form.rowCount():
            self.form.removeRow(0)
        self.inputs = {}
        self.title.setText(kind.label)
        words = " ".join((kind.__doc__ or "").split())
        self.about.setText(words.partition(". ")[0].rstrip(".") + ".")
        self.about.setToolTip(plain_tip(words))
        self.comment.setText(step.comment)
        hints = typing.get_type_hints(kind, include_extras=True)
        self._defaults = {each.name: _default(each) for each in fields(kind)}
        for each in fields(kind):
            if around.kind is not None and each.metadata["help"].startswith(OF_A_GRID) and not around.kind.has_cells:
                continue
            if each.name == TRANSFORMATION and around.kind is not None and around.kind.has_cells:
                continue  # a grid is moved by the most accurate one
            made = self._transformation(around) if each.name == TRANSFORMATION else None
            made = made or _input(step.do, each, hints[each.name], around)
            made.setObjectName(f"step {each.name}")
            made.setToolTip(each.metadata["help"])
            for child in made.findChildren(QWidget):
                if not child.accessibleName():
                    child.setAccessibleName(each.metadata["help"])
            made.show_value(step.settings.get(each.name))
            made.changed.connect(self._changed)
            self.inputs[each.name] = made
            if isinstance(made, SwitchInput | FieldsInput):
                self.form.addRow(made)
            else:
                self.form.addRow(setting_name(each.name), made)
        self._others = {name: value for name, value in step.settings.items() if name not in self.inputs}

    def _transformation(self, around: StepSurroundings) -> StepInput | None:
        if around.crs is None:
            return None
        return TransformationInput(around.crs, lambda: self.inputs["crs"].value())

    def settings(self) -> dict[str, Any]:
        """Return what was given, as JSON holds it."""
        found = {name: made.value() for name, made in self.inputs.items()}
        return self._others | {
            name: value for name, value in found.items() if value is not None and value != (self._defaults[name] or "")
            and value != self._defaults[name]
        }  # fmt: skip

    def _changed(self) -> None:
        self.edited.emit(self.settings())

    def focus_first(self) -> None:
        """Give the keyboard to the first input."""
        for made in self.inputs.values():
            for child in made.findChildren(QLineEdit):
                child.setFocus()
                return


def _default(each: Field[Any]) -> Any:
    if each.default is not MISSING:
        return list(each.default) if isinstance(each.default, tuple) else each.default
    return None


def _input(step: str, each: Field[Any], hint: Any, around: StepSurroundings) -> StepInput:
    """Return the input for a setting."""
    choices = each.metadata.get("choices", ())
    words = each.metadata["help"]
    inner, several = plain_type(hint)
    if step == "fields" and each.name == "fields":
        from brisk_atlas.core.handover.steps.fields import TYPES

        return FieldsInput(around.fields, tuple(TYPES))
    if choices:
        return ChoiceInput(choices, _default(each))
    if inner is Source:
        return SourceInput(around.sources, several=several)
    if inner is Extent:
        return ExtentInput(around.view_extent)
    if inner is bool and _default(each) is None:
        return ChoiceInput(("", "yes", "no"), "")
    if inner is bool and not several:
        return SwitchInput(words[:1].upper() + words[1:], bool(_default(each)))
    names = around.fields if each.name in FIELD_NAMES or each.name in EXPRESSIONS else ()
    names = around.bands or names if each.name in BAND_NAMES or step == "cell-expression" else names
    if several:
        return TextInput(lambda text: _several(text, inner), lambda v: ", ".join(map(_shown, v)), names, Taking.APPEND)
    if inner in (int, float):
        made = TextInput(lambda text: _number(text, inner), _shown)
    else:
        expression = each.name in EXPRESSIONS
        made = TextInput(str, str, names, Taking.INSERT if expression else Taking.REPLACE, mono=expression)
    made.line.setPlaceholderText(words)
    return made


def _shown(value: Any) -> str:
    return f"{value:.12g}" if isinstance(value, float) else str(value)


def _number(text: str, kind: type) -> Any:
    """Return a number, or the text itself where it is none: the step says what is wrong with it."""
    try:
        return kind(typed_number(text))
    except ValueError:
        return text


def _several(text: str, kind: type) -> list[Any]:
    parts = [part.strip() for part in text.split(",") if part.strip()]
    return [_number(part, kind) for part in parts] if kind in (int, float) else parts
