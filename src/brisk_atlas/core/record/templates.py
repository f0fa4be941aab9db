"""Templates: records that say only what is the same in many, and putting them into others."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from .elements import is_stated, parts_of
from .model import Record

FILL, REPLACE = "fill", "replace"
# What each record has of its own, and what the data tells of itself.
OWN = frozenset(("identifier", "identifiers", "title", "standard_name", "standard_version", "stamped"))
DERIVED = frozenset(
    ("boxes", "heights", "systems", "distances", "dimensions", "cell_geometry", "objects", "representation")
    + ("entities", "bands", "size_mb")
)


@dataclass(frozen=True)
class TemplateChange:
    """What applying a template does to one element: its value before and after."""

    element: str
    label: str
    before: Any
    after: Any


def template_of(record: Record, elements: Iterable[str]) -> Record:
    """Return a record that says only the chosen elements of the top level."""
    return replace(Record(), **{name: getattr(record, name) for name in elements})


def says(template: Record) -> list[str]:
    """Return the elements that a template says, in the order of the model."""
    return [name for name in parts_of(Record) if name not in OWN | DERIVED and is_stated(getattr(template, name))]


def applied(
    record: Record, template: Record, how: str = FILL, only: Iterable[str] | None = None
) -> tuple[Record, list[TemplateChange]]:
    """Return a record with a template in it and what that changed.

    `fill` writes only what the record does not say, and adds items to lists of plain words that it lacks;
    `replace` writes all that the template says. What each record has of its own, and what the data tells, stays.
    """
    changes = []
    chosen = says(template) if only is None else [name for name in says(template) if name in set(only)]
    for name in chosen:
        before, wanted = getattr(record, name), getattr(template, name)
        after = wanted if how == REPLACE or not is_stated(before) else _filled(before, wanted)
        if after != before:
            changes.append(TemplateChange(name, parts_of(Record)[name].label, before, after))
    return replace(record, **{change.element: change.after for change in changes}), changes


def _filled(before: Any, wanted: Any) -> Any:
    """Return what is stated with what it lacks: words of the same list of keywords, and nothing else."""
    if not isinstance(before, tuple) or not before or not hasattr(before[0], "words"):
        return before
    merged = list(before)
    for more in wanted:
        index = next((i for i, k in enumerate(merged) if (k.kind, k.thesaurus) == (more.kind, more.thesaurus)), None)
        if index is None:
            merged.append(more)
        else:
            fresh = tuple(word for word in more.words if word not in merged[index].words)
            merged[index] = replace(merged[index], words=(*merged[index].words, *fresh)) if fresh else merged[index]
    return tuple(merged)
