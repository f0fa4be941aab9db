"""Changing the steps of a recipe: each returns another recipe."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.words import free_name

from .recipe import Branch, Recipe, RecipeStep
from .steps.write import WriteStep


def with_step(recipe: Recipe, name: str, after: int, step: RecipeStep) -> tuple[Recipe, int]:
    """Return a recipe with a step behind another of a branch, and its place; -1 is the source. What writes stays last.

    >>> recipe = Recipe("", (Branch("main", "x", (RecipeStep("write", {"path": "a.csv"}),)),))
    >>> made, at = with_step(recipe, "main", 0, RecipeStep("repair"))
    >>> at, [each.do for each in made.branches[0].steps]
    (0, ['repair', 'write'])
    """
    steps = list(_branch(recipe, name).steps)
    first_write = next((at for at, each in enumerate(steps) if each.do == WriteStep.word), len(steps))
    place = len(steps) if step.do == WriteStep.word else min(after + 1, first_write)
    steps.insert(place, step)
    return _with_steps(recipe, name, steps), place


def with_step_moved(recipe: Recipe, name: str, at: int, by: int) -> tuple[Recipe, int]:
    """Return a recipe with a step at another place of its branch, and that place; the same where there is none."""
    steps = list(_branch(recipe, name).steps)
    if not (0 <= at < len(steps) and 0 <= at + by < len(steps)):
        return recipe, at
    steps[at], steps[at + by] = steps[at + by], steps[at]
    return _with_steps(recipe, name, steps), at + by


def without_step(recipe: Recipe, name: str, at: int) -> Recipe:
    """Return a recipe without a step of a branch; without the branch where `at` is its source and it is not the main
    one."""
    if at < 0:
        main, *others = recipe.branches
        return replace(recipe, branches=(main, *(branch for branch in others if branch.name != name)))
    steps = [step for number, step in enumerate(_branch(recipe, name).steps) if number != at]
    return _with_steps(recipe, name, steps)


def with_step_switched(recipe: Recipe, name: str, at: int) -> Recipe:
    """Return a recipe with a step passed over, or not any more."""
    step = _branch(recipe, name).steps[at]
    return _with_one(recipe, name, at, replace(step, off=not step.off))


def with_settings(recipe: Recipe, name: str, at: int, settings: Mapping[str, Any]) -> Recipe:
    """Return a recipe with other settings of a step."""
    return _with_one(recipe, name, at, replace(_branch(recipe, name).steps[at], settings=dict(settings)))


def with_comment(recipe: Recipe, name: str, at: int, comment: str) -> Recipe:
    """Return a recipe with another comment on a step."""
    return _with_one(recipe, name, at, replace(_branch(recipe, name).steps[at], comment=comment))


def with_source(recipe: Recipe, source: DataRef) -> tuple[Recipe, str]:
    """Return a recipe with one more branch, from a dataset, and the name of it."""
    taken = {branch.name for branch in recipe.branches}
    stem = source.part or source.stem
    name = free_name(stem, taken, " ")
    return recipe.with_branch(Branch(name, source)), name


def _branch(recipe: Recipe, name: str) -> Branch:
    found = recipe.branch(name)
    if found is None:
        raise KeyError(name)
    return found


def _with_steps(recipe: Recipe, name: str, steps: list[RecipeStep]) -> Recipe:
    return recipe.with_branch(replace(_branch(recipe, name), steps=tuple(steps)))


def _with_one(recipe: Recipe, name: str, at: int, step: RecipeStep) -> Recipe:
    steps = list(_branch(recipe, name).steps)
    steps[at] = step
    return _with_steps(recipe, name, steps)
