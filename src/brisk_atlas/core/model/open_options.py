"""What the analyst states about a file that the file does not state itself."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any


@dataclass(frozen=True)
class Columns:
    """Which columns of a table place its rows: `x` and `y` (longitude and latitude in a geographic
    CRS), or well-known text, or MGRS references. `z` makes a text file of points a cloud."""

    x: str = ""
    y: str = ""
    z: str = ""
    wkt: str = ""
    mgrs: str = ""

    def __bool__(self) -> bool:
        return bool((self.x and self.y) or self.wkt or self.mgrs)


@dataclass(frozen=True)
class TextForm:
    """How a text table is written. `delimiter` is one character, a space for runs of blanks."""

    delimiter: str = ","
    encoding: str = "utf-8"
    header: bool = True
    decimal: str = "."


@dataclass(frozen=True)
class OpenOptions:
    """How to take a file. What is None is as the file says, or as it is guessed.

    `crs` is for parts that state none; `parts` are the names of those to open. `columns` without a
    name says that a table is to stay a table. `encoding` is that of the text of a dBase table. `shift` moves grids to
    the east and the north, in units of their CRS; their file stays as it is.
    """

    crs: str | None = None
    form: TextForm | None = None
    columns: Columns | None = None
    parts: tuple[str, ...] | None = None
    encoding: str | None = None
    shift: tuple[float, float] | None = None


NO_OPTIONS = OpenOptions()


def options_from(values: dict[str, Any]) -> OpenOptions:
    """Return a reading from its saved form. Raises TypeError where that holds something else."""
    return OpenOptions(
        crs=values.get("crs"),
        form=TextForm(**values["form"]) if values.get("form") else None,
        columns=Columns(**values["columns"]) if values.get("columns") is not None else None,
        parts=tuple(map(str, values["parts"])) if values.get("parts") is not None else None,
        encoding=str(values["encoding"]) if values.get("encoding") else None,
        shift=_pair(values["shift"]) if values.get("shift") is not None else None,
    )


def _pair(values: Any) -> tuple[float, float]:
    east, north = map(float, values)
    return east, north


def saved_form(reading: OpenOptions) -> dict[str, Any]:
    """Return options as a project stores them; `options_from` reads them."""
    return {key: value for key, value in asdict(reading).items() if value is not None}
