"""A recipe at the left, what comes of it at the right."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6 import sip
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import DataKind, DataRef, Extent
from brisk_atlas.core.model.language import tr

from ..empty_state import EmptyState
from ..panes.bar_buttons import bar_button, bar_menu
from ..plain_text import PlainLabel
from ..session import Session
from .batch_view import BatchView
from .checkpoint_view import CheckpointView
from .current_recipe import DRAFT, CurrentRecipe
from .hand_over_bar import HandOverBar
from .looking import RecipeLooker
from .recipe_editing import RecipeEditing
from .recipe_list import SOURCE, RecipeList
from .step_form import StepForm
from .step_menu import fill_step_menu
from .step_surroundings import StepSurroundings, first_settings, surroundings
from .write_form import WriteForm

if TYPE_CHECKING:
    from brisk_atlas.core.handover.checkpoints import Checkpoint
    from brisk_atlas.core.handover.formats import Loss
    from brisk_atlas.core.handover.look_ahead import LookAhead
    from brisk_atlas.core.handover.recipe import Branch, Recipe

    from ..theme import Theme

EMPTY = (
    tr("No layer to hand over yet"),
    tr(
        "A recipe is made here of an open layer: chosen, cut, mended, written step by step, each "
        "with a result to look at. "
        "The Depot, the Album and the Catalogue stand beside it."
    ),
)
CHOICES = {"page_find": tr("Look for data"), "open_recipe": tr("Open a recipe…"), "open_demo": tr("Open the demo")}
WRITE = "write"
RECIPE_FILES = tr("Recipes (*.recipe.json)")
SOURCE_FORM, STEP_FORM, WRITE_FORM = range(3)


class RecipeView(QWidget):
    """The recipe of the subject, or one that is stored: steps, settings, checkpoints, writing; and many inputs.

    Signals:
        open_wanted(list): paths of files to open.
        posting_wanted(object): what was posted is to be shown, a DataRef.
    """

    open_wanted = pyqtSignal(list)
    posting_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.view_extent: Extent | None = None
        self.current = CurrentRecipe(session)
        self.checkpoints: dict[tuple[str, int], Checkpoint] = {}
        self.outlooks: dict[tuple[str, int], tuple[LookAhead | None, str]] = {}
        self._whole = False
        self._form_shows: tuple[str, int, dict[str, Any], StepSurroundings] | None = None
        self.which, self.name = QComboBox(), QLineEdit()
        self.which.setObjectName("recipe choice")
        self.which.setAccessibleName(tr("Which recipe"))
        self.name.setObjectName("recipe title")
        self.name.setAccessibleName(tr("Title of the recipe"))
        self.name.setPlaceholderText(tr("Title of the recipe"))
        self.add, self.add_menu = bar_menu(tr("Add a step"), "add step", tr("Add a step behind the current one"))
        self.more, self.more_menu = bar_menu(tr("Recipe"), "recipe deeds", tr("New, open, save, another source"))
        self.up = bar_button(tr("Up"), "step up", tr("Earlier (Alt+Up)"))
        self.down = bar_button(tr("Down"), "step down", tr("Later (Alt+Down)"))
        self.switch = bar_button(tr("On/off"), "step switch", tr("Pass the step over, or not (Space)"))
        self.remove = bar_button(tr("Remove"), "step remove", tr("Remove the step (Delete)"))
        self.one = bar_button(tr("Steps"), "one input", tr("What comes of each step"), checkable=True)
        self.many = bar_button(tr("Many inputs"), "many inputs", tr("Run the recipe for many inputs"), checkable=True)
        self.list, self.form, self.write_form = RecipeList(), StepForm(), WriteForm()
        self.editing = RecipeEditing(self.current, self.list)
        self.source_facts = PlainLabel()
        self.source_facts.setObjectName("quiet")
        self.source_facts.setWordWrap(True)
        self.view, self.batch, self.looker = CheckpointView(session), BatchView(session), RecipeLooker(session)
        self.batch.recipe_of = lambda: self.recipe
        self.bar = HandOverBar(session)
        self.empty = EmptyState(*EMPTY, CHOICES)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        head, tools = QHBoxLayout(), QHBoxLayout()
        head.addWidget(self.which, 1)
        head.addWidget(self.name, 1)
        head.addWidget(self.more)
        tools.setSpacing(2)
        tools.addWidget(self.add)
        tools.addStretch(1)
        for button in (self.up, self.down, self.switch, self.remove):
            tools.addWidget(button)
        source = QWidget()
        source_column = QVBoxLayout(source)
        source_column.setContentsMargins(12, 10, 12, 10)
        source_column.addWidget(self.source_facts)
        source_column.addStretch(1)
        self.forms = QStackedWidget()
        for form in (source, self.form, self.write_form):
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setFrameShape(QScrollArea.Shape.NoFrame)
            area.setWidget(form)
            self.forms.addWidget(area)
        steps = QWidget()
        column = QVBoxLayout(steps)
        column.setContentsMargins(12, 10, 0, 0)
        column.setSpacing(6)
        column.addLayout(head)
        column.addLayout(tools)
        column.addWidget(self.list, 1)
        both = QSplitter(Qt.Orientation.Vertical)
        both.addWidget(steps)
        both.addWidget(self.forms)
        both.setStretchFactor(0, 1)
        both.setSizes([330, 370])
        both.setChildrenCollapsible(False)
        left = QWidget()
        left_column = QVBoxLayout(left)
        left_column.setContentsMargins(0, 0, 0, 0)
        left_column.setSpacing(0)
        left_column.addWidget(both, 1)
        left_column.addWidget(self.bar)
        self.right = QStackedWidget()
        self.right.addWidget(self.view)
        self.right.addWidget(self.batch)
        right = QWidget()
        right_column = QVBoxLayout(right)
        right_column.setContentsMargins(0, 6, 0, 0)
        right_column.setSpacing(0)
        switch = QHBoxLayout()
        switch.setContentsMargins(12, 0, 12, 0)
        switch.addWidget(self.one)
        switch.addWidget(self.many)
        switch.addStretch(1)
        right_column.addLayout(switch)
        right_column.addWidget(self.right, 1)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.addWidget(left)
        split.addWidget(right)
        split.setStretchFactor(0, 2)
        split.setStretchFactor(1, 3)
        split.setSizes([500, 780])
        split.setChildrenCollapsible(False)
        self.whole = QStackedWidget()
        self.whole.addWidget(self.empty)
        self.whole.addWidget(split)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.whole)
        self.one.setChecked(True)
        self.bar.go.setEnabled(False)

    def _connect(self) -> None:
        self.which.activated.connect(lambda at: self.current.choose(self.which.itemData(at)))
        self.name.editingFinished.connect(lambda: self.editing.retitle(self.name.text().strip()))
        self.add_menu.aboutToShow.connect(lambda: fill_step_menu(self.add_menu, self._kind_here(), self.add_step))
        self.more_menu.aboutToShow.connect(self._fill_more_menu)
        self.current.replaced.connect(lambda: self._show_recipe(anew=True))
        self.current.edited.connect(self._show_recipe)
        self.list.line_chosen.connect(self._show_line)
        self.list.moved.connect(self.editing.move_step)
        self.list.removal_wanted.connect(self.editing.remove_step)
        self.list.switch_wanted.connect(self.editing.switch_step)
        self.up.clicked.connect(lambda checked=False: self.editing.move_step(-1))
        self.down.clicked.connect(lambda checked=False: self.editing.move_step(1))
        self.switch.clicked.connect(lambda checked=False: self.editing.switch_step())
        self.remove.clicked.connect(lambda checked=False: self.editing.remove_step())
        self.one.clicked.connect(lambda checked=False: self.show_many(False))
        self.many.clicked.connect(lambda checked=False: self.show_many(True))
        self.form.edited.connect(self.editing.set_settings)
        self.form.comment_edited.connect(self.editing.comment)
        self.write_form.edited.connect(self.editing.set_settings)
        self.write_form.remedy_wanted.connect(self._add_remedy)
        self.looker.found.connect(self._checkpoint_came)
        self.looker.outlook.connect(self._outlook_came)
        self.view.whole_wanted.connect(lambda: self._look(whole=True))
        self.view.open_wanted.connect(lambda path: self.open_wanted.emit([path]))
        self.bar.wanted.connect(lambda: self.bar.run(self.recipe) if self.recipe is not None else None)
        self.bar.open_wanted.connect(self.open_wanted)
        self.bar.posting_wanted.connect(self.posting_wanted)
        self.batch.open_wanted.connect(self.open_wanted)
        self.session.work_changed.connect(self._work_changed)

    # What it speaks of

    @property
    def recipe(self) -> Recipe | None:
        """The recipe that is shown."""
        return self.current.recipe

    @property
    def busy(self) -> bool:
        """Whether steps are looked at, or something is written."""
        return self.looker.busy or self.view.busy or self.batch.busy or self.bar.busy

    def use_theme(self, theme: Theme) -> None:
        """Take over the colours of a theme."""
        self.list.recolour(theme)
        self.batch.theme = theme
        self.view.picture.theme = theme

    def showEvent(self, event: object) -> None:
        self.refresh()

    def hideEvent(self, event: object) -> None:
        if not sip.isdeleted(self.looker):  # as this is hidden once more while it is taken apart
            self.looker.stop()

    def _work_changed(self, what: str) -> None:
        if what == "recipes":
            self._fill_which()
        elif self.isVisible() and what in ("subject", "layers", "file"):
            self.refresh()

    def refresh(self) -> None:
        """Speak of the subject, unless a recipe that was worked on is shown."""
        self.current.refresh()
        if self.recipe is not None and (not self.checkpoints or self.looker.dropped):
            self._look()
        self._fill_which()
        self.whole.setCurrentIndex(1 if self.recipe is not None else 0)
        self.bar.go.setEnabled(self.recipe is not None and not self.bar.busy)

    def make_of_subject(self) -> None:
        """Begin a new recipe of the subject, with what was done to it on the Desk."""
        self.current.make_of_subject()

    def _show_recipe(self, *, anew: bool = False, choose: tuple[str, int] | None = None) -> None:
        """Show the recipe as it is; `anew` where it is another one."""
        recipe, line = self.recipe, self.list.current
        if recipe is None:
            return
        main = recipe.branches[0]
        at = choose or ((line.branch, line.at) if line is not None else None)
        if anew:
            self.checkpoints, self.outlooks, self._whole = {}, {}, False
            self.name.setText(recipe.title)
            at = at if at is not None and recipe.branch(at[0]) is not None else (main.name, len(main.steps) - 1)
        self.list.show_recipe(recipe, {b.name: self.current.source_name(b) for b in recipe.branches}, at)
        self.whole.setCurrentIndex(1)
        self.bar.go.setEnabled(not self.bar.busy)
        self._fill_which()
        self._look()

    def _fill_which(self) -> None:
        self.which.clear()
        subject = self.session.work.subject
        if subject is not None:
            self.which.addItem(tr("New: {name}", name=subject.name), DRAFT)
        elif self.current.number == DRAFT and self.recipe is not None:
            self.which.addItem(tr("New: {title}", title=self.recipe.title), DRAFT)
        for number, recipe in enumerate(self.current.stored):
            self.which.addItem(recipe.title or tr("recipe {number}", number=number + 1), number)
        self.which.setCurrentIndex(self.which.findData(self.current.number))

    # Adding to it

    def add_step(self, word: str, settings: Mapping[str, Any] = {}) -> None:
        """Add a step behind the current one, before those that write, and go to its settings."""
        if (found := self.editing.here) is not None:
            line = found[1]
            around = self._surroundings(line.branch, line.at + 1)
            self.editing.add_step(word, settings or first_settings(word, line.branch, around, self.session.work))
            self.form.focus_first()

    def _add_remedy(self, loss: Loss) -> None:
        if loss.step is not None:
            self.add_step(*loss.step)

    # Recipes as files, and other sources

    def _fill_more_menu(self) -> None:
        menu = self.more_menu
        menu.clear()
        for text, deed, usable in (
            (tr("New of the subject"), self.make_of_subject, self.current.subject is not None),
            (tr("Open a recipe…"), self.choose_recipe, True),
            (tr("Save as a file…"), self._save_file, self.recipe is not None),
            (tr("Add another source…"), self._add_branch, self.recipe is not None),
            (tr("Remove this recipe from the project"), self.current.forget, self.current.number != DRAFT),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.setEnabled(usable)
            action.triggered.connect(lambda checked=False, d=deed: d())

    def choose_recipe(self) -> None:
        """Ask for a recipe of a file, and show it."""
        path, _ = QFileDialog.getOpenFileName(self, tr("Open a recipe"), "", RECIPE_FILES)
        if path:
            self.open_recipe(Path(path))

    def open_recipe(self, path: Path) -> None:
        """Take a recipe from a file into the work."""
        from brisk_atlas.core.handover.recipe import read_recipe
        from brisk_atlas.core.model import AtlasError

        try:
            self.current.add(tr("open a recipe"), read_recipe(path))
        except AtlasError as error:
            self.bar.say(str(error), bad=True)

    def _save_file(self) -> None:
        name = str(Path.home() / f"{(self.recipe.title if self.recipe else '') or 'recipe'}.recipe.json")
        path, _ = QFileDialog.getSaveFileName(self, tr("Save the recipe"), name, RECIPE_FILES)
        if path:
            self.save_recipe(Path(path))

    def save_recipe(self, path: Path) -> None:
        """Write the recipe to a file."""
        from brisk_atlas.core.handover.recipe import SUFFIX, write_recipe
        from brisk_atlas.core.model import AtlasError

        if self.recipe is None:
            return
        path = path if path.name.endswith(SUFFIX) else path.with_name(path.name + SUFFIX)
        try:
            write_recipe(self.recipe, path)
        except AtlasError as error:
            self.bar.say(str(error), bad=True)
        else:
            self.bar.say(tr("Saved {path}", path=path))

    def _add_branch(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("Another source"))
        if path:
            self.editing.add_branch(DataRef.file(path))

    # Looking

    def _look(self, *, whole: bool | None = None) -> None:
        self._whole = self._whole if whole is None else whole
        if self.recipe is None or not self.isVisible():
            return
        for line in self.list.lines:
            if not line.off:
                self.list.set_account(line.branch, line.at, line.account, waiting=True)
        self.looker.look(self.recipe, whole=self._whole)

    def _checkpoint_came(self, branch: str, at: int, checkpoint: Checkpoint) -> None:
        self.checkpoints[branch, at] = checkpoint
        self.list.set_account(branch, at, checkpoint.account)
        failed = checkpoint.account.error is not None
        if failed:
            for below in [each.at for each in self.list.lines if each.branch == branch and each.at > at]:
                self.checkpoints.pop((branch, below), None)
                self.list.set_account(branch, below, None)
        line = self.list.current
        if line is not None and line.branch == branch and (line.at == at or failed):
            self._show_line(branch, line.at)

    def _outlook_came(self, branch: str, at: int, outlook: LookAhead | None, fault: str) -> None:
        self.outlooks[branch, at] = outlook, fault
        line = self.list.current
        if line is not None and (line.branch, line.at) == (branch, at):
            self.write_form.show_outlook(outlook, fault)

    def _before(self, branch: str, at: int) -> Checkpoint | None:
        """Return the checkpoint of what comes to a step, None where that is not there."""
        places = (self.checkpoints.get((branch, place)) for place in range(at - 1, SOURCE - 1, -1))
        return next((found for found in places if found is not None and found.flow is not None), None)

    def _kind_here(self) -> DataKind | None:
        """Return the kind of the data behind the current step, None where that is not known."""
        line = self.list.current
        found = self._before(line.branch, line.at + 1) if line is not None else None
        return found.flow.kind if found is not None and found.flow is not None else None

    def _show_line(self, branch_name: str, at: int) -> None:
        """Show the settings of a step, and what came of it."""
        branch = self.recipe.branch(branch_name) if self.recipe is not None else None
        if branch is None or not SOURCE <= at < len(branch.steps):
            return
        checkpoint, line = self.checkpoints.get((branch_name, at)), self.list.current
        note: str | None = None
        if checkpoint is not None and checkpoint.account.error is not None:
            note = tr("{error} What is shown comes to this step.", error=checkpoint.account.error)
            checkpoint = self._before(branch_name, at) or checkpoint
        elif checkpoint is None:
            note = "…" if self.looker.busy else tr("The step is passed over, or one before it fails.")
        self.view.show_checkpoint(checkpoint, line.label if line is not None else "", note)
        if at == SOURCE:
            self.source_facts.setText(f"{self.current.source_name(branch)}\n{branch.source}")
            self.forms.setCurrentIndex(SOURCE_FORM)
        elif branch.steps[at].do == WRITE:
            self._show_write_form(branch, at)
        else:
            self._show_step_form(branch, at)

    def _show_write_form(self, branch: Branch, at: int) -> None:
        step = branch.steps[at]
        if self.write_form.settings != dict(step.settings) or self.forms.currentIndex() != WRITE_FORM:
            self.write_form.show_step(step, self._kind_here() or DataKind.VECTOR)
            self.write_form.show_outlook(*self.outlooks.get((branch.name, at), (None, "")))
        self.forms.setCurrentIndex(WRITE_FORM)

    def _show_step_form(self, branch: Branch, at: int) -> None:
        from brisk_atlas.core.handover.steps import STEPS

        step, around = branch.steps[at], self._surroundings(branch.name, at)
        if step.do not in STEPS:
            return
        before, shown = self._form_shows, (branch.name, at, dict(step.settings), around)
        if before != shown:
            same_place = before is not None and (before[:2], before[3]) == (shown[:2], around)
            if not same_place or self.form.settings() != shown[2]:  # else it is what was typed here
                self.form.show_step(step, STEPS[step.do], around)
            self._form_shows = shown
        self.forms.setCurrentIndex(STEP_FORM)

    def _surroundings(self, branch: str, at: int) -> StepSurroundings:
        before = self._before(branch, at)
        flow = before.flow if before is not None else None
        return surroundings(flow, self.session.work.layers, self.recipe, branch, self.view_extent)

    def show_many(self, many: bool) -> None:
        """Show the table of many inputs, or the checkpoint."""
        self.right.setCurrentIndex(1 if many else 0)
        self.one.setChecked(not many)
        self.many.setChecked(many)
