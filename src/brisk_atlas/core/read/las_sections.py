"""The sections of LAS 3.0: logs, cores, inclinometry, tests and whatever else has columns.

Layout: Canadian Well Logging Society, LAS 3.0 log ASCII standard document #1 (2000).
"""

from __future__ import annotations

import csv
import re
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

HEAD_BYTES = 4000
DELIMITERS = {"COMMA": ",", "TAB": "\t", "SPACE": " "}
LINE = re.compile(r"\s*(?P<name>[^.\s][^.]*?)\s*\.(?P<unit>[^\s:]*)(?P<value>.*)$")


@dataclass(frozen=True)
class LasLine:
    """A line of a header: a mnemonic, its unit, its value and what is stated about it, and its form such as `F10.4`."""

    name: str
    unit: str
    value: str
    about: str
    form: str = ""


@dataclass(frozen=True, eq=False)
class LasSection:
    """A section with columns, `log` for the main one."""

    name: str
    columns: tuple[LasLine, ...]
    table: pa.Table


@dataclass(frozen=True, eq=False)
class LasSections:
    """A file in its sections; `notes` are what it states of the well."""

    well: str
    sections: tuple[LasSection, ...]
    notes: dict[str, str] = field(default_factory=dict)
    remarks: tuple[str, ...] = ()


def is_version_three(path: Path) -> bool:
    """Return whether a file states that it is LAS 3.0. Raises OSError."""
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES).decode("latin-1")
    return re.search(r"^\s*VERS\s*\.\s*3", head, re.MULTILINE) is not None


def read_sections(ref: DataRef) -> LasSections:
    """Return the sections of a LAS 3.0 file. Raises CannotRead where none has columns."""
    raw = ref.path.read_bytes()
    try:
        text = raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = raw.decode("latin-1")
    blocks = _blocks(text)
    version = {line.name.upper(): line.value for line in _lines(_beginning(blocks, "~V"))}
    delimiter = DELIMITERS.get(version.get("DLM", "SPACE").upper(), " ")
    well = _lines(_beginning(blocks, "~W"))
    stated = {line.name.upper(): line.value for line in well}
    null = _float(stated.get("NULL", "-999.25"))
    sections, remarks = [], []
    for title, body in blocks.items():
        name = _data_name(title)
        if name is None:
            continue
        columns = _lines(blocks.get(_definition_of(title, blocks), []))
        if not columns:
            remarks.append(tr("{lstrip} has no definition of its columns, and is left out", lstrip=title.lstrip("~")))
            continue
        table, odd = _table(columns, body, delimiter, null)
        if odd:
            remarks.append(
                tr(
                    "{odd:,} lines of {lstrip} have another number of columns, and are left out",
                    odd=odd,
                    lstrip=title.lstrip("~"),
                )
            )
        sections.append(LasSection(name, columns, table))
    if not sections:
        raise CannotRead(ref, tr("it has no section with columns of data"), tr("The copy may have been cut short."))
    sections.sort(key=lambda each: each.name != "log")
    notes = {line.about or line.name: f"{line.value} {line.unit}".strip() for line in well if line.value}
    return LasSections(stated.get("WELL", ""), tuple(sections), notes, tuple(remarks))


def _blocks(text: str) -> dict[str, list[str]]:
    """Return the lines of each section by its title, without remarks."""
    found: dict[str, list[str]] = {}
    lines: list[str] = []
    for line in text.splitlines():
        if line.startswith("~"):
            title = line.split("|")[0].strip().upper() if "|" in line else line.strip().upper()
            lines = found.setdefault(title + ("|" + line.split("|", 1)[1].strip().upper() if "|" in line else ""), [])
        elif line.strip() and not line.lstrip().startswith("#"):
            lines.append(line)
    return found


def _beginning(blocks: dict[str, list[str]], title: str) -> list[str]:
    """Return the lines of the first section whose title begins so."""
    return next((body for each, body in blocks.items() if each.startswith(title)), [])


def _data_name(title: str) -> str | None:
    """Return the plain name of a section of data, None for one that is none."""
    head = title.split("|")[0].strip().lstrip("~")
    if head in ("A", "ASCII") or head.startswith("ASCII"):
        return "log"
    base = re.sub(r"\[\d+\]", "", head)
    if not base.endswith("_DATA") and "|" not in title:
        return None
    number = re.search(r"\[(\d+)\]", head)
    name = base.removesuffix("_DATA").lower()
    return name if number is None or number[1] == "1" else f"{name} {number[1]}"


def _definition_of(title: str, blocks: dict[str, list[str]]) -> str:
    """Return the title of the section that defines the columns of one of data."""
    if "|" in title:
        wanted = "~" + title.split("|", 1)[1].strip()
        return wanted if wanted in blocks else next((each for each in blocks if each.startswith(wanted)), "")
    head = title.lstrip("~")
    for each in (f"~{head.replace('_DATA', '_DEFINITION')}", "~CURVE", "~C"):
        if each in blocks:
            return each
    return next((each for each in blocks if each.startswith(("~CURVE", "~LOG_DEFINITION"))), "")


def _lines(body: list[str]) -> tuple[LasLine, ...]:
    found = []
    for text in body:
        match = LINE.match(text)
        if match is None:
            continue
        value, _, about = match["value"].rpartition(":") if ":" in match["value"] else (match["value"], "", "")
        form = re.search(r"\{([^}]*)\}", about)
        about = re.sub(r"\{[^}]*\}", "", about).split("|")[0].strip()
        found.append(LasLine(match["name"], match["unit"], value.strip(), about, form[1] if form else ""))
    return tuple(found)


def _table(columns: tuple[LasLine, ...], body: list[str], delimiter: str, null: float) -> tuple[pa.Table, int]:
    """Return the rows of a section, and how many lines had another number of columns."""
    rows = list(csv.reader(body, delimiter=delimiter, skipinitialspace=True))
    if delimiter == " ":
        rows = [[each for each in row if each != ""] for row in rows]
    whole = [row for row in rows if len(row) == len(columns)]
    names: list[str] = []
    for line in columns:
        again = sum(name.split(":")[0] == line.name for name in names)
        names.append(line.name if not again else f"{line.name}:{again + 1}")
    data = {}
    for number, (name, line) in enumerate(zip(names, columns)):
        texts = [row[number].strip() for row in whole]
        data[name] = _values(texts, line.form, null)
    return pa.table(data), len(rows) - len(whole)


def _values(texts: list[str], form: str, null: float) -> pa.Array:
    """Return numbers where all texts are some, null where they are the null value or empty; else texts."""
    if not form.upper().startswith(("S", "AS")):
        numbers = np.array([_float(text) if text else np.nan for text in texts], float)
        missing = np.array([not text for text in texts], bool)
        if not (np.isnan(numbers) & ~missing).any():
            return pa.array(numbers, mask=missing | (numbers == null))
    return pa.array([text if text and _float(text) != null else None for text in texts], pa.string())


def _float(text: str) -> float:
    try:
        return float(text)
    except ValueError:
        return float("nan")
