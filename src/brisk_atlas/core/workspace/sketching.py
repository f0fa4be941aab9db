"""Drawing into sketches of the work: each change gives a layer another reference, which carries the sketch itself.

A sketch is a layer like any other; it is saved with the project, undone and redone as its references are.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.sketch import Mark, MarkKind, Sketch

    from .work import Work

NAME = "sketch"
LARGEST = 1_000_000  # characters of a sketch; beyond that each further mark would take long to draw


def sketch_layer(work: Work) -> Layer | None:
    """Return the layer that is drawn into: the subject if it is a sketch, else the topmost one that is not locked."""
    sketches = [layer for layer in work.layers if layer.ref.is_inline]
    if work.subject in sketches:
        return work.subject
    return next((layer for layer in sketches if not layer.locked), None)


def sketch_of(layer: Layer) -> Sketch:
    """Return the sketch that a layer shows. Raises CannotRead."""
    from brisk_atlas.core.sketch import Sketch

    return Sketch.of(layer.ref)


def draw_mark(work: Work, kind: MarkKind, xy: np.ndarray, text: str = "", *, anew: bool = False) -> tuple[str, int]:
    """Draw a mark, as a step of undo: into the sketch that `sketch_layer` says, or into a new one on top.

    xy : (n, 2) corners in the map's CRS. Returns the layer's id and the number of the mark in it. Raises AtlasError
    where the map has no CRS, the layer is locked, or the place is off the Earth.
    """
    from brisk_atlas.core.sketch import Sketch, first_look

    crs = work.state.crs
    if crs is None:
        raise AtlasError(
            tr("the map"), tr("it has no CRS, so that a sketch would have no place"), tr("Set a layer's CRS first.")
        )
    layer = None if anew else sketch_layer(work)
    sketch = sketch_of(layer) if layer is not None else Sketch.begun_in(NAME, crs)
    sketch = sketch.with_mark(_mark(sketch, kind, xy, crs, text))
    what = tr("draw a {kind}", kind=kind) if kind != "area" else tr("draw an area")
    if layer is None:
        added = work.add(sketch.ref(), sketch.facts(), first_look(), NAME, what=what)
        return added.id, len(sketch.marks) - 1
    _change(work, layer, sketch, what)
    return layer.id, len(sketch.marks) - 1


def change_mark(work: Work, layer_id: str, number: int, what: str, mark: Mark) -> None:
    """Have another mark stand in the place of one, as a step of undo. Raises AtlasError for a locked layer."""
    layer = work.layer(layer_id)
    if layer is None:
        return
    sketch = sketch_of(layer)
    if number < len(sketch.marks) and sketch.marks[number] != mark:
        _change(work, layer, sketch.with_changed(number, mark), what)


def move_mark(work: Work, layer_id: str, number: int, xy: np.ndarray) -> None:
    """Give a mark other corners, (n, 2) in the map's CRS, as a step of undo. Raises AtlasError."""
    layer, crs = work.layer(layer_id), work.state.crs
    if layer is None or crs is None:
        return
    sketch = sketch_of(layer)
    now = sketch.marks[number]
    mark = replace(_mark(sketch, now.kind, xy, crs, now.text), note=now.note)
    change_mark(work, layer_id, number, f"move a {now.kind}" if now.kind != "area" else "move an area", mark)


def remove_mark(work: Work, layer_id: str, number: int) -> None:
    """Remove a mark, as a step of undo; with the last one its layer is closed. Raises AtlasError for a locked layer."""
    layer = work.layer(layer_id)
    if layer is None:
        return
    sketch = sketch_of(layer)
    if number >= len(sketch.marks):
        return
    if layer.locked:
        raise _locked(layer)
    if layer.rows.edits:
        remedy = tr("Save them as a new file, or undo them first.")
        raise AtlasError(layer.name, tr("it has edited values in the sheet, which go by the number of a mark"), remedy)
    work.pick(None)
    if len(sketch.marks) == 1:
        work.remove(layer_id)
    else:
        _change(work, layer, sketch.without(number), tr("remove a mark"))


def _mark(sketch: Sketch, kind: MarkKind, xy: np.ndarray, crs: str, text: str) -> Mark:
    from brisk_atlas.core.sketch import Mark

    try:
        return Mark(kind, sketch.placed(xy, crs), text)
    except ValueError as error:
        remedy = tr("Draw within what the map's CRS shows.")
        raise AtlasError(
            tr("the sketch"), tr("a part of it has no place on the Earth ({error})", error=error), remedy
        ) from error


def _change(work: Work, layer: Layer, sketch: Sketch, what: str) -> None:
    if layer.locked:
        raise _locked(layer)
    ref = sketch.ref()
    if len(ref.place) > LARGEST:
        remedy = tr("Export it as a file, or draw into a new sketch.")
        raise AtlasError(
            layer.name, tr("a sketch can't hold more than {largest:,} characters", largest=LARGEST), remedy
        )
    work.change(what, layer.id, ref=ref)


def _locked(layer: Layer) -> AtlasError:
    return AtlasError(layer.name, tr("the layer is locked"), tr("Unlock it, or draw into a new sketch."))
