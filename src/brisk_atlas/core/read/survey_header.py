"""The header of a boat survey in plain words, and as its records."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path

from brisk_atlas.core.model import CannotRead, DataRef
from brisk_atlas.core.model.language import tr

from .mgd77_layout import HEADER, HEADER_LINES, HeaderField
from .survey_folder import EXCHANGE, TABULAR, TABULAR_HEADER, survey_files

DATES = ("file created", "departure", "arrival")
MOST_BYTES = 1_000_000  # of a header of the tabular form


@dataclass(frozen=True)
class HeaderEntry:
    """One entry: what it is, what is stated in plain words, and where: the number of the card, 0 for none. A value is
    `coded` where it is the format's word for a code."""

    words: str
    value: str
    card: int
    coded: bool = False


@dataclass(frozen=True)
class SurveyHeader:
    """What a survey says of itself. `survey` is its identifier as in the rows, `path` its file, `records` its lines."""

    survey: str
    path: Path
    entries: tuple[HeaderEntry, ...]
    records: tuple[str, ...]

    def stated(self, words: str) -> str:
        """Return the value of an entry, "" where nothing is stated."""
        return next((entry.value for entry in self.entries if entry.words == words), "")


def headers_of(ref: DataRef) -> tuple[SurveyHeader, ...]:
    """Return the headers of a dataset of surveys, in the order of their files; none for other data."""
    if not ref.is_local:
        return ()
    path = ref.path
    try:
        files = survey_files(path) if path.is_dir() else [path] if path.suffix.lower() in EXCHANGE + TABULAR else []
        found = [header_of(each) for each in files]
    except OSError:
        return ()
    return tuple(each for each in found if each is not None)


def header_of(path: Path) -> SurveyHeader | None:
    """Return the header of a file of one survey, None where it has none. Raises OSError."""
    if path.suffix.lower() in TABULAR:
        return _tabular(path)
    with path.open("rb") as file:
        lines = [file.readline(400).rstrip(b"\r\n").decode("latin-1") for _ in range(HEADER_LINES)]
    if lines[0][9:14] != "MGD77":
        return None
    entries = [_entry(field, lines[field.card - 1][field.first - 1 : field.last]) for field in HEADER]
    return SurveyHeader(lines[0][1:9].strip() or path.stem, path, _with_notes(entries), tuple(lines))


def _with_notes(entries: list[HeaderEntry]) -> tuple[HeaderEntry, ...]:
    """Return the entries in which something is stated, lines that go on another one joined to it."""
    found: list[HeaderEntry] = []
    for entry in entries:
        if not entry.words and found and found[-1].words == "further notes":
            found[-1] = HeaderEntry(found[-1].words, f"{found[-1].value}\n{entry.value}".strip(), found[-1].card)
        elif entry.value or entry.words == "further notes":
            found.append(replace(entry, words=entry.words or "further notes"))
    return tuple(entry for entry in found if entry.value)


def _entry(field: HeaderField, stored: str) -> HeaderEntry:
    value = stored.strip()
    if value and field.values:
        named = field.values.get(value)
        value = named or tr("code {value}, which the format does not name", value=value)
        return HeaderEntry(field.words, value, field.card, named is not None)
    if value and field.words in DATES:
        value = _day(value)
    return HeaderEntry(field.words, value, field.card)


def _day(text: str) -> str:
    """Return yyyymmdd as a day, other text as it is."""
    try:
        return date.fromisoformat(text).isoformat() if len(text) == 8 else text
    except ValueError:
        return text


def _tabular(path: Path) -> SurveyHeader | None:
    """Return the header that lies beside a survey in the tabular form: names, then values, divided by tabs."""
    beside = next((p for p in path.parent.glob(f"{path.stem}.*") if p.suffix.lower() in TABULAR_HEADER), None)
    if beside is None:
        return None
    with beside.open("rb") as file:
        lines = file.read(MOST_BYTES).decode("latin-1").splitlines()
    if len(lines) < 2:
        return None
    stated = dict(zip(lines[0].split("\t"), lines[1].split("\t")))
    entries = [_entry(field, stated.pop(field.tabular)) for field in HEADER if field.tabular in stated]
    surveyed = stated.pop("PARAMS_CO", "").ljust(5)
    codes = [_entry(field, code) for field, code in zip(HEADER[3:8], surveyed)]
    others = [HeaderEntry(name, value.strip(), 0) for name, value in stated.items() if value.strip()]
    found = [*entries[:3], *codes, *entries[3:], *others]
    survey = next((entry.value for entry in entries if entry.words == "survey identifier"), path.stem)
    return SurveyHeader(survey, path, tuple(entry for entry in found if entry.value), tuple(lines))


def header_for(ref: DataRef, survey: str) -> SurveyHeader:
    """Return the header of one survey of a dataset. Raises CannotRead."""
    found = next((each for each in headers_of(ref) if each.survey == survey), None)
    if found is None:
        raise CannotRead(ref, tr("no header of {survey} is in it", survey=survey), tr("Surveys in MGD77 have one."))
    return found
