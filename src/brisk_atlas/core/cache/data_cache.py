"""What has been opened and read so far, shared by all rooms and safe for threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from brisk_atlas.core.model import (
    ALL_POINTS,
    EVERYTHING,
    NO_OPTIONS,
    CannotRead,
    CloudPart,
    DataRef,
    Dataset,
    FeatureQuery,
    OpenOptions,
    Part,
    PointQuery,
    RasterPart,
    RowsPart,
    TablePart,
    VectorPart,
    refusing,
)
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.read.apply_options import apply_options, reads_alike
from brisk_atlas.core.read.permissions import check_host
from brisk_atlas.core.read.registry import open_as_stored

from .budget import large_blocks_apart, memory_budget, size_of
from .coming import ComingFeatures

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.model.cloud import Points
    from brisk_atlas.core.model.shapes import Features, Shapes
    from brisk_atlas.core.read.field_meanings import FieldMeaning
    from brisk_atlas.core.read.shape_index import ShapeIndex

DATASETS = ("dataset", "stored dataset")  # what a place holds, which is small unless it had to be parsed
SMALL = 100_000  # bytes; what takes less is not worth dropping


class DataCache:
    """Holds datasets and their data in memory. The first to ask reads; others wait for it.

    What was read takes no more than a budget of bytes: what was not asked for longest goes first, and is read
    again when it is needed.
    """

    def __init__(self, budget: int | None = None) -> None:
        large_blocks_apart()
        self._lock = threading.Lock()
        self._held: OrderedDict[Hashable, Any] = OrderedDict()
        self._latest: OrderedDict[Hashable, tuple[Hashable, Any]] = OrderedDict()
        self._sizes: dict[Hashable, int] = {}
        self._keys_of: dict[DataRef, set[Hashable]] = {}  # what is held of each place
        self._gates: dict[Hashable, threading.Lock] = {}
        self._generations: dict[DataRef, int] = {}  # how often a place was forgotten
        self.budget = budget if budget is not None else memory_budget()
        self.options: dict[DataRef, OpenOptions] = {}  # what the analyst stated about files

    def _once(self, key: Hashable, make: Callable[[], Any]) -> Any:
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
            gate = self._gates.setdefault(key, threading.Lock())
        with gate:
            with self._lock:
                if key in self._held:
                    return self._held[key]
                generation = self._generation(key)
            try:
                made = make()
                size = size_of(made)
                with self._lock:
                    if self._generation(key) == generation:  # else it was forgotten while it was read
                        self._held[key] = made
                        self._note(key, size)
            finally:
                with self._lock:
                    self._gates.pop(key, None)
            return made

    def use_budget(self, budget: int | None) -> None:
        """Take another budget in bytes, None for a share of the machine's memory, and drop what is beyond it."""
        with self._lock:
            self.budget = budget if budget is not None else memory_budget()
            self._shrink(None)

    def _generation(self, key: Hashable) -> int:
        return sum(self._generations.get(ref, 0) for ref in _places_in(key))

    def _note(self, key: Hashable, size: int) -> None:
        """Count what was just stored, and make room for it. Called with the lock held."""
        self._sizes[key] = size
        for place in _places_in(key):
            self._keys_of.setdefault(place, set()).add(key)
        self._shrink(key)

    def _shrink(self, newest: Hashable) -> None:
        """Drop what was not asked for longest until the rest is within the budget. Called with the lock held."""
        total = sum(self._sizes.values())
        for held in (self._latest, self._held):
            for key in list(held):
                if total <= self.budget:
                    return
                size = self._sizes.get(key, 0)
                if key != newest and size > SMALL:
                    self._discard(key)
                    total -= size

    def _discard(self, key: Hashable) -> None:
        """Drop what is stored for a key. Called with the lock held."""
        dropped = self._held.pop(key, None)
        if isinstance(dropped, ComingFeatures):
            dropped.give_up()
        self._latest.pop(key, None)
        self._sizes.pop(key, None)
        for place in _places_in(key):
            self._keys_of[place].discard(key)
            if not self._keys_of[place]:
                del self._keys_of[place]

    @property
    def size(self) -> int:
        """Return about how many bytes are held."""
        with self._lock:
            return sum(self._sizes.values())

    def dataset(self, ref: DataRef) -> Dataset:
        """Return the dataset at a place. Raises CannotRead, for an address whose host was not allowed too."""
        ref = ref.whole
        if not ref.is_local and not ref.is_inline:
            check_host(ref)
        return self._once(("dataset", ref), lambda: self._opened(ref, self.options.get(ref, NO_OPTIONS)))

    def _opened(self, ref: DataRef, options: OpenOptions) -> Dataset:
        """Return a dataset with what was stated about it; it is parsed anew only where that changes how."""
        key = ("stored dataset", ref)
        with self._lock:
            held = self._held.get(key)
            if held is not None and not reads_alike(held[0], held[1], options):
                del self._held[key]
        stored, _ = self._once(key, lambda: (open_as_stored(ref, options, to_draw=True), options))
        with refusing(ref):
            return apply_options(stored, options)

    def set_options(self, ref: DataRef, options: OpenOptions) -> None:
        """Open what lies at a place with options from now on."""
        if self.options.get(ref) != options:
            self.options[ref] = options
            self._drop(ref.whole, lambda key: _first(key) != "stored dataset")

    def hold(self, dataset: Dataset) -> None:
        """Have a dataset that was made here be what lies at the place of its reference."""
        self._once(("dataset", dataset.ref.whole), lambda: dataset)

    def peek(self, ref: DataRef) -> Dataset | None:
        """Return the dataset if it is open already, without reading."""
        with self._lock:
            return self._held.get(("dataset", ref.whole))

    def part(self, source: DataRef) -> Part:
        """Return one part. Raises CannotRead, also when the file no longer has it."""
        try:
            return self.dataset(source).part_of(source)
        except KeyError as error:
            remedy = "Open it again from Find."
            raise CannotRead(
                source.whole, tr("it has no part called {args} any more", args=error.args[0]), remedy
            ) from error

    def raster(self, source: DataRef) -> RasterPart:
        """Return a part that is a grid. Raises CannotRead."""
        return cast(RasterPart, self.part(source))

    def features(self, source: DataRef) -> Features:
        """Return a vector part's features, read once."""
        return self._once(("features", source), lambda: self._all_features(source))

    def _all_features(self, source: DataRef) -> Features:
        if not cast(VectorPart, self.part(source)).paged:
            return self.read_features(source)
        key = ("coming", source)
        try:
            found = self.coming(source).whole()
        finally:
            with self._lock:
                if key in self._held:
                    self._discard(key)
        return found if source.crs is None else replace(found, crs=source.crs)

    def coming(self, source: DataRef) -> ComingFeatures:
        """Return a part's features on their way, page by page; the first to ask begins, as does the first after it
        failed."""
        key = ("coming", source)
        with self._lock:
            if key in self._held and self._held[key].failed:
                self._discard(key)
        return self._once(key, lambda: ComingFeatures(cast(VectorPart, self.part(source))))

    def has_features(self, source: DataRef) -> bool:
        """Return whether all of a part's features are in memory."""
        with self._lock:
            return ("features", source) in self._held

    def read_features(
        self, source: DataRef, query: FeatureQuery = EVERYTHING, arriving: Callable[[Features], None] | None = None
    ) -> Features:
        """Return features of a vector part, read now, in the CRS that the reference states. `arriving` is given pieces
        of them as `VectorPart.read_arriving` says."""

        def in_stated_crs(found: Features) -> Features:
            return found if source.crs is None else replace(found, crs=source.crs)

        part = cast(VectorPart, self.part(source))
        if arriving is None:
            return in_stated_crs(part.read(query))
        return in_stated_crs(part.read_arriving(query, lambda piece: arriving(in_stated_crs(piece))))

    def _read_points(
        self, source: DataRef, query: PointQuery, report: Callable[[float], None] = lambda share: None
    ) -> Points:
        points = cast(CloudPart, self.part(source)).read(query, report)
        return points if source.crs is None else replace(points, crs=source.crs)

    def shapes_in(self, source: DataRef, crs: str | None) -> Shapes:
        """Return a vector part's geometry in `crs`, transformed once."""
        from brisk_atlas.core.place.seams import is_as_stored, shapes_across

        features = self.features(source)
        if is_as_stored(features.shapes, features.crs, crs):
            return features.shapes
        return self._once(("shapes", source, crs), lambda: shapes_across(features.shapes, features.crs, crs))

    def shape_index(self, source: DataRef, crs: str | None) -> ShapeIndex:
        """Return the index of a vector part's geometry in `crs`, made once."""
        from brisk_atlas.core.read.shape_index import index_of

        return self._once(("shape index", source, crs), lambda: index_of(self.shapes_in(source, crs)))

    def points(self, source: DataRef, report: Callable[[float], None] = lambda share: None) -> Points:
        """Return a cloud's points, read once; the first to ask gets its progress."""
        return self._once(("points", source), lambda: self._read_points(source, ALL_POINTS, report))

    def points_so_far(self, source: DataRef, at_once: int, names: tuple[str, ...]) -> tuple[Points, bool]:
        """Return a cloud's points and whether they are all: those of one of more than `at_once` that
        has not been read yet are about as many, spread over it, with the dimensions `names` alone."""
        with self._lock:
            whole = ("points", source) in self._held
        part = cast(CloudPart, self.part(source))
        if whole or (part.facts.count or 0) <= at_once:
            return self.points(source), True
        return self._once(
            ("some points", source, names), lambda: self._read_points(source, PointQuery(at_once, names))
        ), False

    def table(self, source: DataRef) -> pa.Table:
        """Return the rows of a vector or table part."""
        if isinstance(self.part(source), TablePart):
            return self.attributes(source)
        return self.features(source).table

    def attributes(self, source: DataRef) -> pa.Table:
        """Return the attributes of a part alone; what reads them as they are asked for, where columns lie apart."""
        from brisk_atlas.core.read.lazy_table import rows_when_asked

        return self._once(("attributes", source), lambda: rows_when_asked(cast(RowsPart, self.part(source))))

    def field_meanings(self, source: DataRef) -> dict[str, FieldMeaning]:
        """Return what is stated of the fields of a part, by field name; asked once."""
        from brisk_atlas.core.read.field_meanings import meanings_of

        return self._once(("field meanings", source), lambda: meanings_of(self.dataset(source), source.part or ""))

    def derive(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return what `make` returns, made once for `key`: room for what is derived from a source."""
        return self._once(key, make)

    def derive_latest(self, key: Hashable, state: Hashable, make: Callable[[], Any]) -> Any:
        """Return what `make` returns, made anew whenever `state` differs; only the latest is stored."""
        with self._lock:
            held = self._latest.get(key)
            if held is not None:
                self._latest.move_to_end(key)
            generation = self._generation(key)
        if held is not None and held[0] == state:
            return held[1]
        made = make()
        size = size_of(made)
        with self._lock:
            if self._generation(key) == generation:
                self._latest[key] = (state, made)
                self._note(key, size)
        return made

    def latest(self, key: Hashable) -> tuple[Any, Any] | None:
        """Return the state and what is stored for it, without making it."""
        with self._lock:
            return self._latest.get(key)

    def clear(self) -> None:
        """Drop everything, at the end."""
        with self._lock:
            self._held.clear()
            self._latest.clear()
            self._sizes.clear()
            self._keys_of.clear()

    def forget(self, ref: DataRef) -> None:
        """Drop everything read from the place of `ref`, so that it is read anew."""
        self._drop(ref.whole, lambda key: True)

    def release(self, ref: DataRef) -> None:
        """Drop the data read from the place of `ref`, as no layer shows it any more; what it is stays known."""
        self._drop(ref.whole, lambda key: _first(key) not in DATASETS or self._sizes.get(key, 0) > SMALL)

    def _drop(self, place: DataRef, which: Callable[[Hashable], bool]) -> None:
        with self._lock:
            self._generations[place] = self._generations.get(place, 0) + 1
            for key in [key for key in self._keys_of.get(place, ()) if which(key)]:
                self._discard(key)


def _first(key: Hashable) -> Hashable:
    return key[0] if isinstance(key, tuple) and key else key


def _places_in(key: Hashable) -> set[DataRef]:
    if isinstance(key, DataRef):
        return {key.whole}
    return set().union(*map(_places_in, key)) if isinstance(key, tuple) else set()
