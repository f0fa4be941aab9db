"""A recipe: the steps from sources to what is written, as it is stored, compared and changed.

A recipe has branches; each begins with a source, or where another branch ends, and is a list of steps. A step may use
another branch as its second source. Settings are as JSON has them, and may name parameters as `${name}`.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, fields, replace
from functools import cache
from pathlib import Path
from typing import Any

from pydantic import TypeAdapter, ValidationError

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.atomic_write import write_whole

from .step import BadStep, MissingSetting, Step
from .steps import STEPS

MARK = "brisk_atlas_recipe"  # the first key of the file; its value is the version of the form
FORM = 1
SUFFIX = ".recipe.json"
INPUT = "${input}"  # the source that each dataset of a batch takes the place of
_PARAMETER = re.compile(r"\$\{(\w+)\}")
BUILT_IN = {"input": "", "name": "layer", "out": "."}  # given by the run: the source, its name, the folder to write to


class BadRecipe(AtlasError):
    """A recipe can't be read or does not hold together."""


@dataclass(frozen=True)
class Parameter:
    """What may be set for each run: its default, and what it is for."""

    name: str
    default: str | float | bool = ""
    about: str = ""


@dataclass(frozen=True)
class RecipeStep:
    """A step by its word, with its settings as JSON; `off` says that it is passed over."""

    do: str
    settings: Mapping[str, Any] = field(default_factory=dict)
    comment: str = ""
    off: bool = False

    @classmethod
    def of(cls, step: Step, comment: str = "") -> RecipeStep:
        """Return a step as a recipe stores it; settings that have their default are left out."""
        kind = type(step)
        settings = _adapter(kind).dump_python(step, mode="json", exclude_defaults=True)
        return cls(kind.word, settings, comment)

    def made(self, values: Mapping[str, Any]) -> Step:
        """Return the step with parameters filled in. Raises BadStep."""
        kind = STEPS.get(self.do)
        if kind is None:
            raise BadStep(self.do, tr("there is no such step"), tr("The steps are: {steps}.", steps=", ".join(STEPS)))
        settings = filled(dict(self.settings), values)
        unknown = settings.keys() - {each.name for each in fields(kind)}
        if unknown:
            raise BadStep(kind.label, tr("it has no setting {sorted}", sorted=", ".join(sorted(unknown))))
        try:
            made: Step = _adapter(kind).validate_python(settings)
            return made
        except ValidationError as error:
            first = error.errors()[0]
            setting, words = ".".join(map(str, first["loc"])), str(first["msg"])
            if first["type"].startswith("missing"):
                raise MissingSetting(
                    kind.label, tr("{setting}: is not given", setting=setting), tr("Fill it in.")
                ) from error
            raise BadStep(kind.label, f"{setting}: {words[:1].lower()}{words[1:]}") from error

    def as_json(self, folder: Path | None = None) -> dict[str, Any]:
        """Return it as a file in `folder` holds it."""
        notes = {"comment": self.comment} if self.comment else {}
        settings = self._with_refs(lambda ref: DataRef.from_json(ref).as_json(folder)) if folder else self.settings
        return {"do": self.do, **settings, **notes, **({"off": True} if self.off else {})}

    def _with_refs(self, changed: Callable[[dict[str, Any]], dict[str, Any]]) -> dict[str, Any]:
        """Return the settings with the references in them changed."""
        made = dict(self.settings)
        for name in source_settings(STEPS[self.do]) if self.do in STEPS else ():
            value = made.get(name)
            if isinstance(value, dict):
                made[name] = changed(value)
            elif isinstance(value, list):
                made[name] = [changed(each) if isinstance(each, dict) else each for each in value]
        return made

    @classmethod
    def from_json(cls, stored: Mapping[str, Any], folder: Path | None = None) -> RecipeStep:
        """Return a step from its JSON. Raises BadRecipe."""
        rest = dict(stored)
        do, comment, off = rest.pop("do", None), rest.pop("comment", ""), rest.pop("off", False)
        if not isinstance(do, str):
            raise BadRecipe("step", tr("it does not state what it does"), tr('Give it a "do", such as "where".'))
        made = cls(do, rest, str(comment), bool(off))
        if folder is None:
            return made
        return replace(made, settings=made._with_refs(lambda ref: DataRef.from_json(ref, folder).as_json()))


@dataclass(frozen=True)
class Branch:
    """A list of steps from a source: a dataset, an open layer by its name, another branch, or INPUT."""

    name: str
    source: str | DataRef
    steps: tuple[RecipeStep, ...] = ()


@dataclass(frozen=True)
class Recipe:
    """All branches, the first one the main one; `version` grows with each change that is saved."""

    title: str
    branches: tuple[Branch, ...]
    parameters: tuple[Parameter, ...] = ()
    comment: str = ""
    version: int = 1

    def branch(self, name: str) -> Branch | None:
        """Return a branch by its name, None where there is none."""
        return next((each for each in self.branches if each.name == name), None)

    def with_branch(self, changed: Branch) -> Recipe:
        """Return the recipe with a branch in the place of the one that has its name, or at the end."""
        if self.branch(changed.name) is None:
            return replace(self, branches=(*self.branches, changed))
        return replace(self, branches=tuple(changed if b.name == changed.name else b for b in self.branches))

    def values(self, given: Mapping[str, Any] = {}) -> dict[str, Any]:
        """Return what each parameter is in a run. Raises BadRecipe for a value of a parameter that there is none of."""
        known = {**BUILT_IN, **{each.name: each.default for each in self.parameters}}
        strange = given.keys() - known.keys()
        if strange:
            names = ", ".join(each.name for each in self.parameters) or "none"
            raise BadRecipe(
                self.title,
                tr("it has no parameter {sorted}", sorted=", ".join(sorted(strange))),
                tr("There are: {names}.", names=names),
            )
        return known | dict(given)

    def check(self) -> None:
        """Raise BadRecipe where branches do not hold together, or a parameter is not known."""
        names = [branch.name for branch in self.branches]
        if not names:
            raise BadRecipe(self.title, tr("it has no source"), tr("Add one."))
        if len(set(names)) < len(names):
            raise BadRecipe(self.title, tr("two branches have one name"), tr("Rename one of them."))
        known = {*BUILT_IN, *(each.name for each in self.parameters)}
        for branch in self.branches:
            wanted = [_PARAMETER.findall(json.dumps(step.as_json())) for step in branch.steps]
            source = branch.source if isinstance(branch.source, str) else ""
            unknown = {*_PARAMETER.findall(source), *(n for each in wanted for n in each)} - known
            if unknown:
                raise BadRecipe(self.title, tr("there is no parameter {sorted}", sorted=', '.join(sorted(unknown))),
                                tr("Add it to the parameters, with a default."))  # fmt: skip
        for name in names:
            self._check_no_circle(name, ())

    def _check_no_circle(self, name: str, above: tuple[str, ...]) -> None:
        if name in above:
            raise BadRecipe(
                self.title,
                tr("the branch {name} needs itself", name=name),
                tr("Begin one of them with another source."),
            )
        branch = self.branch(name)
        for other in used_by(branch) if branch else ():
            if self.branch(other) is not None:
                self._check_no_circle(other, (*above, name))

    def as_json(self, folder: Path | None = None) -> dict[str, Any]:
        """Return it as a file in `folder` holds it."""
        return {
            MARK: FORM,
            "title": self.title,
            **({"comment": self.comment} if self.comment else {}),
            "version": self.version,
            "parameters": [
                {"name": p.name, "default": p.default, **({"about": p.about} if p.about else {})}
                for p in self.parameters
            ],
            "branches": [
                {
                    "name": b.name,
                    "source": b.source if isinstance(b.source, str) else b.source.as_json(folder),
                    "steps": [step.as_json(folder) for step in b.steps],
                }
                for b in self.branches
            ],
        }

    @classmethod
    def from_json(cls, stored: Any, place: object = "recipe", folder: Path | None = None) -> Recipe:
        """Return a recipe from its JSON. Raises BadRecipe."""
        if not isinstance(stored, dict) or MARK not in stored:
            raise BadRecipe(
                place, tr("it is not a recipe"), tr('A recipe is a JSON object that begins with "{mark}".', mark=MARK)
            )
        if stored[MARK] != FORM:
            raise BadRecipe(
                place,
                tr("it has the form {stored}, and {form} is known here", stored=stored[MARK], form=FORM),
                tr("Use a newer version."),
            )
        try:
            recipe = cls(
                str(stored.get("title", "")),
                tuple(
                    Branch(str(b["name"]), _source(b["source"], folder),
                           tuple(RecipeStep.from_json(each, folder) for each in b.get("steps", ())))
                    for b in stored.get("branches", ())
                ),
                tuple(Parameter(str(p["name"]), p.get("default", ""), str(p.get("about", "")))
                      for p in stored.get("parameters", ())),
                str(stored.get("comment", "")),
                int(stored.get("version", 1)),
            )  # fmt: skip
        except (KeyError, TypeError, ValueError, AttributeError) as error:
            raise BadRecipe(
                place,
                tr("it is not as a recipe should be ({name__}: {error})", name__=type(error).__name__, error=error),
            ) from error
        recipe.check()
        return recipe


def _source(stored: Any, folder: Path | None) -> str | DataRef:
    if isinstance(stored, dict):
        return DataRef.from_json(stored, folder)
    if isinstance(stored, str):
        return stored
    raise TypeError("a source is a text or a reference")


def read_recipe(path: Path) -> Recipe:
    """Return the recipe in a file. Raises BadRecipe."""
    try:
        stored = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError, RecursionError) as error:
        raise BadRecipe(path, tr("it can't be read ({error})", error=error), tr("Choose a recipe.")) from error
    return Recipe.from_json(stored, path, path.absolute().parent)


def write_recipe(recipe: Recipe, path: Path) -> None:
    """Write a recipe to a file. Raises CannotWrite."""
    write_whole(
        path, (json.dumps(recipe.as_json(path.absolute().parent), indent=2, ensure_ascii=False) + "\n").encode()
    )


def for_many(recipe: Recipe) -> Recipe:
    """Return a recipe that takes inputs: its main branch begins with the input, and what it writes goes into the folder
    of the run under the name of the input."""
    main, *others = recipe.branches

    def placed(step: RecipeStep, branch: Branch) -> RecipeStep:
        path = str(step.settings.get("path", ""))
        if step.do != "write" or "${name}" in path:
            return step
        name = "${name}" if branch is main else "${name}_" + branch.name
        ending = "".join(Path(path).suffixes[-2:]) if path.endswith(".copc.laz") else Path(path).suffix
        return replace(step, settings={**step.settings, "path": f"${{out}}/{name}{ending}"})

    made = [
        replace(branch, source=INPUT if branch is main else branch.source,
                steps=tuple(placed(step, branch) for step in branch.steps))
        for branch in (main, *others)
    ]  # fmt: skip
    return replace(recipe, branches=tuple(made))


def used_by(branch: Branch) -> Iterator[str]:
    """Yield the texts in a branch that may be names of other branches: its source and second sources of its steps."""
    if isinstance(branch.source, str):
        yield branch.source
    for step in branch.steps:
        kind = STEPS.get(step.do)
        for name in source_settings(kind) if kind else ():
            value = step.settings.get(name)
            yield from (
                each for each in (value if isinstance(value, list | tuple) else [value]) if isinstance(each, str)
            )


@cache
def source_settings(kind: type[Step]) -> tuple[str, ...]:
    """Return the settings of a kind of step that are sources."""
    return tuple(each.name for each in fields(kind) if "Source" in str(each.type))


def filled(value: Any, values: Mapping[str, Any]) -> Any:
    """Return a setting with parameters filled in; one that is a parameter alone gets its value as it is.

    >>> filled({"where": "year = ${year}", "size": "${size}"}, {"year": 2031, "size": 2.5})
    {'where': 'year = 2031', 'size': 2.5}
    """
    if isinstance(value, str):
        alone = _PARAMETER.fullmatch(value)
        if alone and alone[1] in values:
            return values[alone[1]]
        return _PARAMETER.sub(lambda found: str(values.get(found[1], found[0])), value)
    if isinstance(value, Mapping):
        return {key: filled(each, values) for key, each in value.items()}
    if isinstance(value, list | tuple):
        return [filled(each, values) for each in value]
    return value


@cache
def _adapter(kind: type[Step]) -> TypeAdapter[Any]:
    return TypeAdapter(kind)


def recipe_schema() -> dict[str, Any]:
    """Return the JSON Schema of recipes, with the settings of every step."""
    steps = []
    definitions: dict[str, Any] = {}
    for word, kind in STEPS.items():
        schema = _adapter(kind).json_schema(ref_template="#/$defs/{model}")
        definitions |= schema.pop("$defs", {})
        properties = {
            each.name: {**schema["properties"][each.name], "description": each.metadata["help"]}
            for each in fields(kind)
        }
        steps.append({
            "title": kind.label,
            "description": " ".join((kind.__doc__ or "").split()),
            "type": "object",
            "properties": {"do": {"const": word}, **_or_parameter(properties), "comment": {"type": "string"},
                           "off": {"type": "boolean"}},
            "required": ["do", *schema.get("required", [])],
            "additionalProperties": False,
        })  # fmt: skip
    source = {"anyOf": [{"type": "string"}, {"type": "object"}]}
    branch = {
        "type": "object",
        "properties": {"name": {"type": "string"}, "source": source,
                       "steps": {"type": "array", "items": {"oneOf": steps}}},
        "required": ["name", "source"],
    }  # fmt: skip
    parameter = {
        "type": "object",
        "properties": {"name": {"type": "string", "pattern": r"^\w+$"},
                       "default": {"type": ["string", "number", "boolean"]}, "about": {"type": "string"}},
        "required": ["name"],
    }  # fmt: skip
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Recipe",
        "type": "object",
        "properties": {
            MARK: {"const": FORM},
            "title": {"type": "string"},
            "comment": {"type": "string"},
            "version": {"type": "integer"},
            "parameters": {"type": "array", "items": parameter},
            "branches": {"type": "array", "items": branch, "minItems": 1},
        },
        "required": [MARK, "branches"],
        "$defs": definitions,
    }


def _or_parameter(properties: dict[str, Any]) -> dict[str, Any]:
    """Return settings each of which may be a parameter instead."""
    parameter = {"type": "string", "pattern": _PARAMETER.pattern}
    return {
        name: {"anyOf": [{k: v for k, v in each.items() if k != "description"}, parameter],
               "description": each["description"]}
        for name, each in properties.items()
    }  # fmt: skip


def differences(before: Recipe, after: Recipe) -> list[str]:
    """Return what changed from one recipe to another, a line each."""
    import difflib

    def lines(recipe: Recipe) -> list[str]:
        stored = {k: v for k, v in recipe.as_json().items() if k != "version"}
        return json.dumps(stored, indent=2, ensure_ascii=False).splitlines()

    found = difflib.unified_diff(
        lines(before), lines(after), f"version {before.version}", f"version {after.version}", lineterm="", n=2
    )
    return list(found)
