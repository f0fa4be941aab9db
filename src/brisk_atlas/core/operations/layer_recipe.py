"""A recipe of what was done to a layer on the Desk: its joins, computed fields and filters, and writing it."""

from __future__ import annotations

import re
from pathlib import Path

from brisk_atlas.core.handover.formats import formats_of
from brisk_atlas.core.handover.recipe import Branch, Recipe, RecipeStep
from brisk_atlas.core.handover.steps.fields import SQL_TYPES
from brisk_atlas.core.model import Layer
from brisk_atlas.core.table.filters import where_of

MAIN = "main"


def recipe_of_layer(layer: Layer, folder: Path) -> Recipe:
    """Return the steps that make of the dataset of a layer what the layer is now, and write it into a folder.

    A layer that was edited is the source itself, as its edits are nowhere else. Bands and styles stay as they are.
    """
    steps: list[RecipeStep] = []
    rows = layer.rows
    source = layer.id if layer.kind.has_rows and rows.edits else layer.ref
    if layer.kind.has_rows and not rows.edits:
        steps += [
            RecipeStep("join", {"other": join.ref.as_json(), "key": join.key, "other_key": join.other_key,
                                "prefix": join.name})
            for join in rows.joins if not join.many
        ]  # fmt: skip
        types = {sql: word for word, sql in SQL_TYPES.items()}
        for field in rows.computed:
            type_ = {"type": types[field.type.upper()]} if field.type.upper() in types else {}
            unit = {"unit": field.unit} if field.unit else {}
            steps.append(RecipeStep("compute", {"field": field.name, "expression": field.expression, **type_, **unit}))
    if layer.kind.has_rows and (where := where_of(rows)):
        steps.append(RecipeStep("where", {"where": where}))
    format_ = formats_of(layer.kind)[0]
    name = re.sub(r"[^\w.-]+", "_", layer.name).strip("_.") or "layer"
    steps.append(RecipeStep("write", {"path": str(folder / f"{name}_piece{format_.endings[0]}")}))
    return Recipe(layer.name, (Branch(MAIN, source, tuple(steps)),))
