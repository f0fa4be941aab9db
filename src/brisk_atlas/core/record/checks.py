"""Checking a record: by the rules of a standard, which are data, by its values, and by its schema."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from enum import StrEnum
from functools import cache
from pathlib import Path
from typing import Any

from .document import Document
from .elements import Place, elements, parts_of, values_of
from .model import Record
from .standards import Standard
from .values import wrong_with


class Severity(StrEnum):
    """How much a finding matters, the worst first."""

    FAULT = "fault"
    CAUTION = "caution"
    NOTE = "note"


FAULT, CAUTION, NOTE = Severity
SEVERITIES = tuple(Severity)
RULES = Path(__file__).parent / "rules"


@dataclass(frozen=True)
class Finding:
    """What is wrong at a place: a fault breaks the standard, a caution may, a note is optional.

    `source` is "data" where the data says otherwise, "schema" or "unread"; `line` is a line of the text, from 1.
    """

    severity: Severity
    place: Place
    reason: str
    source: str = ""
    line: int = 0


@dataclass(frozen=True)
class Rule:
    """One rule of a file of rules; see the head of rules/iso.toml for what its words mean."""

    severity: Severity
    why: str
    elements: tuple[str, ...]
    each: str = ""
    when: tuple[tuple[str, tuple[str, ...]], ...] = ()
    unless: tuple[tuple[str, tuple[str, ...]], ...] = ()
    text: str = ""
    values: tuple[str, ...] = ()
    most: int | None = None
    where: tuple[tuple[str, str], ...] = ()

    @property
    def is_need(self) -> bool:
        """Whether the rule asks for an element to be there."""
        return not self.text and not self.values and self.most is None


@cache
def rules_named(name: str) -> tuple[Rule, ...]:
    """Return the rules of a file. Raises ValueError where a rule names an element that does not exist."""
    content = tomllib.loads((RULES / f"{name}.toml").read_text("utf-8"))
    found = [_rule(one) for one in content["rule"]]
    stronger = [set(rule.elements) for rule in found if not rule.each and rule.is_need]
    also = rules_named(content["also"]) if "also" in content else ()
    weaker = (rule for rule in also if rule.each or not any(s <= set(rule.elements) for s in stronger))
    return (*weaker, *found)


def _rule(stored: dict[str, Any]) -> Rule:
    has, among, most = stored.get("has"), stored.get("is"), stored.get("most")
    named = has or among or most
    wanted = (named["element"],) if named else tuple(stored.get("one_of") or (stored["needs"],))
    conditions = {
        key: tuple((element, tuple(values)) for element, values in stored.get(key, {}).items())
        for key in ("when", "unless")
    }
    known = elements()
    for element in (*wanted, *(e for pairs in conditions.values() for e, _ in pairs)):
        if element not in known:
            raise ValueError(f"a rule names '{element}', which is no element")
    if stored["severity"] not in SEVERITIES:
        raise ValueError(f"a rule has the severity '{stored['severity']}'")
    return Rule(
        stored["severity"],
        stored["why"],
        wanted,
        stored.get("each", ""),
        conditions["when"],
        conditions["unless"],
        has["text"] if has else "",
        tuple(among["values"]) if among else (),
        most["count"] if most else None,
        tuple(most["where"].items()) if most else (),
    )


def check(record: Record, standard: Standard) -> list[Finding]:
    """Return what is wrong with a record under a standard, faults first."""
    found = [f for rule in rules_named(standard.rules) for f in _by_rule(record, rule)]
    found += _by_values(record)
    found += _by_order(record)
    return worst_first(found)


def worst_first(findings: list[Finding]) -> list[Finding]:
    """Return findings sorted by severity, those that are alike in their order."""
    return sorted(findings, key=lambda f: SEVERITIES.index(f.severity))


def leftovers(document: Document) -> list[Finding]:
    """Return what a document says that has no place in the model, as notes: it stays in the file."""
    return [
        Finding(NOTE, (), f"Line {u.line}, {u.path}: '{u.text[:60]}' is left as it is: {u.reason}.", "unread", u.line)
        for u in document.unplaced
    ]


def _by_rule(record: Record, rule: Rule) -> Iterator[Finding]:
    if not rule.each:
        if _applies(record, rule, record, ""):
            yield from _judge(record, rule, (), "")
        return
    for place, item in _items(record, rule.each):
        if _applies(record, rule, item, rule.each):
            yield from _judge(item, rule, place, rule.each)


def _items(record: Any, path: str) -> Iterator[tuple[Place, Any]]:
    """Yield the items of a list, of lists in lists too."""
    found: list[tuple[Place, Any]] = [((), record)]
    for step in path.split("."):
        found = [((*place, step, i), item) for place, thing in found for i, item in enumerate(getattr(thing, step))]
    yield from found


def _applies(record: Record, rule: Rule, item: Any, each: str) -> bool:
    for conditions, wanted in ((rule.when, True), (rule.unless, False)):
        for element, values in conditions:
            inside = each and element.startswith(each + ".")
            stated = values_of(item, element[len(each) + 1 :]) if inside else values_of(record, element)
            holds = any(value in values for value in stated) if stated else "" in values
            if holds is not wanted:
                return False
    return True


def _judge(item: Any, rule: Rule, place: Place, each: str) -> Iterator[Finding]:
    cut = len(each) + 1 if each else 0
    names = [element[cut:] for element in rule.elements]
    at: Place = (*place, *names[0].split("."))
    if rule.most is not None:
        items = values_of(item, names[0])
        like = [i for i in items if all(getattr(i, e.rpartition(".")[2]) == v for e, v in rule.where)]
        if len(like) > rule.most:
            yield Finding(rule.severity, at, rule.why)
        return
    lines = [value for name in names for value in values_of(item, name)]
    if rule.values:
        ok = all(value in rule.values for value in lines) if lines else True
    elif rule.text:
        ok = any(rule.text.casefold() in str(value).casefold() for value in lines)
        at = (*place, names[0].partition(".")[0])
    else:
        ok = bool(lines)
        at = (*place, names[0].partition(".")[0]) if not each and "." in names[0] else at
    if not ok:
        yield Finding(rule.severity, at, rule.why)


def _by_values(thing: object, place: Place = (), before: str = "") -> Iterator[Finding]:
    """Yield what is wrong with values by their kind: dates that are none, codes that are in no list."""
    for name, element in parts_of(type(thing), before).items():  # type: ignore[arg-type]
        value = getattr(thing, name)
        if not value and value != 0:
            continue
        if element.item:
            for number, item in enumerate(value):
                yield from _by_values(item, (*place, name, number), f"{element.id}.")
        elif element.kind in _CHECKED or element.id in _CHECKED:
            for i, one in enumerate(value) if element.several else ((None, value),):
                wrong = wrong_with(element, one)
                if wrong:
                    at = (*place, name) if i is None else (*place, name, i)
                    yield Finding(CAUTION, at, f"{element.label[:1].upper()}{element.label[1:]}: {wrong}.")


_CHECKED = frozenset(
    ("date", "code", "email", "link", "boxes.west", "boxes.east", "boxes.south", "boxes.north", "scales")
)


def _by_order(record: Record) -> Iterator[Finding]:
    for i, period in enumerate(record.times):
        if period.begin[:1].isdigit() and period.end[:1].isdigit() and period.end < period.begin[: len(period.end)]:
            yield Finding(FAULT, ("times", i), "The time of content ends before it begins.")
    for i, box in enumerate(record.boxes):
        if None in (box.west, box.south, box.east, box.north):
            yield Finding(FAULT, ("boxes", i), "The extent lacks a side.")
        elif box.south > box.north:  # type: ignore[operator]
            yield Finding(FAULT, ("boxes", i), "The extent's south lies north of its north.")
        elif box.west > box.east:  # type: ignore[operator]
            yield Finding(NOTE, ("boxes", i), "The extent's west is larger than its east: it crosses the antimeridian.")
    for i, heights in enumerate(record.heights):
        if heights.low is not None and heights.high is not None and heights.low > heights.high:
            yield Finding(FAULT, ("heights", i), "The lowest height is above the highest.")


def check_schema(data: bytes, standard: Standard, line_to_place: Callable[[int], Place | None]) -> list[Finding]:
    """Return what the standard's schema says of a document, where its schema ships with the product."""
    from lxml import etree

    from .schemas import fgdc_schema, iso19139_schema

    loaders = {"iso19139": iso19139_schema, "fgdc": fgdc_schema}
    if standard.module not in loaders:
        return []
    schema = loaders[standard.module]()
    root = etree.fromstring(data, etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False))
    if schema.validate(root):
        return []
    return [
        Finding(FAULT, line_to_place(e.line) or (), f"Line {e.line}: {_plain(e.message)}", "schema", e.line)
        for e in list(schema.error_log)[:200]
    ]


def _plain(message: str) -> str:
    """Return a message of the schema without the addresses of namespaces."""
    import re

    return re.sub(r"\{[^}]*\}", "", " ".join(message.split()))


def has_schema(standard: Standard) -> bool:
    """Return whether the schema of a standard is shipped."""
    return standard.module in ("iso19139", "fgdc")


@cache
def obligation(standard: Standard, element: str) -> str:
    """Return whether an element is mandatory, conditional or optional under a standard."""
    found = "optional"
    for rule in rules_named(standard.rules):
        named = element in rule.elements or any(e.partition(".")[0] == element and rule.text for e in rule.elements)
        if not named or rule.severity == NOTE or rule.most is not None or rule.values:
            continue
        if rule.when or rule.unless or len(rule.elements) > 1 or rule.severity == CAUTION:
            found = "conditional"
        else:
            return "mandatory"
    return found


@dataclass(frozen=True)
class Completeness:
    """How much of what a standard demands a record states: `stated` of `asked`, in all and by section."""

    stated: int
    asked: int
    sections: tuple[tuple[str, int, int], ...]

    @property
    def share(self) -> float:
        """The share from 0 to 1 of what is asked for that is stated."""
        return self.stated / self.asked if self.asked else 1.0


def completeness(record: Record, standard: Standard) -> Completeness:
    """Return how complete a record is under a standard: rules that demand something, faults and cautions alike."""
    counts: dict[str, list[int]] = {}
    for rule in rules_named(standard.rules):
        if rule.severity == NOTE or rule.most is not None or rule.values:
            continue
        section = section_of(rule.elements[0])
        applicable = [(record, ())] if not rule.each else [(item, place) for place, item in _items(record, rule.each)]
        for item, _ in applicable:
            if _applies(record, rule, item, rule.each):
                count = counts.setdefault(section, [0, 0])
                count[1] += 1
                count[0] += not any(True for _ in _judge(item, rule, (), rule.each))
    sections = tuple((name, stated, asked) for name, (stated, asked) in counts.items())
    return Completeness(sum(s for _, s, _ in sections), sum(a for *_, a in sections), sections)


def section_of(element: str) -> str:
    """Return the section of the model that an element stands in."""
    return elements()[element.partition(".")[0]].section
