"""The transformation between two CRS: its name and how accurate it is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from pyproj.transformer import TransformerGroup

from brisk_atlas.core.model import CannotPlace
from brisk_atlas.core.model.language import tr

from .crs import crs_label, proj_crs, same_crs


@dataclass(frozen=True)
class Transformation:
    """A transformation: its name, how far off it may be in metres (None where that is not known), and the grids of
    better ones that this machine does not have."""

    name: str
    accuracy_m: float | None
    missing_grids: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """The accuracy and what is missing, as one line."""
        accuracy = (
            tr("accuracy not known")
            if self.accuracy_m is None
            else tr("to {accuracy_m:g} m", accuracy_m=self.accuracy_m)
        )
        if self.accuracy_m == 0:
            accuracy = tr("exact")
        missing = (
            tr("; a better one needs {missing_grids}", missing_grids=", ".join(self.missing_grids))
            if self.missing_grids
            else ""
        )
        return f"{self.name}, {accuracy}{missing}"


AS_IT_IS = Transformation(tr("as it is"), 0.0)


@lru_cache(256)
def transformation_between(source: str | None, target: str | None) -> Transformation:
    """Return the transformation of `source` into `target`; as they are where either is unknown or both are
    alike. Raises CannotPlace where no transformation is known."""
    if source is None or target is None or same_crs(source, target):
        return AS_IT_IS
    group = TransformerGroup(proj_crs(source), proj_crs(target), always_xy=True)
    if not group.transformers:
        between = f"{crs_label(source)} to {crs_label(target)}"
        raise CannotPlace(between, tr("no transformation is known"), tr("Give the layer another CRS."))
    best = group.transformers[0]
    accuracy = None if best.accuracy < 0 else float(best.accuracy)
    missing = {
        grid.short_name
        for operation in group.unavailable_operations
        for grid in operation.grids
        if not grid.available and grid.short_name
    }
    return Transformation(_name(best.description), accuracy, tuple(sorted(missing)))


def _name(description: str) -> str:
    """Return a transformation's name without its steps that say nothing.

    >>> _name("Inverse of UTM zone 27S + Null geographic offset from WGS 84 to WGS 84 + axis order change (2D)")
    'Inverse of UTM zone 27S'
    """
    steps = [step.strip() for step in description.split(" + ")]
    telling = [step for step in steps if not step.startswith(("axis order change", "Null geographic offset"))]
    return " + ".join(telling or steps)
