"""Draws a relief in the background: at once and coarser while the hand moves, finely at rest, finer as windows come."""

from __future__ import annotations

import time
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.eye import Eye
from brisk_atlas.core.relief.light import Lighting
from brisk_atlas.core.relief.pace import Pace
from brisk_atlas.core.relief.rays import UNDIVIDED, Division, Look
from brisk_atlas.core.system.jobs import Job

from ..later import Later
from ..session import Session
from .relief_content import ReliefContent
from .relief_drapes import drapes_of, heights_of, space_around_content
from .relief_signs import ReliefSign, signs_for

if TYPE_CHECKING:
    from brisk_atlas.core.relief.bodies import ReliefBodies
    from brisk_atlas.core.relief.scene import ReliefPicture, ReliefScene, Wanted

ONE_OVER_THE_OTHER = 4  # of the ways in which A and B share a picture
STILL_MS = 160  # after the hand rests this long the picture is drawn finely


class ReliefDriver(QObject):
    """Holds the scene, and has one picture drawn at a time: the newest that is wanted.

    Signals:
        begun(object): the ReliefScene of another ground is there.
        pictured(object): a ReliefPicture.
        failed(str): why there is no relief.
        signed(object): the labels of what is seen, as ReliefSign.
        stood(object): the ReliefBodies of the layers that stand are there.
        settled(): the picture is final for the present eye.
    """

    begun = pyqtSignal(object)
    pictured = pyqtSignal(object)
    failed = pyqtSignal(str)
    signed = pyqtSignal(object)
    stood = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.scene: ReliefScene | None = None
        self.content: ReliefContent | None = None
        self.eye = Eye()
        self.size = (16, 16)
        self.look: Look | None = None
        self.lighting = Lighting()
        self.division = UNDIVIDED
        self.pace = Pace()
        self._making: Job | None = None
        self._drawing: Job | None = None
        self._loading: Job | None = None
        self._reading: Job | None = None  # points
        self._signing: Job | None = None  # labels
        self._standing: Job | None = None  # layers that stand
        self._again = False
        self._complete = False  # all windows are there; edges can be smoothed
        self._still = Later(self, STILL_MS, self._draw)

    @property
    def busy(self) -> bool:
        """Whether the picture is still to become better."""
        return (
            any((self._making, self._drawing, self._loading, self._reading, self._signing, self._standing, self._again))
            or self._still.isActive()
        )

    def show(self, content: ReliefContent | None) -> None:
        """Show other grids or layers; None for nothing."""
        before, self.content = self.content, content
        if content is None:
            self.scene = None
        elif self.scene is None or before is None or before.ground != content.ground:
            self._make(content)
        else:
            if before.draped != content.draped:
                self.scene.use_drapes(*drapes_of(self.session.cache, content, self.scene))
            if before.clouds != content.clouds:
                self._read_clouds(self.scene, content)
            if before.standing != content.standing:
                self._read_standing(self.scene, content)
            self._draw()

    def look_from(self, eye: Eye) -> None:
        """Draw what another eye sees, coarser until the hand rests."""
        self.eye = eye
        self._still.start()
        self._draw()

    def divide(self, division: Division) -> None:
        """Have A and B share the picture in another way, coarser until the hand rests."""
        if division != self.division:
            self.division = division
            if division.way != ONE_OVER_THE_OTHER:
                self._still.start()
            self._draw()

    def redraw(self) -> None:
        """Draw again, as the look or the size is another."""
        self._draw()

    def _make(self, content: ReliefContent) -> None:
        """Make the scene of another ground in the background."""
        cache, lighting, eye = self.session.cache, self.lighting, self.eye

        def work(job: Job) -> ReliefScene:
            from brisk_atlas.core.relief.points import relief_points
            from brisk_atlas.core.relief.scene import ReliefScene, no_picture

            space = space_around_content(cache, content)
            scene = ReliefScene(space, heights_of(cache, content), no_picture, lighting, eye.exaggeration)
            scene.load_base()
            scene.use_drapes(*drapes_of(cache, content, scene))
            if not content.grids and not content.around:
                scene.show_clouds([relief_points(cache, layer, space) for layer in content.clouds])
            return scene

        def finished(job: Job) -> None:
            if self._making is not job:
                return
            self._making = None
            if job.error is not None:
                self.scene = None
                self.failed.emit(str(job.error))
            elif job.result is None:
                self.failed.emit(tr("The relief was not built, as that was cancelled. Close and open it to try again."))
            elif self.content is not None and self.content.ground == content.ground:
                self.scene = job.result
                if self.content.draped != content.draped:
                    self.scene.use_drapes(*drapes_of(cache, self.content, self.scene))
                self._read_clouds(self.scene, self.content)
                self._read_standing(self.scene, self.content)
                self.begun.emit(self.scene)
                self._draw()

        self._making = self._start(tr("Building the relief"), work, finished, shown=True)

    def _read_clouds(self, scene: ReliefScene, content: ReliefContent) -> None:
        """Read the clouds in the background: some of the points first, then all, and draw them."""
        if self._reading is not None:
            self._reading.cancel()
        if not content.clouds:
            self._reading = None
            scene.show_clouds([])
            return
        cache = self.session.cache

        def work(job: Job) -> bool:
            from brisk_atlas.core.relief.points import relief_points

            found = [relief_points(cache, layer, scene.space) for layer in content.clouds]
            job.check()
            scene.show_clouds(found)
            if all(each.whole for each in found):
                return True
            self.session.call_in_gui(self._draw_points, job)
            for layer in content.clouds:
                cache.points(layer.ref, lambda share: job.check())
            scene.show_clouds([relief_points(cache, layer, scene.space) for layer in content.clouds])
            return True

        def finished(job: Job) -> None:
            if self._reading is job:
                self._reading = None
                if job.error is not None:
                    self.failed.emit(str(job.error))
                self._draw()

        self._reading = self._start(tr("Reading points for the relief"), work, finished, shown=True)

    def _read_standing(self, scene: ReliefScene, content: ReliefContent) -> None:
        """Build the layers that stand in the background, and draw them. What can't stand says why, and is left out."""
        if self._standing is not None:
            self._standing.cancel()
        cache = self.session.cache

        def work(job: Job) -> tuple[ReliefBodies, ...]:
            from brisk_atlas.core.relief.bodies import bodies_of, no_bodies
            from brisk_atlas.core.relief.ground import heights_under

            found, ground = [], partial(heights_under, heights_of(cache, content), scene.space)
            for layer in content.standing:
                job.check()
                try:
                    found.append(bodies_of(cache, layer, scene.space, ground))
                except AtlasError as error:
                    found.append(no_bodies(layer, str(error)))
            return tuple(found)

        def finished(job: Job) -> None:
            if self._standing is job:
                self._standing = None
                if job.error is not None:
                    self.failed.emit(str(job.error))
                elif job.result is not None and self.scene is scene:
                    scene.bodies = job.result
                    self.stood.emit(job.result)
                self._draw()

        self._standing = self._start(tr("Building what stands in the relief"), work, finished)

    def _draw_points(self, job: Job) -> None:
        self._draw()

    def _start(self, name: str, work, finished, *, shown: bool = False) -> Job:  # type: ignore[no-untyped-def]
        return self.session.jobs.start(name, work, lambda job: self.session.call_in_gui(finished, job), shown=shown)

    def _draw(self) -> None:
        """Draw the present eye; while a picture is being drawn, only remember to draw again."""
        scene, look = self.scene, self.look
        if scene is None or look is None:
            return
        if self._drawing is not None:
            self._again = True
            return
        eye, size, lighting, division = self.eye, self.size, self.lighting, self.division
        moving, finely = self._still.isActive(), self._complete
        self._complete = False
        coarser = self.pace.coarser if moving else 1.0

        def work(job: Job) -> tuple[ReliefPicture, float, list[Wanted]]:
            if not moving:
                scene.use_light(lighting, eye.exaggeration)
            begun = time.perf_counter()
            if finely and not moving:
                picture = scene.fine_picture(eye, size, look, division)
            else:
                picture = scene.picture(eye, size, look, coarser=coarser, division=division)
            took = time.perf_counter() - begun
            return picture, took, scene.missing(picture)

        def finished(job: Job) -> None:
            self._drawing = None
            if job.error is not None:
                self.failed.emit(str(job.error))
                return
            if job.result is not None and self.scene is scene:
                picture, took, missing = job.result
                if moving:
                    self.pace.took(took)
                self.pictured.emit(picture)
                self._load(scene, missing)
                blinks = division.way == ONE_OVER_THE_OTHER  # the next picture comes before a fine one would
                if not (moving or finely or blinks or self._again or self._loading):
                    self._complete = self._again = True
                if finely and not moving:
                    self._sign(scene, picture)
            if self._again:
                self._again = False
                self._draw()
            elif not self.busy:
                self.settled.emit()

        self._drawing = self._start(tr("Relief"), work, finished)

    def _sign(self, scene: ReliefScene, picture: ReliefPicture) -> None:
        """Find the labels of what is seen, in the background."""
        content, cache = self.content, self.session.cache
        if self._signing is not None or content is None or not (content.grids or content.around):
            return

        def work(job: Job) -> list[ReliefSign]:
            from brisk_atlas.core.kinds import painter_for

            return signs_for(scene, painter_for(cache), (*content.drapes[0], *content.standing), picture)

        def finished(job: Job) -> None:
            self._signing = None
            if job.result is not None and self.scene is scene:
                self.signed.emit(job.result)
            if not self.busy:
                self.settled.emit()

        self._signing = self._start(tr("Placing labels"), work, finished)

    def _load(self, scene: ReliefScene, missing: list[Wanted]) -> None:
        """Read the coarsest window that a picture lacks, and draw again once it is there."""
        if self._loading is not None or not missing:
            return
        wanted = missing[0]

        def finished(job: Job) -> None:
            self._loading = None
            if job.error is not None:
                self.failed.emit(str(job.error))
            elif self.scene is scene:
                self._draw()

        self._loading = self._start(tr("Reading the ground"), lambda job: scene.load(wanted), finished)
