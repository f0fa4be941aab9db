"""What the strip shows: a line of points, or grids and clouds along a line that is picked or drawn."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.strip.line_list import LineList
    from brisk_atlas.core.strip.profile import Profile

HINT = tr(
    "Choose a layer of points to see its numbers along them, pick a line, or draw one: grids and points of clouds are "
    "shown along it. Draw takes the tool into the hand."
)
CORRIDOR_M = 5.0
NEAREST_M = 1.0  # across a line, within which points are of it in any case


class StripContent(QObject):
    """Finds out in the background what is to be shown, and says so.

    Signals:
        found(str): another profile, or none, with why.
        listed(): other lines are to be listed.
    """

    found = pyqtSignal(str)
    lines_listed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.profile: Profile | None = None
        self.listed: LineList | None = None
        self.number: int | None = None  # of the line on show in the list
        self.corridor = CORRIDOR_M
        self._line: tuple[np.ndarray, str | None] | None = None  # that was drawn, until another subject has points
        self._wanted: tuple[str, str] | None = None  # layer and name of the line that was chosen
        self._job: Job | None = None
        self._of: tuple | None = None

    @property
    def busy(self) -> bool:
        return self._job is not None

    def show_line(self, xy: np.ndarray, crs: str | None) -> None:
        """Show what lies along a line that was drawn."""
        self._line = xy, crs
        self.remake()

    def drop_line(self) -> None:
        """Show the subject's own points again, where it has some."""
        if self.points_subject() is not None:
            self._line = None

    def set_corridor(self, width: float) -> None:
        """Take points of clouds within another width of the line."""
        self.corridor = width
        self.remake()

    def choose(self, number: int) -> None:
        """Show a line of the list."""
        if self.listed is None or number == self.number:
            return
        lines = self.listed.lines
        self._line = None
        self._wanted = lines.layers[number].id, lines.names[number]
        self.number, self.profile = number, lines.profile(number)
        self.found.emit("" if self.profile.traces else tr("None of its fields is a number."))

    def choose_picked(self) -> None:
        """Show the line of the point that is picked, where it is of one that is listed."""
        picks = self.session.work.picks
        if picks is None or not picks.rows or self.listed is None or self._line is not None:
            return
        lines = self.listed.lines
        own = np.array([layer.id == picks.layer_id for layer in lines.layers], bool)
        if not own.any():
            return
        line = np.repeat(np.arange(len(lines)), np.diff(lines.starts))
        at = np.flatnonzero((lines.rows == picks.rows[0]) & own[line])
        if at.size:
            self.choose(int(line[at[0]]))

    def points_subject(self) -> Layer | None:
        """Return the subject if it has points."""
        subject = self.session.work.subject
        return subject if subject is not None and self._has_points(subject) else None

    def _has_points(self, layer: Layer) -> bool:
        facts = self.session.facts_of(layer) if layer.kind.has_shapes else None
        return facts is not None and "Point" in (facts.geometry_type or "") and not self.session.is_streamed(layer)

    def _picked_line(self) -> tuple[Layer, int] | None:
        """Return the layer and the row of a line that is picked."""
        picks = self.session.work.picks
        layer = self.session.work.layer(picks.layer_id) if picks is not None and picks.rows else None
        facts = self.session.facts_of(layer) if layer is not None else None
        if picks is None or layer is None or facts is None or "Line" not in (facts.geometry_type or ""):
            return None
        return layer, picks.rows[0]

    def _grids(self) -> list[Layer]:
        """Return the grids whose values stand along a line: those that are compared, else those that are shown."""
        pair = self.session.work.compared_grids()
        if pair is not None:
            return list(pair)
        found = []
        for layer in self.session.work.layers:
            facts = self.session.facts_of(layer)
            grid = facts.grid if facts is not None and layer.kind.has_cells and layer.visible else None
            if grid is not None and len(grid.bands) == 1 and not grid.drawn_by_service:
                found.append(layer)
        return found

    def _clouds(self) -> list[Layer]:
        """Return the clouds that are shown."""
        layers = self.session.work.layers
        return [each for each in layers if each.kind.has_points and each.visible] if self.corridor > 0 else []

    def remake(self) -> None:
        """Show what is wanted now."""
        points, picked, line = self.points_subject(), self._picked_line(), self._line
        grids, clouds, corridor = self._grids(), self._clouds(), self.corridor
        cache = self.session.cache
        along = (tuple((la.ref, la.name) for la in grids), tuple((la.ref, la.style) for la in clouds), corridor)
        lined = [layer for layer in self.session.work.layers if self._has_points(layer)]
        if line is None and points is not None:
            of: tuple = ("points", points.id, tuple((la.id, la.ref, la.rows, la.name) for la in lined))
        elif line is not None and points is not None:
            of = ("points along", line[0].tobytes(), line[1], points.ref, points.rows, corridor)
        elif line is not None:
            of = ("drawn", line[0].tobytes(), line[1], *along)
        elif picked is not None:
            of = ("picked", picked[0].ref, picked[1], *along)
        else:
            self._cancel()
            self._of = None
            self._take(None, None, HINT)
            return
        if of == self._of:
            return
        self._of = of

        def work(job: Job) -> tuple[LineList | None, Profile | None]:
            from brisk_atlas.core.strip.corridor import points_along, with_corridor
            from brisk_atlas.core.strip.line_list import list_lines
            from brisk_atlas.core.strip.sources import along_row, grids_along, line_of_row

            if line is not None and points is not None:
                return None, points_along(cache, points, *line, max(corridor, NEAREST_M), job.check)
            if line is not None:
                return None, with_corridor(
                    cache, grids_along(cache, grids, *line, job.check), clouds, *line, corridor, job.check
                )
            if points is not None:
                return list_lines(cache, lined, points, job.check), None
            assert picked is not None
            found = along_row(cache, *picked, grids, job.check)
            xy, _ = line_of_row(cache, *picked)
            return None, with_corridor(cache, found, clouds, xy, found.crs, corridor, job.check)

        def done(found: tuple[LineList | None, Profile | None]) -> None:
            self._job = None
            if of == self._of:
                self._take(*found, "")

        def failed(error: BaseException) -> None:
            self._job = None
            if isinstance(error, AtlasError):
                self._take(None, None, str(error))
            else:
                self.session.fault(error)

        self._cancel()
        self._job = self.session.run(tr("Reading along the line"), work, done, shown=False, failed=failed)

    def _cancel(self) -> None:
        if self._job is not None:
            self._job.cancel()
            self._job = None

    def _take(self, listed: LineList | None, profile: Profile | None, message: str) -> None:
        self.listed, self.profile, self.number = listed, profile, None
        if listed is not None:
            self.number = self._number_wanted(listed)
            self.profile = listed.lines.profile(self.number)
            message = message or ("" if self.profile.traces else tr("None of its fields is a number."))
        self.lines_listed.emit()
        self.found.emit(message)

    def _number_wanted(self, listed: LineList) -> int:
        """Return the line that was chosen before, else the first of the subject."""
        lines, subject = listed.lines, self.session.work.subject
        keys = [(layer.id, name) for layer, name in zip(lines.layers, lines.names)]
        if self._wanted in keys and subject is not None and self._wanted[0] == subject.id:
            return keys.index(self._wanted)
        own = [n for n, (layer_id, _) in enumerate(keys) if subject is not None and layer_id == subject.id]
        return own[0] if own else 0
