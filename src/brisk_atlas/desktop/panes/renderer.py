"""Asks the core for frames in the background: the newest view wins."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.draw import View
from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.style import shown_band
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace import Picks

from ..session import Session
from . import map_text

if TYPE_CHECKING:
    from brisk_atlas.core.compare.change_picture import ChangeScale
    from brisk_atlas.core.draw.frame import Frame

PATIENCE_S = 0.25  # a drawing younger than this is let finish when a newer one is asked for


class MarkedClasses(NamedTuple):
    """Two grids of classes, and the numbers of a class of A and of B whose common places stand out."""

    a: Layer
    b: Layer
    pair: tuple[int, int]


@dataclass(frozen=True)
class Wish:
    """What to draw: one or two stacks (bottom first) of the same view. `grid` is `projected` or
    `geographic` for lines of equal coordinates, empty for none. `change` are grids whose difference comes between the
    two stacks; `marked` are classes whose places stand out over all."""

    stacks: tuple[tuple[Layer, ...], ...]
    view: View
    picks: Picks | None = None
    grid: str = ""
    change: tuple[Layer, Layer] | None = None
    marked: MarkedClasses | None = None


@dataclass(frozen=True)
class ChangeOnMap:
    """The difference that a picture shows: how it is coloured, None where there is none, and what is to be known."""

    scale: ChangeScale | None
    words: str


class Renderer(QObject):
    """Draws wishes one at a time.

    Signals:
        drawn(list): the Frames of the newest finished wish, in the order of its stacks.
        begun(object): a Frame of a wish for one stack, as far as it is.
    """

    drawn = pyqtSignal(list)
    begun = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._job: Job | None = None
        self._began = 0.0
        self._next: Wish | None = None
        self.change: ChangeOnMap | None = None  # of the newest finished wish

    @property
    def busy(self) -> bool:
        return self._job is not None

    def want(self, wish: Wish) -> None:
        """Draw this as soon as may be; an older wish that waits is dropped."""
        if self._job is None:
            self._begin(wish)
            return
        self._next = wish
        if time.monotonic() - self._began > PATIENCE_S:
            self._job.cancel()

    def _begin(self, wish: Wish) -> None:
        self._next, self._began = None, time.monotonic()

        def work(job: Job) -> tuple[list[Frame], ChangeOnMap | None]:
            def on_partial(frame: Frame) -> None:
                self._session.call_in_gui(lambda f: self.begun.emit(f) if self._job is job else None, frame)

            return drawn_wish(self._session, wish, job.check, on_partial)

        def finished(job: Job) -> None:
            self._job = None
            if job.state == "done":
                frames, self.change = job.result
                self.drawn.emit(frames)
            elif job.state == "failed" and job.error:
                self._session.fault(job.error)
            if self._next:
                self._begin(self._next)

        self._job = self._session.jobs.start(
            tr("Drawing"), work, lambda job: self._session.call_in_gui(finished, job), shown=False
        )


def drawn_wish(
    session: Session, wish: Wish, check: Callable[[], None], on_partial: Callable[[Frame], None] | None = None
) -> tuple[list[Frame], ChangeOnMap | None]:
    """Return the frames of a wish, and the difference that they show. `on_partial` is given the frame of a single stack
    as far as it is; `check` may raise to stop."""
    from brisk_atlas.core.draw.composite import laid_over
    from brisk_atlas.core.draw.frame import Picked

    picked = Picked(wish.picks.layer_id, wish.picks.rows) if wish.picks else None
    frames = [
        session.painter.frame(
            stack, wish.view, picked=picked, check=check, on_partial=on_partial if len(wish.stacks) == 1 else None,
            measure=map_text.measure,
        )
        for stack in wish.stacks
    ]  # fmt: skip
    for frame in frames:
        if wish.grid:
            map_text.paint_grid_lines(frame, geographic=wish.grid == "geographic")
        map_text.paint_labels(frame)
    if wish.marked is not None:
        for frame in frames:
            _mark(session, frame, wish.marked)
    if wish.change is None:
        return frames, None
    change = _lay_change(session, frames[0], wish.change, check)
    return [laid_over(frames[0], frames[1])], change


def _mark(session: Session, frame: Frame, marked: MarkedClasses) -> None:
    """Have the places of two classes stand out of a picture."""
    from brisk_atlas.core.compare.class_places import places_picture
    from brisk_atlas.core.draw.composite import lay_picture

    lay_picture(frame.image, places_picture(session.cache, marked.a, marked.b, marked.pair, frame.view))


def _lay_change(session: Session, frame: Frame, sides: tuple[Layer, Layer], check: Callable[[], None]) -> ChangeOnMap:
    """Lay the difference of two grids over a picture."""
    from brisk_atlas.core.compare.change_picture import change_picture, change_scale
    from brisk_atlas.core.draw.composite import lay_picture

    cache, (a, b) = session.cache, sides
    try:
        key = ("change scale", a.ref, b.ref, shown_band(a.style), shown_band(b.style))
        scale = cache.derive(key, lambda: change_scale(cache, a, b))
        image, drawn = change_picture(cache, a, b, scale, frame.view, check)
    except AtlasError as error:
        return ChangeOnMap(None, str(error))
    lay_picture(frame.image, image)
    note = f"; {drawn.note}" if drawn.note else ""
    return ChangeOnMap(
        scale,
        tr("{name} − {a_name}, interpolated to the scale of the map{note}", name=b.name, a_name=a.name, note=note),
    )
