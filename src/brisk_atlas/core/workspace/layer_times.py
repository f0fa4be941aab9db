"""When the data of open layers was taken; what records state is read once, as datasets are opened."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from brisk_atlas.core.compare.layer_time import LayerTime
    from brisk_atlas.core.model import DataRef, Dataset, Facts, Layer


class LayerTimes:
    """Holds the dates of records by dataset; asking for a layer's time reads nothing."""

    def __init__(self) -> None:
        self._recorded: dict[DataRef, LayerTime | None] = {}

    def note(self, dataset: Dataset) -> None:
        """Read the date that the record of a dataset states, unless that was done before."""
        from brisk_atlas.core.compare.record_time import recorded_time

        if dataset.ref.whole not in self._recorded:
            self._recorded[dataset.ref.whole] = recorded_time(dataset)

    def forget(self, ref: DataRef) -> None:
        """Have the record of a dataset read again when it is opened the next time."""
        self._recorded.pop(ref.whole, None)

    def of(self, layer: Layer, facts_of: Callable[[Layer], Facts | None]) -> LayerTime | None:
        """Return when the data of a layer was taken, None where that is not known."""
        from brisk_atlas.core.compare.layer_time import layer_time

        return layer_time(layer.name, facts_of(layer), self._recorded.get(layer.ref.whole))
