"""Edits as the sheet lays them over a table of a database."""

from __future__ import annotations

from dataclasses import replace

from brisk_atlas.core.table.write_back import state_before


def edit(work, *edits):
    """Lay edits over the only layer, as the sheet does: with what was seen before."""
    layer = work.work.layers[0]
    table = work.cache.table(layer.ref)
    noted = [replace(e, before=tuple(table.column(e.field)[row].as_py() for row in e.rows)) for e in edits]
    rows = replace(layer.rows, edits=(*layer.rows.edits, *noted), edited_from=state_before(work.cache, layer))
    work.work.change("edit", layer.id, rows=rows)
    return layer.id
