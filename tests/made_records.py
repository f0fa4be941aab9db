"""Records made at random for property tests, and a shelf of records made for counting."""

from __future__ import annotations

from dataclasses import MISSING, fields, is_dataclass, replace
from typing import Any

from hypothesis import strategies as st

from brisk_atlas.core.record.model import Record
from brisk_atlas.core.record.values import code_lists

LETTERS = "abcdefgh ÄößñéЖ中<>&\"'0123456789.,;:-_()/"
FILLERS = {"Unknown", "None"}  # what FGDC writes where nothing is known


def _tidy(text: str) -> str:
    return " ".join(text.split())


texts = st.text(LETTERS, min_size=1, max_size=24).map(_tidy).filter(lambda t: t and t not in FILLERS)
days = st.dates().map(lambda d: d.isoformat()) | st.sampled_from(["2031", "2031-06", "2029-11"])
numbers = st.floats(-1e6, 1e6, allow_nan=False).map(lambda v: round(v, 6) + 0.0)
links = st.sampled_from(["https://data.survey.tolvane.example/lava", "ftp://files.tolvane.example/a_b.tif"])
units = st.sampled_from(["m", "deg", "um", "ft"])
wholes = st.integers(0, 10**7)


def values(field: Any) -> st.SearchStrategy[Any]:
    """Return values for a field of the model, without nothing."""
    about = field.metadata
    item = about.get("item")
    if item is not None:
        inner = things(item) if is_dataclass(item) else plain(about)
        return st.lists(inner, min_size=1, max_size=3).map(tuple)
    return units if field.name == "unit" else plain(about)


def plain(about: Any) -> st.SearchStrategy[Any]:
    kind = about["kind"]
    if kind == "code":
        return st.sampled_from(sorted(code_lists()[about["codes"]]))
    return {"date": days, "integer": wholes, "number": numbers, "link": links}.get(kind, texts)


def things(shape: type) -> st.SearchStrategy[Any]:
    """Return items of a class of the model that say at least one thing."""
    optional = {f.name: values(f) for f in fields(shape) if f.default is not MISSING}
    made = st.fixed_dictionaries({}, optional=optional).map(lambda said: shape(**said))
    return made.filter(lambda thing: thing != shape())


records = st.lists(st.sampled_from([f.name for f in fields(Record)]), unique=True, min_size=1, max_size=9).flatmap(
    lambda names: st.fixed_dictionaries({f.name: values(f) for f in fields(Record) if f.name in names}).map(
        lambda said: _with_ids_of_their_own(Record(**said))
    )
)


def _with_ids_of_their_own(record: Record) -> Record:
    """Return a record whose locales have different ids, as XML demands."""
    return replace(record, locales=tuple(replace(locale, id=f"l{i}") for i, locale in enumerate(record.locales)))
