"""Which rows a page of an outlet is to list, as its address states it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlencode

from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr, untranslated

from .answers import Refused, number_in
from .postings.outlet_filter import OutletFilter
from .postings.outlet_rows import OutletRows
from .postings.posting import FieldType

COMPARISONS = {
    "=": untranslated("is"), "<>": untranslated("is not"), "<": untranslated("is less than"),
    ">": untranslated("is more than"), "~": untranslated("contains"), "null": untranslated("is missing"),
    "known": untranslated("is not missing"),
}  # fmt: skip
WILD, BACKSLASHED = re.compile(r"[%_\\]"), r"\\\g<0>"  # what a pattern takes for others
WHOLE = re.compile(r"[+-]?\d{1,18}")


@dataclass(frozen=True)
class RowsWish:
    """Which rows a page is to list, as its address states it."""

    field: str = ""
    comparison: str = "="
    value: str = ""
    sort: str = ""
    skip: int = 0

    @classmethod
    def of(cls, settings: Mapping[str, str], shown: OutletRows) -> RowsWish:
        """Return what an address asks for. What is not there is not asked for."""
        field, sort = settings.get("field", ""), settings.get("sort", "")
        return cls(
            field if field in shown.fields else "",
            settings["is"] if settings.get("is") in COMPARISONS else "=",
            settings.get("value", "")[:200],
            sort if sort.removeprefix("-") in shown.fields else "",
            number_in(dict(settings), "from", 0, 100_000, 0),
        )

    def filter(self, shown: OutletRows) -> OutletFilter | None:
        """Return the condition, None for all rows. Raises Refused."""
        if self.field not in shown.fields or (not self.value and self.comparison not in ("null", "known")):
            return None
        here, type_ = {"property": self.field}, shown.fields[self.field].type
        match self.comparison:
            case "null" | "known":
                missing = {"op": "isNull", "args": [here]}
                return OutletFilter(missing if self.comparison == "null" else {"op": "not", "args": [missing]})
            case "~" if type_ is FieldType.TEXT:
                pattern = f"%{WILD.sub(BACKSLASHED, self.value)}%"
                return OutletFilter({"op": "like", "args": [_without_case(here), _without_case(pattern)]})
        comparison = "=" if self.comparison == "~" else self.comparison
        return OutletFilter({"op": comparison, "args": [here, self._value(type_)]})

    def _value(self, type_: FieldType) -> bool | int | float | str:
        plain = typed_number(self.value)
        try:
            match type_:
                case FieldType.BOOLEAN:
                    return self.value.lower() in ("yes", "true", "1")
                case FieldType.INTEGER | FieldType.NUMBER:
                    return int(plain) if WHOLE.fullmatch(plain) else float(plain)
        except ValueError:
            raise Refused(
                "InvalidParameterValue",
                tr("{field} has numbers; “{value}” is none", field=self.field, value=self.value),
            ) from None
        return self.value

    def address(self, **changed: str | int) -> str:
        """Return the address of the page with something changed, by the names that settings have."""
        stated: dict[str, str | int] = {
            "field": self.field, "is": self.comparison, "value": self.value, "sort": self.sort, "from": self.skip,
        }  # fmt: skip
        stated.update(changed)
        plain = {"is": "="}
        return "?" + urlencode({name: each for name, each in stated.items() if each and plain.get(name) != each})


def _without_case(value: dict[str, str] | str) -> dict[str, Any]:
    return {"op": "casei", "args": [value]}
