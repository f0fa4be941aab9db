"""How the rows of a layer are looked at, and what the analyst added to them. Saved with the project."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from .data_ref import DataRef


@dataclass(frozen=True)
class ColumnView:
    """How one field shows. `width` in pixels, 0 for by its kind; `pinned` stays in sight at the left.

    `form` is `auto`, `fixed` (with `digits`), `percent`, `scientific` for numbers; `iso`, `day` or
    `year` for dates. `alias` stands for the name where it is not empty.
    """

    name: str
    shown: bool = True
    pinned: bool = False
    width: int = 0
    form: str = "auto"
    digits: int = 2
    thousands: bool = True
    alias: str = ""
    unit: str = ""


@dataclass(frozen=True)
class ComputedField:
    """A field worked out from an SQL expression; `type` in the words of SQL, empty for as it comes."""

    name: str
    expression: str
    type: str = ""
    unit: str = ""


@dataclass(frozen=True)
class Join:
    """Fields of another table, the part that `ref` names, found by equal keys, as `name.field`. With `many` rows to a
    key, the other table is related instead: its rows are looked up for the picked row, none are added."""

    name: str
    ref: DataRef
    key: str
    other_key: str
    many: bool = False


@dataclass(frozen=True)
class FieldFilter:
    """Which values of one field let a row show.

    `kind`: `values` (one of `values`), `range` (from `low` to `high`, both included, None for open),
    `text` (holds `text`, whatever the case), `missing` or `known`.
    """

    field: str
    kind: str
    values: tuple[Any, ...] = ()
    low: Any = None
    high: Any = None
    text: str = ""


@dataclass(frozen=True, eq=False)
class Edit:
    """New values of one field, on the working copy. `rows` are places in the file; later edits win. `before` are the
    values that were seen there, empty where they were not noted."""

    field: str
    rows: tuple[int, ...]
    values: tuple[Any, ...]
    before: tuple[Any, ...] = ()


FileState = tuple[tuple[str, int, int], ...]  # name, size and time (ns) of each file of a dataset; of a table of a
# database "rows", how many, and a digest of their keys


@dataclass(frozen=True)
class TableView:
    """All of it. `columns` come in this order, the fields not named after them; `where` is SQL.

    `sort` holds (field, descending), the first one first. `on_map` lets the filters act on the map.
    `edited_from` is what the files were when the first edit was made. `dates` is the field whose times are gone through
    on the map, "" for none.
    """

    columns: tuple[ColumnView, ...] = ()
    sort: tuple[tuple[str, bool], ...] = ()
    where: str = ""
    filters: tuple[FieldFilter, ...] = ()
    on_map: bool = False
    summary: bool = False
    computed: tuple[ComputedField, ...] = ()
    joins: tuple[Join, ...] = ()
    edits: tuple[Edit, ...] = ()
    edited_from: FileState = ()
    dates: str = ""

    @property
    def modifications(self) -> tuple:
        """Return what makes the rows differ from those of the file."""
        return self.joins, self.computed, self.edits

    @property
    def filtered(self) -> bool:
        """Whether filters or a condition hide rows."""
        return bool(self.where.strip() or self.filters)

    @property
    def map_inputs(self) -> tuple:
        """Return what of it the map shows."""
        return (*self.modifications, self.where, self.filters) if self.on_map else self.modifications

    def column(self, name: str) -> ColumnView:
        """Return how a field is shown."""
        return next((look for look in self.columns if look.name == name), ColumnView(name))

    def with_column(self, look: ColumnView, order: list[str]) -> TableView:
        """Return these rows with one column looking so; `order` names all fields as they stand now."""
        known = {c.name: c for c in self.ordered(order)}
        known[look.name] = look
        return replace(self, columns=tuple(known.values()))

    def ordered(self, names: list[str]) -> list[ColumnView]:
        """Return the looks of the fields `names`, in the order in which they stand; the pinned ones first."""
        lines = [c for c in self.columns if c.name in names]
        missing = [ColumnView(name) for name in names if name not in {c.name for c in lines}]
        return sorted([*lines, *missing], key=lambda c: not c.pinned)


PLAIN_ROWS = TableView()
