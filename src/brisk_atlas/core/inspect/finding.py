"""What a probe finds, as lines to read and to compare."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from brisk_atlas.core.model import GridDimension
from brisk_atlas.core.place.domain import domain_of, has_place

HEADLINE_FIELDS = 2  # of a feature, in a line that stands for all


@dataclass(frozen=True)
class ProbeValue:
    """One line: a label, its value as data, as text, and its unit.

    `group` is the heading it stands under; `key` names it when findings are compared (a field's name
    behind its alias); `about` says more of it; `wavelength` in micrometres makes it part of a spectrum.
    """

    label: str
    value: Any
    text: str
    unit: str = ""
    group: str = ""
    key: str = ""
    about: str = ""
    wavelength: float | None = None

    @property
    def name(self) -> str:
        """What it is asked for by: its key, or its label where it has none."""
        return self.key or self.label

    @property
    def shown(self) -> str:
        """The value as text with its unit."""
        return f"{self.text} {self.unit}".strip()


@dataclass(frozen=True)
class ProbeSeries:
    """Values along a dimension at one place, NaN for no data, with their unit; `at` is the place that is shown."""

    dimension: GridDimension
    values: tuple[float, ...]
    unit: str
    at: int


@dataclass(frozen=True)
class ProbeResult:
    """What one layer has there. `row` is the feature's row in the sheet, if it is one; `rows` are those of
    all features found in the layer, to step through. `series` are values along dimensions."""

    layer_id: str
    title: str
    readings: tuple[ProbeValue, ...]
    row: int | None = None
    rows: tuple[int, ...] = ()
    series: tuple[ProbeSeries, ...] = ()

    def headline(self, pinned: Collection[str] = ()) -> str:
        """Return the most telling of it in a line: values that are pinned, else the first ones."""
        own = [r for r in self.readings if r.name in pinned]
        first = [r for r in self.readings if r.group in ("attributes", "bands", "point", "") and r.text]
        if own:
            return " · ".join(r.shown for r in own)
        named = first[:HEADLINE_FIELDS] if any(r.group == "attributes" for r in first) else first[:1]
        return " · ".join(r.shown for r in named)

    def reading(self, name: str) -> ProbeValue | None:
        """Return the value with a key or a label, None where there is none."""
        return next((r for r in self.readings if name in (r.key, r.label)), None)


@dataclass(frozen=True, eq=False)
class Where:
    """What the hand chose: `click`, `box`, `lasso` (areas) or `line`, as (n, 2) positions in `crs`.

    `reach`, in units of `crs`, is how far off a point or line may lie from a click or line.
    """

    kind: str
    xy: np.ndarray
    crs: str | None
    reach: float = 0.0

    @classmethod
    def at(cls, x: float, y: float, crs: str | None, reach: float) -> Where:
        """Return a click at a position, with its reach in units of the CRS."""
        return cls("click", np.array([[x, y]], float), crs, reach)

    @classmethod
    def box(cls, x0: float, y0: float, x1: float, y1: float, crs: str | None) -> Where:
        """Return a box by its corners, in a CRS."""
        (x0, x1), (y0, y1) = sorted((x0, x1)), sorted((y0, y1))
        return cls("box", np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1], [x0, y0]], float), crs)

    def in_first_world(self) -> Where:
        """Return the same place in the first copy of the Earth, where the CRS repeats."""
        domain = domain_of(self.crs)
        by = domain.canonical(self.middle[0]) - self.middle[0] if domain else 0.0
        return replace(self, xy=self.xy + (by, 0.0)) if by else self

    def in_worlds(self) -> list[Where]:
        """Return what was chosen in each copy of the Earth that it reaches into, as the first one has it."""
        here, domain = self.in_first_world(), domain_of(self.crs)
        found = [here]
        if domain is not None and domain.world:
            if here.xy[:, 0].min() - here.reach < domain.left:
                found.append(replace(here, xy=here.xy + (domain.world, 0.0)))
            if here.xy[:, 0].max() + here.reach > domain.left + domain.world:
                found.append(replace(here, xy=here.xy - (domain.world, 0.0)))
        return found

    @property
    def is_on_earth(self) -> bool:
        """Whether the CRS has a place on the Earth for the middle."""
        return self.crs is None or bool(has_place(np.array([self.middle]), self.crs)[0])

    @property
    def is_area(self) -> bool:
        """Whether an area is meant, not a point or a line."""
        return self.kind in ("box", "lasso")

    @property
    def middle(self) -> tuple[float, float]:
        """Return a position that stands for it: the click, the middle of an area, half way along a line."""
        if self.kind == "line":
            step = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(self.xy, axis=0).T))])
            half = step[-1] / 2
            return float(np.interp(half, step, self.xy[:, 0])), float(np.interp(half, step, self.xy[:, 1]))
        low, high = self.xy.min(axis=0), self.xy.max(axis=0)
        return float((low[0] + high[0]) / 2), float((low[1] + high[1]) / 2)
