"""A step of a recipe: a value that makes one flow of another."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import ClassVar, TypeVar

import numpy as np
import pyarrow as pa

from brisk_atlas.core.model import AtlasError, DataKind, DataRef
from brisk_atlas.core.model.language import tr

from .flows import Flow, GridFlow, PointFlow, RowFlow

FEATURES = frozenset({DataKind.VECTOR})
ROWS = frozenset({DataKind.VECTOR, DataKind.TABLE})
GRID = frozenset({DataKind.RASTER})
POINTS = frozenset({DataKind.POINTCLOUD})
PLACED = FEATURES | GRID | POINTS


class BadStep(AtlasError):
    """A step can't do what it is asked to; `place` names the step."""


class MissingSetting(BadStep):
    """A step lacks a setting that it must have."""


@dataclass
class StepContext:
    """What a step may use beside the flow that comes to it.

    flow_of : gives the flow of another branch of the recipe, an open layer or a dataset
    scratch : a folder for what does not fit in memory; it is removed after the run
    check : called often; it raises to stop
    reject : takes rows that the step leaves out, and why; None where nobody will look at them
    """

    flow_of: Callable[[str | DataRef], Flow]
    scratch: Path
    check: Callable[[], None] = lambda: None
    reject: Callable[[pa.Table, str], None] | None = None
    warnings: list[str] = field(default_factory=list)

    def warn(self, text: str) -> None:
        """Note what should be known of the result, once."""
        if text not in self.warnings:
            self.warnings.append(text)


@dataclass(frozen=True)
class Step(ABC):
    """One step. `word` is its name in files and on the command line, `label` the one on screen.

    `takes` are the kinds of data that it works on. `gathers` says that it needs all rows or points together, so that
    they have to fit in memory.
    """

    word: ClassVar[str]
    label: ClassVar[str]
    group: ClassVar[str]
    takes: ClassVar[frozenset[DataKind]] = ROWS
    gathers: ClassVar[bool] = False

    @abstractmethod
    def flow(self, flow: Flow, context: StepContext) -> Flow:
        """Return what becomes of a flow. Reads no more than it must to say what its result is. Raises AtlasError."""

    @property
    def summary(self) -> str:
        """What it does with its settings, in a few words; "" for nothing to add."""
        return ""

    @property
    def square(self) -> float | None:
        """Of a step on points: the size of the squares of the map, in units of the CRS, that it treats each by itself;
        0 where it treats each point by itself, None where it needs all together."""
        return None

    def rows(self, flow: Flow) -> RowFlow:
        """Return the flow, which must be of rows. Raises BadStep."""
        if not isinstance(flow, RowFlow):
            raise self.refused(tr("a {kind} has no rows", kind=flow.kind), tr("Choose a vector layer or a table."))
        return flow

    def features(self, flow: Flow) -> RowFlow:
        """Return the flow, which must be of features. Raises BadStep."""
        if not isinstance(flow, RowFlow) or not flow.has_shapes:
            raise self.refused(tr("a {kind} has no features", kind=flow.kind), tr("Choose a vector layer."))
        return flow

    def grid(self, flow: Flow) -> GridFlow:
        """Return the flow, which must be of cells. Raises BadStep."""
        if not isinstance(flow, GridFlow):
            raise self.refused(tr("a {kind} is no grid", kind=flow.kind), tr("Choose a grid."))
        return flow

    def points(self, flow: Flow) -> PointFlow:
        """Return the flow, which must be of points. Raises BadStep."""
        if not isinstance(flow, PointFlow):
            raise self.refused(tr("a {kind} is no point cloud", kind=flow.kind), tr("Choose a point cloud."))
        return flow

    def refused(self, reason: str, remedy: str = "") -> BadStep:
        """Return the error of this step."""
        return BadStep(self.label, reason, remedy)

    def fields_there(self, flow: RowFlow, names: tuple[str, ...]) -> tuple[str, ...]:
        """Return the names, all of which must be fields. Raises BadStep."""
        strange = [name for name in names if name not in flow.fields]
        if strange:
            raise self.refused(
                tr("there is no field {strange}", strange=", ".join(strange)),
                tr("There are: {fields}.", fields=", ".join(flow.fields)),
            )
        return names


S = TypeVar("S", bound=type[Step])
STEPS: dict[str, type[Step]] = {}


def step(kind: S) -> S:
    """Enter a class of steps among those that recipes may have."""
    STEPS[kind.word] = kind
    return kind


def split_rows(table: pa.Table, passed: np.ndarray, context: StepContext, reason: str) -> pa.Table:
    """Return the rows that passed, (rows,) bool; the others are rejected for a reason."""
    if passed.all():
        return table
    if context.reject is not None:
        context.reject(table.filter(pa.array(~passed)), reason)
    return table.filter(pa.array(passed))
