"""Changing the recipe that is shown: its steps, their settings, its sources; each change is a step of undo."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr

from .current_recipe import CurrentRecipe
from .recipe_list import SOURCE, RecipeLine, RecipeList

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import Recipe


class RecipeEditing:
    """Changes the current recipe at the line that is chosen in its list."""

    def __init__(self, current: CurrentRecipe, lines: RecipeList) -> None:
        self.current, self.list = current, lines

    @property
    def here(self) -> tuple[Recipe, RecipeLine] | None:
        """The recipe and its current line, where there are both."""
        recipe, line = self.current.recipe, self.list.current
        return (recipe, line) if recipe is not None and line is not None else None

    @property
    def step(self) -> tuple[Recipe, RecipeLine] | None:
        """The recipe and its current line, where that is a step and not a source."""
        here = self.here
        return here if here is not None and here[1].at != SOURCE else None

    def add_step(self, word: str, settings: Mapping[str, Any]) -> None:
        """Add a step behind the current one, before those that write."""
        from brisk_atlas.core.handover.recipe import RecipeStep
        from brisk_atlas.core.handover.recipe_edits import with_step

        if (found := self.here) is not None:
            recipe, line = found
            made, at = with_step(recipe, line.branch, line.at, RecipeStep(word, dict(settings)))
            self._become(tr("add the step {word}", word=word), made, line.branch, at)

    def move_step(self, by: int) -> None:
        """Move the current step up or down."""
        from brisk_atlas.core.handover.recipe_edits import with_step_moved

        if (found := self.step) is not None:
            recipe, line = found
            made, at = with_step_moved(recipe, line.branch, line.at, by)
            self._become(tr("move a step"), made, line.branch, at)

    def remove_step(self) -> None:
        """Remove the current step; at the source of a branch that is not the main one, the branch."""
        from brisk_atlas.core.handover.recipe_edits import without_step

        if (found := self.here) is not None:
            recipe, line = found
            made = without_step(recipe, line.branch, line.at)
            branch = line.branch if made.branch(line.branch) is not None else made.branches[0].name
            self._become(tr("remove a step"), made, branch, max(SOURCE, line.at - 1))

    def switch_step(self) -> None:
        """Pass the current step over, or not any more."""
        from brisk_atlas.core.handover.recipe_edits import with_step_switched

        if (found := self.step) is not None:
            recipe, line = found
            self._become(tr("switch a step"), with_step_switched(recipe, line.branch, line.at), line.branch, line.at)

    def set_settings(self, settings: Mapping[str, Any]) -> None:
        """Give the current step other settings."""
        from brisk_atlas.core.handover.recipe_edits import with_settings

        if (found := self.step) is not None:
            recipe, line = found
            made = with_settings(recipe, line.branch, line.at, settings)
            self._become(tr("change a step"), made, line.branch, line.at)

    def comment(self, text: str) -> None:
        """Give the current step a comment."""
        from brisk_atlas.core.handover.recipe_edits import with_comment

        if (found := self.step) is not None:
            recipe, line = found
            self._become(tr("comment a step"), with_comment(recipe, line.branch, line.at, text), line.branch, line.at)

    def retitle(self, title: str) -> None:
        """Give the recipe another title."""
        recipe = self.current.recipe
        if recipe is not None and title != recipe.title:
            self.current.become(tr("rename a recipe"), replace(recipe, title=title))

    def add_branch(self, source: DataRef) -> None:
        """Add a branch from a dataset, whose result steps may use as their second source."""
        from brisk_atlas.core.handover.recipe_edits import with_source

        if self.current.recipe is not None:
            made, name = with_source(self.current.recipe, source)
            self._become(tr("add a source"), made, name, SOURCE)

    def _become(self, what: str, recipe: Recipe, branch: str, at: int) -> None:
        self.current.become(what, recipe)
        self.list.choose(branch, at)
