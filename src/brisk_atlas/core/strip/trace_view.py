"""How the traces of a profile are looked at: spikes left out, smoothed, and against what reference."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from brisk_atlas.core.model.digit_groups import grouped

from .profile import Axis, Profile, StretchSummary, Trace, summary_of
from .trace_filters import area_between, despiked, line_through, smoothed


class Reference(StrEnum):
    """What a trace is compared with."""

    NONE = "none"
    MEAN = "mean"
    LINE = "straight line"
    TRACE = "another quantity"


@dataclass(frozen=True)
class TraceView:
    """`despike` leaves spikes out; `width` is the metres (units of the line) over which values are averaged, 0 for
    none; `reference`, of TRACE that with the name `other`."""

    despike: bool = False
    width: float = 0.0
    reference: Reference = Reference.NONE
    other: str = ""

    def words(self, unit: str) -> str:
        """Return in words what was done to the values, "" for nothing."""
        done = ["without spikes"] if self.despike else []
        done += [f"mean over {grouped(self.width, ',g')} {unit}".rstrip()] if self.width > 0 else []
        return ", ".join(done)


PLAIN = TraceView()


def viewed(profile: Profile, names: Collection[str], view: TraceView) -> tuple[Trace, ...]:
    """Return some traces of a profile, by name, as they are looked at."""
    return tuple(_viewed(profile, trace, view) for trace in profile.traces if trace.name in names)


def _viewed(profile: Profile, trace: Trace, view: TraceView) -> Trace:
    values = despiked(trace.values) if view.despike else trace.values
    values = smoothed(profile.distance, values, view.width, profile.breaks)
    return trace if values is trace.values else replace(trace, values=values)


def reference_of(profile: Profile, trace: Trace, view: TraceView, inside: slice | None = None) -> np.ndarray | None:
    """Return (n,) the reference of a trace at all places, found from those inside a stretch; None for none."""
    at = inside if inside is not None else slice(None)
    match view.reference:
        case Reference.NONE:
            return None
        case Reference.MEAN:
            known = trace.values[at][np.isfinite(trace.values[at])]
            return np.full(len(profile), known.mean() if known.size else np.nan)
        case Reference.LINE:
            own = line_through(profile.distance[at], trace.values[at])
            known = np.flatnonzero(np.isfinite(own))
            if known.size < 2:
                return np.full(len(profile), np.nan)
            a, b = known[0], known[-1]
            slope = (own[b] - own[a]) / (profile.distance[at][b] - profile.distance[at][a])
            return own[a] + slope * (profile.distance - profile.distance[at][a])
        case Reference.TRACE:
            other = next((each for each in profile.traces if each.name == view.other), None)
            fits = other is not None and other.name != trace.name and other.unit == trace.unit
            return other.values if fits and other is not None else None


def stretch_of(
    profile: Profile, traces: tuple[Trace, ...], view: TraceView, axis: Axis, low: float, high: float
) -> tuple[StretchSummary, ...]:
    """Return what traces are between two values of an axis, with the areas to both sides of their reference, of 0 where
    there is none."""
    inside = axis.between(low, high)
    found = []
    for trace in traces:
        distance, values = profile.distance[inside], trace.values[inside]
        summary = summary_of(trace, distance, values)
        reference = reference_of(profile, trace, view, inside)
        level = reference[inside] if reference is not None else np.zeros(len(values))
        above, below = area_between(distance, values, level, profile.breaks[inside])
        summary = replace(summary, above=above, below=below)
        found.append(summary)
    return tuple(found)
