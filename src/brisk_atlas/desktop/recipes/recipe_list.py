"""The recipe as a list: branches with their sources and steps, what came of each beside it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QKeyEvent, QPainter
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from ..theme import LIGHT, Theme, mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.handover.checkpoints import StepAccount
    from brisk_atlas.core.handover.recipe import Branch, Recipe

LINE_PX, EDGE_PX, NUMBER_PX = 44, 10, 22
SOURCE = -1  # the place of the source of a branch among its steps
LINE = Qt.ItemDataRole.UserRole
OWN_KEYS = {Qt.Key.Key_Delete, Qt.Key.Key_Space}


@dataclass
class RecipeLine:
    """One line of the list: the source of a branch, or a step of it (`at` is its number there)."""

    branch: str
    at: int
    label: str
    summary: str
    off: bool = False
    comment: str = ""
    account: StepAccount | None = None
    waiting: bool = False

    @property
    def counts(self) -> str:
        """What came in and out."""
        if self.account is None or self.account.count_out is None:
            return ""
        if self.at == SOURCE or self.account.count_in == self.account.count_out:
            return grouped(self.account.count_out)
        return f"{grouped(self.account.count_in)} → {grouped(self.account.count_out)}"

    @property
    def is_unfinished(self) -> bool:
        """Whether a setting is missing that it must have."""
        from brisk_atlas.core.handover.step import MissingSetting

        return self.account is not None and isinstance(self.account.error, MissingSetting)

    @property
    def remark(self) -> str:
        """What should be known of it, in a line."""
        if self.account is None:
            return ""
        if self.is_unfinished:
            return tr("to be filled in")
        if self.account.error is not None:
            return self.account.error.reason
        parts = (
            [tr("{rejected_count:,} left out", rejected_count=self.account.rejected_count)]
            if self.account.rejected_count
            else []
        )
        return " · ".join([*parts, *self.account.warnings[:1]])


class LineDelegate(QStyledItemDelegate):
    """Paints a line: its number, its name in bold and its settings, counts at the right, remarks below."""

    theme: Theme = LIGHT

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, LINE_PX)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        line: RecipeLine | None = index.data(LINE)
        if painter is None or line is None:
            return
        theme, box = self.theme, option.rect
        painter.save()
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        if chosen:
            theme = theme.on_wash
            painter.fillRect(box, QColor(theme.wash))
            painter.fillRect(QRect(box.left(), box.top(), 3, box.height()), QColor(theme.accent))
        ink, quiet = QColor(theme.quiet if line.off else theme.ink), QColor(theme.quiet)
        failed = line.account is not None and line.account.error is not None and not line.is_unfinished
        left = box.left() + EDGE_PX + (0 if line.at == SOURCE else NUMBER_PX)
        right = box.right() - EDGE_PX
        plain, bold = painter.font(), painter.font()
        bold.setBold(True)
        upper = QRect(left, box.top() + 4, right - left, 18)
        lower = QRect(left, box.top() + 22, right - left, 18)
        if line.at != SOURCE:
            painter.setPen(quiet)
            number = QRect(box.left() + EDGE_PX, upper.top(), NUMBER_PX - 4, 18)
            painter.drawText(number, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, str(line.at + 1))
        counts = tr("off") if line.off else "…" if line.waiting else line.counts
        painter.setFont(mono_font())
        painter.setPen(quiet)
        painter.drawText(upper, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, counts)
        upper.setRight(right - QFontMetrics(mono_font()).horizontalAdvance(counts) - 8)
        painter.setFont(bold)
        painter.setPen(ink)
        name = QFontMetrics(bold).elidedText(line.label, Qt.TextElideMode.ElideRight, upper.width())
        painter.drawText(upper, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(plain)
        remark = line.remark
        warned = line.is_unfinished or bool(line.account and line.account.warnings and not failed)
        if remark and (failed or not line.summary):
            painter.setPen(QColor(theme.fault) if failed else QColor(theme.caution) if warned else quiet)
            text = remark
        else:
            painter.setPen(quiet)
            text = line.summary
            if remark:
                room = lower.width() * 45 // 100
                painter.setPen(QColor(theme.caution) if warned else quiet)
                short = QFontMetrics(plain).elidedText(remark, Qt.TextElideMode.ElideRight, room)
                painter.drawText(lower, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, short)
                lower.setRight(right - QFontMetrics(plain).horizontalAdvance(short) - 8)
                painter.setPen(quiet)
        shown = QFontMetrics(plain).elidedText(text, Qt.TextElideMode.ElideRight, lower.width())
        painter.drawText(lower, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)
        painter.setPen(QColor(theme.rule))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        painter.restore()


class RecipeList(QListWidget):
    """Branches below each other: a line for the source, a line for each step.

    Signals:
        line_chosen(str, int): another line is the current one: its branch, and its step (SOURCE for the source).
        moved(int): the current step is to go up (-1) or down (1).
        removal_wanted(), switch_wanted(): the current step is to be removed, or switched on or off.
    """

    line_chosen = pyqtSignal(str, int)
    moved = pyqtSignal(int)
    removal_wanted = pyqtSignal()
    switch_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("recipe")
        self.setAccessibleName(tr("Steps of the recipe"))
        self.painter = LineDelegate(self)
        self.setItemDelegate(self.painter)
        self.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.lines: list[RecipeLine] = []
        self._silent = False
        self.currentRowChanged.connect(self._chosen)

    def show_recipe(self, recipe: Recipe, names: dict[str, str], keep: tuple[str, int] | None = None) -> None:
        """Show a recipe; `names` are what the sources of the branches are called, by branch. The line `keep`, if it is
        there, becomes the current one."""
        accounts = {(line.branch, line.at): line.account for line in self.lines}
        self._silent = True
        self.lines = [line for branch in recipe.branches for line in _lines(branch, recipe, names)]
        for line in self.lines:
            line.account = accounts.get((line.branch, line.at))
        self.clear()
        for line in self.lines:
            item = QListWidgetItem(f"{line.label}, {line.summary}")
            item.setData(LINE, line)
            item.setToolTip("")
            self.addItem(item)
        self._silent = False
        if keep is not None:
            self.choose(*keep)

    def choose(self, branch: str, at: int) -> None:
        """Make a line the current one; where its step is not there the last one of its branch."""
        rows = [row for row, line in enumerate(self.lines) if line.branch == branch]
        row = next((row for row in rows if self.lines[row].at == at), rows[-1] if rows else 0)
        self.setCurrentRow(row)

    @property
    def current(self) -> RecipeLine | None:
        """The current line."""
        row = self.currentRow()
        return self.lines[row] if 0 <= row < len(self.lines) else None

    def set_account(self, branch: str, at: int, account: StepAccount | None, *, waiting: bool = False) -> None:
        """Show what came of a step."""
        for row, line in enumerate(self.lines):
            if (line.branch, line.at) == (branch, at):
                line.account, line.waiting = account, waiting
                item = self.item(row)
                if item is not None:
                    words = [
                        line.label,
                        line.summary,
                        line.counts,
                        *(account.warnings if account else ()),
                        line.comment,
                    ]
                    if account is not None and account.error is not None:
                        words.append(str(account.error))
                    item.setData(Qt.ItemDataRole.AccessibleTextRole, ", ".join(w for w in words if w))
        self.viewport().update()  # type: ignore[union-attr]

    def recolour(self, theme: Theme) -> None:
        """Take over the colours of a theme."""
        self.painter.theme = theme
        self.viewport().update()  # type: ignore[union-attr]

    def _chosen(self, row: int) -> None:
        if not self._silent and 0 <= row < len(self.lines):
            self.line_chosen.emit(self.lines[row].branch, self.lines[row].at)

    def event(self, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride and event.key() in OWN_KEYS:
            event.accept()  # so that it is no command of the window
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        alt = bool(event.modifiers() & Qt.KeyboardModifier.AltModifier)
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and alt:
            self.moved.emit(-1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() == Qt.Key.Key_Delete:
            self.removal_wanted.emit()
        elif event.key() == Qt.Key.Key_Space:
            self.switch_wanted.emit()
        else:
            super().keyPressEvent(event)


def _lines(branch: Branch, recipe: Recipe, names: dict[str, str]) -> list[RecipeLine]:
    """Return the lines of a branch."""
    from brisk_atlas.core.handover.steps import STEPS
    from brisk_atlas.core.model import AtlasError

    alone = len(recipe.branches) == 1
    source = RecipeLine(branch.name, SOURCE, names.get(branch.name, ""), tr("source") if alone else branch.name)
    lines = [source]
    for at, step in enumerate(branch.steps):
        kind = STEPS.get(step.do)
        try:
            summary = step.made(recipe.values()).summary
        except AtlasError:  # it is not filled in yet
            summary = ""
        lines.append(RecipeLine(branch.name, at, kind.label if kind else step.do, summary, step.off, step.comment))
    return lines
