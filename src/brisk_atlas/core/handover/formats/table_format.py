"""What a table of a database, or another place by an address, is that is written to; how columns are named."""

from __future__ import annotations

import logging
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from importlib import import_module
from typing import Any, Protocol, cast

from brisk_atlas.core.connect.table_names import names_in
from brisk_atlas.core.model import AtlasError, CannotWrite, DataKind, DataRef
from brisk_atlas.core.model.data_ref import PlaceKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import proj_crs

from ..flows import Flow, RowFlow
from ..record_handed import RecordPlan
from ..row_facts import RowFacts
from ..step import StepContext
from .format import FormatOption, Loss, Report, chosen_options

log = logging.getLogger(__name__)

REPLACE = FormatOption("replace", False, tr("Replace the table where there is one; without this it is refused"))
KEY = FormatOption("key", "gid", tr("The column that numbers the rows, added as the primary key; none if empty"))
SHAPE = FormatOption("geometry", "geom", tr("The column of geometry"))


class TableWriter(Protocol):
    """Who writes tables of a kind, a module whose driver loads with it."""

    def write(
        self, flow: Any, facts: RowFacts, ref: DataRef, append: bool, options: Mapping[str, Any],
        context: StepContext, report: Report, plan: RecordPlan,
    ) -> int:  # fmt: skip
        """Write rows to a table, `append` to one that is there; returns how many. `plan` says how its record comes
        about, where it has one. Raises CannotRead, CannotWrite."""

    def losses(self, flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
        """Return what such a table does not hold of a flow."""

    def is_there(self, ref: DataRef) -> bool:
        """Return whether there is such a table. Raises AtlasError."""


@dataclass(frozen=True)
class TableFormat:
    """Tables of one kind of database, or what is written to another place by its address. `schemes` begin an address,
    `home` is the module that writes, `new` what an address of a new one begins with, `place` what it is called;
    `has_schemas` says whether the address ends with a schema and a table, `has_record` whether a record always goes
    with it, `opens` whether what was written is opened by that address."""

    name: str
    schemes: tuple[str, ...]
    home: str
    about: str
    new: str
    place: str = tr("Table")
    options: tuple[FormatOption, ...] = (REPLACE, KEY, SHAPE)
    kinds: frozenset[DataKind] = frozenset({DataKind.VECTOR, DataKind.TABLE})
    appends: bool = True
    has_schemas: bool = True
    has_record: bool = False
    opens: bool = True
    endings: tuple[str, ...] = ()  # it has no files

    def chosen(self, given: Mapping[str, Any]) -> dict[str, Any]:
        """Return all options, those that are given in the type of their default. Raises AtlasError."""
        return chosen_options(self.name, self.options, given)

    @property
    def writer(self) -> TableWriter:
        """Who writes such tables."""
        return cast(TableWriter, import_module(self.home))

    def losses(self, flow: Flow, options: Mapping[str, Any]) -> list[Loss]:
        """Return what such a table does not hold of a flow."""
        return self.writer.losses(flow, options)


_DATABASES = (
    TableFormat(
        "PostGIS table", ("postgresql", "postgres"), f"{__package__}.postgres_table",
        tr("A table of a PostgreSQL database, such as postgresql://ana@office/survey#public.closed."),
        "postgresql://user@server/database#public.",
    ),
    TableFormat(
        "MariaDB table", ("mariadb", "mysql"), f"{__package__}.mariadb_table",
        tr("A table of a MariaDB database, such as mariadb://ana@office/survey#survey.closed."),
        "mariadb://user@server/database#public.",
    ),
)  # fmt: skip


@cache
def table_formats() -> tuple[TableFormat, ...]:
    """Return the kinds of tables and of other places that are written to, those that packages add among them."""
    from importlib.metadata import entry_points  # slow to load

    found = [*_DATABASES]
    for point in entry_points(group="brisk_atlas.targets"):
        try:
            found.append(point.load())
        except (ImportError, AttributeError) as error:
            log.warning("what %s writes to is left out: %s", point.value, error)
    return tuple(found)


def table_in(text: str) -> DataRef | None:
    """Return the table of a database, or the other place, that a text means, None for what is a file. Raises
    AtlasError for a database without a table.

    >>> table_in("closed.gpkg") is None, str(table_in("postgresql://ana@office/survey#public.closed"))
    (True, 'postgresql://ana@office/survey#public.closed')
    """
    scheme = text.partition("://")[0]
    if "://" not in text or not any(scheme in each.schemes for each in table_formats()):
        return None
    ref = DataRef.parse(text)
    has_schemas = table_format_of(ref).has_schemas if ref.kind is PlaceKind.TABLE else True
    if not has_schemas and not ref.inner:
        raise AtlasError(text, tr("it names no layer"), tr("End it with # and a title."))
    if has_schemas and (ref.kind is not PlaceKind.TABLE or not all(names_in(ref))):
        raise AtlasError(text, tr("it names no table"), tr("End it with #schema.table."))
    return ref


def table_format_of(ref: DataRef) -> TableFormat:
    """Return the format of a table, by its address."""
    scheme = ref.place.partition("://")[0]
    return next(each for each in table_formats() if scheme in each.schemes)


def opens(written: str) -> bool:
    """Return whether what was written is opened by its path or address."""
    table = table_in(written)
    return table is None or table_format_of(table).opens


def cut_names(names: Iterable[str], size: int) -> dict[str, str]:
    """Return what fields are called where a name has `size` bytes: cut, and numbered where they would be alike."""
    made: dict[str, str] = {}
    taken: set[str] = set()
    for name in names:
        made[name] = free_name(name, taken, size)
        taken.add(made[name].lower())
    return made


def free_name(name: str, taken: set[str], size: int) -> str:
    """Return a name of at most `size` bytes that is not among `taken`, which are in small letters."""
    short = name.encode()[:size].decode(errors="ignore")
    number = 1
    while short.lower() in taken:
        ending = f"_{number}"
        short = name.encode()[: size - len(ending)].decode(errors="ignore") + ending
        number += 1
    return short


def name_losses(flow: RowFlow, size: int) -> list[Loss]:
    """Return the loss of names that are too long, or that are alike in small letters."""
    cut = {name: short for name, short in cut_names(flow.fields, size).items() if name != short}
    words = ", ".join(f"{name} → {short}" for name, short in list(cut.items())[:6])
    return [Loss(tr("{count:,} names of fields are changed: {words}", count=len(cut), words=words))] if cut else []


def crs_losses(flow: RowFlow) -> list[Loss]:
    """Return the loss of a CRS that has no number."""
    if not flow.has_shapes or flow.crs is None or authority_of(flow.crs):
        return []
    return [Loss(tr("its CRS has no number, and the table states none"), "GeoPackage")]


def authority_of(crs: str | None) -> tuple[str, int] | None:
    """Return the authority and the number of a CRS, None where it has none."""
    found = proj_crs(crs).to_authority() if crs else None
    return (found[0], int(found[1])) if found and str(found[1]).isdigit() else None


def refuse_there(ref: DataRef) -> CannotWrite:
    """Return the failure of a table that is there though nothing says that it is replaced."""
    return CannotWrite(
        ref, tr("there is a table of that name"), tr("Say that it is replaced or added to, or name another.")
    )


def missing_fields(ref: DataRef, names: Iterable[str]) -> CannotWrite:
    """Return the failure of rows that have fields which a table does not."""
    return CannotWrite(
        ref, tr("the table has no field {names}", names=", ".join(names)), tr("Leave them out, or rename them.")
    )
