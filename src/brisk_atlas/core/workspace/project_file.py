"""The project file: the work as one JSON file with relative paths."""

from __future__ import annotations

import json
from base64 import b64decode, b64encode
from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import asdict, fields
from functools import cache
from math import inf, isinf
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Annotated, Any, Literal, cast

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from brisk_atlas.core.kinds import KINDS
from brisk_atlas.core.model import (
    AtlasError,
    Blend,
    CannotRead,
    CannotWrite,
    DataKind,
    DataRef,
    GridStyle,
    Layer,
    OpenOptions,
    Quantity,
    Style,
)
from brisk_atlas.core.model.hole_choices import NO_CHOICES, HoleChoices
from brisk_atlas.core.model.open_options import options_from, saved_form
from brisk_atlas.core.model.standing import DRAPED, Standing
from brisk_atlas.core.system.atomic_write import write_whole

from .comparison import SIDE_NAMES, Comparison, Divide, Way
from .groups import Group, gathered
from .named_places import NamedPlace
from .saved_rows import rows_from, saved_rows
from .work import Place, Work, WorkState

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import Recipe

SCHEMA = 2
NO_FILE_OPTIONS: Mapping[DataRef, OpenOptions] = MappingProxyType({})
SUFFIX = ".brisk.json"


class _Saved(BaseModel):
    model_config = ConfigDict(extra="forbid")


class _SavedLayer(_Saved):
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


class _SavedGroup(_Saved):
    id: str
    name: str
    parent: str | None = None
    visible: bool = True
    opacity: float = Field(1.0, ge=0, le=1)
    folded: bool = False


class _SavedPlace(_Saved):
    x: float
    y: float
    resolution: float = Field(gt=0)
    turn: float = Field(0.0, ge=-180.0, le=180.0)


_Finite = Annotated[float, Field(allow_inf_nan=False)]
_SavedEye = tuple[_Finite, _Finite, _Finite, _Finite, _Finite, _Finite, _Finite]


class _SavedNamedPlace(_SavedPlace):
    id: str
    name: str
    width: int = Field(gt=0, le=100_000)
    height: int = Field(gt=0, le=100_000)
    crs: str | None = None
    picture: str = Field("", max_length=400_000)  # base64 of a PNG
    eye: _SavedEye | None = None


class _SavedReading(_Saved):
    ref: dict[str, str]
    reading: dict[str, Any]


class _SavedComparison(_Saved):
    sides: list[tuple[str, ...]] = Field(min_length=2, max_length=len(SIDE_NAMES))
    way: Way
    divide: Divide = Divide.UPRIGHT


class _SavedProject(_Saved):
    brisk_atlas_project: Literal[2]
    crs: str | None = None
    subject: str | None = None
    curtain: tuple[tuple[str, ...], tuple[str, ...]] | None = None  # of files from before there were other ways
    comparison: _SavedComparison | None = None
    place: _SavedPlace | None = None
    layers: list[_SavedLayer] = Field(default_factory=list, max_length=10_000)
    readings: list[_SavedReading] = Field(default_factory=list, max_length=10_000)
    groups: list[_SavedGroup] = Field(default_factory=list, max_length=10_000)
    places: list[_SavedNamedPlace] = Field(default_factory=list, max_length=10_000)
    recipes: list[dict[str, Any]] = Field(default_factory=list, max_length=1_000)


def _recipes(stored: list[dict[str, Any]], path: Path) -> tuple[Recipe, ...]:
    """Return the recipes of a project. Raises CannotRead."""
    if not stored:
        return ()
    from brisk_atlas.core.handover.recipe import Recipe  # with all its steps, which most projects do without

    try:
        return tuple(Recipe.from_json(each, path, path.absolute().parent) for each in stored)
    except AtlasError as error:
        raise CannotRead(path, f"a recipe in it can't be read ({error.reason})", error.remedy) from error


def _from_version_1(values: dict[str, Any], folder: Path) -> dict[str, Any]:
    """Return a project as version 2 stores it: version 1 named files by a text and their parts apart."""

    def ref(path: Any, part: Any = None) -> dict[str, Any]:
        return DataRef.parse(str(path), folder).with_part(part).as_json(folder)

    layers = []
    for old in values.get("layers", []):
        layer = {key: value for key, value in old.items() if key not in ("path", "part")}
        layer["ref"] = ref(old["path"], old["part"])
        style, rows = layer.get("style"), layer.get("rows")
        if style and style.get("others"):
            layer["style"] = {**style, "others": [ref(*other) if other else None for other in style["others"]]}
        if rows and rows.get("joins"):
            joins = [{**{k: v for k, v in j.items() if k not in ("path", "part")}, "ref": ref(j["path"], j["part"])}
                     for j in rows["joins"]]  # fmt: skip
            layer["rows"] = {**rows, "joins": joins}
        layers.append(layer)
    readings = [{"ref": ref(path), "reading": reading} for path, reading in values.get("readings", {}).items()]
    return {**values, "brisk_atlas_project": SCHEMA, "layers": layers, "readings": readings}


def _ref(layer: _SavedLayer, folder: Path) -> DataRef:
    """Return what a layer shows. Projects once stored a quantity at the end of the part's name."""
    ref = DataRef.from_json(layer.ref, folder)
    part, _, quantity = (ref.part or "").rpartition(" as ")
    if layer.kind.has_cells and part and quantity in {each.value for each in Quantity}:
        return ref.with_part(part).with_quantity(Quantity(quantity))
    return ref


def _style(layer: _SavedLayer, folder: Path) -> Style | None:
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
        raise TypeError(f"a style has no {', '.join(sorted(unknown))}")
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
        raise TypeError(f"there is no {', '.join(sorted(unknown))} of how a layer stands")
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


def project_bytes(
    state: WorkState, place: Place | None, readings: Mapping[DataRef, OpenOptions], folder: Path
) -> bytes:
    """Return work as a project file in `folder` holds it."""
    layers = [
        _SavedLayer(
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
        for layer in state.layers
    ]
    found = _SavedProject(
        brisk_atlas_project=2,
        crs=state.crs,
        subject=state.subject,
        comparison=_SavedComparison(**state.comparison._asdict()) if state.comparison else None,
        place=_SavedPlace(**place._asdict()) if place else None,
        layers=layers,
        groups=[_SavedGroup(**group._asdict()) for group in state.groups],
        places=[
            _SavedNamedPlace(**{**each._asdict(), "picture": b64encode(each.picture).decode()}) for each in state.places
        ],
        recipes=[recipe.as_json(folder) for recipe in state.recipes],
        readings=[
            _SavedReading(ref=ref.as_json(folder), reading=saved_form(readings[ref]))
            for ref in dict.fromkeys(layer.ref.whole for layer in state.layers)
            if ref in readings
        ],
    )
    return (json.dumps(found.model_dump(mode="json"), indent=1) + "\n").encode()


def save(work: Work, path: Path, readings: Mapping[DataRef, OpenOptions] = NO_FILE_OPTIONS) -> None:
    """Write the work to `path` through a temporary sibling, with what was stated about its files.

    Raises CannotWrite; the old file stays, also where it is the work's own and another window or program
    has written it since.
    """
    if work.file == path and work.file_state is not None and state_of_file(path) not in (None, work.file_state):
        raise CannotWrite(
            path,
            "another window or program has saved it since it was opened here",
            "Save under another name, then compare the two.",
        )
    write_whole(path, project_bytes(work.state, work.place, readings, path.absolute().parent))
    work.saved(path, state_of_file(path))


def state_of_file(path: Path) -> tuple[int, int] | None:
    """Return what tells that a project file was written again; None where there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_size, found.st_mtime_ns


def read(path: Path) -> tuple[WorkState, Place | None, dict[DataRef, OpenOptions]]:
    """Return the state in a project file, and what was stated about its files.

    Raises CannotRead. Layers are not opened here.
    """
    folder = path.absolute().parent
    try:
        content = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise CannotRead(path, error.strerror or str(error), "Check the path.") from error
    except ValueError as error:
        raise CannotRead(path, f"it is not whole JSON ({error})", "Open a copy, if you have one.") from error
    version = content.get("brisk_atlas_project") if isinstance(content, dict) else None
    if isinstance(version, int) and version > SCHEMA:
        raise CannotRead(path, f"a newer Brisk Atlas wrote it (version {version})", "Update the application.")
    try:
        saved = _SavedProject.model_validate(_from_version_1(content, folder) if version == 1 else content)
        layers = tuple(
            Layer(
                s.id,
                s.name,
                _ref(s, folder),
                s.kind,
                _style(s, folder),
                s.visible,
                s.opacity,
                s.blend,
                rows_from(s.rows, folder),
                s.group,
                s.locked,
                (s.scales[0], inf if s.scales[1] is None else s.scales[1]) if s.scales else None,
                s.note,
                s.scale_group,
                _standing(s.standing, folder),
                _holes(s.holes, folder),
            )
            for s in saved.layers
        )
        named = tuple(
            NamedPlace(**{**each.model_dump(), "picture": b64decode(each.picture, validate=True)})
            for each in saved.places
        )
        readings = {DataRef.from_json(r.ref, folder): options_from(r.reading) for r in saved.readings}
    except (ValidationError, TypeError, KeyError, ValueError) as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else {"loc": (), "msg": str(error)}
        where = ".".join(map(str, first["loc"])) or "the file"
        raise CannotRead(
            path, f"it is not a project of Brisk Atlas ({where}: {first['msg']})", "Open a copy, if you have one."
        ) from error
    recipes = _recipes(saved.recipes, path)
    layers, groups = gathered(layers, tuple(Group(**group.model_dump()) for group in saved.groups))
    ids = {layer.id for layer in layers}
    comparison = _comparison(saved)
    if comparison is not None and not ids.issuperset(i for side in comparison.sides for i in side):
        comparison = None
    subject = saved.subject if saved.subject in ids else (layers[0].id if layers else None)
    place = Place(**saved.place.model_dump()) if saved.place else None
    return WorkState(layers, subject, saved.crs, comparison, groups, named, recipes), place, readings


def _comparison(saved: _SavedProject) -> Comparison | None:
    """Return what a project compares."""
    if saved.comparison is not None:
        return Comparison(tuple(saved.comparison.sides), saved.comparison.way, saved.comparison.divide)
    return Comparison(saved.curtain) if saved.curtain is not None else None
