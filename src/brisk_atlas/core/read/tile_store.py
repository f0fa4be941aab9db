"""Tiles in memory: decoded once, fetched in the background, those of the latest view first."""

from __future__ import annotations

import logging
import threading
import time
from collections import OrderedDict
from collections.abc import Callable, Sequence
from io import BytesIO

import numpy as np
from PIL import Image
from rasterio.errors import RasterioError
from rasterio.io import MemoryFile

from brisk_atlas.core.connect.ows import picture_problem
from brisk_atlas.core.connect.service import Coverage, Pictures, TileSource
from brisk_atlas.core.connect.stored_answers import StoredAnswer
from brisk_atlas.core.model import AtlasError, CannotRead, DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

log = logging.getLogger(__name__)
MEMORY_BYTES = 256_000_000
FETCHERS = 8  # threads; each host is asked fewer questions at once
MAX_SIDE = 4096  # pixels of a tile
FORGIVE_S = 4.0  # until a tile that failed is asked for again
STALE_S = 0.3  # a tile that the latest wishes for its layer left out for so long is no longer waited for
NO_TILE = np.zeros((0, 0, 4), np.uint8)  # a tile that the server does not have

Key = tuple[tuple[str, str], TilePlace]  # of a source, and where


def picture_in(pictures: Pictures, body: bytes, media_type: str) -> np.ndarray:
    """Return (rows, cols, 4) uint8 premultiplied RGBA of a tile. Raises CannotRead for what is no picture."""
    try:
        with Image.open(BytesIO(body)) as image:
            if max(image.size) > MAX_SIDE:
                raise CannotRead(
                    pictures.ref,
                    tr("a tile has {size:,} x {size2:,} pixels", size=image.size[0], size2=image.size[1]),
                    tr("Tell its owner."),
                )
            pixels = np.asarray(image.convert("RGBA"))
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise picture_problem(pictures.ref, StoredAnswer(media_type, body)) from error
    if pixels[..., 3].min(initial=255) == 255:
        return pixels
    alpha = pixels[..., 3:].astype(np.uint16)
    colour = ((pixels[..., :3] * alpha + 127) // 255).astype(np.uint8)
    return np.dstack([colour, pixels[..., 3]])


def cells_in(coverage: Coverage, body: bytes, media_type: str) -> np.ndarray:
    """Return (rows, cols, bands) float32 of a tile of numbers, NaN without data. Raises CannotRead."""
    try:
        with MemoryFile(body) as file, file.open() as source:
            if max(source.shape) > MAX_SIDE:
                raise CannotRead(
                    coverage.ref,
                    tr("a tile has {width:,} x {height:,} cells", width=source.width, height=source.height),
                    tr("Tell its owner."),
                )
            values = source.read(masked=True).astype(np.float32)
    except (RasterioError, OSError, ValueError) as error:
        raise picture_problem(coverage.ref, StoredAnswer(media_type, body)) from error
    found = values.filled(np.nan)
    if coverage.nodata is not None:
        found[found == np.float32(coverage.nodata)] = np.nan
    return np.ascontiguousarray(np.moveaxis(found, 0, 2))


def fetch_tile(source: TileSource, place: TilePlace, check: Callable[[], None] = lambda: None) -> np.ndarray:
    """Return a tile as an array, NO_TILE where the server has none. Raises CannotRead."""
    if isinstance(source, Coverage) and (cells := source.cells(place, check)) is not None:
        return cells
    answer = source.tile(place, check)
    if answer is None:
        return NO_TILE
    if isinstance(source, Coverage):
        return cells_in(source, answer.body, answer.media_type)
    assert isinstance(source, Pictures)
    return picture_in(source, answer.body, answer.media_type)


class TileStore:
    """Tiles of all services, the longest unused of which go first. Safe for threads.

    Whoever draws asks `now` for what is there and `want` for what is missing; `listen` hears of each tile that came.
    """

    def __init__(self, budget: int = MEMORY_BYTES, fetchers: int = FETCHERS) -> None:
        self._tiles: OrderedDict[Key, np.ndarray] = OrderedDict()
        self._bytes, self._budget = 0, budget
        self._failed: dict[Key, tuple[float, str]] = {}
        self._waiting: OrderedDict[Key, tuple[float, TileSource]] = OrderedDict()  # the newest wish last
        self._asked: dict[Key, float] = {}  # those that are being fetched
        self._latest: dict[tuple[str, str], float] = {}  # when a layer was wanted last
        self._news = threading.Condition()
        self._threads: list[threading.Thread] = []
        self._fetchers = fetchers
        self._listeners: list[Callable[[DataRef], None]] = []

    def listen(self, listener: Callable[[DataRef], None]) -> None:
        """Have a function called with the layer whose tile came or failed, on a thread of the store."""
        self._listeners.append(listener)

    def unlisten(self, listener: Callable[[DataRef], None]) -> None:
        """Have a function called no more."""
        if listener in self._listeners:
            self._listeners.remove(listener)

    def now(self, source: TileSource, place: TilePlace) -> np.ndarray | None:
        """Return a tile that is in memory."""
        key = (source.key, place)
        with self._news:
            found = self._tiles.get(key)
            if found is not None:
                self._tiles.move_to_end(key)
            return found

    def want(self, source: TileSource, places: Sequence[TilePlace]) -> list[str]:
        """Have tiles fetched, the first of them first, before what others wait for; returns why some failed lately,
        which are not asked for again at once."""
        now, name, reasons = time.monotonic(), source.key, []
        with self._news:
            self._latest[name] = now
            for place in reversed(places):
                key = (name, place)
                failed = self._failed.get(key)
                if failed is not None and now - failed[0] < FORGIVE_S:
                    reasons.append(failed[1])
                elif key in self._asked:
                    self._asked[key] = now
                else:
                    self._waiting[key] = (now, source)
                    self._waiting.move_to_end(key)
            self._news.notify_all()
            while len(self._threads) < min(self._fetchers, len(self._waiting)):
                self._threads.append(threading.Thread(target=self._work, name="tiles", daemon=True))
                self._threads[-1].start()
        return reasons

    def wait(self, source: TileSource, places: Sequence[TilePlace], check: Callable[[], None] = lambda: None) -> None:
        """Wait until tiles are there or have failed. `check` may raise to stop."""
        name = source.key
        while True:
            check()
            with self._news:
                keys = {(name, place) for place in places}
                if not keys & (self._waiting.keys() | self._asked.keys()):
                    return
                self._news.wait(0.05)

    def put(self, source: TileSource, place: TilePlace, tile: np.ndarray) -> None:
        """Hold a tile."""
        key = (source.key, place)
        with self._news:
            before = self._tiles.pop(key, None)
            self._tiles[key] = tile
            self._bytes += tile.nbytes - (before.nbytes if before is not None else 0)
            self._failed.pop(key, None)
            while self._bytes > self._budget and len(self._tiles) > 1:
                self._bytes -= self._tiles.popitem(last=False)[1].nbytes

    def forget(self, ref: DataRef | None = None) -> None:
        """Drop the tiles of a layer, or all."""
        with self._news:
            for key in [key for key in self._tiles if ref is None or key[0][0] == str(ref)]:
                self._bytes -= self._tiles.pop(key).nbytes
            self._failed.clear()

    def _next(self) -> tuple[Key, TileSource]:
        """Return the tile to fetch next, the one wanted last; those that no view wants any more are dropped."""
        with self._news:
            while True:
                while self._waiting:
                    key, (stamp, source) = self._waiting.popitem()
                    if self._latest[key[0]] - stamp <= STALE_S:
                        self._asked[key] = stamp
                        return key, source
                self._news.wait()

    def _work(self) -> None:
        while True:
            key, source = self._next()
            place = key[1]

            def check(key: Key = key) -> None:
                if self._latest[key[0]] - self._asked.get(key, 0.0) > STALE_S:
                    raise _NotWanted

            reason = ""
            try:
                self.put(source, place, fetch_tile(source, place, check))
            except _NotWanted:
                pass
            except AtlasError as error:
                reason = error.reason
            except Exception as error:
                log.warning("a tile of %s failed", source.ref.name, exc_info=True)
                reason = f"{type(error).__name__}: {error}"
            with self._news:
                if reason:
                    self._failed[key] = (time.monotonic(), reason)
                self._asked.pop(key, None)
                self._news.notify_all()
            for listener in list(self._listeners):
                listener(source.ref)


class _NotWanted(BaseException):
    """No view wants the tile any more."""


TILES = TileStore()
