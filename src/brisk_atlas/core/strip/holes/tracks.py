"""What stands beside each other in a strip log: tracks and templates of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np

from brisk_atlas.core.strip.inks import INKS

from .curve_names import CATEGORIES, LOGARITHMIC, OTHER
from .hole_set import HoleCurve
from .read_hole import HoleData

ROCK_WORDS = ("rock", "lith", "geology", "unit", "formation", "material", "soil")
MOST_CURVE_TRACKS, CURVES_A_TRACK = 4, 2
AS_IT_COMES = "as it comes"  # the name of tracks that were not chosen


class TrackKind(StrEnum):
    """What a track shows."""

    DEPTH = "depth"
    ROCKS = "rocks"
    INTERVALS = "intervals"
    PICTURES = "photographs"
    TEXT = "descriptions"
    CURVES = "curves"
    NUMBERS = "numbers"


@dataclass(frozen=True)
class TrackCurve:
    """A curve of a track: its ink, and the values at the left and the right side, None for those of the hole. `fill` is
    "" for none, "left", "right", or the name of another curve of the track, up to which is filled."""

    name: str
    ink: str = ""
    low: float | None = None
    high: float | None = None
    fill: str = ""


@dataclass(frozen=True)
class Track:
    """One track: what it shows by name, how wide it is in millimetres; of curves whether the scale is logarithmic, and
    whether what leaves it on one side comes in again on the other."""

    kind: TrackKind
    name: str = ""
    width: float = 18.0
    curves: tuple[TrackCurve, ...] = ()
    logarithmic: bool = False
    wrap: bool = False


class DepthZero(StrEnum):
    """From where depths are counted."""

    COLLAR = "the collar"
    SEA = "sea level"


@dataclass(frozen=True)
class DepthScale:
    """How depths are stated: along the hole or vertical, from where, in metres or feet."""

    vertical: bool = False
    zero: DepthZero = DepthZero.COLLAR
    feet: bool = False

    @property
    def unit(self) -> str:
        """The unit of depths."""
        return "ft" if self.feet else "m"

    def words(self) -> str:
        """Return in words what depths are."""
        way = "vertical" if self.vertical or self.zero is DepthZero.SEA else "along the hole"
        return f"{way}, from {self.zero}, {self.unit}"


@dataclass(frozen=True)
class LogTemplate:
    """Tracks in their order, to be used for any hole; what a hole has not stays empty."""

    name: str
    tracks: tuple[Track, ...]
    depth: DepthScale = DepthScale()


def default_template(data: HoleData) -> LogTemplate:
    """Return the tracks that a hole is best begun with, by what there is of it: rocks, ages and the like, photographs,
    descriptions, and curves of the first categories."""
    tracks = [Track(TrackKind.DEPTH, "", 12.0)]
    texts = [each for each in data.intervals if each.is_text]
    rocks = next((e for w in ROCK_WORDS for e in texts if w in e.name.lower()), texts[0] if texts else None)
    if rocks is not None:
        tracks.append(Track(TrackKind.ROCKS, rocks.name, 26.0))
    numbers = [each for each in data.intervals if not each.is_text]
    tracks += [Track(TrackKind.INTERVALS, each.name, 14.0) for each in numbers[:1]]
    if data.hole.pictures:
        tracks.append(Track(TrackKind.PICTURES, "", 26.0))
    by_category: dict[str, list[HoleCurve]] = {}
    for curve in data.curves:
        if curve.texts is None and np.isfinite(curve.values).any():
            by_category.setdefault(curve.category, []).append(curve)
    order = [each for each in (*CATEGORIES, OTHER) if each in by_category]
    for number, category in enumerate(order[:MOST_CURVE_TRACKS]):
        chosen = by_category[category][:CURVES_A_TRACK]
        tracks.append(curve_track([each.name for each in chosen], category, number))
    if data.texts:
        tracks.append(Track(TrackKind.TEXT, "", 48.0))
    return LogTemplate(AS_IT_COMES, tuple(tracks))


def compact_template(data: HoleData) -> LogTemplate:
    """Return the few tracks with which holes are best compared beside each other: depth, rocks, and one curve."""
    whole = default_template(data)
    rocks = [replace(track, width=17.0) for track in whole.tracks if track.kind is TrackKind.ROCKS]
    curves = [replace(track, width=15.0, curves=track.curves[:1]) for track in whole.tracks if track.curves]
    return LogTemplate(whole.name, (Track(TrackKind.DEPTH, "", 10.0), *rocks, *curves[:1]))


def curve_track(names: Sequence[str], category: str = OTHER, number: int = 0) -> Track:
    """Return a track of curves in inks of their own."""
    curves = tuple(TrackCurve(name, INKS[(number + n) % len(INKS)]) for n, name in enumerate(names))
    return Track(TrackKind.CURVES, "", 26.0, curves, category in LOGARITHMIC)


def with_curve(template: LogTemplate, curve: HoleCurve) -> LogTemplate:
    """Return a template with a curve in a track of its own, or without it where it has it already."""
    if any(curve.name == each.name for track in template.tracks for each in track.curves):
        tracks = [replace(t, curves=tuple(c for c in t.curves if c.name != curve.name)) for t in template.tracks]
        return replace(template, tracks=tuple(t for t in tracks if t.curves or t.kind is not TrackKind.CURVES))
    if curve.texts is not None:
        return replace(template, tracks=(*template.tracks, Track(TrackKind.NUMBERS, curve.name, 18.0)))
    used = sum(track.kind is TrackKind.CURVES for track in template.tracks)
    return replace(template, tracks=(*template.tracks, curve_track([curve.name], curve.category, used)))


def ends_of(curve: HoleCurve, chosen: TrackCurve, *, logarithmic: bool) -> tuple[float, float]:
    """Return the values at the left and the right side of a track for a curve: those that are chosen, else round
    numbers around nearly all of its values."""
    low, high = curve.logarithmic_ends if logarithmic else curve.linear_ends
    return (chosen.low if chosen.low is not None else low), (chosen.high if chosen.high is not None else high)
