"""The rules by which a style draws: chosen, named, ordered, switched on and off, and given their conditions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import Layer, StyleRule, VectorStyle
from brisk_atlas.core.model.language import tr

from ..deletable_list import DeletableList
from ..frame_image import picture_of
from ..plain_text import PlainLabel
from ..scale_range import ScaleRange
from ..session import Session
from ..theme import LIGHT
from .tried_expression import try_condition

SWATCH_PX = QSize(22, 14)
CONDITION_HINT = tr("SQL, such as year >= 2029 and name is not null")


class RuleList(QWidget):
    """Shows the rules of the subject's style; the current one is what the rows below speak of.

    Signals:
        rule_chosen(): another rule is the current one.
    """

    rule_chosen = pyqtSignal()

    def __init__(self, session: Session, shape: int, change: Callable[[str, VectorStyle], None]) -> None:
        super().__init__()
        self.session, self._shape, self._change = session, shape, change
        self._style = VectorStyle()
        self._filling = False
        self.list = DeletableList()
        self.list.setObjectName("rules")
        self.list.setAccessibleName(tr("Rules"))
        self.list.setIconSize(SWATCH_PX)
        self.list.setMaximumHeight(132)
        self.list.setEditTriggers(
            QAbstractItemView.EditTrigger.EditKeyPressed | QAbstractItemView.EditTrigger.DoubleClicked
        )
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.buttons: dict[str, QPushButton] = {}
        for name, word, tip, do in (
            ("add", tr("Add"), tr("Add a rule above this one"), self.add),
            ("remove", tr("Remove"), tr("Remove this rule"), self.remove),
            ("up", tr("Up"), tr("Draw this rule above the one over it"), lambda: self.move_rule(1)),
            ("down", tr("Down"), tr("Draw this rule below the one under it"), lambda: self.move_rule(-1)),
        ):
            button = QPushButton(word)
            button.setObjectName(f"rule {name}")
            button.setToolTip(tip)
            button.clicked.connect(lambda on, do=do: do())
            buttons.addWidget(button)
            self.buttons[name] = button
        self.where, self.otherwise = QLineEdit(), QCheckBox(tr("all that no other rule draws"))
        self.where.setObjectName("rule where")
        self.where.setPlaceholderText(CONDITION_HINT)
        self.otherwise.setObjectName("rule otherwise")
        self.range = ScaleRange(self, None)
        form = QFormLayout()
        form.setVerticalSpacing(6)
        form.addRow(tr("Where"), self.where)
        form.addRow("", self.otherwise)
        form.addRow(tr("Drawn from"), self.range.closest)
        form.addRow(tr("Drawn to"), self.range.farthest)
        self.single = QPushButton(tr("One look for all again"))
        self.single.setObjectName("no rules")
        self.about = PlainLabel()
        self.about.setObjectName("heading")
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.list)
        column.addLayout(buttons)
        column.addLayout(form)
        column.addWidget(self.single)
        column.addWidget(self.about)
        self.list.currentRowChanged.connect(self._current_changed)
        self.list.itemChanged.connect(self._item_changed)
        self.list.delete_pressed.connect(self.remove)
        self.where.editingFinished.connect(self._where_typed)
        self.otherwise.toggled.connect(lambda on: self._change_rule("rule", otherwise=on))
        self.range.ended.connect(self._scales_chosen)
        self.single.clicked.connect(
            lambda: self._change(tr("one look for all"), replace(self._style, rules=(), hidden=()))
        )

    @property
    def current(self) -> int | None:
        """The number of the current rule in the style, None without."""
        row = self.list.currentRow()
        return len(self._style.rules) - 1 - row if 0 <= row < len(self._style.rules) else None

    def show_style(self, style: VectorStyle) -> None:
        """Show the rules of a style, the topmost first."""
        from brisk_atlas.core.draw.swatch import Swatch

        self._filling = True
        row = self.list.currentRow() if self.list.count() else 0
        added = len(style.rules) - len(self._style.rules) if self.list.count() else 0
        self._style = style
        self.list.clear()
        for rule in reversed(style.rules):
            item = QListWidgetItem(rule.name)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable | Qt.ItemFlag.ItemIsUserCheckable)
            off = rule.name in style.hidden
            item.setCheckState(Qt.CheckState.Unchecked if off else Qt.CheckState.Checked)
            picture = Swatch(rule.style, self._shape).picture((SWATCH_PX.width() * 2, SWATCH_PX.height() * 2), 2.0)
            item.setIcon(QIcon(QPixmap.fromImage(picture_of(picture))))
            self.list.addItem(item)
        self.list.setCurrentRow(min(max(row, 0), len(style.rules) - 1) if added <= 0 else max(row, 0))
        self._filling = False
        self._show_rule()

    def _show_rule(self) -> None:
        number = self.current
        self._filling = True
        if number is not None:
            rule = self._style.rules[number]
            self.where.setText(rule.where)
            self.where.setEnabled(not rule.otherwise)
            self.otherwise.setChecked(rule.otherwise)
            self.range.show_scales(rule.scales)
            self.about.setText(tr("Look of {name}", name=rule.name))
            self.buttons["up"].setEnabled(number < len(self._style.rules) - 1)
            self.buttons["down"].setEnabled(number > 0)
            self.buttons["remove"].setEnabled(len(self._style.rules) > 1)
        self._filling = False

    def _current_changed(self, row: int) -> None:
        if not self._filling:
            self._show_rule()
            self.rule_chosen.emit()

    def _change_rule(self, what: str, **values: object) -> None:
        number = self.current
        if self._filling or number is None:
            return
        rules = list(self._style.rules)
        rules[number] = replace(rules[number], **values)  # type: ignore[arg-type]
        self._change(what, replace(self._style, rules=tuple(rules)))

    def _item_changed(self, item: QListWidgetItem) -> None:
        """A rule was renamed or switched on or off."""
        if self._filling:
            return
        number = len(self._style.rules) - 1 - self.list.row(item)
        rule, style = self._style.rules[number], self._style
        name = item.text().strip() or rule.name
        if name != rule.name:
            name = free_name(name, [other.name for other in style.rules if other is not rule])
            rules = tuple(replace(r, name=name) if r is rule else r for r in style.rules)
            hidden = tuple(name if each == rule.name else each for each in style.hidden)
            self._change(tr("rename a rule"), replace(style, rules=rules, hidden=hidden))
            return
        on = item.checkState() == Qt.CheckState.Checked
        hidden = tuple(each for each in style.hidden if each != name) + (() if on else (name,))
        self._change(tr("switch a rule"), replace(style, hidden=hidden))

    def _where_typed(self) -> None:
        text = self.where.text().strip()
        layer, number = self.session.work.subject, self.current
        if layer is None or number is None or text == self._style.rules[number].where:
            return
        try_condition(self.session, layer, text, self.where, lambda: self._change_rule("rule", where=text))

    def _scales_chosen(self) -> None:
        try:
            scales = self.range.scales
        except ValueError as error:
            self.session.noticed.emit("caution", str(error), "")
            return
        number = self.current
        if number is not None and scales != self._style.rules[number].scales:
            self._change_rule("rule", scales=scales)

    def add(self) -> None:
        """Add a rule above the current one, with its look."""
        number = self.current
        at = len(self._style.rules) if number is None else number + 1
        look = self._style.rules[number].style if number is not None else self._style
        name = free_name("rule", [rule.name for rule in self._style.rules])
        rules = (*self._style.rules[:at], StyleRule(name, "", look), *self._style.rules[at:])
        self._change(tr("add a rule"), replace(self._style, rules=rules))

    def remove(self) -> None:
        """Remove the current rule; the last one stays."""
        number = self.current
        if number is not None and len(self._style.rules) > 1:
            gone = self._style.rules[number]
            rules = tuple(rule for rule in self._style.rules if rule is not gone)
            hidden = tuple(each for each in self._style.hidden if each != gone.name)
            self._change(tr("remove a rule"), replace(self._style, rules=rules, hidden=hidden))

    def move_rule(self, by: int) -> None:
        """Move the current rule in the order of drawing; 1 is one up."""
        number, rules = self.current, list(self._style.rules)
        if number is not None and 0 <= number + by < len(rules):
            rules[number], rules[number + by] = rules[number + by], rules[number]
            row = self.list.currentRow() - by
            self._change(tr("order of rules"), replace(self._style, rules=tuple(rules)))
            self.list.setCurrentRow(row)


def free_name(name: str, taken: list[str]) -> str:
    """Return a name that is not taken: this one, or with a number behind it."""
    number, free = 1, name
    while free in taken:
        number += 1
        free = f"{name} {number}"
    return free


def first_rules(layer: Layer) -> tuple[StyleRule, ...]:
    """Return the rules with which drawing by rules begins: one for all the others, and one above it to be given its
    condition."""
    assert isinstance(layer.style, VectorStyle)
    look = replace(layer.style, rules=(), hidden=())
    above = replace(look, fill=LIGHT.accent, line=LIGHT.accent)
    return StyleRule(tr("all others"), "", look, otherwise=True), StyleRule("rule", "", above)
