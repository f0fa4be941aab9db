"""Text that a file stores in another encoding than it states."""

from __future__ import annotations

import pyarrow as pa

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.words import unique_names

OTHERWISE = "ISO-8859-1"  # every byte is a character of it; as iconv spells it
REMARK = tr("some text is not in the encoding that the file states, and is read as Latin-1")


def with_readable_text(table: pa.Table) -> tuple[pa.Table, bool]:
    """Return a table whose texts and names can be read, and whether any could not: those are taken as Latin-1."""
    names, other = _names(table)
    apart = unique_names(names)
    table = table.rename_columns(apart) if other or apart != names else table
    for at, field in enumerate(table.schema):
        if not (pa.types.is_string(field.type) or pa.types.is_large_string(field.type)):
            continue
        column = table.column(at)
        try:
            column.validate(full=True)
        except pa.ArrowInvalid:
            values = column.cast(pa.large_binary() if pa.types.is_large_string(field.type) else pa.binary()).to_pylist()
            texts = pa.array([None if v is None else decoded(v) for v in values], field.type)
            table, other = table.set_column(at, field.name, texts), True
    return table, other


def _names(table: pa.Table) -> tuple[list[str], bool]:
    names, other = [], False
    for at in range(table.num_columns):
        try:
            names.append(table.schema.field(at).name)
        except UnicodeDecodeError as error:
            names.append(error.object.decode(OTHERWISE) if isinstance(error.object, bytes) else f"field {at + 1}")
            other = True
    return names, other


def decoded(value: bytes) -> str:
    """Return text as UTF-8, else in the encoding of older files."""
    try:
        return value.decode("utf-8")
    except UnicodeDecodeError:
        return value.decode(OTHERWISE)
