"""Lines and areas that are drawn on the map, measured in the background."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from brisk_atlas.core.model import Layer, bands_of
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session

if TYPE_CHECKING:
    import numpy as np

    from brisk_atlas.core.inspect.measured import Measured

UNITS_OF_HEIGHT = ("m", "ft", "metre", "meters")


class Measuring:
    """One measure at a time: the next one cancels it."""

    def __init__(self, session: Session) -> None:
        self.session = session
        self._job: Job | None = None

    def measure(self, xy: np.ndarray, *, closed: bool, ended: bool, done: Callable[[Measured], None]) -> None:
        """Measure a line, or an area if it is `closed`; `xy` is (n, 2), in the CRS of the map. The surface is followed
        once drawing has ended: before, only what takes no time is measured."""
        crs, cache = self.session.work.state.crs, self.session.cache
        heights = self._heights() if ended else None
        if self._job is not None:
            self._job.cancel()

        def ask(job: Job) -> Measured:
            from brisk_atlas.core.inspect.measured import measure

            return measure(cache, xy, crs, closed=closed, heights=heights)

        self._job = self.session.run(tr("Measuring"), ask, done, shown=False)

    def _heights(self) -> Layer | None:
        """Return the elevation to follow the surface on: the subject, else the topmost grid of heights."""
        work = self.session.work
        layers = [layer for layer in (work.subject, *work.layers) if layer is not None and layer.kind.has_cells]
        for layer in layers:
            facts = self.session.facts_of(layer)
            bands = bands_of(layer.style)
            if facts is None or facts.grid is None or len(bands) != 1:
                continue
            band = facts.grid.bands[bands[0] - 1]
            if band.unit in UNITS_OF_HEIGHT and layer.visible:
                return layer
        return None
