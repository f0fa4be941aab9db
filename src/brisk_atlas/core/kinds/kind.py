"""What a kind of layer says of itself: how it looks first, how it is drawn, probed, summed up and exported."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING

from brisk_atlas.core.model import AtlasError, DataKind
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    import numpy as np
    import pyarrow as pa

    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw.distribution import ValueDistribution
    from brisk_atlas.core.draw.layer_painter import LayerPainter
    from brisk_atlas.core.draw.legend import Legend
    from brisk_atlas.core.inspect import ProbeResult, Where
    from brisk_atlas.core.inspect.statistics import StatisticsSummary
    from brisk_atlas.core.model import Extent, Facts, Layer, Style
    from brisk_atlas.core.trust import TrustReport

Check = Callable[[], None]
Report = Callable[[float, str], None]


@dataclass(frozen=True)
class Piece:
    """What of a layer is to be written, and where. None means all of it, or as it is."""

    path: Path
    format: str
    fields: tuple[str, ...] | None = None  # or bands, by name
    rows: np.ndarray | None = None  # (n,) int64
    within: Extent | None = None
    clip: tuple[pa.Array, str | None] | None = None  # polygons as WKB, and their CRS
    crs: str | None = None
    resolution: float | None = None  # cell size in units of the result's CRS


class LayerKind:
    """One kind of layer; the methods that a kind does not override say that it has nothing of that.

    `style` is the type of its styles, None for what is not drawn; `painter` draws it; `formats` are those that a piece
    of it is exported in, by ending.
    """

    kind: DataKind
    style: type[Style] | None = None
    painter: LayerPainter | None = None
    formats: Mapping[str, str] = MappingProxyType({})

    def first_style(self, facts: Facts, number: int) -> Style | None:
        """Return the style that a part gets when it is opened; `number` tells layers apart."""
        return None

    def prepare(self, cache: DataCache, layer: Layer, report: Callable[[float], None]) -> None:
        """Do what makes a layer draw better than its first picture. `report` may raise to stop."""

    def legend(self, cache: DataCache, layer: Layer) -> Legend | None:
        """Return what the colours of a layer mean; reads what it needs. Raises BadExpression."""
        return None

    def distribution(self, cache: DataCache, layer: Layer) -> ValueDistribution | None:
        """Return the distribution of what colours a layer, None where colours do not run with numbers."""
        return None

    def probe(self, cache: DataCache, layer: Layer, where: Where, check: Check) -> ProbeResult | None:
        """Return what a layer has where the hand points, None for nothing."""
        return None

    def names(self, cache: DataCache, layer: Layer) -> list[str]:
        """Return what of a layer can be summed up: bands, fields of numbers, dimensions."""
        return []

    def statistics(
        self, cache: DataCache, layer: Layer, name: str, where: Where | None, check: Check
    ) -> tuple[StatisticsSummary | None, str]:
        """Return the summary of one of `names`, in an area or everywhere, and its unit."""
        raise AtlasError(
            layer.name, tr("a {kind} has no numbers to sum up", kind=self.kind), tr("Choose another layer.")
        )

    def trust(self, cache: DataCache, layer: Layer, check: Check) -> TrustReport:
        """Return what is wrong or strange in the data of a layer. Raises AtlasError."""
        raise AtlasError(layer.name, tr("a {kind} can't be looked at yet", kind=self.kind), tr("Choose another layer."))

    def export(self, cache: DataCache, layer: Layer, piece: Piece, report: Report) -> str:
        """Write a piece of a layer to a file; returns what is in it in words. Raises AtlasError."""
        raise AtlasError(
            layer.name, tr("a {kind} can't be exported yet", kind=self.kind), tr("Export a grid, features or rows.")
        )
