"""The project file: the work as one JSON file with relative paths."""

from __future__ import annotations

import json
from base64 import b64decode, b64encode
from collections.abc import Iterator, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, Any, Literal

from pydantic import Field, ValidationError

from brisk_atlas.core.model import AtlasError, CannotRead, CannotWrite, DataRef, OpenOptions
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.open_options import options_from, saved_form
from brisk_atlas.core.system.atomic_write import write_whole

from .comparison import Comparison
from .groups import Group, gathered
from .named_places import NamedPlace
from .plates import Album
from .saved_album import SavedAlbum, SavedComparison, album_from, saved_album
from .saved_layers import SavedEye, SavedGroup, SavedLayer, SavedValue, layer_from, saved_layer
from .undoable_work import Place, WorkState
from .work import Work

if TYPE_CHECKING:
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.model import Layer

SCHEMA = 2
NO_FILE_OPTIONS: Mapping[DataRef, OpenOptions] = MappingProxyType({})
SUFFIX = ".brisk.json"


class _SavedPlace(SavedValue):
    x: float
    y: float
    resolution: float = Field(gt=0)
    turn: float = Field(0.0, ge=-180.0, le=180.0)


class _SavedNamedPlace(_SavedPlace):
    id: str
    name: str
    width: int = Field(gt=0, le=100_000)
    height: int = Field(gt=0, le=100_000)
    crs: str | None = None
    picture: str = Field("", max_length=400_000)  # base64 of a PNG
    eye: SavedEye | None = None


class _SavedReading(SavedValue):
    ref: dict[str, str]
    reading: dict[str, Any]


class _SavedProject(SavedValue):
    brisk_atlas_project: Literal[2]
    crs: str | None = None
    subject: str | None = None
    curtain: tuple[tuple[str, ...], tuple[str, ...]] | None = None  # of files from before there were other ways
    comparison: SavedComparison | None = None
    place: _SavedPlace | None = None
    layers: list[SavedLayer] = Field(default_factory=list, max_length=10_000)
    readings: list[_SavedReading] = Field(default_factory=list, max_length=10_000)
    groups: list[SavedGroup] = Field(default_factory=list, max_length=10_000)
    places: list[_SavedNamedPlace] = Field(default_factory=list, max_length=10_000)
    recipes: list[dict[str, Any]] = Field(default_factory=list, max_length=1_000)
    album: SavedAlbum = Field(default_factory=SavedAlbum)


def _recipes(stored: list[dict[str, Any]], path: Path) -> tuple[Recipe, ...]:
    """Return the recipes of a project. Raises CannotRead."""
    if not stored:
        return ()
    from brisk_atlas.core.handover.recipe import Recipe  # with all its steps, which most projects do without

    try:
        return tuple(Recipe.from_json(each, path, path.absolute().parent) for each in stored)
    except AtlasError as error:
        raise CannotRead(
            path, tr("a recipe in it can't be read ({reason})", reason=error.reason), error.remedy
        ) from error


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


def project_bytes(
    state: WorkState, place: Place | None, readings: Mapping[DataRef, OpenOptions], folder: Path
) -> bytes:
    """Return work as a project file in `folder` holds it."""
    found = _SavedProject(
        brisk_atlas_project=2,
        crs=state.crs,
        subject=state.subject,
        comparison=SavedComparison(**state.comparison._asdict()) if state.comparison else None,
        place=_SavedPlace(**place._asdict()) if place else None,
        layers=[saved_layer(layer, folder) for layer in state.layers],
        groups=[SavedGroup(**group._asdict()) for group in state.groups],
        places=[
            _SavedNamedPlace(**{**each._asdict(), "picture": b64encode(each.picture).decode()}) for each in state.places
        ],
        recipes=[recipe.as_json(folder) for recipe in state.recipes],
        album=saved_album(state.album, folder),
        readings=[
            _SavedReading(ref=ref.as_json(folder), reading=saved_form(readings[ref]))
            for ref in dict.fromkeys(layer.ref.whole for layer in (*state.layers, *_plate_layers(state.album)))
            if ref in readings
        ],
    )
    return (json.dumps(found.model_dump(mode="json"), indent=1) + "\n").encode()


def _plate_layers(album: Album) -> Iterator[Layer]:
    """Return the layers that plates of an album show."""
    for plate in album.plates:
        yield from plate.view.layers if plate.view is not None else ()


def save(work: Work, path: Path, readings: Mapping[DataRef, OpenOptions] = NO_FILE_OPTIONS) -> None:
    """Write the work to `path` through a temporary sibling, with what was stated about its files.

    Raises CannotWrite; the old file stays, also where it is the work's own and another window or program
    has written it since.
    """
    if work.file == path and work.file_state is not None and state_of_file(path) not in (None, work.file_state):
        raise CannotWrite(
            path,
            tr("another window or program has saved it since it was opened here"),
            tr("Save under another name, then compare the two."),
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
        raise CannotRead(path, error.strerror or str(error), tr("Check the path.")) from error
    except ValueError as error:
        raise CannotRead(
            path, tr("it is not whole JSON ({error})", error=error), tr("Open a copy, if you have one.")
        ) from error
    version = content.get("brisk_atlas_project") if isinstance(content, dict) else None
    if isinstance(version, int) and version > SCHEMA:
        raise CannotRead(
            path, tr("a newer Brisk Atlas wrote it (version {version})", version=version), tr("Update the application.")
        )
    try:
        saved = _SavedProject.model_validate(_from_version_1(content, folder) if version == 1 else content)
        layers = tuple(layer_from(each, folder) for each in saved.layers)
        named = tuple(
            NamedPlace(**{**each.model_dump(), "picture": b64decode(each.picture, validate=True)})
            for each in saved.places
        )
        album = album_from(saved.album, folder)
        readings = {DataRef.from_json(r.ref, folder): options_from(r.reading) for r in saved.readings}
    except (ValidationError, TypeError, KeyError, ValueError) as error:
        first = error.errors()[0] if isinstance(error, ValidationError) else {"loc": (), "msg": str(error)}
        where = ".".join(map(str, first["loc"])) or tr("the file")
        raise CannotRead(
            path,
            tr("it is not a project of Brisk Atlas ({where}: {first})", where=where, first=first["msg"]),
            tr("Open a copy, if you have one."),
        ) from error
    recipes = _recipes(saved.recipes, path)
    layers, groups = gathered(layers, tuple(Group(**group.model_dump()) for group in saved.groups))
    ids = {layer.id for layer in layers}
    comparison = _comparison(saved)
    if comparison is not None and not ids.issuperset(i for side in comparison.sides for i in side):
        comparison = None
    subject = saved.subject if saved.subject in ids else (layers[0].id if layers else None)
    place = Place(**saved.place.model_dump()) if saved.place else None
    return WorkState(layers, subject, saved.crs, comparison, groups, named, recipes, album), place, readings


def _comparison(saved: _SavedProject) -> Comparison | None:
    """Return what a project compares."""
    if saved.comparison is not None:
        return saved.comparison.value
    return Comparison(saved.curtain) if saved.curtain is not None else None
