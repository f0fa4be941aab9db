"""Any XML as tables: one table an element name, nested values as columns, repeated ones as rows with keys."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from lxml import etree

from brisk_atlas.core.system.atomic_write import written_beside

from .binding import local_name
from .safe_xml import parse_xml
from .words import tidy

KEY, PARENT, ROW_OF = "row", "parent_row", "parent"
MOST_COLUMNS = 500


@dataclass(frozen=True)
class ElementKind:
    """An element name of a document: how often it stands there, and whether it has children."""

    name: str
    count: int
    has_children: bool
    example: str


@dataclass(frozen=True)
class Flat:
    """One table. The first columns are the row's number and, where it stands in another table's row, that one's."""

    name: str
    columns: tuple[str, ...]
    rows: tuple[tuple[str | int | None, ...], ...]
    cut: bool = False


def kinds_in(path: Path) -> list[ElementKind]:
    """Return the element names of a document, those with children first, the most frequent first. Raises CannotRead."""
    root = parse_xml(path).getroot()
    counts: Counter[str] = Counter()
    with_children: set[str] = set()
    examples: dict[str, str] = {}
    for element in root.iter(etree.Element):
        name = local_name(element)
        counts[name] += 1
        if len(element):
            with_children.add(name)
        elif name not in examples and (text := tidy(element.text)):
            examples[name] = text[:60]
    kinds = [ElementKind(name, count, name in with_children, examples.get(name, "")) for name, count in counts.items()]
    return sorted(kinds, key=lambda k: (not k.has_children, -k.count, k.name))


def flatten(
    path: Path, names: list[str], most: int | None = None, check: Callable[[], None] = lambda: None
) -> list[Flat]:
    """Return a table for each chosen element name, `most` rows of each where that is given. Raises CannotRead.

    Values and attributes below an element are columns by their path. A child that comes more than once in any
    row is a table of its own, named for both, whose rows carry the number of the row they stand in.
    """
    root = parse_xml(path).getroot()
    wanted = list(dict.fromkeys(names))
    tables: list[Flat] = []
    numbers: dict[etree._Element, tuple[str, int]] = {}
    found: dict[str, list[etree._Element]] = {name: [] for name in wanted}
    for element in root.iter(etree.Element):
        name = local_name(element)
        if name in found:
            found[name].append(element)
            numbers[element] = (name, len(found[name]))
    for name in wanted:
        check()
        tables += _tables(name, found[name], numbers, set(wanted), most)
    return tables


def _tables(
    name: str,
    elements: list[etree._Element],
    numbers: dict[etree._Element, tuple[str, int]],
    wanted: set[str],
    most: int | None,
) -> Iterator[Flat]:
    shown = elements if most is None else elements[:most]
    repeated = _repeated(shown, wanted)
    rows: list[dict[str, str | int | None]] = []
    columns: dict[str, None] = {KEY: None}
    further: dict[str, list[tuple[int, etree._Element]]] = {}
    parents = [_parent_row(element, numbers) for element in shown]
    if any(parents):
        columns |= {ROW_OF: None, PARENT: None}
    for element, parent in zip(shown, parents):
        number = numbers[element][1]
        row: dict[str, str | int | None] = {KEY: number}
        if parent:
            row |= {ROW_OF: parent[0], PARENT: parent[1]}
        _fill(element, "", row, repeated, wanted, number, further)
        rows.append(row)
        columns |= dict.fromkeys(row)
    names = tuple(columns)[:MOST_COLUMNS]
    cut = len(columns) > MOST_COLUMNS or len(shown) < len(elements)
    yield Flat(name, names, tuple(tuple(row.get(c) for c in names) for row in rows), cut)
    for path, items in further.items():
        yield _further(f"{name}.{path}", items)


def _repeated(elements: list[etree._Element], wanted: set[str]) -> set[str]:
    """Return the paths of children that come more than once in some row."""
    found: set[str] = set()

    def walk(element: etree._Element, before: str) -> None:
        counts = Counter(local_name(child) for child in element if isinstance(child.tag, str))
        for child_name, count in counts.items():
            if count > 1 and child_name not in wanted:
                found.add(before + child_name)
        for child in element:
            child_name = local_name(child)
            if child_name and child_name not in wanted and before + child_name not in found:
                walk(child, f"{before}{child_name}.")

    for element in elements:
        walk(element, "")
    return found


def _fill(
    element: etree._Element,
    before: str,
    row: dict[str, str | int | None],
    repeated: set[str],
    wanted: set[str],
    number: int,
    further: dict[str, list[tuple[int, etree._Element]]],
) -> None:
    for attribute, value in element.attrib.items():
        row[f"{before}@{str(attribute).rpartition('}')[2]}"] = str(value)
    text = tidy(element.text)
    if text:
        row[before.rstrip(".") or "text"] = text
    for child in element:
        name = local_name(child)
        if not name or name in wanted:
            continue  # it has a table of its own
        path = before + name
        if path in repeated:
            further.setdefault(path, []).append((number, child))
        else:
            _fill(child, f"{path}.", row, repeated, wanted, number, further)


def _further(name: str, items: list[tuple[int, etree._Element]]) -> Flat:
    """Return the table of a repeated child: all below it, several values of one column joined."""
    rows = []
    columns: dict[str, None] = {KEY: None, PARENT: None}
    for i, (number, element) in enumerate(items, 1):
        row: dict[str, str | int | None] = {KEY: i, PARENT: number}
        for inner in element.iter(etree.Element):
            steps = [local_name(e) for e in inner.iterancestors()]
            depth = len(steps) - len(list(element.iterancestors()))
            path = ".".join([*reversed(steps[: depth - 1]), local_name(inner)]) if depth > 0 else "text"
            for attribute, value in inner.attrib.items():
                _join(row, f"{path}@{str(attribute).rpartition('}')[2]}".removeprefix("text"), str(value))
            text = tidy(inner.text)
            if text:
                _join(row, path, text)
        rows.append(row)
        columns |= dict.fromkeys(row)
    names = tuple(columns)[:MOST_COLUMNS]
    return Flat(name, names, tuple(tuple(row.get(c) for c in names) for row in rows), len(columns) > MOST_COLUMNS)


def _join(row: dict[str, str | int | None], name: str, text: str) -> None:
    row[name] = f"{row[name]}; {text}" if name in row else text


def _parent_row(element: etree._Element, numbers: dict[etree._Element, tuple[str, int]]) -> tuple[str, int] | None:
    return next((numbers[above] for above in element.iterancestors() if above in numbers), None)


def write_csv(flat: Flat, path: Path) -> None:
    """Write a table as CSV. Raises CannotWrite."""
    import csv

    with written_beside(path) as beside, beside.open("w", encoding="utf-8", newline="") as file:
        out = csv.writer(file)
        out.writerow(flat.columns)
        out.writerows(flat.rows)


def write_all_csv(tables: list[Flat], folder: Path, stem: str) -> list[Path]:
    """Write tables into a folder, a file each; returns the files."""
    folder.mkdir(parents=True, exist_ok=True)
    written = []
    for flat in tables:
        path = folder / f"{stem}_{flat.name.replace('.', '_')}.csv"
        write_csv(flat, path)
        written.append(path)
    return written
