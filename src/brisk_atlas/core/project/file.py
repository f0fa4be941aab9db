"""The project file: the work as one JSON file with relative paths."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Mapping
from dataclasses import asdict, fields
from functools import cache
from pathlib import Path
from types import MappingProxyType
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from brisk_atlas.core.model import (
    CannotRead,
    CannotWrite,
    CloudStyle,
    GridStyle,
    Label,
    Layer,
    Reading,
    Stretch,
    Style,
    VectorStyle,
    path_text,
)
from brisk_atlas.core.model.reading import reading_from, saved_form
from brisk_atlas.core.read.reach import is_remote
from brisk_atlas.core.system.atomic_write import write_whole

from .saved_rows import rows_from, saved_rows
from .work import Place, Work, WorkState

SCHEMA = 1
NOTHING_SAID: Mapping[Path, Reading] = MappingProxyType({})
SUFFIX = ".brisk.json"
_WORDS = {
    "method": ("ramp", "equal", "quantile", "natural", "unique"),
    "symbol": ("circle", "square", "triangle", "cross", "pin"),
    "join": ("round", "mitre", "bevel"),
    "cap": ("round", "flat", "square"),
    "hatch": ("none", "rising", "falling", "crossed", "level", "dots"),
    "resample": ("nearest", "bilinear", "cubic"),
}
_STYLES: dict[str, type] = {"vector": VectorStyle, "raster": GridStyle, "pointcloud": CloudStyle}


class _Saved(BaseModel):
    model_config = ConfigDict(extra="forbid")


class _SavedLayer(_Saved):
    id: str = Field(max_length=200)
    name: str = Field(max_length=500)
    path: str
    part: str
    kind: Literal["vector", "raster", "pointcloud", "table"]
    style: dict[str, Any] | None = None
    visible: bool = True
    opacity: float = Field(1.0, ge=0, le=1)
    blend: Literal["normal", "multiply"] = "normal"
    rows: dict[str, Any] | None = None


class _SavedPlace(_Saved):
    x: float
    y: float
    resolution: float = Field(gt=0)


class _SavedProject(_Saved):
    brisk_atlas_project: Literal[1]
    crs: str | None = None
    subject: str | None = None
    curtain: tuple[tuple[str, ...], tuple[str, ...]] | None = None
    place: _SavedPlace | None = None
    layers: list[_SavedLayer] = Field(default_factory=list, max_length=10_000)
    readings: dict[str, dict[str, Any]] = Field(default_factory=dict, max_length=10_000)


def _style(layer: _SavedLayer, folder: Path) -> Style | None:
    if layer.style is None or layer.kind not in _STYLES:
        return None
    values = {key: _tuples(value) for key, value in layer.style.items()}
    if isinstance(values.get("stretch"), dict):
        values["stretch"] = Stretch(**values["stretch"])
    if isinstance(values.get("label"), dict):
        values["label"] = Label(**values["label"])
    if "smooth" in values:  # as projects were written at first
        values["resample"] = "bilinear" if values.pop("smooth") else "nearest"
    if "others" in values:
        values["others"] = tuple(
            (os.path.normpath(folder / other[0]), other[1]) if other else None for other in values["others"]
        )
    kind = _STYLES[layer.kind]
    unknown = values.keys() - {field.name for field in fields(kind)}
    if unknown:
        raise TypeError(f"a style has no {', '.join(sorted(unknown))}")
    style: Style = _checked(kind)(values)
    _check_words(style)
    return style


@cache
def _checked(kind: type) -> Callable[[dict[str, Any]], Any]:
    """Return what makes a value of a dataclass and refuses fields of another type. Raises ValidationError."""
    return TypeAdapter(kind).validate_python


def _tuples(value: Any) -> Any:
    return tuple(map(_tuples, value)) if isinstance(value, list) else value


def _check_words(style: Style) -> None:
    """Raise TypeError for a word that no drawing knows."""
    for name, known in _WORDS.items():
        word = getattr(style, name, None)
        if word is not None and word not in known:
            raise TypeError(f"{name} can't be {word!r}")


def _saved_style(style: Style, folder: Path) -> dict[str, Any]:
    values = asdict(style)
    if values.get("others"):
        values["others"] = [(os.path.relpath(o[0], folder), o[1]) if o else None for o in values["others"]]
    return values


def _kept(path: Path, folder: Path) -> str:
    """Return how a project names a file: from its own folder; an address as it is."""
    return path_text(path) if is_remote(path) else os.path.relpath(path, folder)


def _found(text: str, folder: Path) -> Path:
    return Path(text) if is_remote(Path(text)) else Path(os.path.normpath(folder / text))


def project_bytes(state: WorkState, place: Place | None, readings: Mapping[Path, Reading], folder: Path) -> bytes:
    """Return work as a project file in `folder` holds it."""
    layers = [
        _SavedLayer(
            id=layer.id,
            name=layer.name,
            path=_kept(layer.path, folder),
            part=layer.part,
            kind=layer.kind,  # type: ignore[arg-type]
            style=_saved_style(layer.style, folder) if layer.style else None,
            visible=layer.visible,
            opacity=layer.opacity,
            blend=layer.blend,  # type: ignore[arg-type]
            rows=saved_rows(layer.rows, lambda path: _kept(path, folder)),
        )
        for layer in state.layers
    ]
    told = _SavedProject(
        brisk_atlas_project=1,
        crs=state.crs,
        subject=state.subject,
        curtain=state.curtain,
        place=_SavedPlace(**place._asdict()) if place else None,
        layers=layers,
        readings={
            _kept(file, folder): saved_form(readings[file])
            for file in dict.fromkeys(layer.path for layer in state.layers)
            if file in readings
        },
    )
    return (json.dumps(told.model_dump(), indent=1) + "\n").encode()


def save(work: Work, path: Path, readings: Mapping[Path, Reading] = NOTHING_SAID) -> None:
    """Write the work to `path` through a temporary sibling, with what was said about its files.

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
        told = path.stat()
    except OSError:
        return None
    return told.st_size, told.st_mtime_ns


def read(path: Path) -> tuple[WorkState, Place | None, dict[Path, Reading]]:
    """Return the state in a project file, and what was said about its files.

    Raises CannotRead. Layers are not opened here.
    """
    folder = path.absolute().parent
    try:
        told = json.loads(path.read_text("utf-8"))
    except OSError as error:
        raise CannotRead(path, error.strerror or str(error), "Check the path.") from error
    except ValueError as error:
        raise CannotRead(path, f"it is not whole JSON ({error})", "Open a copy, if you have one.") from error
    version = told.get("brisk_atlas_project") if isinstance(told, dict) else None
    if isinstance(version, int) and version > SCHEMA:
        raise CannotRead(path, f"a newer Brisk Atlas wrote it (version {version})", "Update the application.")
    try:
        saved = _SavedProject.model_validate(told)
        layers = tuple(
            Layer(
                s.id,
                s.name,
                _found(s.path, folder),
                s.part,
                s.kind,
                _style(s, folder),
                s.visible,
                s.opacity,
                s.blend,
                rows_from(s.rows, lambda text: _found(text, folder)),
            )
            for s in saved.layers
        )
        readings = {_found(file, folder): reading_from(told) for file, told in saved.readings.items()}
    except (ValidationError, TypeError, KeyError, ValueError) as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else {"loc": (), "msg": str(error)}
        where = ".".join(map(str, first["loc"])) or "the file"
        raise CannotRead(
            path, f"it is not a project of Brisk Atlas ({where}: {first['msg']})", "Open a copy, if you have one."
        ) from error
    ids = {layer.id for layer in layers}
    curtain = saved.curtain if saved.curtain and ids.issuperset((*saved.curtain[0], *saved.curtain[1])) else None
    subject = saved.subject if saved.subject in ids else (layers[0].id if layers else None)
    place = Place(**saved.place.model_dump()) if saved.place else None
    return WorkState(layers, subject, saved.crs, curtain), place, readings
