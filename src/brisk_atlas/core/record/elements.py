"""The elements of the record model: what can be stated, where it stands, and what stands there.

A *place* is a path into a record, such as ("contacts", 0, "email"); its *element* is the place without
numbers, "contacts.email", which is how standards, rules and tables name it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields, is_dataclass, replace
from functools import cache
from typing import Any

from .model import Record

Place = tuple[str | int, ...]


@dataclass(frozen=True)
class Element:
    """`item` is the class of its items where it has parts, None where it is a plain value."""

    id: str
    name: str
    label: str
    kind: str
    section: str
    codes: str
    several: bool
    item: type | None

    @property
    def parent(self) -> str:
        """The element that this one is a part of, "" for a top one."""
        return self.id.rpartition(".")[0]


@cache
def parts_of(shape: type, before: str = "") -> dict[str, Element]:
    """Return the elements of a class of the model by field name."""
    found = {}
    for f in fields(shape):
        item = f.metadata.get("item")
        several = item is not None
        found[f.name] = Element(
            f"{before}{f.name}",
            f.name,
            f.metadata["label"],
            f.metadata["kind"],
            f.metadata["section"],
            f.metadata["codes"],
            several,
            item if isinstance(item, type) and is_dataclass(item) else None,
        )
    return found


@cache
def elements() -> dict[str, Element]:
    """Return every element by its id, in the order of the model."""
    found: dict[str, Element] = {}

    def walk(shape: type, before: str) -> None:
        for element in parts_of(shape, before).values():
            found[element.id] = element
            if element.item:
                walk(element.item, f"{element.id}.")

    walk(Record, "")
    return found


def element_of(place: Place) -> Element:
    """Return the element at a place. Raises KeyError for a place that the model does not have."""
    return elements()[element_id(place)]


def element_id(place: Place) -> str:
    """Return the id of the element at a place: the place without the numbers of items."""
    return ".".join(step for step in place if isinstance(step, str))


def place_text(place: Place) -> str:
    """Return a place as people write it: contacts[1].email, counted from 1."""
    text = ""
    for step in place:
        text += f"[{step + 1}]" if isinstance(step, int) else f".{step}" if text else step
    return text


def label_of(place: Place) -> str:
    """Return a place in plain words: "contact 2, e-mail"."""
    words: list[str] = []
    walked: list[str] = []
    for step in place:
        if isinstance(step, int):
            words[-1] += f" {step + 1}"
        else:
            walked.append(step)
            words.append(elements()[".".join(walked)].label)
    return ", ".join(words)


def value_at(record: Any, place: Place) -> Any:
    """Return what stands at a place. Raises IndexError or AttributeError where there is no such place."""
    for step in place:
        record = record[step] if isinstance(step, int) else getattr(record, step)
    return record


def with_value(thing: Any, place: Place, value: Any) -> Any:
    """Return a record with one value changed; a number one past the end adds an item."""
    if not place:
        return value
    step, rest = place[0], place[1:]
    if isinstance(step, int):
        inner = thing[step] if step < len(thing) else None
        return (*thing[:step], with_value(inner, rest, value), *thing[step + 1 :])
    return replace(thing, **{step: with_value(getattr(thing, step), rest, value)})


def without(record: Record, place: Place) -> Record:
    """Return a record without an item of a list, or with a value emptied."""
    *before, last = place
    if isinstance(last, int):
        items = value_at(record, tuple(before))
        return with_value(record, tuple(before), items[:last] + items[last + 1 :])
    return with_value(record, place, empty_of(element_of(place)))


def empty_of(element: Element) -> Any:
    """Return the value that stands for "not stated"."""
    return () if element.several else None if element.kind in ("integer", "number") else ""


def is_stated(value: Any) -> bool:
    """Tell whether a value says anything; an item with nothing in it does not."""
    if isinstance(value, str | tuple):
        return any(map(is_stated, value)) if isinstance(value, tuple) else bool(value)
    if value is None:
        return False
    return any(map(is_stated, vars(value).values())) if is_dataclass(value) else True


def stated_places(thing: Any, before: Place = ()) -> Iterator[tuple[Place, Any]]:
    """Yield every place with a plain value, in the order of the model."""
    if isinstance(thing, tuple):
        for i, item in enumerate(thing):
            yield from stated_places(item, (*before, i))
    elif is_dataclass(thing):
        for f in fields(thing):
            value = getattr(thing, f.name)
            if value or value == 0:
                yield from stated_places(value, (*before, f.name))
    elif thing is not None and thing != "":
        yield before, thing


def values_of(record: Any, element: str) -> list[Any]:
    """Return all that is stated under an element, across all items: every contact's e-mail for "contacts.email"."""
    found = [record]
    for step in element.split("."):
        found = [
            inner
            for thing in found
            for value in (getattr(thing, step),)
            for inner in (value if isinstance(value, tuple) else (value,))
        ]
    return [value for value in found if is_stated(value)]
