"""Where the elements of the model stand in the XML of a standard: one description for reading and writing.

A standard describes a `Shape` for each class of the model: its slots, each a field, the path of elements that
leads to it, and what reads and writes its content. Reading goes through the XML once, whatever the order of
its elements and whichever namespace they are in; writing (`xml_writer`) goes the same paths.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property, lru_cache
from typing import Any, ClassVar, NamedTuple

from lxml import etree

MOST_TAGS = 4096  # tags remembered at a place; a file with more is not worth remembering


# Classes that may stand where another is meant: subclasses of ISO 19115, its part 2 and services.
STANDS_FOR = {
    "SV_ServiceIdentification": "MD_DataIdentification",
    "MD_Georectified": "MD_GridSpatialRepresentation",
    "MD_Georeferenceable": "MD_GridSpatialRepresentation",
    "MI_Georectified": "MD_GridSpatialRepresentation",
    "MI_Georeferenceable": "MD_GridSpatialRepresentation",
    "MD_ImageDescription": "MD_CoverageDescription",
    "MI_CoverageDescription": "MD_CoverageDescription",
    "MI_ImageDescription": "MD_CoverageDescription",
    "MI_Band": "MD_Band",
    "LE_Lineage": "LI_Lineage",
    "LE_ProcessStep": "LI_ProcessStep",
    "LE_Source": "LI_Source",
    "RS_Identifier": "MD_Identifier",
}


NOT_MINE: Any = object()  # what a codec returns for an element that belongs to another slot of the same path


class Codec:
    """Reads and writes the content of one element. `parts` are the fields of a value that has some; one that
    `shares` its element with others never takes it away."""

    parts: tuple[str, ...] = ()
    shares = False

    def read(self, element: etree._Element) -> Any:
        """Return the value, or None where the element says nothing that is understood."""
        raise NotImplementedError

    def write(self, element: etree._Element, value: Any) -> None:
        """Make the element say the value, its other content stored where it can be."""
        raise NotImplementedError

    def representable(self, value: Any) -> Any:
        """Return as much of a value as the element can say."""
        return value

    def representable_where_it_stands(self, value: Any) -> Any:
        """Return the same for an element that is there already."""
        return self.representable(value)


class Unplaced(NamedTuple):
    """Something that a record says and the model has no place for; it is stored in the file."""

    line: int
    path: str
    text: str
    reason: str


def local_name(element: etree._Element) -> str:
    """Return an element's name without its namespace, "" for comments and instructions."""
    tag = element.tag
    return _without_space(tag) if isinstance(tag, str) else ""


@lru_cache(4096)
def _without_space(tag: str) -> str:
    return tag.rpartition("}")[2]


def class_name(element: etree._Element) -> str:
    """Return an element's name, or the one it stands for."""
    name = local_name(element)
    return STANDS_FOR.get(name, name)


@dataclass(frozen=True)
class Slot:
    """One place of one field. `steps` are element names with prefixes; the step at `repeat` is new for each item.

    `fixed` are fields of an item that this place alone says, as that a distributor's role is distributor;
    `takes` tells which items are written here, `most` how many. A step in `wraps` is shared only with its like:
    an element that already holds the next step.
    """

    field: str
    steps: tuple[str, ...]
    value: Codec | Shape
    several: bool
    repeat: int
    fixed: tuple[tuple[str, Any], ...] = ()
    takes: Callable[[Any], bool] | None = None
    wraps: frozenset[int] = frozenset()
    most: int | None = None

    @cached_property
    def names(self) -> tuple[str, ...]:
        """The steps without their prefixes."""
        return tuple(step.rpartition(":")[2] for step in self.steps)

    @property
    def group(self) -> tuple[str, ...]:
        """Return the elements among which its items stand in the order in which they are written."""
        return self.steps[: self.repeat + 1]

    def fits(self, item: Any) -> bool:
        """Return whether an item goes into this slot, by its test, or by its fixed values where it has none."""
        if self.takes is not None:
            return self.takes(item)
        return all(getattr(item, name) == value for name, value in self.fixed)


class _Node:
    """A step of the paths of a shape."""

    __slots__ = ("by_tag", "children", "slots")

    def __init__(self) -> None:
        self.children: dict[str, _Node] = {}
        self.slots: list[Slot] = []
        self.by_tag: dict[str, _Node | None] = {}

    def child(self, tag: str) -> _Node | None:
        name = tag.rpartition("}")[2]
        found = self.children.get(name) or self.children.get(STANDS_FOR.get(name, ""))
        if len(self.by_tag) < MOST_TAGS:
            self.by_tag[tag] = found
        return found


@dataclass
class Anchor:
    """Where a thing was read: its element, and those of its fields with the slot of each."""

    element: etree._Element
    found: dict[str, list[tuple[Slot, etree._Element, Anchor | None]]] = field(default_factory=dict)


_ABSENT: Any = object()


@dataclass(frozen=True)
class Shape:
    """A class of the model and where its fields stand below an element."""

    of: type
    slots: tuple[Slot, ...]
    parts: ClassVar[tuple[str, ...]] = ()
    shares: ClassVar[bool] = False
    trim: Callable[[Any], Any] | None = None  # takes out of a thing what its schema does not take alone
    aside: tuple[str, ...] = ()  # paths of what the standard repeats or fixes, and no one needs to read

    @cached_property
    def root(self) -> _Node:
        """The tree of the steps of all paths, with the slots that end at each."""
        root = _Node()
        for slot in self.slots:
            node = root
            for step in slot.steps:
                node = node.children.setdefault(step.rpartition(":")[2], _Node())
            node.slots.append(slot)
        for path in self.aside:
            node = root
            for step in path.split("/"):
                node = node.children.setdefault(step.rpartition(":")[2], _Node())
        return root

    @cached_property
    def by_field(self) -> dict[str, tuple[Slot, ...]]:
        """The slots of each field, in their order."""
        found: dict[str, tuple[Slot, ...]] = {}
        for slot in self.slots:
            found[slot.field] = (*found.get(slot.field, ()), slot)
        return found

    def read(
        self,
        element: etree._Element,
        unplaced: list[Unplaced] | None = None,
        anchor: Anchor | None = None,
        fixed: tuple[tuple[str, Any], ...] = (),
    ) -> Any:
        """Return what an element says; what has no place is added to `unplaced`, elements to `anchor`.

        With `fixed`, which its place alone says, an element that says nothing else is None.
        """
        values: dict[str, Any] = {}
        for slot in self.root.slots:
            self._take(slot, element, values, unplaced, anchor)
        self._walk(self.root, element, values, unplaced, anchor)
        if not values:
            return None if fixed else self.empty
        return self.of(**{name: tuple(v) if type(v) is list else v for name, v in (*values.items(), *fixed)})

    def _walk(
        self, node: _Node, element: etree._Element, values: dict[str, Any], unplaced: Any, anchor: Anchor | None
    ) -> None:
        known = node.by_tag
        for child in element:
            tag = child.tag
            if type(tag) is not str:
                continue
            at = known.get(tag, _ABSENT)
            if at is _ABSENT:
                at = node.child(tag)
            if at is None:
                if unplaced is not None:
                    _report(child, unplaced, "the model has no place for it")
                continue
            shared = bool(at.slots and at.children)  # what one reads, the other need not report
            for slot in at.slots:
                self._take(slot, child, values, None if shared else unplaced, anchor)
            if at.children:
                self._walk(at, child, values, None if shared else unplaced, anchor)

    def _take(
        self, slot: Slot, element: etree._Element, values: dict[str, Any], unplaced: Any, anchor: Anchor | None
    ) -> None:
        inner = None
        if isinstance(slot.value, Shape):
            inner = Anchor(element) if anchor is not None else None
            value = slot.value.read(element, unplaced if slot.steps else None, inner, slot.fixed)
            if value is None or value is slot.value.empty:
                return
        else:
            value = slot.value.read(element)
            if value is NOT_MINE:
                return
            if value is None or value == "":
                if unplaced is not None:
                    _report(element, unplaced, "it could not be understood")
                if anchor is not None and not slot.several and slot.field not in anchor.found:
                    anchor.found[slot.field] = [(slot, element, None)]
                return
        if slot.several:
            values_so_far = values.get(slot.field)
            if values_so_far is None:
                values[slot.field] = [value]
            else:
                values_so_far.append(value)
        elif slot.field in values:
            if unplaced is not None:
                _report(element, unplaced, "it is stated more than once; the first one counts")
            return
        else:
            values[slot.field] = value
        if anchor is not None:
            places = anchor.found.setdefault(slot.field, [])
            if not slot.several:
                places.clear()
            places.append((slot, element, inner))

    @cached_property
    def empty(self) -> Any:
        """Return the value without any field stated."""
        return self.of()

    def representable(self, thing: Any) -> Any:
        """Return as much of a thing as the shape has places for, in the order in which it would be written."""
        return self._held(thing, there=False)

    def representable_where_it_stands(self, thing: Any) -> Any:
        """Return the same for a thing that is there already."""
        return self._held(thing, there=True)

    def _held(self, thing: Any, *, there: bool) -> Any:
        def inner(slot: Slot, value: Any) -> Any:
            return slot.value.representable_where_it_stands(value) if there else slot.value.representable(value)

        values_so_far: dict[str, Any] = {}
        for name, slots in self.by_field.items():
            value = getattr(thing, name)
            if not slots[0].several:
                values_so_far[name] = inner(slots[0], value)
                continue
            groups = list(dict.fromkeys(slot.group for slot in slots))
            items = []
            for item, slot in zip(value, assigned(slots, value)):
                if slot is None:
                    continue
                found = inner(slot, item)
                if found is None or found == "" or (isinstance(slot.value, Shape) and found == slot.value.empty):
                    continue
                found = replace(found, **dict(slot.fixed)) if slot.fixed else found
                items.append((groups.index(slot.group), found))
            values_so_far[name] = tuple(found for _, found in sorted(items, key=lambda pair: pair[0]))
        thing = self.of(**values_so_far)
        return self.trim(thing) if self.trim else thing

    def paths(self, element: str) -> list[str]:
        """Return the paths at which an element such as "contacts.email" stands; none where there is no place for it."""
        name, _, rest = element.partition(".")
        found = []
        for slot in self.by_field.get(name, ()):
            base = "/".join(slot.steps)
            if not rest or rest in slot.value.parts or rest in dict(slot.fixed):
                found.append(base)
            elif isinstance(slot.value, Shape):
                found += [f"{base}/{path}".strip("/") for path in slot.value.paths(rest)]
        return list(dict.fromkeys(found))


def assigned(slots: tuple[Slot, ...], items: Sequence[Any]) -> list[Slot | None]:
    """Return the slot that each item is written to, None where the standard has no more room for it."""
    left = {id(slot): slot.most for slot in slots}
    found = []
    for item in items:
        slot = next((s for s in slots if left[id(s)] != 0 and s.fits(item)), None)
        if slot is not None and left[id(slot)] is not None:
            left[id(slot)] -= 1  # type: ignore[operator]
        found.append(slot)
    return found


def _path(path: str) -> tuple[tuple[str, ...], list[int]]:
    """Return the steps of a path and the indices of those marked with +."""
    steps = [step for step in path.split("/") if step != "."]
    marked = [i for i, step in enumerate(steps) if step.endswith("+")]
    return tuple(step.removesuffix("+") for step in steps), marked


def one(name: str, path: str, value: Codec | Shape, *, own: bool = False) -> Slot:
    """Return the slot of a field that is stated once. A path "." is the element itself; + marks wrapping steps.

    With `own`, the last step marked is shared with nothing else.
    """
    steps, marked = _path(path)
    return Slot(name, steps, value, False, marked[-1] if own else len(steps), wraps=frozenset(marked))


def many(
    name: str,
    path: str,
    value: Codec | Shape,
    /,
    takes: Callable[[Any], bool] | None = None,
    most: int | None = None,
    **fixed: Any,
) -> Slot:
    """Return the slot of a field with many items; the last + marks the step that each item has of its own."""
    steps, marked = _path(path)
    repeat = marked[-1] if marked else len(steps) - 1
    return Slot(name, steps, value, True, repeat, tuple(fixed.items()), takes, frozenset(marked[:-1]), most)


def shape(of: type, *slots: Slot, aside: Sequence[str] = (), trim: Callable[[Any], Any] | None = None) -> Shape:
    """Return the shape of a class of the model from its slots."""
    names = {f.name for f in fields(of)}
    strange = [slot.field for slot in slots if slot.field not in names]
    if strange:
        raise TypeError(f"{of.__name__} has no {', '.join(strange)}")
    return Shape(of, slots, trim, tuple(aside))


def text_of(element: etree._Element) -> str:
    """Return all text below an element on one line."""
    return " ".join("".join(element.itertext("*")).split())


def path_of(element: etree._Element) -> str:
    """Return the names that lead to an element, the root's left out."""
    names = [local_name(e) for e in element.iterancestors()][:-1]
    return "/".join([*reversed(names), local_name(element)])


def _report(element: etree._Element, unplaced: list[Unplaced], reason: str) -> None:
    """Add an element to what has no place, if it says anything."""
    found = text_of(element)
    if found:
        unplaced.append(Unplaced(element.sourceline or 0, path_of(element), found[:200], reason))
