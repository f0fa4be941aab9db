"""What is asked of a part: of features and rows, and of points."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import Flag, auto
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from .data_ref import DataRef
    from .extent import Extent


class Capability(Flag):
    """What a part does itself of a query; the rest is done with the rows that it gives."""

    NONE = 0
    EXTENT = auto()  # by an index of where features lie
    COLUMNS = auto()
    COLUMNS_ALONE = auto()  # each column lies apart: one is read without the others
    WHERE = auto()
    ORDER = auto()
    LIMIT = auto()
    STEP = auto()
    SIMPLIFY = auto()


class Ordering(NamedTuple):
    """A field that rows are ordered by."""

    field: str
    descending: bool = False


class Relation(NamedTuple):
    """Another table whose field `other_key` has the values of `key` here; `many` where it has several rows to one."""

    ref: DataRef
    key: str
    other_key: str
    many: bool = False


@dataclass(frozen=True)
class FeatureQuery:
    """Which features or rows of a part are wanted, and what of each. Without limits it asks for all.

    Attributes
    ----------
    extent : features whose bounds meet it, in the part's CRS
    columns : fields by name; None for all
    where : an SQL condition over the fields
    order : by which fields, the first one first; where empty, that of the file, or of its index for an extent
    limit : at most so many rows
    step : one in so many of the rows that are found, spread over them
    simplify : how far shapes may be off, in units of the part's CRS, where that saves traffic; 0 for as they are.
        Only a part that is able to minds it

    >>> FeatureQuery(columns=("name",), limit=10).without(Capability.LIMIT).limit is None
    True
    """

    extent: Extent | None = None
    columns: tuple[str, ...] | None = None
    where: str = ""
    order: tuple[Ordering, ...] = ()
    limit: int | None = None
    step: int = 1
    simplify: float = 0.0

    def needs(self) -> Capability:
        """Return what a part would have to do itself to answer this alone."""
        wanted = {
            Capability.EXTENT: self.extent is not None,
            Capability.COLUMNS: self.columns is not None,
            Capability.WHERE: bool(self.where),
            Capability.ORDER: bool(self.order),
            Capability.LIMIT: self.limit is not None,
            Capability.STEP: self.step > 1,
            Capability.SIMPLIFY: self.simplify > 0,
        }
        found = Capability.NONE
        for each, is_wanted in wanted.items():
            found |= each if is_wanted else Capability.NONE
        return found

    def without(self, what: Capability) -> FeatureQuery:
        """Return this query without the limits that `what` names."""
        return replace(
            self,
            extent=None if Capability.EXTENT in what else self.extent,
            columns=None if Capability.COLUMNS in what else self.columns,
            where="" if Capability.WHERE in what else self.where,
            order=() if Capability.ORDER in what else self.order,
            limit=None if Capability.LIMIT in what else self.limit,
            step=1 if Capability.STEP in what else self.step,
            simplify=0.0 if Capability.SIMPLIFY in what else self.simplify,
        )

    def divided(self, able: Capability) -> tuple[FeatureQuery, FeatureQuery]:
        """Return what a part that is `able` is asked, and what is left to do with the rows that it gives.

        A limit, an order or a step that comes after something that is left has to be left too.
        """
        needs = self.needs()
        left = needs & ~able & ~Capability.SIMPLIFY  # which nobody else does
        if needs & (Capability.EXTENT | Capability.WHERE | Capability.ORDER):
            left |= needs & Capability.STEP  # one in so many of those that were found, not of all
        if left & ~Capability.COLUMNS:
            left |= needs & Capability.LIMIT
        if left & (Capability.WHERE | Capability.ORDER):
            left |= needs & Capability.COLUMNS  # the condition may need fields that are not wanted
        return self.without(left), self.without(~left)


EVERYTHING = FeatureQuery()


@dataclass(frozen=True)
class PointQuery:
    """Which points of a cloud are wanted: all, or about `limit` spread over it, in the order of the file; with all
    dimensions or with some."""

    limit: int | None = None
    dimensions: tuple[str, ...] | None = None


ALL_POINTS = PointQuery()
