"""Which rows the settings of an address ask for: OGC API Features part 3 (19-079r2) with CQL2, as text and JSON."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from brisk_atlas.core.table.cql2_text import BadCql2, parse

from .answers import Refused
from .postings.outlet_filter import OutletFilter
from .postings.outlet_rows import OutletRows
from .postings.posting import FieldType

MOST_LETTERS = 4_000  # of a filter
LANGUAGES = ("cql2-text", "cql2-json")
OWN_SETTINGS = frozenset(
    {
        "f",
        "limit",
        "offset",
        "after",
        "bbox",
        "bbox-crs",
        "crs",
        "filter",
        "filter-lang",
        "filter-crs",
        "sortby",
        "datetime",
    }
)


def filter_asked(shown: OutletRows, settings: Mapping[str, str], crs: str, *, flip: bool) -> OutletFilter | None:
    """Return the condition that the settings of a question make, None for none. Geometry in it is of a CRS, northings
    first where `flip`. Raises Refused."""
    parts = [_equals(name, settings[name], shown.fields[name].type) for name in shown.fields
             if name in settings and name not in OWN_SETTINGS]  # fmt: skip
    if stated := settings.get("filter", ""):
        parts.append(_condition(stated, settings.get("filter-lang", LANGUAGES[0])))
    if "datetime" in settings:
        parts += _in_time(shown, settings["datetime"])
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


def instant_of(shown: OutletRows) -> str:
    """Return the field that says when a row is of, the first day or time that is shown; "" for none."""
    return next((name for name, each in shown.fields.items() if each.type in (FieldType.DATE, FieldType.TIME)), "")


def _in_time(shown: OutletRows, stated: str) -> list[dict[str, Any]]:
    """Return the conditions that a time or an interval makes, as RFC 3339 and the standard write it: rows of that time,
    and those of none. Raises Refused."""
    ends = [end if end not in ("", "..") else ".." for end in stated.split("/")]
    try:
        known = [datetime.fromisoformat(end) for end in ends if end != ".."]
        comparable = [each.replace(tzinfo=each.tzinfo or UTC) for each in known]
    except ValueError:
        comparable = []
    is_right = len(ends) in (1, 2) and len(comparable) >= 1 and comparable == sorted(comparable)
    if not is_right:
        raise Refused("InvalidParameterValue", "datetime is a time such as 2031-06-24T12:00:00Z, or two with / between")
    field = instant_of(shown)
    if not field:
        return []
    here = {"property": field}
    when = {"interval": ends if len(ends) == 2 else ends * 2}
    return [{"op": "or", "args": [{"op": "isNull", "args": [here]}, {"op": "t_intersects", "args": [here, when]}]}]


def order_asked(settings: Mapping[str, str]) -> tuple[str, ...]:
    """Return the fields to sort by, "-" before those that descend."""
    return tuple(each.removeprefix("+") for each in settings.get("sortby", "").split(",") if each)
