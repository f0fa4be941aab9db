"""Which rows the settings of an address ask for: OGC API Features part 3 (19-079r2) with CQL2, as text and JSON."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from brisk_atlas.core.table.cql2_text import BadCql2, parse

from .answers import Refused
from .postings.outlet_filter import OutletFilter
from .postings.outlet_rows import OutletRows
from .postings.posting import FieldType

MOST_LETTERS = 4_000  # of a filter
LANGUAGES = ("cql2-text", "cql2-json")
OWN_SETTINGS = frozenset(
    {"f", "limit", "offset", "after", "bbox", "bbox-crs", "crs", "filter", "filter-lang", "filter-crs", "sortby"}
)


def filter_asked(shown: OutletRows, settings: Mapping[str, str], crs: str, *, flip: bool) -> OutletFilter | None:
    """Return the condition that the settings of a question make, None for none. Geometry in it is of a CRS, northings
    first where `flip`. Raises Refused."""
    parts = [_equals(name, settings[name], shown.fields[name].type) for name in shown.fields
             if name in settings and name not in OWN_SETTINGS]  # fmt: skip
    if stated := settings.get("filter", ""):
        parts.append(_condition(stated, settings.get("filter-lang", LANGUAGES[0])))
    if not parts:
        return None
    return OutletFilter({"op": "and", "args": parts} if len(parts) > 1 else parts[0], crs, flip)


def _condition(stated: str, language: str) -> Any:
    if len(stated) > MOST_LETTERS:
        raise Refused("InvalidParameterValue", f"the filter has more than {MOST_LETTERS:,} characters")
    if language not in LANGUAGES:
        raise Refused("InvalidParameterValue", f"filters are understood in {' and '.join(LANGUAGES)}")
    try:
        return parse(stated) if language == LANGUAGES[0] else json.loads(stated)
    except BadCql2 as error:
        raise Refused("InvalidParameterValue", f"the filter: {error}") from None
    except (ValueError, RecursionError):
        raise Refused("InvalidParameterValue", "the filter is no JSON") from None


def _equals(name: str, text: str, type_: FieldType) -> dict[str, Any]:
    """Return the condition that `name=text` makes."""
    value: bool | float | str = text
    try:
        match type_:
            case FieldType.INTEGER:
                value = int(text)
            case FieldType.NUMBER:
                value = float(text)
            case FieldType.BOOLEAN:
                value = {"true": True, "false": False}[text.lower()]
    except (ValueError, KeyError):
        raise Refused("InvalidParameterValue", f"{name} is of the type {type_}") from None
    return {"op": "=", "args": [{"property": name}, value]}


def order_asked(settings: Mapping[str, str]) -> tuple[str, ...]:
    """Return the fields to sort by, "-" before those that descend."""
    return tuple(each.removeprefix("+") for each in settings.get("sortby", "").split(",") if each)
