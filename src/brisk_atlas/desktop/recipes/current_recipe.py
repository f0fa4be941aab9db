"""The recipe that the page shows: one of the work's, or a draft of the subject that becomes one once it is changed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model import DataKind, DataRef, Layer
from brisk_atlas.core.model.language import tr

from ..session import Session
from .step_inputs import source_words

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import Branch, Recipe

USABLE = (DataKind.VECTOR, DataKind.TABLE, DataKind.RASTER, DataKind.POINTCLOUD)
DRAFT = -1  # in the place of its number among the recipes of the work


class CurrentRecipe(QObject):
    """Holds the recipe, and its number among those of the work; each change is a step of undo.

    Signals:
        replaced(): another recipe is shown, or undo changed it.
        edited(): it was changed here.
    """

    replaced = pyqtSignal()
    edited = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.recipe: Recipe | None = None
        self.number = DRAFT
        self._made_of: Layer | None = None
        session.work_changed.connect(lambda what: self._take_stored() if what == "recipes" else None)

    @property
    def stored(self) -> tuple[Recipe, ...]:
        """The recipes of the work."""
        return self.session.work.state.recipes

    @property
    def subject(self) -> Layer | None:
        """The subject, where a recipe can be made of it."""
        subject = self.session.work.subject
        return subject if subject is not None and subject.kind in USABLE else None

    def refresh(self) -> None:
        """Have a draft of the subject as it is now, unless a recipe that was worked on is shown."""
        subject = self.subject
        if self.number == DRAFT and subject is not None and _of(self._made_of) != _of(subject):
            self.make_of_subject()

    def make_of_subject(self) -> None:
        """Begin a recipe of the subject, with what was done to it on the Desk."""
        from brisk_atlas.core.operations.layer_recipe import recipe_of_layer

        subject = self.subject
        if subject is not None:
            self._made_of = subject
            self._show(recipe_of_layer(subject, Path.home()), DRAFT)

    def choose(self, number: int) -> None:
        """Show a recipe of the work, or a new one of the subject."""
        if number == DRAFT:
            self.make_of_subject()
        else:
            self._show(self.stored[number], number)

    def become(self, what: str, recipe: Recipe) -> None:
        """Change the recipe, as a step of undo."""
        if recipe == self.recipe:
            return
        recipes = list(self.stored)
        if self.number == DRAFT:
            self.number = len(recipes)
            recipes.append(recipe)
        else:
            recipe = replace(recipe, version=recipe.version + 1)
            recipes[self.number] = recipe
        self.recipe = recipe
        self.session.work.change_recipes(what, tuple(recipes))
        self.edited.emit()

    def add(self, what: str, recipe: Recipe) -> None:
        """Take one more recipe into the work, and show it."""
        self.number = len(self.stored)
        self.recipe = recipe
        self.session.work.change_recipes(what, (*self.stored, recipe))
        self.replaced.emit()

    def forget(self) -> None:
        """Remove the recipe from the work."""
        if self.number != DRAFT:
            left = (*self.stored[: self.number], *self.stored[self.number + 1 :])
            self.number, self._made_of = DRAFT, None
            self.session.work.change_recipes(tr("remove a recipe"), left)
            self.make_of_subject()

    def source_name(self, branch: Branch) -> str:
        """Return what the source of a branch is called."""
        source = branch.source
        if isinstance(source, DataRef):
            layer = next((each for each in self.session.work.layers if each.ref == source), None)
            return layer.name if layer is not None else source_words(source.as_json())
        layer = self.session.work.layer(source)
        if layer is not None:
            return tr("{name}, with its edits", name=layer.name)
        return tr("each input") if source == "${input}" else source

    def _show(self, recipe: Recipe, number: int) -> None:
        self.recipe, self.number = recipe, number
        self.replaced.emit()

    def _take_stored(self) -> None:
        """Show the recipe as the work has it now, after undo for one."""
        if self.number == DRAFT:
            return
        if self.number >= len(self.stored):
            self.number, self._made_of = DRAFT, None
            self.make_of_subject()
        elif self.stored[self.number] != self.recipe:
            self._show(self.stored[self.number], self.number)


def _of(layer: Layer | None) -> object:
    """Return what of a layer a draft is made of."""
    if layer is None:
        return None
    rows = layer.rows
    return layer.id, layer.ref, rows.modifications, rows.where, rows.filters
