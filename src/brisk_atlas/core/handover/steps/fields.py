"""Which fields, what they are called and what type they have; and new ones that an expression computes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import pyarrow as pa

from brisk_atlas.core.model.argument import argument
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import unique_names

from ..flows import GEOMETRY, Flow, RowFlow, gathered_flow, rows_flow
from ..row_expressions import prepared_for, type_of_expression, values_of_expression
from ..step import Step, StepContext, step

TYPES = {
    "integer": pa.int64(),
    "number": pa.float64(),
    "text": pa.string(),
    "yes or no": pa.bool_(),
    "date": pa.date32(),
    "time": pa.timestamp("us"),
    "time with zone": pa.timestamp("us", "UTC"),
}
SQL_TYPES = {
    "integer": "BIGINT",
    "number": "DOUBLE",
    "text": "VARCHAR",
    "yes or no": "BOOLEAN",
    "date": "DATE",
    "time": "TIMESTAMP",
    "time with zone": "TIMESTAMPTZ",
}


@step
@dataclass(frozen=True)
class Fields(Step):
    """Choose, order, rename and retype fields: those that are named are left, in that order.

    Each is `name`, `name=new name` or either with `:type` behind; the types are integer, number, text, yes or no, date,
    time and time with zone. A field whose name has one of these signs is put in double quotes.
    """

    word: ClassVar = "fields"
    label: ClassVar = tr("Choose fields")
    group: ClassVar = tr("Fields")

    fields: tuple[str, ...] = argument(tr("the fields to leave: name, name=new, name:type or name=new:type"))
    strict: bool = argument(tr("refuse a value that does not fit a new type; else it becomes missing"), False)

    @property
    def summary(self) -> str:
        return ", ".join(self.fields)

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        wanted = [parsed_field(text, rows.fields) for text in self.fields]
        self.fields_there(rows, tuple(name for name, _, _ in wanted))
        for _, _, kind in wanted:
            if kind and kind not in TYPES:
                raise self.refused(
                    tr("there is no type {kind}", kind=kind), tr("The types are {types}.", types=", ".join(TYPES))
                )
        names = unique_names([new for _, new, _ in wanted])
        if len({name.lower() for name in names}) < len(names) or names != [new for _, new, _ in wanted]:
            raise self.refused(tr("two fields would have one name"), tr("Give one of them another name."))

        def made(table: pa.Table) -> pa.Table:
            columns = {
                new: self._typed(table.column(name), name, kind, context) if kind else table.column(name)
                for name, new, kind in wanted
            }
            bare = pa.table(columns) if columns else table.select([])
            return bare.append_column(GEOMETRY, table.column(GEOMETRY)) if rows.has_shapes else bare

        units = dict(rows.units)
        known_units = tuple((new, units[name]) for name, new, _ in wanted if name in units)
        return rows_flow(rows, made(rows.schema.empty_table()).schema, made, units=known_units)

    def _typed(self, column: pa.ChunkedArray, name: str, kind: str, context: StepContext) -> pa.ChunkedArray:
        """Return values in another type. Raises BadStep for one that does not fit, where that is asked for."""
        made = cast_column(column, kind)
        lost = made.null_count - column.null_count
        if lost and self.strict:
            raise self.refused(
                tr("{lost:,} values of {name} are no {kind}", lost=lost, name=name, kind=kind),
                tr("Mend them, or allow them to be missing."),
            )
        if lost:
            context.warn(tr("{name}: values that are no {kind} became missing", name=name, kind=kind))
        return made


def parsed_field(text: str, known: list[str]) -> tuple[str, str, str]:
    """Return the name, the new name and the type that a choice of a field states.

    >>> parsed_field("year=built:integer", ["year"]), parsed_field("a:b", ["a:b"])
    (('year', 'built', 'integer'), ('a:b', 'a:b', ''))
    >>> parsed_field('"a=b"=c', ["a=b"])
    ('a=b', 'c', '')
    """
    if text in known:
        return text, text, ""
    rest = text
    name = None
    if text[:1] == '"' and '"' in text[1:]:
        name, _, rest = text[1:].partition('"')
    else:
        begins = sorted((k for k in known if text.startswith((f"{k}=", f"{k}:"))), key=len)
        name = begins[-1] if begins else text.partition("=")[0].partition(":")[0]
        rest = text[len(name) :]
    kind = ""
    head, colon, tail = rest.rpartition(":")
    if colon and tail.strip() in TYPES:
        rest, kind = head, tail.strip()
    new = rest[1:].strip() if rest[:1] == "=" else name
    return name.strip(), new or name.strip(), kind


def cast_column(column: pa.ChunkedArray, kind: str) -> pa.ChunkedArray:
    """Return values in a type of TYPES, missing where one does not fit."""
    from brisk_atlas.core.table.expression import evaluate, narrowed

    if column.type == TYPES[kind]:
        return column
    table = pa.table({"value": column})
    made = evaluate(narrowed(table, ["value"]), "value", "value", type_=SQL_TYPES[kind])
    return made.cast(TYPES[kind])


@step
@dataclass(frozen=True)
class Compute(Step):
    """Add a field that an SQL expression makes, or change one."""

    word: ClassVar = "compute"
    label: ClassVar = tr("Compute a field")
    group: ClassVar = tr("Fields")

    field: str = argument(tr("the name of the field; one that is there is replaced"))
    expression: str = argument(tr("an SQL expression, such as area_ellipsoid() / 1e6"))
    type: str = argument(tr("the type of the field; as it comes if not given"), "", choices=("", *TYPES))
    unit: str = argument(tr("the unit of its values, in the record and in formats that have one"), "")

    @property
    def summary(self) -> str:
        return f"{self.field} = {self.expression}"

    def flow(self, flow: Flow, context: StepContext) -> RowFlow:
        rows = self.rows(flow)
        if not self.field.strip() or self.field == GEOMETRY:
            raise self.refused(tr("the field has no name"), tr("Give it one."))
        if self.type and self.type not in TYPES:
            raise self.refused(
                tr("there is no type {type}", type=self.type), tr("The types are {types}.", types=", ".join(TYPES))
            )
        prepared = prepared_for(rows, self.expression)
        type_ = SQL_TYPES[self.type] if self.type else ""

        field = pa.field(
            self.field, _plain_type(type_of_expression(rows.schema, prepared, self.expression, rows.crs, type_))
        )

        def with_values(table: pa.Table, values: pa.ChunkedArray) -> pa.Table:
            if self.field in table.column_names:
                return table.set_column(table.column_names.index(self.field), field, values)
            return table.add_column(len(rows.fields), field, values)

        def made(table: pa.Table) -> pa.Table:
            values = values_of_expression(table, prepared, self.expression, rows.crs, context.check, type_)
            return with_values(table, values.cast(field.type))

        schema = with_values(rows.schema.empty_table(), pa.chunked_array([], field.type)).schema
        units = {**dict(rows.units), **({self.field: self.unit} if self.unit else {})}
        if prepared.windowed:  # it looks at all rows
            whole = gathered_flow(rows, schema, lambda: made(rows.whole(context.check)))
            return replace(whole, units=tuple(units.items()))
        return rows_flow(rows, schema, made, units=tuple(units.items()))


def _plain_type(found: pa.DataType) -> pa.DataType:
    """Return the type that files can have for one of the engine: its wide numbers and decimals are numbers."""
    if pa.types.is_decimal(found):
        return pa.float64()
    if pa.types.is_null(found):
        return pa.string()
    return found
