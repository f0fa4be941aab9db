"""The strip log of holes as a drawing: heads, and below them the tracks between two depths."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from math import ceil, floor, log10

import numpy as np

from brisk_atlas.core.inspect.hole_tables import plain
from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.model.table_view import ColumnView
from brisk_atlas.core.model.words import number_text
from brisk_atlas.core.place.hole_path import FOOT_M
from brisk_atlas.core.strip.inks import legible
from brisk_atlas.core.table.formats import decimals_of, text_of

from .drawing import EVERYTHING, Align, BoxMark, ClipMark, Drawing, LineMark, Mark, PhotoMark, TextMark
from .hole_set import HoleCurve, HoleIntervals
from .patterns import RockLooks, patterns_of
from .read_hole import HoleData
from .tracks import DepthScale, DepthZero, LogTemplate, Track, TrackCurve, TrackKind, ends_of

GAP, TITLE, HEAD_LINE, TICK_MM = 5.0, 7.0, 3.6, 9.0
LINE_MM = 3.4  # of a description
DECADE_MM = 12.0  # from which a decade has rules within
DOT_MM = 0.9  # half of a cross at a sample
MARKER_INK = "#7A2DBF"


@dataclass(frozen=True)
class LogInks:
    """The colours of a log: ink, quiet ink, rules, and the paper."""

    ink: str = "#1D2A35"
    quiet: str = "#5F6B73"
    rule: str = "#D9D1C3"
    paper: str = "#FFFDF8"


PAPER, PLAIN = LogInks(), ColumnView("")
LOOKED_AT = 200  # values of a track, for how many decimals all get


@dataclass(frozen=True, eq=False)
class HoleOnShow:
    """A hole in a log: what was read of it, and by how much its depths are moved so that it hangs on a level, in the
    unit of the depths."""

    data: HoleData
    shift: float = 0.0

    def shown(self, measured: np.ndarray | float, scale: DepthScale) -> np.ndarray:
        """Return depths along the hole, metres, as they are stated and drawn."""
        return depths_shown(self.data, measured, scale) - self.shift


def depths_shown(data: HoleData, measured: np.ndarray | float, scale: DepthScale) -> np.ndarray:
    """Return depths along a hole, metres, as a scale states them."""
    at = np.atleast_1d(np.asarray(measured, float))
    hole = data.hole
    if scale.vertical or scale.zero is DepthZero.SEA:
        at = hole.way.vertical_at(at) if hole.deviates else at
    if scale.zero is DepthZero.SEA:
        at = at - (hole.elevation or 0.0)
    return at / FOOT_M if scale.feet else at


def measured_of(data: HoleData, shown: np.ndarray | float, scale: DepthScale) -> np.ndarray:
    """Return the depths along a hole, metres, of depths as a scale states them; NaN where it never is so deep."""
    at = np.atleast_1d(np.asarray(shown, float)) * (FOOT_M if scale.feet else 1.0)
    if scale.zero is DepthZero.SEA:
        at = at + (data.hole.elevation or 0.0)
    if (scale.vertical or scale.zero is DepthZero.SEA) and data.hole.deviates:
        return data.hole.way.measured_at(at)
    return at


def width_of(template: LogTemplate) -> float:
    """Return how wide the tracks of a hole are, millimetres."""
    return sum(track.width for track in template.tracks)


def head_height(template: LogTemplate) -> float:
    """Return how high the heads are, millimetres."""
    lines = max([1, *(max(1, 2 * len(track.curves)) for track in template.tracks)])
    return TITLE + lines * HEAD_LINE + 3.0


def log_drawing(
    holes: Sequence[HoleOnShow], template: LogTemplate, sight: tuple[float, float], height: float,
    markers: Sequence[HoleMarker] = (), inks: LogInks = PAPER, px_mm: float = 4.0, *, heads: bool = True,
) -> Drawing:  # fmt: skip
    """Return the log of holes beside each other between two depths, as stated.

    sight : the depths at the upper and the lower edge of the tracks; height : of the whole, millimetres; px_mm : pixels
    of a millimetre, by which curves are thinned out
    """
    head = head_height(template) if heads else 0.0
    body = max(height - head, 1.0)
    marks: list[Mark] = []
    left, places = 0.0, []
    looks = {
        track.name: patterns_of(value for hole in holes for each in hole.data.intervals if each.name == track.name
                                for value in each.values)
        for track in template.tracks if track.kind is TrackKind.ROCKS
    }  # fmt: skip
    template = _with_ends(template, holes)
    for hole in holes:
        painter = _HolePainter(hole, template.depth, sight, head, body, inks, px_mm, looks)
        if heads:
            title = hole.data.hole.name
            marks.append(TextMark(left + 1.0, 0.5, width_of(template) - 2, TITLE - 1, title, inks.ink, 3.4, bold=True))
        x = left
        for track in template.tracks:
            if heads:
                marks += _head(hole.data, track, x, head, inks)
            marks += painter.track(track, x)
            x += track.width
        marks.append(BoxMark(left, head, x - left, body, "", inks.rule))
        first = template.tracks[0] if template.tracks else None
        beside = first.width if first is not None and first.kind is TrackKind.DEPTH else 0.0
        marks += painter.bottom(left, x - left, beside)
        places.append((left, x, painter, hole))
        left = x + GAP
    marks += _markers(places, markers, inks)
    return Drawing(max(left - GAP, 1.0), height, tuple(marks))


def _with_ends(template: LogTemplate, holes: Sequence[HoleOnShow]) -> LogTemplate:
    """Return a template whose curves have the same values at the sides for all holes."""
    if len(holes) < 2:
        return template

    def whole(chosen: TrackCurve, track: Track) -> TrackCurve:
        curves = [
            curve for hole in holes if (curve := hole.data.curve(chosen.name)) is not None and curve.texts is None
        ]
        ends = [ends_of(curve, chosen, logarithmic=track.logarithmic) for curve in curves]
        if not ends:
            return chosen
        low = chosen.low if chosen.low is not None else min(each[0] for each in ends)
        return replace(chosen, low=low, high=chosen.high if chosen.high is not None else max(each[1] for each in ends))

    return replace(
        template, tracks=tuple(replace(t, curves=tuple(whole(c, t) for c in t.curves)) for t in template.tracks)
    )


def _head(data: HoleData, track: Track, x: float, head: float, inks: LogInks) -> list[Mark]:
    marks: list[Mark] = [BoxMark(x, TITLE, track.width, head - TITLE, inks.paper, inks.rule)]
    y = TITLE + 0.8
    if track.kind is not TrackKind.CURVES:
        name = track.name.replace("_", " ") or str(track.kind)
        marks.append(TextMark(x + 0.8, y, track.width - 1.6, head - y - 0.5, name, inks.quiet, 2.4, wrapped=True))
        return marks
    for chosen in track.curves:
        curve = data.curve(chosen.name)
        ink = _ink_of(chosen, inks)
        words = f"{chosen.name}, {curve.unit}" if curve is not None and curve.unit else chosen.name
        marks.append(TextMark(x + 0.8, y, track.width - 1.6, HEAD_LINE, words, ink, 2.4, Align.CENTRE))
        y += HEAD_LINE
        if curve is not None:
            low, high = ends_of(curve, chosen, logarithmic=track.logarithmic)
            for value, align in ((low, Align.LEFT), (high, Align.RIGHT)):
                marks.append(
                    TextMark(x + 0.8, y, track.width - 1.6, HEAD_LINE, number_text(value), ink, 2.2, align, mono=True)
                )
        y += HEAD_LINE
    return marks


class _HolePainter:
    """Draws the tracks of one hole between two depths."""

    def __init__(
        self, hole: HoleOnShow, scale: DepthScale, sight: tuple[float, float], top: float, height: float,
        inks: LogInks, px_mm: float, looks: Mapping[str, RockLooks],
    ) -> None:  # fmt: skip
        self.hole, self.data, self.scale, self.inks, self.px_mm = hole, hole.data, scale, inks, px_mm
        self.looks = looks
        self.low, self.high = sight
        self.top, self.height = top, height
        self.per_mm = (self.high - self.low) / max(height, 1e-9)  # depth of a millimetre

    def y_of(self, measured: np.ndarray | float) -> np.ndarray:
        """Return where depths along the hole are."""
        return self.y_shown(self.hole.shown(measured, self.scale))

    def y_shown(self, shown: np.ndarray | float) -> np.ndarray:
        """Return where depths as stated are."""
        return self.top + (np.atleast_1d(np.asarray(shown, float)) - self.low) / self.per_mm

    def track(self, track: Track, x: float) -> list[Mark]:
        """Return what a track shows, cut to it."""
        draw = {
            TrackKind.DEPTH: self._depths, TrackKind.ROCKS: self._rocks, TrackKind.INTERVALS: self._intervals,
            TrackKind.PICTURES: self._pictures, TrackKind.TEXT: self._texts, TrackKind.CURVES: self._curves,
            TrackKind.NUMBERS: self._numbers,
        }[track.kind]  # fmt: skip
        inner = [ClipMark(x, self.top, track.width, self.height), *draw(track, x), EVERYTHING]
        return [BoxMark(x, self.top, track.width, self.height, self.inks.paper), *inner, LineMark(
            np.array([[x, self.top], [x, self.top + self.height]]), self.inks.rule, 0.2)]  # fmt: skip

    def bottom(self, x: float, width: float, beside: float) -> list[Mark]:
        """Return the end of the hole; its words stand `beside` the track of depths, whose numbers go on below it."""
        if self.data.hole.length is None:
            return []
        y = float(self.y_of(self.data.hole.length)[0])
        if not self.top <= y <= self.top + self.height:
            return []
        line = np.array([[x, y], [x + width, y]])
        return [
            LineMark(line, self.inks.ink, 0.5),
            TextMark(x + beside + 1, y + 0.4, width - beside, 3.2, "end of the hole", self.inks.quiet, 2.2),
        ]

    def ticks(self) -> list[float]:
        """Return the round depths that are marked."""
        rough = self.per_mm * TICK_MM
        power = 10.0 ** floor(log10(rough)) if rough > 0 else 1.0
        step = next(n * power for n in (1, 2, 5, 10) if n * power >= rough)
        return [round(n * step, 9) for n in range(ceil(self.low / step), floor(self.high / step) + 1)]

    def _depths(self, track: Track, x: float) -> list[Mark]:
        marks: list[Mark] = []
        for depth in self.ticks():
            y = float(self.y_shown(depth)[0])
            marks.append(LineMark(np.array([[x + track.width - 1.6, y], [x + track.width, y]]), self.inks.ink, 0.25))
            words = number_text(depth)
            marks.append(
                TextMark(x, y - 1.6, track.width - 2.0, 3.2, words, self.inks.ink, 2.4, Align.RIGHT, mono=True)
            )
        return marks

    def _intervals_of(self, name: str) -> HoleIntervals | None:
        return next((each for each in self.data.intervals if each.name == name), None)

    def _seen(self, found: HoleIntervals) -> list[tuple[int, float, float]]:
        """Return the intervals in sight with where they begin and end."""
        upper, lower = self.y_of(found.top), self.y_of(found.base)
        inside = np.flatnonzero((lower >= self.top) & (upper <= self.top + self.height))
        return [(int(n), float(upper[n]), float(lower[n])) for n in inside]

    def _rocks(self, track: Track, x: float) -> list[Mark]:
        found = self._intervals_of(track.name)
        if found is None:
            return []
        looks = self.looks[track.name]
        marks: list[Mark] = []
        for n, upper, lower in self._seen(found):
            value = found.values[n]
            pattern, tint = looks[str(value)] if value is not None else (None, self.inks.paper)
            marks.append(BoxMark(x, upper, track.width, lower - upper, tint, PAPER.quiet, pattern))
            if lower - upper > 3.2 and value is not None:
                height = min(3.4, lower - upper)
                y = max(upper, self.top) + 0.4
                words = min(track.width - 1.6, 1.35 * len(str(value)) + 1.6)
                marks += [BoxMark(x + 0.6, y, words, height - 0.4, tint),
                          TextMark(x + 1.0, y, track.width - 2, height - 0.4, str(value), PAPER.ink, 2.4)]  # fmt: skip
        return marks

    def _intervals(self, track: Track, x: float) -> list[Mark]:
        found = self._intervals_of(track.name)
        if found is None:
            return []
        marks: list[Mark] = []
        decimals = decimals_of(found.values[:LOOKED_AT])
        for n, upper, lower in self._seen(found):
            value = found.values[n]
            marks.append(BoxMark(x, upper, track.width, lower - upper, "", self.inks.rule))
            if lower - upper > 3.0 and value is not None:
                middle = (max(upper, self.top) + min(lower, self.top + self.height)) / 2
                words = text_of(value, PLAIN, decimals)
                mono = not isinstance(value, str)
                box = (x + 0.5, middle - 1.6, track.width - 1.0, 3.2)
                marks.append(TextMark(*box, words, self.inks.ink, 2.3, Align.CENTRE, mono=mono))
        return marks

    def _pictures(self, track: Track, x: float) -> list[Mark]:
        marks: list[Mark] = []
        for picture in self.data.hole.pictures:
            upper, lower = (float(self.y_of(each)[0]) for each in (picture.top, picture.base))
            lower = max(lower, upper + 1.2)
            if lower >= self.top and upper <= self.top + self.height:
                marks += [PhotoMark(x + 0.6, upper, track.width - 1.2, lower - upper, picture.ref),
                          BoxMark(x + 0.6, upper, track.width - 1.2, lower - upper, "", self.inks.quiet)]  # fmt: skip
        return marks

    def _texts(self, track: Track, x: float) -> list[Mark]:
        """Return descriptions at their depths, each with a mark; those that do not fit above the next are cut."""
        marks: list[Mark] = []
        free = self.top
        for number, text in enumerate(self.data.texts):
            upper = float(self.y_of(text.top)[0])
            if upper > self.top + self.height or float(self.y_of(text.base)[0]) < self.top:
                continue
            following = self.data.texts[number + 1 :]
            below = float(self.y_of(following[0].top)[0]) if following else self.top + self.height
            y = max(upper, free)
            marks.append(LineMark(np.array([[x, upper], [x + 2.0, upper]]), self.inks.ink, 0.35))
            room = max(below, y + LINE_MM) - y
            if y + LINE_MM <= self.top + self.height + LINE_MM and y - upper <= 2 * LINE_MM:
                marks.append(TextMark(x + 2.6, y, track.width - 3.2, room, text.text, self.inks.ink, 2.3, wrapped=True))
                free = y + LINE_MM
        return marks

    def _numbers(self, track: Track, x: float) -> list[Mark]:
        curve = self.data.curve(track.name)
        if curve is None:
            return []
        y = self.y_of(curve.depth)
        inside = np.flatnonzero((y >= self.top - 2) & (y <= self.top + self.height + 2))
        marks, free = [], -np.inf
        for n in inside.tolist():
            if y[n] >= free:
                value = curve.texts[n] if curve.texts is not None else curve.values[n]
                words = "" if value is None or value != value else number_text(value)
                marks.append(
                    TextMark(x + 0.6, float(y[n]) - 1.6, track.width - 1.2, 3.2, words, self.inks.ink, 2.3, mono=True)
                )
                free = y[n] + 3.2
        return marks  # type: ignore[return-value]

    def _curves(self, track: Track, x: float) -> list[Mark]:
        marks: list[Mark] = list(self._grid(track, x))
        lines: dict[str, np.ndarray] = {}
        for chosen in track.curves:
            curve = self.data.curve(chosen.name)
            if curve is None or curve.texts is not None:
                continue
            places, values = self._thinned(curve)
            if not places.size:
                continue
            low, high = ends_of(curve, chosen, logarithmic=track.logarithmic)
            share = _shares(values, low, high, logarithmic=track.logarithmic, wrap=track.wrap)
            line = np.column_stack([x + share * track.width, places])
            lines[chosen.name] = line
            if curve.sampled:
                marks += _dots(line[np.isfinite(line[:, 0])], _ink_of(chosen, self.inks))
                continue
            marks += self._fill(chosen, line, lines, x, track.width)
            marks += [
                LineMark(part, _ink_of(chosen, self.inks), 0.3)
                for part in _parts(line, wrap=track.wrap, width=track.width)
            ]
        return marks

    def _grid(self, track: Track, x: float) -> list[Mark]:
        """Return thin rules at the depths that are marked, and at the values between the sides."""
        marks: list[Mark] = [
            LineMark(np.array([[x, y], [x + track.width, y]]), self.inks.rule, 0.15)
            for y in (float(self.y_shown(depth)[0]) for depth in self.ticks())
        ]
        shares: Sequence[float] = (0.25, 0.5, 0.75)
        if track.logarithmic and track.curves and (curve := self.data.curve(track.curves[0].name)) is not None:
            low, high = ends_of(curve, track.curves[0], logarithmic=True)
            decades = range(ceil(log10(low)), floor(log10(high)) + 1)
            fine = track.width / max(log10(high / low), 1e-9) >= DECADE_MM
            values = np.array([n * 10.0**d for d in decades for n in (range(1, 10) if fine else (1,))])
            shares = [s for s in _shares(values, low, high, logarithmic=True, wrap=False).tolist() if 0 < s < 1]
        for share in shares:
            at = x + share * track.width
            marks.append(LineMark(np.array([[at, self.top], [at, self.top + self.height]]), self.inks.rule, 0.12))
        return marks

    def _thinned(self, curve: HoleCurve) -> tuple[np.ndarray, np.ndarray]:
        """Return where the values in sight are, and the values: of many in a row of pixels the smallest and the
        largest; NaN where there is none."""
        shown = self._depths_of(curve)
        first, last = np.searchsorted(shown, [self.low, self.high])
        first, last = max(0, int(first) - 1), min(len(shown), int(last) + 1)
        values, depth = curve.values[first:last], shown[first:last]
        rows = max(1, int(self.height * self.px_mm))
        if len(values) <= 4 * rows:
            return self.y_shown(depth), values
        starts = np.unique(np.searchsorted(depth, np.linspace(depth[0], depth[-1], rows, endpoint=False)))
        low, high = np.fmin.reduceat(values, starts), np.fmax.reduceat(values, starts)
        y = self.y_shown(depth[starts])
        return np.repeat(y, 2), np.column_stack([low, high]).ravel()

    def _depths_of(self, curve: HoleCurve) -> np.ndarray:
        """Return where the values of a curve are, as depths are stated."""
        plainly = not (self.scale.vertical or self.scale.zero is DepthZero.SEA or self.scale.feet)
        return curve.depth - self.hole.shift if plainly else self.hole.shown(curve.depth, self.scale)

    def _fill(
        self, chosen: TrackCurve, line: np.ndarray, lines: dict[str, np.ndarray], x: float, width: float
    ) -> list[Mark]:
        if not chosen.fill:
            return []
        known = line[np.isfinite(line[:, 0])]
        if len(known) < 2:
            return []
        other = lines.get(chosen.fill)
        if other is not None:
            back = other[np.isfinite(other[:, 0])][::-1]
        else:
            side = x if chosen.fill == "left" else x + width
            back = np.column_stack([np.full(2, side), known[[-1, 0], 1]])
        return [LineMark(np.vstack([known, back]), "", 0.0, fill=chosen.ink or self.inks.quiet)]


def _dots(points: np.ndarray, ink: str) -> list[Mark]:
    """Return a small cross at each point."""
    across, up = np.array([[-DOT_MM, 0.0], [DOT_MM, 0.0]]), np.array([[0.0, -DOT_MM], [0.0, DOT_MM]])
    return [LineMark(point + way, ink, 0.35) for point in points for way in (across, up)]


def _shares(values: np.ndarray, low: float, high: float, *, logarithmic: bool, wrap: bool) -> np.ndarray:
    """Return where values are between two ends, from 0 to 1 within them."""
    if logarithmic:
        with np.errstate(divide="ignore", invalid="ignore"):
            share = np.log(np.where(values > 0, values, np.nan) / low) / np.log(high / low)
    else:
        share = (values - low) / ((high - low) or 1.0)
    return np.where(np.isfinite(share), share % 1.0, np.nan) if wrap else np.clip(share, -0.02, 1.02)


def _parts(line: np.ndarray, *, wrap: bool, width: float) -> list[np.ndarray]:
    """Return the pieces of a line between what is not known, and where it leaves on one side and comes in again."""
    broken = ~np.isfinite(line[:, 0])
    jumps = np.zeros(len(line), bool)
    if wrap:
        jumps[1:] = np.abs(np.diff(line[:, 0])) > width / 2
    number = np.cumsum(broken | jumps)
    known = np.flatnonzero(~broken)
    cuts = np.flatnonzero(np.diff(number[known])) + 1
    return [line[part] for part in np.split(known, cuts) if len(part) > 1]


def _markers(
    places: Sequence[tuple[float, float, _HolePainter, HoleOnShow]], markers: Sequence[HoleMarker], inks: LogInks
) -> list[Mark]:
    """Return markers across their holes, and lines between those of the same name in holes beside each other."""
    marks: list[Mark] = []
    before: dict[str, tuple[float, float]] = {}
    for left, right, painter, hole in places:
        here: dict[str, tuple[float, float]] = {}
        for marker in markers:
            if plain(marker.hole) != plain(hole.data.hole.name):
                continue
            y = float(painter.y_of(marker.depth)[0])
            here[marker.name] = (right, y)
            inside = painter.top <= y <= painter.top + painter.height
            if marker.name in before and (
                inside or painter.top <= before[marker.name][1] <= painter.top + painter.height
            ):
                box = ClipMark(before[marker.name][0], painter.top, left - before[marker.name][0], painter.height)
                marks += [box, LineMark(np.array([before[marker.name], (left, y)]), MARKER_INK, 0.4), EVERYTHING]
            if inside:
                marks.append(LineMark(np.array([[left, y], [right, y]]), MARKER_INK, 0.4, dashed=True))
                marks.append(
                    TextMark(left + 1, y - 3.2, right - left - 2, 3.2, marker.name, MARKER_INK, 2.4, Align.RIGHT)
                )
        before = here
    return marks


def _ink_of(curve: TrackCurve, inks: LogInks) -> str:
    return legible(curve.ink, inks.paper) if curve.ink else inks.ink
