"""Writing a record into XML: only what changed is touched, and new elements stand where the schema wants them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import cached_property, lru_cache
from typing import Any

from lxml import etree

from .binding import Anchor, Shape, Slot, assigned, class_name, local_name
from .elements import is_stated

Needs = Sequence[tuple[str, ...]]  # of each, one has to be there
REMEMBERED = 1024  # names of elements whose grammar is looked up once


@dataclass(frozen=True)
class Grammar:
    """How a standard's XML is written.

    `spaces` are the namespaces by prefix; `order` and `needs` say for an element's name which children it
    has, in which order, and which it must have; `fill` makes a child that must be there say "not known", and
    `blank` tells whether an element says just that.
    """

    spaces: Mapping[str, str]
    order: Callable[[str], Sequence[str]]
    needs: Callable[[str], Needs]
    fill: Callable[[etree._Element], bool]
    blank: Callable[[etree._Element], bool]

    @cached_property
    def ranks(self) -> Callable[[str], Mapping[str, int]]:
        """How the children of an element are ordered, by its name: the place of each."""
        return lru_cache(REMEMBERED)(lambda name: {child: rank for rank, child in enumerate(self.order(name))})

    @cached_property
    def needed(self) -> Callable[[str], Needs]:
        """What `needs` says, looked up once for a name."""
        return lru_cache(REMEMBERED)(self.needs)


class XmlRecordWriter:
    """Puts a record into one document."""

    def __init__(self, grammar: Grammar, root: etree._Element) -> None:
        self.grammar = grammar
        known = {prefix: uri for prefix, uri in root.nsmap.items() if prefix in grammar.spaces}
        self.spaces: dict[str, str] = {**grammar.spaces, **known}
        known_spaces = set(grammar.spaces.values()) & set(root.nsmap.values())
        self.bare = not str(root.tag).startswith("{") and not known_spaces
        self.root = root
        self.made: list[etree._Element] = []
        self.poorer: list[etree._Element] = []  # elements that lost a child

    def put(self, shape: Shape, element: etree._Element, old: Any, new: Any, anchor: Anchor | None) -> None:
        """Make an element that says `old` say `new`."""
        new = shape.trim(new) if shape.trim else new
        for name, slots in shape.by_field.items():
            before, after = getattr(old, name), getattr(new, name)
            if before == after:
                continue
            places = anchor.found.get(name, []) if anchor else []
            if slots[0].several:
                self._put_many(slots, element, before, after, places)
            else:
                self._put_one(slots, element, after, places, before)

    def finish(self) -> None:
        """Give new elements the children that they must have, and the indentation of their neighbours."""
        for element in self.poorer:
            self._fill(element)
        for element in self.made:  # which grows: what is filled in may need children itself
            self._fill(element)
        made = set(self.made)
        for element in self.made:
            parent = element.getparent()
            if parent is not None and parent not in made:
                _indent(element)

    # One value

    def _put_one(
        self, slots: tuple[Slot, ...], element: etree._Element, value: Any, places: list[Any], old: Any
    ) -> None:
        names = {class_name(child) for child in element}
        slot = places[0][0] if places else next((s for s in slots if s.steps and s.steps[0] in names), slots[0])
        value = slot.value.representable_where_it_stands(value) if places else slot.value.representable(value)
        if not is_stated(value):
            for _, found, _ in places:
                if slot.value.shares or (found is element and not isinstance(slot.value, Shape)):
                    slot.value.write(found, value)  # type: ignore[union-attr]
                else:
                    self._remove(found, element)
            return
        if places and _is_in(places[0][1], element):
            _, found, inner = places[0]
        else:
            found, inner = self._way(element, slot, slot.repeat), None
        if isinstance(slot.value, Shape):
            self.put(slot.value, found, old if inner else slot.value.empty, value, inner)
        else:
            slot.value.write(found, value)

    # Many items

    def _put_many(
        self,
        slots: tuple[Slot, ...],
        element: etree._Element,
        old: Sequence[Any],
        new: Sequence[Any],
        places: list[Any],
    ) -> None:
        if len(places) != len(old):  # the model was made elsewhere
            raise ValueError("the record does not match its document")
        steps = SequenceMatcher(None, old, new, autojunk=False).get_opcodes()
        homes = assigned(slots, new)
        after: list[etree._Element] = []  # items that stand before, to insert behind
        for what, a, b, c, d in steps:
            if what == "equal":
                after += [places[i][1] for i in range(a, b)]
                continue
            pairs = min(b - a, d - c)
            for i in range(pairs):
                slot: Slot = places[a + i][0]
                found, inner = places[a + i][1:]
                item = new[c + i]
                if homes[c + i] is slot and is_stated(slot.value.representable(item)):
                    self._rewrite(slot, found, old[a + i], item, inner)
                    after.append(found)
                else:
                    self._drop(places[a + i], old[a + i], element)
                    ahead = places[a + i + 1][1] if a + i + 1 < len(places) else None
                    after += self._add(homes[c + i], element, item, after, ahead)
            for i in range(a + pairs, b):
                self._drop(places[i], old[i], element)
            for i in range(c + pairs, d):
                ahead = places[b][1] if b < len(places) else None
                after += self._add(homes[i], element, new[i], after, ahead)

    def _drop(self, place: Any, old: Any, element: etree._Element) -> None:
        slot, found, inner = place
        if found is element and isinstance(slot.value, Shape):  # its fields stand in the element itself
            self.put(slot.value, found, old, slot.value.empty, inner)
        else:
            self._remove(found, element)

    def _rewrite(self, slot: Slot, found: etree._Element, old: Any, item: Any, inner: Anchor | None) -> None:
        item = slot.value.representable_where_it_stands(item)
        if isinstance(slot.value, Shape):
            self.put(slot.value, found, old, item, inner)
        else:
            slot.value.write(found, item)

    def _add(
        self,
        slot: Slot | None,
        element: etree._Element,
        item: Any,
        after: list[etree._Element],
        ahead: etree._Element | None,
    ) -> list[etree._Element]:
        item = slot.value.representable(item) if slot is not None else None
        if slot is None or not is_stated(item):
            return []
        found = self._way(element, slot, slot.repeat, after[-1] if after else None, ahead)
        if isinstance(slot.value, Shape):
            self.put(slot.value, found, slot.value.empty, item, None)
        else:
            slot.value.write(found, item)
        return [found]

    # Elements

    def _way(
        self,
        element: etree._Element,
        slot: Slot,
        fresh_from: int,
        behind: etree._Element | None = None,
        ahead: etree._Element | None = None,
    ) -> etree._Element:
        """Return the element at the end of a slot's path, made where it is missing; new from a step on.

        The new one stands behind `behind` or before `ahead`, where those are its neighbours by name.
        """
        at = element
        names = slot.names
        for i, step in enumerate(slot.steps):
            tag = self._tag(step)
            found = None
            if i < fresh_from:
                like = [child for child in at if class_name(child) == names[i]]
                if i in slot.wraps:
                    like = [child for child in like if any(class_name(inner) == names[i + 1] for inner in child)]
                found = like[0] if like else None
            elif i == fresh_from:  # a child that only says "not known" gives way, or what is wanted within one
                like = [child for child in at if local_name(child) == names[i]]
                found = next((child for child in like if self.grammar.blank(child)), None)
                if found is not None:
                    self._remake(found)
                elif inner := names[i + 1 : i + 2]:
                    found = next((c for c in like if self._has_blank(c, inner[0])), None)
                    fresh_from += found is not None
            if found is None:
                found = self._make(at, tag, *((behind, ahead) if i == fresh_from else (None, None)))
            at = found
        return at

    def _has_blank(self, element: etree._Element, name: str) -> bool:
        return any(local_name(child) == name and self.grammar.blank(child) for child in element)

    def _remake(self, element: etree._Element) -> None:
        for child in list(element):
            element.remove(child)
        element.attrib.clear()
        element.text = None
        self.made.append(element)

    def _tag(self, step: str) -> str:
        prefix, _, name = step.rpartition(":")
        space = None if self.bare else self.spaces.get(prefix)
        return f"{{{space}}}{name}" if space else name

    def _make(
        self,
        parent: etree._Element,
        tag: str,
        behind: etree._Element | None = None,
        ahead: etree._Element | None = None,
    ) -> etree._Element:
        child = etree.SubElement(parent, tag)
        name = local_name(child)
        behind, ahead = _below(parent, behind), _below(parent, ahead)
        if behind is not None and local_name(behind) == name:
            at = parent.index(behind) + 1
        elif ahead is not None and local_name(ahead) == name:
            at = parent.index(ahead)
        else:
            at = self._rank(parent, name)
        if parent[at] is not child:
            parent.insert(at, child)
        self.made.append(child)
        self._choose(parent, name)
        return child

    def _choose(self, parent: etree._Element, name: str) -> None:
        """Take out what only says "not known" where of several children one is wanted and `name` is there now."""
        for choices in self.grammar.needed(local_name(parent)):
            if len(choices) > 1 and name in choices:
                for other in [c for c in parent if local_name(c) in choices and local_name(c) != name]:
                    if self.grammar.blank(other):
                        _take_out(other)

    def _rank(self, parent: etree._Element, name: str) -> int:
        """Return where a child of a name goes: behind all that come before it by the schema."""
        order = self.grammar.ranks(local_name(parent)) or self.grammar.ranks(class_name(parent))
        last = len(parent) - 1  # which is the new one
        if name not in order:
            return last
        mine = order[name]
        for child in parent.iterchildren(reversed=True):
            there = local_name(child)
            if child is not parent[-1] and there and order.get(there, -1) <= mine:
                return last + 1
            last -= 1
        return 0

    def _remove(self, element: etree._Element, top: etree._Element) -> None:
        """Take an element out, and those above it that held nothing else."""
        while element is not top:
            parent = element.getparent()
            if parent is None:
                return
            _take_out(element)
            holds_more = len(parent) > 0 and not self.grammar.blank(parent)
            if parent is top or holds_more or (parent.text or "").strip():
                self.poorer.append(parent)
                return
            element = parent

    def _fill(self, element: etree._Element) -> None:
        if not _is_in(element, self.root):
            return
        needs = self.grammar.needed(local_name(element))
        names = {local_name(child) for child in element} if needs else set()
        for choices in needs:
            if not names.isdisjoint(choices):
                continue
            child = self._make(element, self._like(element, choices[0]))
            if not self.grammar.fill(child):
                self.made.remove(child)
                _take_out(child)
            else:
                names.add(choices[0])

    def _like(self, parent: etree._Element, name: str) -> str:
        """Return the tag of a child in its parent's namespace."""
        space = str(parent.tag).rpartition("}")[0]
        return f"{space}}}{name}" if space else name


def _is_in(element: etree._Element, above: etree._Element) -> bool:
    """Tell whether an element is another or still stands in it."""
    return element is above or any(ancestor is above for ancestor in element.iterancestors())


def _below(parent: etree._Element, element: etree._Element | None) -> etree._Element | None:
    """Return the child of `parent` that an element is or stands in."""
    while element is not None and element.getparent() is not parent:
        element = element.getparent()
    return element


def _take_out(element: etree._Element) -> None:
    """Remove an element; the text behind it stays, white space does not pile up."""
    parent, before = element.getparent(), element.getprevious()
    assert parent is not None
    tail = element.tail or ""
    if tail.strip() or parent[-1] is element:
        if before is not None:
            before.tail = tail if not (before.tail or "").strip() else (before.tail or "") + tail
        elif tail.strip():
            parent.text = (parent.text or "") + tail
    element.tail = None
    parent.remove(element)


def _indent(element: etree._Element) -> None:
    """Indent a new element as its neighbours are, if they are."""
    parent = element.getparent()
    assert parent is not None
    before = element.getprevious()
    if before is None and not (parent.text or "").strip():
        neighbour = parent.text if parent.text and "\n" in parent.text else None
        if neighbour is None:
            above = _leading(parent)
            if above is None:
                return
            neighbour = above + "  "
            parent.text = neighbour
    else:
        neighbour = (_leading(before) or _leading(element)) if before is not None else None
    if neighbour is None or "\n" not in neighbour:
        return
    lead = neighbour[neighbour.rindex("\n") :]
    if before is not None and not (before.tail or "").strip():
        before.tail = lead
    deep = len(lead) - 1
    step = "  "
    _indent_below(element, lead, step)
    if not (element.tail or "").strip():
        last = element.getnext() is None
        element.tail = lead[: max(1, deep - len(step) + 1)] if last else lead


def _indent_below(element: etree._Element, lead: str, step: str) -> None:
    if len(element) == 0:
        return
    inner = lead + step
    if not (element.text or "").strip():
        element.text = inner
    for child in element:
        _indent_below(child, inner, step)
        if not (child.tail or "").strip():
            child.tail = inner
    if not (element[-1].tail or "").strip():
        element[-1].tail = lead


def _leading(element: etree._Element | None) -> str | None:
    """Return the white space before an element, where it begins a line."""
    if element is None:
        return None
    before, parent = element.getprevious(), element.getparent()
    text = before.tail if before is not None else parent.text if parent is not None else None
    return text if text and "\n" in text and not text.strip() else None
