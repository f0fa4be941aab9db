"""What a SELECT of one's own would give, as the server plans it: nothing is read."""

from __future__ import annotations

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr


def dry_run(ref: DataRef) -> str:
    """Return how many rows a statement gives about, and its columns, in words. Raises CannotRead."""
    if ref.place.partition("://")[0] in ("mariadb", "mysql"):
        from .mariadb import about_mariadb_table

        found = about_mariadb_table(ref)
        rows, columns = found.rows, [(column.name, column.type) for column in found.columns]
    else:
        from .table_about import about_table

        about = about_table(ref)
        rows, columns = about.rows, [(column.name, column.type) for column in about.columns]
    names = ", ".join(f"{name} ({type_})" for name, type_ in columns)
    return tr("About {rows:,} rows, the server estimates: {names}", rows=max(rows, 0), names=names)
