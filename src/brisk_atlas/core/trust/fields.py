"""Values that can't be trusted: fields without any, or with one alone, stand-ins for nothing, keys that are there
twice, spellings and units that differ, numbers unlike all others and those around them."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from scipy.spatial import KDTree

from brisk_atlas.core.model import number_text
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.record.checks import Severity

from .trust_finding import MOST_PLACES, NO_PLACES, TrustFinding

TESTS = (
    "fields with values",
    "values that differ",
    "no stand-ins for missing",
    "keys once",
    "one spelling",
    "one unit",
    "numbers like the others",
    "numbers like those around",
)
STAND_INS = (-9999.0, -99999.0, -999.0, -99.0, -32768.0, 9999.0, 99999.0, -1e10, 1e20)
KEY_NAMES = re.compile(r"(^|_)(id|fid|key|code|no|nr|number|uuid)$", re.IGNORECASE)
KEY_SHARE = 0.9  # of values that are there once, above which a field named like a key is one
MOST_TEXTS = 5_000  # different ones, above which spellings are not compared
STRANGE = 12.0  # standard deviations, by the median of deviations, from the median
FEWEST, NEIGHBOURS = 30, 8
WITH_UNIT = re.compile(r"^\s*[-+]?[\d.,]+\s*([A-Za-z°%²³µ/]{1,6})\s*$")
MAD = 1.4826  # from the median of deviations to the standard deviation of a normal distribution
Check = Callable[[], None]


def field_findings(table: pa.Table, places: np.ndarray | None, check: Check) -> Iterator[TrustFinding]:
    """Yield what is strange in the columns of a table; `places` (n, 2) are where its rows lie, not finite for none,
    None without geometry."""
    for name in table.column_names:
        check()
        column = table.column(name)
        if pa.types.is_dictionary(column.type):
            column = column.cast(column.type.value_type)
        yield from _one(name, column, places)


def _one(name: str, column: pa.ChunkedArray, places: np.ndarray | None) -> Iterator[TrustFinding]:
    total, missing = len(column), column.null_count
    if not total:
        return
    if missing == total:
        yield TrustFinding(
            Severity.CAUTION,
            "fields with values",
            tr("{name} has no value in any row", name=name),
            "completenessOmission",
            total,
            total,
            "rows",
        )
        return
    arrow = column.type
    if pa.types.is_string(arrow) or pa.types.is_large_string(arrow):
        yield from _texts(name, column, places)
    elif pa.types.is_integer(arrow) or pa.types.is_floating(arrow) or pa.types.is_decimal(arrow):
        yield from _numbers(name, column, places)
    if not pa.types.is_nested(arrow) and total - missing > 1 and pc.count_distinct(column).as_py() == 1:
        only = column.drop_null()[0].as_py()
        shown = f"“{only[:60]}”" if isinstance(only, str) else number_text(only)
        text = tr("{name} is {shown} in every row that has a value", name=name, shown=shown)
        yield TrustFinding(
            Severity.NOTE, "values that differ", text, "domainConsistency", total - missing, total, "rows"
        )
    if KEY_NAMES.search(name) and not pa.types.is_nested(arrow):
        yield from _keys(name, column, places)


def _found(
    severity: Severity, test: str, text: str, quality: str, rows: np.ndarray, total: int, places: np.ndarray | None
) -> TrustFinding:
    where = NO_PLACES if places is None else places[rows[:MOST_PLACES]]
    where = where[np.isfinite(where).all(axis=1)]
    return TrustFinding(severity, test, text, quality, len(rows), total, "rows", rows.astype(np.int64), where)


def _keys(name: str, column: pa.ChunkedArray, places: np.ndarray | None) -> Iterator[TrustFinding]:
    """Yield values of what is a key but for a few that are there more than once."""
    values, counts = (pc.value_counts(column.drop_null()).field(n) for n in (0, 1))
    once = pc.sum(pc.equal(counts, 1)).as_py() or 0
    if once < KEY_SHARE * len(counts) or once == len(counts):
        return
    twice = values.filter(pc.greater(counts, 1))
    rows = np.flatnonzero(pc.is_in(column, value_set=twice).to_numpy(zero_copy_only=False))
    text = trn("{name} has {count:,} value more than once, such as {shown}",
               "{name} has {count:,} values more than once, such as {shown}", len(twice),
               name=name, shown=str(twice[0].as_py())[:40])  # fmt: skip
    yield _found(Severity.FAULT, "keys once", text, "conceptualConsistency", rows, len(column), places)


def _texts(name: str, column: pa.ChunkedArray, places: np.ndarray | None) -> Iterator[TrustFinding]:
    blank = pc.equal(pc.utf8_trim_whitespace(column), "")
    rows = np.flatnonzero(pc.fill_null(blank, False).to_numpy(zero_copy_only=False))
    if rows.size:
        text = trn("{name} is empty text, rather than missing, in {count:,} row",
                   "{name} is empty text, rather than missing, in {count:,} rows", len(rows), name=name)  # fmt: skip
        yield _found(Severity.NOTE, "no stand-ins for missing", text, "domainConsistency", rows, len(column), places)
    different = pc.unique(column.drop_null()).to_pylist()
    if len(different) > MOST_TEXTS:
        return
    yield from _units(name, column, different, places)
    alike: dict[str, list[str]] = {}
    for each in different:
        folded = " ".join(each.casefold().split())
        if folded:
            alike.setdefault(folded, []).append(each)
    several = [words for words in alike.values() if len(words) > 1]
    if several:
        wrong = [word for words in several for word in _all_but_the_usual(column, words)]
        rows = np.flatnonzero(pc.is_in(column, value_set=pa.array(wrong, column.type)).to_numpy(zero_copy_only=False))
        shown = ", ".join(f"“{word[:30]}”" for word in several[0][:3])
        text = trn("{name} has {count:,} value in several spellings, such as {shown}",
                   "{name} has {count:,} values in several spellings, such as {shown}", len(several),
                   name=name, shown=shown)  # fmt: skip
        yield _found(Severity.CAUTION, "one spelling", text, "domainConsistency", rows, len(column), places)


def _all_but_the_usual(column: pa.ChunkedArray, words: list[str]) -> list[str]:
    counts = {word: pc.sum(pc.equal(column, word)).as_py() for word in words}
    usual = max(words, key=lambda word: counts[word])
    return [word for word in words if word != usual]


def _units(
    name: str, column: pa.ChunkedArray, different: list[str], places: np.ndarray | None
) -> Iterator[TrustFinding]:
    """Yield numbers with units of several kinds, of a field that is such numbers."""
    units: dict[str, list[str]] = {}
    for text in different:
        match = WITH_UNIT.match(text)
        if match:
            units.setdefault(match[1], []).append(text)
    if len(units) < 2 or sum(map(len, units.values())) < 0.8 * len(different):
        return
    usual = max(units, key=lambda unit: len(units[unit]))
    others = [text for unit, texts in units.items() if unit != usual for text in texts]
    rows = np.flatnonzero(pc.is_in(column, value_set=pa.array(others, column.type)).to_numpy(zero_copy_only=False))
    text = tr(
        "{name} has numbers in {units}; most are in {usual}", name=name, units=", ".join(sorted(units)), usual=usual
    )
    yield _found(Severity.FAULT, "one unit", text, "domainConsistency", rows, len(column), places)


def _numbers(name: str, column: pa.ChunkedArray, places: np.ndarray | None) -> Iterator[TrustFinding]:
    values = pc.cast(column, pa.float64(), safe=False).to_numpy(zero_copy_only=False)
    known = np.isfinite(values)
    stand_in = known & np.isin(values, STAND_INS)
    others = values[known & ~stand_in]
    for value in np.unique(values[stand_in]):
        rows = np.flatnonzero(values == value)
        if len(others) and not others.min() <= value <= others.max():
            text = trn("{name} is {value:g} in {count:,} row, which stands for no value",
                       "{name} is {value:g} in {count:,} rows, which stands for no value", len(rows),
                       name=name, value=value)  # fmt: skip
            yield _found(
                Severity.FAULT, "no stand-ins for missing", text, "domainConsistency", rows, len(values), places
            )
    if len(others) < FEWEST or KEY_NAMES.search(name):
        return
    usable = known & ~stand_in
    yield from _unlike_all(name, values, usable, places)
    if places is not None:
        yield from _unlike_near(name, values, usable, places)


def _unlike_all(name: str, values: np.ndarray, usable: np.ndarray, places: np.ndarray | None) -> Iterator[TrustFinding]:
    """Yield numbers far from all others, on a scale of ratios where all are above 0 and run over decades."""
    measured = values[usable]
    skewed = measured.min() > 0 and measured.max() > 100 * np.median(measured)
    scale = np.log(np.where(usable & (values > 0), values, 1.0)) if skewed else values
    away = _deviations(scale[usable])
    rows = np.flatnonzero(usable)[away > STRANGE]
    if 0 < len(rows) <= 0.02 * len(measured) + 1:
        worst = float(values[rows[np.argmax(np.abs(values[rows] - np.median(measured)))]])
        text = trn(
            "{name} is far from all others in {count:,} row, such as {worst} where the median is {median}",
            "{name} is far from all others in {count:,} rows, such as {worst} where the median is {median}",
            len(rows), name=name, worst=number_text(worst), median=number_text(float(np.median(measured))),
        )  # fmt: skip
        yield _found(Severity.CAUTION, "numbers like the others", text, "domainConsistency", rows, len(values), places)


def _deviations(values: np.ndarray) -> np.ndarray:
    """Return how many standard deviations values are from their median, by the median of deviations; 0 where most are
    alike, so that a field of mostly one value has none that are strange."""
    away = np.abs(values - np.median(values))
    deviation = np.median(away) * MAD
    return away / deviation if deviation > 0 else np.zeros(len(values))


def _unlike_near(name: str, values: np.ndarray, usable: np.ndarray, places: np.ndarray) -> Iterator[TrustFinding]:
    """Yield numbers unlike those of the nearest rows, where near rows are alike."""
    placed = np.flatnonzero(usable & np.isfinite(places).all(axis=1))
    if len(placed) < FEWEST:
        return
    spots, measured = places[placed], values[placed]
    _, near = KDTree(spots).query(spots, NEIGHBOURS + 1)
    around = np.median(measured[near[:, 1:]], axis=1)
    differences = measured - around
    if np.median(np.abs(differences)) > 0.5 * np.median(np.abs(measured - np.median(measured))):
        return  # near rows are hardly more alike than any
    rows = placed[_deviations(differences) > STRANGE]
    if 0 < len(rows) <= 0.02 * len(placed) + 1:
        at = np.flatnonzero(np.isin(placed, rows))
        worst = at[np.argmax(np.abs(differences[at]))]
        text = trn(
            "{name} is unlike the rows around it in {count:,} row, such as {worst} among {around}",
            "{name} is unlike the rows around it in {count:,} rows, such as {worst} among {around}",
            len(rows), name=name, worst=number_text(float(measured[worst])), around=number_text(float(around[worst])),
        )  # fmt: skip
        yield _found(
            Severity.CAUTION, "numbers like those around", text, "domainConsistency", rows, len(values), places
        )
