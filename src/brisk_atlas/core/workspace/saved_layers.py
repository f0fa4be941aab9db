"""Layers and their groups as project files store them: as JSON, with paths relative to a folder."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import asdict, fields
from functools import cache
from math import inf, isinf
from pathlib import Path
from typing import Annotated, Any, cast

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from brisk_atlas.core.kinds import KINDS
from brisk_atlas.core.model import Blend, DataKind, DataRef, GridStyle, Layer, Quantity, Style
from brisk_atlas.core.model.hole_choices import NO_CHOICES, HoleChoices
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.standing import DRAPED, Standing

from .saved_rows import rows_from, saved_rows


class SavedValue(BaseModel):
    model_config = ConfigDict(extra="forbid")


Finite = Annotated[float, Field(allow_inf_nan=False)]
SavedEye = tuple[Finite, Finite, Finite, Finite, Finite, Finite, Finite]


class SavedLayer(SavedValue):
    id: str = Field(max_length=200)
    name: str = Field(max_length=500)
    ref: dict[str, str]
    kind: DataKind
    style: dict[str, Any] | None = None
    visible: bool = True
    opacity: float = Field(1.0, ge=0, le=1)
    blend: Blend = Blend.NORMAL
    rows: dict[str, Any] | None = None
    group: str | None = None
    locked: bool = False
    scales: tuple[float, float | None] | None = None  # None for as far out as may be: JSON has no infinity
    note: str = ""
    scale_group: str | None = None
    standing: dict[str, Any] | None = None
    holes: dict[str, Any] | None = None


class SavedGroup(SavedValue):
    id: str
    name: str
    parent: str | None = None
    visible: bool = True
    opacity: float = Field(1.0, ge=0, le=1)
    folded: bool = False


def saved_layer(layer: Layer, folder: Path) -> SavedLayer:
    """Return a layer as a file in a folder stores it."""
    return SavedLayer(
        id=layer.id,
        name=layer.name,
        ref=layer.ref.as_json(folder),
        kind=layer.kind,
        style=_saved_style(layer.style, folder) if layer.style else None,
        visible=layer.visible,
        opacity=layer.opacity,
        blend=layer.blend,
        rows=saved_rows(layer.rows, folder),
        group=layer.group,
        locked=layer.locked,
        scales=(layer.scales[0], None if isinf(layer.scales[1]) else layer.scales[1]) if layer.scales else None,
        note=layer.note,
        scale_group=layer.scale_group,
        standing=_saved_standing(layer.standing, folder),
        holes=_saved_holes(layer.holes, folder),
    )


def layer_from(saved: SavedLayer, folder: Path) -> Layer:
    """Return the layer that a file in a folder stores. Raises TypeError, ValueError."""
    return Layer(
        saved.id,
        saved.name,
        _ref(saved, folder),
        saved.kind,
        _style(saved, folder),
        saved.visible,
        saved.opacity,
        saved.blend,
        rows_from(saved.rows, folder),
        saved.group,
        saved.locked,
        (saved.scales[0], inf if saved.scales[1] is None else saved.scales[1]) if saved.scales else None,
        saved.note,
        saved.scale_group,
        _standing(saved.standing, folder),
        _holes(saved.holes, folder),
    )


def _ref(layer: SavedLayer, folder: Path) -> DataRef:
    """Return what a layer shows. Projects once stored a quantity at the end of the part's name."""
    ref = DataRef.from_json(layer.ref, folder)
    part, _, quantity = (ref.part or "").rpartition(" as ")
    if layer.kind.has_cells and part and quantity in {each.value for each in Quantity}:
        return ref.with_part(part).with_quantity(Quantity(quantity))
    return ref


def _style(layer: SavedLayer, folder: Path) -> Style | None:
    kind = KINDS[layer.kind].style if layer.kind in KINDS else None
    if layer.style is None or kind is None:
        return None
    values = {key: _tuples(value) for key, value in layer.style.items()}
    if "smooth" in values:  # as projects were written at first
        values["resample"] = "bilinear" if values.pop("smooth") else "nearest"
    if "others" in values:
        values["others"] = tuple(DataRef.from_json(o, folder) if o else None for o in values["others"])
    if values.get("flow"):
        values["flow"] = DataRef.from_json(values["flow"], folder)
    unknown = values.keys() - {field.name for field in fields(kind)}
    if unknown:
        raise TypeError(tr("a style has no {sorted}", sorted=", ".join(sorted(unknown))))
    style: Style = _checked(cast(Hashable, kind))(values)
    return style


@cache
def _checked(kind: Hashable) -> Callable[[dict[str, Any]], Any]:
    """Return what makes a value of a dataclass and refuses fields of another type or word. Raises ValidationError."""
    return TypeAdapter(cast(type, kind)).validate_python


def _tuples(value: Any) -> Any:
    return tuple(map(_tuples, value)) if isinstance(value, list) else value


def _saved_style(style: Style, folder: Path) -> dict[str, Any]:
    values = asdict(style)
    others: Sequence[DataRef | None] = getattr(style, "others", ())
    if others:
        values["others"] = [other.as_json(folder) if other else None for other in others]
    if isinstance(style, GridStyle) and style.flow is not None:
        values["flow"] = style.flow.as_json(folder)
    return values


def _saved_standing(standing: Standing, folder: Path) -> dict[str, Any] | None:
    if standing == DRAPED:
        return None
    values = asdict(standing)
    if standing.intervals is not None:
        values["intervals"]["ref"] = standing.intervals.ref.as_json(folder)
    if standing.deviation is not None:
        values["deviation"]["ref"] = standing.deviation.ref.as_json(folder)
    return values


def _standing(values: dict[str, Any] | None, folder: Path) -> Standing:
    if values is None:
        return DRAPED
    for name in ("intervals", "deviation"):
        if source := values.get(name):
            values = {**values, name: {**source, "ref": DataRef.from_json(source["ref"], folder)}}
    unknown = values.keys() - {field.name for field in fields(Standing)}
    if unknown:
        raise TypeError(tr("there is no {sorted} of how a layer stands", sorted=", ".join(sorted(unknown))))
    standing: Standing = _checked(Standing)(values)
    return standing


def _saved_holes(holes: HoleChoices, folder: Path) -> dict[str, Any] | None:
    if holes == NO_CHOICES:
        return None
    values = asdict(holes)
    values["tables"] = [{**asdict(each), "ref": each.ref.as_json(folder)} for each in holes.tables]
    return values


def _holes(values: dict[str, Any] | None, folder: Path) -> HoleChoices:
    if values is None:
        return NO_CHOICES
    tables = [{**each, "ref": DataRef.from_json(each["ref"], folder)} for each in values.get("tables", ())]
    holes: HoleChoices = _checked(HoleChoices)({**values, "tables": tables})
    return holes
