"""The Hand over page: a recipe at the left, what comes of it at the right."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model import DataKind, DataRef, Extent, Layer
from brisk_atlas.core.system.jobs import Job, Lane

from ..panes.bar_buttons import bar_button, bar_menu
from ..plain_text import PlainLabel
from ..recipes.batch_view import BatchView
from ..recipes.checkpoint_view import CheckpointView
from ..recipes.looking import RecipeLooker
from ..recipes.recipe_list import SOURCE, RecipeList
from ..recipes.step_form import StepForm
from ..recipes.step_inputs import StepSurroundings, source_words
from ..recipes.step_menu import fill_step_menu
from ..recipes.write_form import WriteForm
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.handover.checkpoints import Checkpoint
    from brisk_atlas.core.handover.formats import Loss
    from brisk_atlas.core.handover.look_ahead import LookAhead
    from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep
    from brisk_atlas.core.handover.run_recipe import BranchRun

    from ..theme import Theme

EMPTY = "Open a layer on the Desk: its recipe is made here, step by step, and written."
WRITE = "write"
RECIPE_FILES = "Recipes (*.recipe.json)"


class HandoverPage(QWidget):
    """The recipe of the subject, or one that is stored: steps, settings, checkpoints, writing; and many inputs.

    Signals:
        open_wanted(list): paths of files to open.
    """

    open_wanted = pyqtSignal(list)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.view_extent: Extent | None = None
        self.recipe: Recipe | None = None
        self.stored_at: int | None = None  # its number among the recipes of the work; None for one that is not stored
        self.checkpoints: dict[tuple[str, int], Checkpoint] = {}
        self.outlooks: dict[tuple[str, int], tuple[LookAhead | None, str]] = {}
        self.job: Job | None = None
        self.written: list[Path] = []
        self._made_of: Layer | None = None
        self._whole = False
        self._form_shows: tuple[str, int, dict[str, Any], StepSurroundings] | None = None
        self.which, self.name = QComboBox(), QLineEdit()
        self.which.setObjectName("recipe choice")
        self.which.setAccessibleName("Which recipe")
        self.name.setObjectName("recipe title")
        self.name.setAccessibleName("Title of the recipe")
        self.name.setPlaceholderText("Title of the recipe")
        self.add, self.add_menu = bar_menu("Add a step", "add step", "Add a step behind the current one")
        self.more, self.more_menu = bar_menu("Recipe", "recipe deeds", "Open, save, parameters, another source")
        self.up = bar_button("Up", "step up", "Earlier (Alt+Up)")
        self.down = bar_button("Down", "step down", "Later (Alt+Down)")
        self.switch = bar_button("On/off", "step switch", "Pass the step over, or not (Space)")
        self.remove = bar_button("Remove", "step remove", "Remove the step (Delete)")
        self.one = bar_button("Steps", "one input", "What comes of each step", checkable=True)
        self.many = bar_button("Many inputs", "many inputs", "Run the recipe for many inputs", checkable=True)
        self.list, self.form, self.write_form = RecipeList(), StepForm(), WriteForm()
        self.source_words = PlainLabel()
        self.source_words.setObjectName("quiet")
        self.source_words.setWordWrap(True)
        self.view, self.batch, self.looker = CheckpointView(session), BatchView(session), RecipeLooker(session)
        self.batch.recipe_of = lambda: self.recipe
        self.go, self.stop = QPushButton("Hand over"), QPushButton("Cancel")
        self.go.setObjectName("main")
        self.progress, self.result = QProgressBar(), PlainLabel()
        self.result.setWordWrap(True)
        self.result.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.open_result = QPushButton("Open what was written")
        self.empty = PlainLabel(EMPTY)
        self.empty.setObjectName("quiet")
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
        source_column.addWidget(self.source_words)
        source_column.addStretch(1)
        self.forms = QStackedWidget()
        for form in (source, self.form, self.write_form):
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setFrameShape(QScrollArea.Shape.NoFrame)
            area.setWidget(form)
            self.forms.addWidget(area)
        upper = QWidget()
        column = QVBoxLayout(upper)
        column.setContentsMargins(12, 10, 0, 0)
        column.setSpacing(6)
        column.addLayout(head)
        column.addLayout(tools)
        column.addWidget(self.list, 1)
        below = QSplitter(Qt.Orientation.Vertical)
        below.addWidget(upper)
        below.addWidget(self.forms)
        below.setStretchFactor(0, 1)
        below.setSizes([330, 370])
        below.setChildrenCollapsible(False)
        deeds = QHBoxLayout()
        deeds.setContentsMargins(12, 6, 12, 4)
        deeds.setSpacing(8)
        for widget in (self.go, self.stop, self.progress, self.open_result):
            deeds.addWidget(widget)
        deeds.addStretch(1)
        words = QHBoxLayout()
        words.setContentsMargins(12, 0, 12, 10)
        words.addWidget(self.result, 1)
        left = QWidget()
        left_column = QVBoxLayout(left)
        left_column.setContentsMargins(0, 0, 0, 0)
        left_column.setSpacing(0)
        left_column.addWidget(below, 1)
        left_column.addLayout(deeds)
        left_column.addLayout(words)
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
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.addWidget(left)
        self.split.addWidget(right)
        self.split.setStretchFactor(0, 2)
        self.split.setStretchFactor(1, 3)
        self.split.setSizes([500, 780])
        self.split.setChildrenCollapsible(False)
        nothing = QWidget()
        nothing_column = QVBoxLayout(nothing)
        nothing_column.addStretch(1)
        nothing_column.addWidget(self.empty, 0, Qt.AlignmentFlag.AlignHCenter)
        nothing_column.addStretch(2)
        self.whole = QStackedWidget()
        self.whole.addWidget(nothing)
        self.whole.addWidget(self.split)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.whole)
        self.one.setChecked(True)
        for widget in (self.stop, self.progress, self.open_result):
            widget.hide()

    def _connect(self) -> None:
        self.which.activated.connect(self._choose_recipe)
        self.name.editingFinished.connect(self._retitle)
        self.add_menu.aboutToShow.connect(self._fill_add_menu)
        self.more_menu.aboutToShow.connect(self._fill_more_menu)
        self.list.line_chosen.connect(self._show_line)
        self.list.moved.connect(self.move_step)
        self.list.removal_wanted.connect(self.remove_step)
        self.list.switch_wanted.connect(self.switch_step)
        self.up.clicked.connect(lambda checked=False: self.move_step(-1))
        self.down.clicked.connect(lambda checked=False: self.move_step(1))
        self.switch.clicked.connect(lambda checked=False: self.switch_step())
        self.remove.clicked.connect(lambda checked=False: self.remove_step())
        self.one.clicked.connect(lambda checked=False: self.show_many(False))
        self.many.clicked.connect(lambda checked=False: self.show_many(True))
        self.form.edited.connect(self._settings_edited)
        self.form.comment_edited.connect(self._comment_edited)
        self.write_form.edited.connect(self._settings_edited)
        self.write_form.remedy_wanted.connect(self._add_remedy)
        self.looker.found.connect(self._checkpoint_came)
        self.looker.outlook.connect(self._outlook_came)
        self.view.whole_wanted.connect(lambda: self._look(whole=True))
        self.view.open_wanted.connect(lambda path: self.open_wanted.emit([path]))
        self.batch.open_wanted.connect(self.open_wanted)
        self.go.clicked.connect(lambda checked=False: self.hand_over())
        self.stop.clicked.connect(lambda checked=False: self.job.cancel() if self.job else None)
        self.open_result.clicked.connect(lambda checked=False: self.open_wanted.emit(self.written))
        self.session.work_changed.connect(self._work_changed)

    # What it speaks of

    @property
    def busy(self) -> bool:
        """Whether steps are looked at, something is written, or a picture is drawn."""
        working = self.job is not None and not self.job.finished
        return self.looker.busy or self.view.busy or self.batch.busy or working

    def use_theme(self, theme: Theme) -> None:
        """Take over the colours of a theme."""
        self.list.recolour(theme)
        self.batch.theme = theme
        self.view.picture.theme = theme

    def showEvent(self, event: object) -> None:
        self.refresh()

    def hideEvent(self, event: object) -> None:
        self.looker.stop()

    def _work_changed(self, what: str) -> None:
        if what == "recipes":
            self._take_stored()
        elif self.isVisible() and what in ("subject", "layers", "file"):
            self.refresh()

    def refresh(self) -> None:
        """Speak of the subject, unless a recipe that was worked on is shown."""
        subject = self.session.work.subject
        if self.stored_at is None and subject is not None and self._usable(subject) and not self._is_of(subject):
            self._draft(subject)
        elif self.recipe is not None and not self.checkpoints:
            self._look()
        self._fill_which()
        self.whole.setCurrentIndex(1 if self.recipe is not None else 0)
        self.go.setEnabled(self.recipe is not None and (self.job is None or self.job.finished))

    def _is_of(self, layer: Layer) -> bool:
        """Return whether the draft that is shown was made of a layer as it is now."""
        made = self._made_of
        return made is not None and (made.id, made.ref, made.rows.map_inputs, made.rows.where, made.rows.filters) == (
            layer.id, layer.ref, layer.rows.map_inputs, layer.rows.where, layer.rows.filters)  # fmt: skip

    def _usable(self, layer: Layer) -> bool:
        return layer.kind in (DataKind.VECTOR, DataKind.TABLE, DataKind.RASTER, DataKind.POINTCLOUD)

    def _draft(self, layer: Layer) -> None:
        """Begin a recipe of a layer, which becomes part of the work once it is changed."""
        from brisk_atlas.core.operations.layer_recipe import recipe_of_layer

        self._made_of = layer
        self._show_recipe(recipe_of_layer(layer, Path.home()), None)

    def make_of_subject(self) -> None:
        """Begin a new recipe of the subject, with what was done to it on the Desk."""
        subject = self.session.work.subject
        if subject is not None and self._usable(subject):
            self._draft(subject)
            self._fill_which()

    def _show_recipe(self, recipe: Recipe, stored_at: int | None, keep: tuple[str, int] | None = None) -> None:
        self.recipe, self.stored_at = recipe, stored_at
        self.checkpoints = {}
        self._whole = False
        self.name.setText(recipe.title)
        self.list.show_recipe(recipe, self._source_names(recipe))
        main = recipe.branches[0]
        self.list.choose(*(keep or (main.name, len(main.steps) - 1)))
        self.whole.setCurrentIndex(1)
        self._look()

    def _source_names(self, recipe: Recipe) -> dict[str, str]:
        return {branch.name: self._source_name(branch) for branch in recipe.branches}

    def _source_name(self, branch: Branch) -> str:
        source = branch.source
        if isinstance(source, DataRef):
            layer = next((each for each in self.session.work.layers if each.ref == source), None)
            return layer.name if layer is not None else source_words(source.as_json())
        layer = self.session.work.layer(source)
        if layer is not None:
            return f"{layer.name}, with its edits"
        return "each input" if source == "${input}" else source

    def _fill_which(self) -> None:
        self.which.clear()
        subject = self.session.work.subject
        if subject is not None:
            self.which.addItem(f"New: {subject.name}", -1)
        elif self.stored_at is None and self.recipe is not None:
            self.which.addItem(f"New: {self.recipe.title}", -1)
        for number, recipe in enumerate(self.session.work.state.recipes):
            self.which.addItem(recipe.title or f"recipe {number + 1}", number)
        self.which.setCurrentIndex(self.which.findData(-1 if self.stored_at is None else self.stored_at))

    def _choose_recipe(self, at: int) -> None:
        number = self.which.itemData(at)
        if number == -1:
            self.make_of_subject()
        else:
            self._show_recipe(self.session.work.state.recipes[number], number)

    def _take_stored(self) -> None:
        """Show the recipe as the work has it now, after undo for one."""
        recipes = self.session.work.state.recipes
        if self.stored_at is not None and self.stored_at < len(recipes):
            if recipes[self.stored_at] != self.recipe:
                line = self.list.current
                self._show_recipe(recipes[self.stored_at], self.stored_at, (line.branch, line.at) if line else None)
        elif self.stored_at is not None:
            self.stored_at = None
            self.make_of_subject()
        self._fill_which()

    # Changing it

    def _become(self, what: str, recipe: Recipe, choose: tuple[str, int] | None = None) -> None:
        """Have another recipe, as a step of undo; the looks at its steps run anew from the first that differs."""
        recipes = list(self.session.work.state.recipes)
        if self.stored_at is None:
            self.stored_at = len(recipes)
            recipes.append(recipe)
        else:
            recipe = replace(recipe, version=recipe.version + 1)
            recipes[self.stored_at] = recipe
        self.recipe = recipe
        line = self.list.current
        at = choose or ((line.branch, line.at) if line is not None else None)
        self.list.show_recipe(recipe, self._source_names(recipe), at)
        self.session.work.change_recipes(what, tuple(recipes))
        self._fill_which()
        self._look()

    def _current(self) -> tuple[Branch, int] | None:
        line = self.list.current
        branch = self.recipe.branch(line.branch) if self.recipe is not None and line is not None else None
        return (branch, line.at) if branch is not None and line is not None else None

    def _with_steps(self, what: str, branch: Branch, steps: list[RecipeStep], at: int) -> None:
        assert self.recipe is not None
        self._become(what, self.recipe.with_branch(replace(branch, steps=tuple(steps))), (branch.name, at))

    def add_step(self, word: str, settings: Mapping[str, Any] = {}, before_write: bool = True) -> None:
        """Add a step behind the current one, before those that write, and go to its settings."""
        from brisk_atlas.core.handover.recipe import RecipeStep

        found = self._current()
        if found is None:
            return
        branch, at = found
        steps = list(branch.steps)
        first_write = next((n for n, step in enumerate(steps) if step.do == WRITE), len(steps))
        place = min(at + 1, first_write) if word != WRITE else len(steps)
        made = RecipeStep(word, dict(settings) or self._first_settings(word, branch))
        steps.insert(place, made)
        self._with_steps(f"add the step {word}", branch, steps, place)
        self.form.focus_first()

    def _first_settings(self, word: str, branch: Branch) -> dict[str, Any]:
        """Return the settings that a new step of a kind begins with, where some are at hand."""
        if word == WRITE:
            return {"path": str(Path.home() / f"{branch.name}_piece")}
        picks, subject = self.session.work.picks, self.session.work.subject
        if word == "rows" and picks is not None and subject is not None and picks.layer_id == subject.id:
            return {"rows_wanted": list(picks.rows)}
        if word == "fields":
            line = self.list.current
            around = self._surroundings(branch, line.at + 1 if line is not None else SOURCE + 1)
            return {"fields": list(around.fields)}
        if word == "extent" and self.view_extent is not None:
            e = self.view_extent
            return {"extent": {"xmin": e.xmin, "ymin": e.ymin, "xmax": e.xmax, "ymax": e.ymax, "crs": e.crs}}
        return {}

    def move_step(self, by: int) -> None:
        """Move the current step up or down."""
        found = self._current()
        if found is None or found[1] == SOURCE:
            return
        branch, at = found
        steps = list(branch.steps)
        if 0 <= at + by < len(steps):
            steps[at], steps[at + by] = steps[at + by], steps[at]
            self._with_steps("move a step", branch, steps, at + by)

    def remove_step(self) -> None:
        """Remove the current step; at the source of a branch that is not the main one, the branch."""
        found = self._current()
        if found is None or self.recipe is None:
            return
        branch, at = found
        if at == SOURCE:
            if branch is not self.recipe.branches[0]:
                left = tuple(each for each in self.recipe.branches if each is not branch)
                self._become("remove a branch", replace(self.recipe, branches=left), (left[0].name, SOURCE))
            return
        steps = [step for number, step in enumerate(branch.steps) if number != at]
        self._with_steps("remove a step", branch, steps, max(SOURCE, at - 1))

    def switch_step(self) -> None:
        """Pass the current step over, or not any more."""
        found = self._current()
        if found is None or found[1] == SOURCE:
            return
        branch, at = found
        steps = list(branch.steps)
        steps[at] = replace(steps[at], off=not steps[at].off)
        self._with_steps("switch a step", branch, steps, at)

    def _settings_edited(self, settings: dict[str, Any]) -> None:
        found = self._current()
        if found is None or found[1] == SOURCE:
            return
        branch, at = found
        steps = list(branch.steps)
        if dict(steps[at].settings) != settings:
            steps[at] = replace(steps[at], settings=settings)
            self._with_steps("change a step", branch, steps, at)

    def _comment_edited(self, text: str) -> None:
        found = self._current()
        if found is None or found[1] == SOURCE or found[0].steps[found[1]].comment == text:
            return
        branch, at = found
        steps = list(branch.steps)
        steps[at] = replace(steps[at], comment=text)
        self._with_steps("comment a step", branch, steps, at)

    def _add_remedy(self, loss: Loss) -> None:
        if loss.step is not None:
            word, settings = loss.step
            self.add_step(word, settings)

    def _retitle(self) -> None:
        if self.recipe is not None and self.name.text().strip() != self.recipe.title:
            self._become("rename a recipe", replace(self.recipe, title=self.name.text().strip()))

    # Menus

    def _fill_add_menu(self) -> None:
        fill_step_menu(self.add_menu, self._kind_here(), self.add_step)

    def _kind_here(self) -> DataKind | None:
        """Return the kind of the data behind the current step, None where that is not known."""
        line = self.list.current
        if line is None:
            return None
        for at in range(line.at, SOURCE - 1, -1):
            checkpoint = self.checkpoints.get((line.branch, at))
            if checkpoint is not None and checkpoint.flow is not None:
                kind: DataKind = checkpoint.flow.kind
                return kind
        return None

    def _fill_more_menu(self) -> None:
        menu = self.more_menu
        menu.clear()
        for text, deed in (
            ("New of the subject", self.make_of_subject),
            ("Open a recipe…", self._open_file),
            ("Save as a file…", self._save_file),
            ("Add another source…", self._add_branch),
            ("Remove this recipe from the project", self._forget),
        ):
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(lambda checked=False, d=deed: d())
            if text.startswith("Remove"):
                action.setEnabled(self.stored_at is not None)

    def _open_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Open a recipe", "", RECIPE_FILES)
        if path:
            self.open_recipe(Path(path))

    def open_recipe(self, path: Path) -> None:
        """Take a recipe from a file into the work."""
        from brisk_atlas.core.handover.recipe import read_recipe
        from brisk_atlas.core.model import AtlasError

        try:
            recipe = read_recipe(path)
        except AtlasError as error:
            self._say(str(error), bad=True)
            return
        recipes = (*self.session.work.state.recipes, recipe)
        self.session.work.change_recipes("open a recipe", recipes)
        self._show_recipe(recipe, len(recipes) - 1)
        self._fill_which()

    def _save_file(self) -> None:
        name = str(Path.home() / f"{(self.recipe.title if self.recipe else '') or 'recipe'}.recipe.json")
        path, _ = QFileDialog.getSaveFileName(self, "Save the recipe", name, RECIPE_FILES)
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
            self._say(str(error), bad=True)
            return
        self._say(f"Saved {path}", bad=False)

    def _add_branch(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Another source")
        if path:
            self.add_branch(DataRef.file(path))

    def add_branch(self, source: DataRef) -> None:
        """Add a branch from a dataset, whose steps others may use as their second source."""
        from brisk_atlas.core.handover.recipe import Branch

        if self.recipe is None:
            return
        taken = {branch.name for branch in self.recipe.branches}
        stem = source.part or source.stem
        name = next(n for n in (stem, *(f"{stem} {i}" for i in range(2, 1000))) if n not in taken)
        self._become("add a source", self.recipe.with_branch(Branch(name, source)), (name, SOURCE))

    def _forget(self) -> None:
        if self.stored_at is not None:
            recipes = self.session.work.state.recipes
            left = (*recipes[: self.stored_at], *recipes[self.stored_at + 1 :])
            self.stored_at, self._made_of = None, None
            self.session.work.change_recipes("remove a recipe", left)
            self.make_of_subject()

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
        if checkpoint.account.error is not None:
            for below in [each.at for each in self.list.lines if each.branch == branch and each.at > at]:
                self.checkpoints.pop((branch, below), None)
                self.list.set_account(branch, below, None)
        line = self.list.current
        if line is not None and line.branch == branch and (line.at == at or checkpoint.account.error is not None):
            self._show_line(branch, line.at)

    def _outlook_came(self, branch: str, at: int, outlook: LookAhead | None, fault: str) -> None:
        self.outlooks[branch, at] = outlook, fault
        line = self.list.current
        if line is not None and (line.branch, line.at) == (branch, at):
            self.write_form.show_outlook(outlook, fault)

    def _show_line(self, branch_name: str, at: int) -> None:
        """Show the settings of a step, and what came of it."""
        from brisk_atlas.core.handover.steps import STEPS

        branch = self.recipe.branch(branch_name) if self.recipe is not None else None
        if branch is None or not -1 <= at < len(branch.steps):
            return
        checkpoint = self.checkpoints.get((branch_name, at))
        line = self.list.current
        label = line.label if line is not None else ""
        note: str | None = None
        if checkpoint is not None and checkpoint.account.error is not None:
            note = f"{checkpoint.account.error} What is shown comes to this step."
            checkpoint = self._before(branch_name, at) or checkpoint
        elif checkpoint is None:
            note = "…" if self.looker.busy else "The step is passed over, or one before it fails."
        self.view.show_checkpoint(checkpoint, label, note)
        if at == SOURCE:
            self.source_words.setText(f"{self._source_name(branch)}\n{branch.source}")
            self.forms.setCurrentIndex(0)
            return
        step = branch.steps[at]
        if step.do == WRITE:
            kind = self._kind_here() or DataKind.VECTOR
            if self.write_form.settings != dict(step.settings) or self.forms.currentIndex() != 2:
                self.write_form.show_step(step, kind)
                self.write_form.show_outlook(*self.outlooks.get((branch_name, at), (None, "")))
            self.forms.setCurrentIndex(2)
            return
        if step.do in STEPS:
            around = self._surroundings(branch, at)
            shown = (branch_name, at, dict(step.settings), around)
            if self._form_shows != shown:
                if (
                    self._form_shows is None
                    or (self._form_shows[:2], self._form_shows[3]) != (shown[:2], around)
                    or self.form.settings() != shown[2]
                ):
                    self.form.show_step(step, STEPS[step.do], around)
                self._form_shows = shown
            self.forms.setCurrentIndex(1)

    def _before(self, branch: str, at: int) -> Checkpoint | None:
        """Return the checkpoint of what comes to a step, None where that is not there."""
        places = (self.checkpoints.get((branch, place)) for place in range(at - 1, SOURCE - 1, -1))
        return next((found for found in places if found is not None and found.flow is not None), None)

    def _surroundings(self, branch: Branch, at: int) -> StepSurroundings:
        """Return what the settings of a step may name: what comes to it, open layers, other branches."""
        from brisk_atlas.core.handover.flows import GridFlow, RowFlow

        before = self._before(branch.name, at)
        flow = before.flow if before is not None else None
        fields = tuple(flow.fields) if isinstance(flow, RowFlow) else ()
        bands = tuple(band.name for band in flow.bands) if isinstance(flow, GridFlow) else ()
        assert self.recipe is not None
        sources: list[tuple[str, Any]] = []
        for layer in self.session.work.layers:
            edited = layer.kind.has_rows and any(layer.rows.modifications)
            sources.append((layer.name, layer.id if edited else layer.ref.as_json()))
        sources += [(f"branch {b.name}", b.name) for b in self.recipe.branches if b.name != branch.name]
        return StepSurroundings(fields, bands, tuple(sources), self.view_extent)

    def show_many(self, many: bool) -> None:
        """Show the table of many inputs, or the checkpoint."""
        self.right.setCurrentIndex(1 if many else 0)
        self.one.setChecked(not many)
        self.many.setChecked(many)
        if many and not self.batch.inputs and self.recipe is not None:
            source = self.recipe.branches[0].source
            if isinstance(source, DataRef) and source.is_local and source.folder is not None:
                self.batch.out.setText(str(Path.home() / "handed_over"))

    # Writing

    def hand_over(self) -> None:
        """Run the recipe on all of the data and write, in the background."""
        from brisk_atlas.core.operations.recipe_sources import WorkspaceSources
        from brisk_atlas.core.workspace.workspace import FrozenWorkspace

        recipe = self.recipe
        if recipe is None or (self.job is not None and not self.job.finished):
            return
        frozen = FrozenWorkspace(self.session.workspace)

        def work(job: Job) -> list[BranchRun]:
            from brisk_atlas.core.handover.run_recipe import RecipeRun, check_targets

            check_targets(recipe, [layer.ref for layer in frozen.work.layers])
            with RecipeRun(recipe, WorkspaceSources(frozen), check=job.check) as run:
                return run.write(job.report)

        self.result.setText("")
        self.open_result.hide()
        self.go.setEnabled(False)
        self.progress.setValue(0)
        self.stop.show()
        self.progress.show()
        self.job = self.session.run(
            f"Handing over {recipe.title}", work, self._done, lane=Lane.BATCH, failed=self._failed
        )  # fmt: skip
        self.session.job_changed.connect(self._progressed)

    def _progressed(self, job: Job) -> None:
        if job is not self.job:
            return
        self.progress.setValue(round(job.progress * 100))
        if job.finished:
            self.session.job_changed.disconnect(self._progressed)
            self.stop.hide()
            self.progress.hide()
            self.go.setEnabled(True)
            if job.state == "cancelled":
                self._say("Cancelled; nothing was written.", bad=False)

    def _done(self, runs: list[BranchRun]) -> None:
        files = [each for run in runs for each in run.written]
        self.written = [each.path for each in files if each.format != "record"]
        self._say("\n".join(f"Wrote {each.words} to {each.path}" for each in files), bad=False)
        self.open_result.show()
        self.open_result.setFocus()

    def _failed(self, error: BaseException) -> None:
        from brisk_atlas.core.model import AtlasError

        self._say(str(error) if isinstance(error, AtlasError) else f"It failed: {error}", bad=True)
        if not isinstance(error, AtlasError):
            self.session.fault(error)

    def _say(self, text: str, *, bad: bool) -> None:
        self.result.setObjectName("fault" if bad else "")
        style = self.result.style()
        assert style is not None
        style.polish(self.result)
        self.result.setText(text)
