"""From layers and a view to a picture: each layer drawn apart and stored, then laid together."""

from __future__ import annotations

import itertools
import logging
import os
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import Any, NamedTuple

import numpy as np

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.cache.by_view import is_stream
from brisk_atlas.core.model import AtlasError, Blend, DataKind, DataRef, Extent, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic, transform_extent
from brisk_atlas.core.place.domain import domain_of
from brisk_atlas.core.place.extents import shortest_around
from brisk_atlas.core.system.shares import CORES, in_pieces

from .drawn import Drawn
from .kernels.pixels import MULTIPLY, NORMAL, blend
from .labels import Measure, PlacedLabel, Room, place_labels
from .layer_painter import FixedText, LabelsWanted, LayerPainter
from .outlines import Outlined
from .view import View

STORED_SHARE, STORED_BYTES = 0.06, 1_500_000_000  # of memory, for the pictures of layers stored for the next frame
MANY = 24  # layers from which on neighbours are laid together and stored
FAN = 7  # of them side by side
PARTIAL_S = 0.12  # between two pictures of a frame that is not finished
LEAST_SHARED = 0.15  # of a stored picture that must still be in view for it to be worth moving
CROPPED_SHARE = 0.9  # a picture that fills more of its rows is stored as it is
BLENDS = {"normal": NORMAL, "multiply": MULTIPLY}


@dataclass(frozen=True, eq=False)
class Frame:
    """A picture: (rows, cols, 4) uint8 premultiplied RGBA of `view`.

    By layer id: `faults` says what could not be drawn and why, `notes` what is to be known of a
    picture (thinned out, coarse), `limits` between which values the colours ran. `unfinished` names
    the sources that work in the background would draw better, `coming` those of which pieces are on their way from a
    server, `failing` those of which some did not come. `labels` are placed, not painted.
    """

    image: np.ndarray
    view: View
    faults: dict[str, str] = field(default_factory=dict)
    notes: dict[str, str] = field(default_factory=dict)
    limits: dict[str, tuple[tuple[float, float], ...]] = field(default_factory=dict)
    unfinished: tuple[DataRef, ...] = ()
    coming: tuple[DataRef, ...] = ()
    failing: tuple[DataRef, ...] = ()
    labels: tuple[PlacedLabel, ...] = ()


@dataclass(frozen=True)
class Picked:
    """The picked features of one layer."""

    layer_id: str
    rows: tuple[int, ...]


@dataclass(frozen=True, eq=False)
class StoredPicture:
    """The finished picture of one layer: the rows from `top` on that hold anything. No two have the same `number`."""

    image: np.ndarray
    top: int
    view: View
    drawn: Drawn
    number: int = field(default_factory=itertools.count().__next__)

    @property
    def whole(self) -> np.ndarray:
        """All rows of the picture."""
        whole = np.zeros((self.view.height, self.view.width, 4), np.uint8)
        whole[self.top : self.top + len(self.image)] = self.image
        return whole


class PictureKey(tuple[Any, ...]):
    """What a picture was made for; its hash is worked out once, as it goes through a whole style."""

    _hash: int | None = None

    def __hash__(self) -> int:
        if self._hash is None:
            self._hash = super().__hash__()
        return self._hash


class PaleLayer(NamedTuple):
    """A picture and how strongly it is laid on what is below."""

    picture: StoredPicture
    opacity: float


log = logging.getLogger(__name__)


class Painter:
    """Draws frames. Safe for threads; pictures of layers are shared between frames.

    `painters` say how layers of each kind are drawn; `kinds.painter_for` gives the usual ones.
    """

    def __init__(self, cache: DataCache, painters: Mapping[DataKind, LayerPainter]) -> None:
        self.cache, self.painters = cache, painters
        self._stored: OrderedDict[PictureKey, StoredPicture] = OrderedDict()
        self._stored_bytes = 0
        self._keys: dict[str, tuple[Layer, tuple, PictureKey]] = {}
        self._together_stored: OrderedDict[tuple, PaleLayer] = OrderedDict()
        self._lock = threading.Lock()
        self._placed: dict[str, dict[int, int]] = {}  # labels of the last picture, by layer and feature

    def frame(
        self,
        layers: Sequence[Layer],
        view: View,
        *,
        picked: Picked | None = None,
        check: Callable[[], None] = lambda: None,
        on_partial: Callable[[Frame], None] | None = None,
        measure: Measure | None = None,
    ) -> Frame:
        """Return the picture of `layers` (bottom first), of the view moved to whole pixels.

        `check` is called often and may raise to stop. `on_partial` is given the frame as far as it is,
        whenever that takes long. With `measure`, which says how large a text is, labels are placed.
        """
        view = view.on_pixels()
        image = np.zeros((view.height, view.width, 4), np.uint8)
        frame = Frame(image, view)
        found = time.monotonic()
        unfinished: list[DataRef] = []
        coming: list[DataRef] = []
        failing: list[DataRef] = []
        many = sum(layer.visible for layer in layers) > MANY
        run: list[PaleLayer] = []  # layers that are laid together, once they are all there
        blank = True  # nothing is laid yet
        for layer in layers:
            check()
            if not layer.visible or layer.opacity <= 0 or layer.style is None or not view.shows_at(layer.scales):
                continue

            def so_far(above: np.ndarray, layer: Layer = layer) -> None:
                nonlocal found
                if on_partial is not None and time.monotonic() - found > PARTIAL_S:
                    whole = image.copy()
                    self._lay_run(whole, list(run))
                    _lay(whole, above, layer)
                    on_partial(Frame(whole, view, notes=dict(frame.notes)))
                    found = time.monotonic()

            try:
                picture = self._layer(layer, view, check, so_far)
            except Exception as error:
                frame.faults[layer.id] = self.fault(layer, error)
                continue
            drawn = picture.drawn
            if many and layer.blend == Blend.NORMAL:
                run.append(PaleLayer(picture, layer.opacity))
            else:
                self._lay_run(image, run)
                if blank and layer.blend == Blend.NORMAL and layer.opacity == 1.0:
                    image[picture.top : picture.top + len(picture.image)] = picture.image
                else:
                    _lay(image, picture.image, layer, picture.top)
            blank = False
            if drawn.note:
                frame.notes[layer.id] = drawn.note
            if drawn.limits:
                frame.limits[layer.id] = drawn.limits
            if drawn.unfinished:
                unfinished.append(layer.ref)
            if drawn.coming:
                coming.append(layer.ref)
            if drawn.failing:
                failing.append(layer.ref)
        self._lay_run(image, run)
        _blank_beyond_poles(image, view)
        if picked:
            self._pick(image, layers, view, picked, frame.faults)
        labels = self._labels(layers, view, measure, frame.faults, check) if measure else ()
        return Frame(
            image,
            view,
            frame.faults,
            frame.notes,
            frame.limits,
            tuple(unfinished),
            tuple(coming),
            tuple(failing),
            labels,
        )

    def outlines(self, layer: Layer, view: View, check: Callable[[], None] = lambda: None) -> list[Outlined] | None:
        """Return what a layer is drawn of, bottom first, in pixels of a view of density 1; None where it is drawn of
        pixels."""
        return self.painters[layer.kind].outlines(self.cache, layer, view, check)

    def labels(
        self, layers: Sequence[Layer], view: View, measure: Measure, check: Callable[[], None] = lambda: None
    ) -> tuple[PlacedLabel, ...]:
        """Return the labels of layers (bottom first), placed the same wherever the map was before. `measure` gives the
        size of a text."""
        return self._labels(layers, view, measure, {}, check, before={})

    def _lay_run(self, image: np.ndarray, run: list[PaleLayer]) -> None:
        """Lay some layers on a picture and empty their list; laying one over another is associative, so that a few side
        by side are laid together once, and a few of those. Source: T. Porter and T. Duff (1984), "Compositing digital
        images", Computer Graphics 18(3)."""
        nodes = list(run)
        while len(nodes) > FAN:
            nodes = [self._together(nodes[first : first + FAN], image.shape[1]) for first in range(0, len(nodes), FAN)]
        for picture, opacity in nodes:
            _lay_pale(image, picture, opacity)
        run.clear()

    def _together(self, nodes: list[PaleLayer], width: int) -> PaleLayer:
        """Return a few pictures laid over each other as one, made once for them."""
        if len(nodes) == 1:
            return nodes[0]
        key = tuple((picture.number, opacity) for picture, opacity in nodes)
        with self._lock:
            stored = self._together_stored.get(key)
            if stored is not None:
                self._together_stored.move_to_end(key)
                return stored
        filled = [picture for picture, _ in nodes if len(picture.image)]
        top = min((picture.top for picture in filled), default=0)
        end = max((picture.top + len(picture.image) for picture in filled), default=0)
        image = np.zeros((end - top, width, 4), np.uint8)
        for picture, opacity in nodes:
            _lay_pale(image, picture, opacity, top)
        made = PaleLayer(StoredPicture(image, top, nodes[0].picture.view, Drawn()), 1.0)
        with self._lock:
            self._together_stored[key] = made
            size = sum(each.picture.image.nbytes for each in self._together_stored.values())
            while size > stored_budget() // 3:
                size -= self._together_stored.popitem(last=False)[1].picture.image.nbytes
        return made

    def fault(self, layer: Layer, error: Exception) -> str:
        """Return what is reported of a layer that could not be drawn; the others are drawn all the same."""
        if isinstance(error, AtlasError):
            return str(error)
        log.warning("%s can't be drawn", layer.name, exc_info=error)
        return tr(
            "{name}: it can't be drawn ({name__}: {error}). Open it again, or change its style.",
            name=layer.name,
            name__=type(error).__name__,
            error=error,
        )

    def _labels(
        self,
        layers: Sequence[Layer],
        view: View,
        measure: Measure,
        faults: dict[str, str],
        check: Callable[[], None],
        before: dict[str, dict[int, int]] | None = None,
    ) -> tuple[PlacedLabel, ...]:
        """Place the labels of all layers in view: by their priority, then the top layer first. `before` are those of
        the picture before, by layer and feature; those of the last one where that is None."""
        room, placed = Room(), []
        stored = self._placed if before is None else before
        wanted: list[tuple[Layer, LabelsWanted]] = []
        for layer in reversed(layers):
            if not layer.visible or layer.style is None or layer.id in faults or not view.shows_at(layer.scales):
                continue
            check()
            painter = self.painters[layer.kind]
            try:
                placed += self._fixed(painter.texts(self.cache, layer, view), view, measure, room)
                wanted += [(layer, labels) for labels in painter.labels(self.cache, layer, view)]
            except Exception as error:
                faults[layer.id] = self.fault(layer, error)
        slots: dict[str, dict[int, int]] = {}
        for layer, labels in sorted(wanted, key=lambda each: -each[1].look.priority):
            check()
            try:
                found = self._place(stored.get(layer.id, {}), labels, view, measure, room)
            except Exception as error:
                faults[layer.id] = self.fault(layer, error)
                continue
            slots.setdefault(layer.id, {}).update({label.feature: label.slot for label in found})
            placed += found
        stored.update(slots)
        return tuple(placed)

    def _fixed(self, texts: list[FixedText], view: View, measure: Measure, room: Room) -> list[PlacedLabel]:
        """Return the texts on symbols as labels that stand; labels that are placed after them keep clear."""
        placed = []
        for text in texts:
            width, height = measure(text.text, text.look.size * view.density)
            px, py = view.plane.to_pixel(text.x, text.y)
            room.take((px - width / 2, py - height / 2, px + width / 2, py + height / 2))
            placed.append(PlacedLabel(text.text, *view.off_plane(text.x, text.y), 0.0, text.look, -1, 0))
        return placed

    def _place(
        self, before: Mapping[int, int], wanted: LabelsWanted, view: View, measure: Measure, room: Room
    ) -> list[PlacedLabel]:
        """Return the labels of a layer that find room, in each copy of the Earth in view."""
        found = []
        for world in view.in_worlds():
            placed = place_labels(
                wanted.index, wanted.anchors, wanted.look, wanted.symbol, world.plane, measure, room, before,
                wanted.shown,
            )  # fmt: skip
            for label in placed:
                x, y = view.off_plane(label.x, label.y)
                anchor = label.anchor
                if anchor is not None:
                    ax, ay = view.off_plane(*anchor)
                    anchor = ax + view.x - world.x, ay
                found.append(replace(label, x=x + view.x - world.x, y=y, anchor=anchor))
        return found

    def _pick(
        self, image: np.ndarray, layers: Sequence[Layer], view: View, picked: Picked, faults: dict[str, str]
    ) -> None:
        for layer in layers:
            if layer.id == picked.layer_id and layer.visible and layer.style is not None and layer.id not in faults:
                self.painters[layer.kind].paint_picked(self.cache, layer, image, view, picked.rows)

    def _layer(
        self, layer: Layer, view: View, check: Callable[[], None], so_far: Callable[[np.ndarray], None]
    ) -> StoredPicture:
        """Return a layer's picture: a stored one, one moved and mended at its edges, or a new one."""
        key = self._key(layer, view)
        with self._lock:
            stored = self._stored.get(key)
            if stored is not None:
                self._stored.move_to_end(key)
        if stored is not None and stored.view == view:
            return stored
        image = np.zeros((view.height, view.width, 4), np.uint8)
        drawn = (
            self._mend(layer, stored, image, view, check)
            if stored is not None and self._may_move(layer, stored)
            else None
        )
        if drawn is None:
            drawn = self._draw(layer, image, view, check, lambda: so_far(image))
        picture = _cropped(image, view, drawn)
        if not (drawn.unfinished or drawn.coming or drawn.failing):
            self._store(key, picture)
        return picture

    def _key(self, layer: Layer, view: View) -> PictureKey:
        """Return what a layer's picture is stored under; that of a layer that is the same value as before, at once."""
        seen = view.crs, view.turn, view.resolution, view.density, view.width, view.height
        known = self._keys.get(layer.id)
        if known is not None and known[0] is layer and known[1] == seen:
            return known[2]
        key = PictureKey((layer.ref, layer.style, layer.rows.map_inputs, *seen))
        self._keys[layer.id] = layer, seen, key
        return key

    def _store(self, key: PictureKey, picture: StoredPicture) -> None:
        """Store a picture for the next frame, within the budget."""
        with self._lock:
            before = self._stored.pop(key, None)
            self._stored[key] = picture
            self._stored_bytes += picture.image.nbytes - (before.image.nbytes if before is not None else 0)
            while self._stored_bytes > stored_budget() and len(self._stored) > 1:
                self._stored_bytes -= self._stored.popitem(last=False)[1].image.nbytes

    def _mend(
        self, layer: Layer, stored: StoredPicture, image: np.ndarray, view: View, check: Callable[[], None]
    ) -> Drawn | None:
        """Fill a clear picture from a stored one and draw the pieces that came into view; None, and the
        picture left clear, where too little is shared."""
        missing = _move(stored, image, view)
        if missing is None:
            return None
        made = stored.drawn
        for piece, rows, cols in missing:
            part = np.zeros((piece.height, piece.width, 4), np.uint8)
            drawn = self._draw(layer, part, piece, check, lambda: None)
            image[rows, cols] = part
            if drawn.coming or drawn.failing:
                made = drawn
        return made

    def _draw(
        self, layer: Layer, image: np.ndarray, view: View, check: Callable[[], None], on_partial: Callable[[], None]
    ) -> Drawn:
        return self.painters[layer.kind].paint(self.cache, layer, image, view, check, on_partial)

    def _may_move(self, layer: Layer, stored: StoredPicture) -> bool:
        """Return whether a stored picture can be moved: not where colours follow the view, nor where things are left
        out by how many are in view."""
        return not stored.drawn.note and self.painters[layer.kind].may_move(layer)

    def forget(self, places: Collection[DataRef] | None = None) -> None:
        """Drop the pictures of layers of some places, or all, after the data there has changed."""
        with self._lock:
            for key in [k for k in self._stored if places is None or k[0].whole in places]:
                self._stored_bytes -= self._stored.pop(key).image.nbytes
            self._together_stored.clear()
            self._keys.clear()


@cache
def stored_budget() -> int:
    """Return how many bytes the pictures of layers may take."""
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")
    return min(STORED_BYTES, int(memory * STORED_SHARE))


def _cropped(image: np.ndarray, view: View, drawn: Drawn) -> StoredPicture:
    """Return a picture without the empty rows above and below."""
    filled = np.flatnonzero(image.reshape(len(image), -1).view(np.uint32).any(axis=1))
    if not filled.size:
        return StoredPicture(image[:0].copy(), 0, view, drawn)
    top, end = int(filled[0]), int(filled[-1]) + 1
    cropped = image if end - top > CROPPED_SHARE * len(image) else image[top:end].copy()
    return StoredPicture(cropped, 0 if cropped is image else top, view, drawn)


def _blank_beyond_poles(image: np.ndarray, view: View) -> None:
    """Clear what lies beyond 90 degrees of latitude: grids with a cell around the pole reach there."""
    extent = view.extent
    if view.crs is None or (extent.ymax <= 90.0 and extent.ymin >= -90.0) or not is_geographic(view.crs):
        return
    lattice = view.lattice
    rows, columns = np.arange(view.height)[:, None] + 0.5, np.arange(view.width)[None] + 0.5
    image[np.abs(lattice.to_map(columns, rows)[1]) > 90.0] = 0


def _lay_pale(image: np.ndarray, picture: StoredPicture, opacity: float, first: int = 0) -> None:
    """Lay a picture on rows of a larger one, which begin at its row `first`."""
    above, top = picture.image, picture.top - first
    under = image[top : top + len(above)]
    if len(above):
        in_pieces(
            len(above), CORES, lambda a, b: blend(under, above, opacity, NORMAL, a, b)
        )  # even work: a piece a core


def _lay(image: np.ndarray, above: np.ndarray, layer: Layer, top: int = 0) -> None:
    mode, opacity, under = BLENDS[layer.blend], layer.opacity, image[top : top + len(above)]
    in_pieces(len(above), CORES, lambda a, b: blend(under, above, opacity, mode, a, b))


def _move(stored: StoredPicture, image: np.ndarray, view: View) -> list[tuple[View, slice, slice]] | None:
    """Copy what a stored picture shows of `view`; return the pieces that are missing, or None where
    too little is shared."""
    (left, upper), (old_left, old_upper) = view.origin, stored.view.origin
    dx, dy = round((left - old_left) / view.resolution), round((old_upper - upper) / view.resolution)
    wide, tall = view.width - abs(dx), view.height - abs(dy)
    if wide <= 0 or tall <= 0 or wide * tall < LEAST_SHARED * view.width * view.height:
        return None
    rows = slice(max(0, -dy), max(0, -dy) + tall)
    cols = slice(max(0, -dx), max(0, -dx) + wide)
    whole = stored.whole
    image[rows, cols] = whole[rows.start + dy : rows.stop + dy, cols.start + dx : cols.stop + dx]
    missing = []
    if dy:
        strip = slice(rows.stop, view.height) if dy > 0 else slice(0, rows.start)
        missing.append((view.piece(0, strip.start, view.width, strip.stop - strip.start), strip, slice(None)))
    if dx:
        side = slice(cols.stop, view.width) if dx > 0 else slice(0, cols.start)
        missing.append((view.piece(side.start, rows.start, side.stop - side.start, tall), rows, side))
    return missing


def extent_of(cache: DataCache, layers: Sequence[Layer], crs: str | None) -> Extent | None:
    """Return the extent of all `layers` together in `crs`; None where none has one."""
    found = []
    for layer in layers:
        extent = cache.part(layer.ref).facts.extent
        placed = transform_extent(extent, crs) if extent else None
        if placed and placed.is_finite:
            found.append(_around_antimeridian(cache, layer, placed))
    return Extent.around(found)


def _around_antimeridian(cache: DataCache, layer: Layer, placed: Extent) -> Extent:
    """Return the extent of a layer the short way around the Earth, where it seems to reach over half of it."""
    domain = domain_of(placed.crs)
    if domain is None or not domain.world or placed.width < domain.world / 2 or not layer.kind.has_shapes:
        return placed
    if is_stream(cache, layer.ref):
        return placed
    bounds = cache.shapes_in(layer.ref, placed.crs).paths_bounds
    bounds = bounds[np.isfinite(bounds[:, 0])]
    if not len(bounds):
        return placed
    west, east = shortest_around(bounds[:, 0], bounds[:, 2], domain.world)
    return replace(placed, xmin=west, xmax=east)
