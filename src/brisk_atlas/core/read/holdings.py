"""What has been opened and read so far, shared by all rooms and safe for threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from pathlib import Path
from typing import TYPE_CHECKING, Any, cast

from brisk_atlas.core.model import (
    AS_IT_SAYS,
    CannotRead,
    CloudPart,
    Dataset,
    Part,
    RasterPart,
    Reading,
    TablePart,
    VectorPart,
)

from .budget import memory_budget, size_of
from .permissions import check_host
from .reach import is_remote
from .registry import open as open_dataset

if TYPE_CHECKING:
    import pyarrow as pa

    from brisk_atlas.core.model.cloud import Points
    from brisk_atlas.core.model.shapes import Features, Shapes

    from .shape_index import ShapeIndex

Source = tuple[Path, str]
SMALL = 100_000  # bytes; what takes less is not worth dropping


class Holdings:
    """Holds datasets and their data in memory. The first to ask reads; others wait for it.

    What was read takes no more than a budget of bytes: what was not asked for longest goes first, and is read
    again when it is needed.
    """

    def __init__(self, budget: int | None = None) -> None:
        self._lock = threading.Lock()
        self._held: OrderedDict[Hashable, Any] = OrderedDict()
        self._latest: OrderedDict[Hashable, tuple[Hashable, Any]] = OrderedDict()
        self._sizes: dict[Hashable, int] = {}
        self._gates: dict[Hashable, threading.Lock] = {}
        self._generations: dict[Path, int] = {}  # how often a path was forgotten
        self.budget = budget if budget is not None else memory_budget()
        self.readings: dict[Path, Reading] = {}  # what the analyst said about files

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
                        self._sizes[key] = size
                        self._shrink(key)
            finally:
                with self._lock:
                    self._gates.pop(key, None)
            return made

    def _generation(self, key: Hashable) -> int:
        return sum(self._generations.get(path, 0) for path in _paths_in(key))

    def _shrink(self, newest: Hashable) -> None:
        """Drop what was not asked for longest until the rest is within the budget. Called with the lock held."""
        total = sum(self._sizes.values())
        for held in (self._latest, self._held):
            for key in list(held):
                if total <= self.budget:
                    return
                if key != newest and self._sizes.get(key, 0) > SMALL:
                    del held[key]
                    total -= self._sizes.pop(key, 0)

    @property
    def size(self) -> int:
        """Return about how many bytes are held."""
        with self._lock:
            return sum(self._sizes.values())

    def dataset(self, path: Path) -> Dataset:
        """Return the dataset at `path`. Raises CannotRead, for an address whose host was not allowed too."""
        if is_remote(path):
            check_host(path)
        return self._once(("dataset", path), lambda: open_dataset(path, self.readings.get(path, AS_IT_SAYS)))

    def say(self, path: Path, reading: Reading) -> None:
        """Take a file as the analyst says from now on."""
        if self.readings.get(path) != reading:
            self.readings[path] = reading
            self.forget(path)

    def peek(self, path: Path) -> Dataset | None:
        """Return the dataset if it is open already, without reading."""
        with self._lock:
            return self._held.get(("dataset", path))

    def part(self, source: Source) -> Part:
        """Return one part. Raises CannotRead, also when the file no longer has it."""
        path, name = source
        try:
            return self.dataset(path).part(name)
        except KeyError as error:
            raise CannotRead(path, f"it has no part called {name} any more", "Open it again from Find.") from error

    def raster(self, source: Source) -> RasterPart:
        return cast(RasterPart, self.part(source))

    def features(self, source: Source) -> Features:
        """Return a vector part's features, read once."""
        return self._once(("features", source), lambda: cast(VectorPart, self.part(source)).read())

    def shapes_in(self, source: Source, crs: str | None) -> Shapes:
        """Return a vector part's geometry in `crs`, transformed once."""
        from brisk_atlas.core.place import same_crs, transform

        features = self.features(source)
        if same_crs(features.crs, crs):
            return features.shapes
        return self._once(
            ("shapes", source, crs), lambda: features.shapes.moved(transform(features.shapes.xy, features.crs, crs))
        )

    def shape_index(self, source: Source, crs: str | None) -> ShapeIndex:
        """Return the index of a vector part's geometry in `crs`, made once."""
        from .shape_index import index_of

        return self._once(("shape index", source, crs), lambda: index_of(self.shapes_in(source, crs)))

    def points(self, source: Source, report: Callable[[float], None] = lambda share: None) -> Points:
        """Return a cloud's points, read once; the first to ask is told how far it is."""
        return self._once(("points", source), lambda: cast(CloudPart, self.part(source)).read(report))

    def points_so_far(self, source: Source, at_once: int, names: tuple[str, ...]) -> tuple[Points, bool]:
        """Return a cloud's points and whether they are all: those of one of more than `at_once` that
        has not been read yet are about as many, spread over it, with the dimensions `names` alone."""
        with self._lock:
            whole = ("points", source) in self._held
        part = cast(CloudPart, self.part(source))
        if whole or (part.facts.count or 0) <= at_once:
            return self.points(source), True
        return self._once(("some points", source, names), lambda: part.sample(at_once, names)), False

    def table(self, source: Source) -> pa.Table:
        """Return the rows of a vector or table part."""
        part = self.part(source)
        if isinstance(part, TablePart):
            return self._once(("table", source), part.rows)
        return self.features(source).table

    def attributes(self, source: Source) -> pa.Table:
        """Return the attributes of a vector part alone, for one whose geometry is not held."""
        return self._once(("attributes", source), cast(VectorPart, self.part(source)).attributes)

    def keep(self, key: Hashable, make: Callable[[], Any]) -> Any:
        """Return what `make` returns, made once for `key`: room for what is derived from a source."""
        return self._once(key, make)

    def keep_latest(self, key: Hashable, state: Hashable, make: Callable[[], Any]) -> Any:
        """Return what `make` returns, made anew whenever `state` differs; only the latest is kept."""
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
                self._sizes[key] = size
                self._shrink(key)
        return made

    def latest(self, key: Hashable) -> tuple[Any, Any] | None:
        """Return the state and what is kept for it, without making it."""
        with self._lock:
            return self._latest.get(key)

    def clear(self) -> None:
        """Drop everything, at the end."""
        with self._lock:
            self._held.clear()
            self._latest.clear()
            self._sizes.clear()

    def forget(self, path: Path) -> None:
        """Drop everything read from `path`, so that it is read anew."""
        self._drop(path, lambda key: True)

    def release(self, path: Path) -> None:
        """Drop the data read from `path`, as no layer shows it any more; what it is stays known."""
        self._drop(path, lambda key: not (isinstance(key, tuple) and key[:1] == ("dataset",)))

    def _drop(self, path: Path, which: Callable[[Hashable], bool]) -> None:
        with self._lock:
            self._generations[path] = self._generations.get(path, 0) + 1
            for held in (self._held, self._latest):
                for key in [k for k in held if path in _paths_in(k) and which(k)]:
                    del held[key]
                    self._sizes.pop(key, None)


def _paths_in(key: Hashable) -> set[Path]:
    if isinstance(key, Path):
        return {key}
    return set().union(*map(_paths_in, key)) if isinstance(key, tuple) else set()
