"""A posting: a layer that a Depot holds."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime
from enum import StrEnum
from typing import Any

ALBUM_ENDING = ".html"
Value = bool | int | float | str | None


class FieldType(StrEnum):
    """The types of fields; days and times are stored as text in ISO 8601, times in UTC."""

    BOOLEAN = "boolean"
    INTEGER = "integer"
    NUMBER = "number"
    TEXT = "text"
    DATE = "date"
    TIME = "time"


@dataclass(frozen=True)
class PostedField:
    """A field of a posting."""

    name: str
    type: FieldType
    unit: str = ""


@dataclass(frozen=True)
class Posting:
    """A layer of features, or a table where `geometry_type` is "". `number` names its tables in the store; `record` is
    its metadata record in ISO 19115-3, "" for none. A grid, a cloud, an album or another thing that has no rows is a
    `file` of the store, by its name there; what has a record and nothing else is a record."""

    id: str
    number: int
    title: str
    owner: str
    fields: tuple[PostedField, ...]
    crs: str | None = None
    geometry_type: str = ""
    summary: str = ""
    record: str = ""
    file: str = ""

    @property
    def is_record(self) -> bool:
        """Whether it is a metadata record alone, of data that are elsewhere."""
        return bool(self.record) and not self.file and not self.fields and not self.geometry_type

    @property
    def is_album(self) -> bool:
        """Whether it is the page of an album."""
        return self.file.endswith(ALBUM_ENDING)

    @property
    def has_data(self) -> bool:
        """Whether it is data, and no page or record of some."""
        return not self.is_album and not self.is_record

    @property
    def has_rows(self) -> bool:
        return not self.file and not self.is_record

    @property
    def has_shapes(self) -> bool:
        return bool(self.geometry_type)

    def field(self, name: str) -> PostedField:
        """Return a field by its name. Raises KeyError."""
        for each in self.fields:
            if each.name == name:
                return each
        raise KeyError(name)


def value_as(value: Any, type_: FieldType) -> Value:
    """Return a value as a field of a type stores it. Raises ValueError for one that does not fit."""
    if value is None:
        return None
    match type_:
        case FieldType.BOOLEAN if isinstance(value, bool):
            return value
        case FieldType.INTEGER if isinstance(value, int) and not isinstance(value, bool) and -(2**63) <= value < 2**63:
            return value
        case FieldType.NUMBER if isinstance(value, (int, float)) and not isinstance(value, bool):
            number = float(value)
            if number - number == 0.0:  # neither without end nor not a number
                return number
        case FieldType.TEXT if isinstance(value, str):
            value.encode()  # half of a pair of code units is no text
            return value
        case FieldType.DATE if isinstance(value, str):
            return date.fromisoformat(value).isoformat()
        case FieldType.TIME if isinstance(value, str):
            return time_text(datetime.fromisoformat(value))
    raise ValueError(f"{value!r} is no {type_}")


def time_text(when: datetime) -> str:
    """Return a time as it is stored: in UTC, so that texts lie in the order of times. One without a zone is of UTC."""
    known = when.replace(tzinfo=UTC) if when.tzinfo is None else when.astimezone(UTC)
    return known.isoformat(timespec="microseconds").replace("+00:00", "Z")
