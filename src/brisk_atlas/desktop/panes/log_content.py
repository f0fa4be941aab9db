"""Which holes a strip log can show, and what was read of those that are chosen."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model import AtlasError, Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.hole_set import HoleSet
    from brisk_atlas.core.strip.holes.read_hole import HoleData

HINT = (tr("Choose a layer of collars, with a field that names each hole, or a well log: what lies beside it, such as "
        "intervals, logs, descriptions and photographs, is found by its names."))  # fmt: skip
LOG_FORMATS = ("LAS", "DLIS")
HOLE_WORDS = ("hole", "bore", "well")


def is_log(session: Session, layer: Layer) -> bool:
    """Return whether a layer is a table of a well log."""
    dataset = session.dataset_of(layer)
    return dataset is not None and layer.kind.has_rows and dataset.format.startswith(LOG_FORMATS)


def has_holes(session: Session, layer: Layer | None) -> bool:
    """Return whether a layer seems to be of collars, or is a well log."""
    if layer is None or not layer.kind.has_rows or session.is_streamed(layer):
        return False
    if is_log(session, layer):
        return True
    facts = session.facts_of(layer)
    names = [field.name.lower().lstrip("_") for field in facts.fields] if facts is not None else []
    points = facts is not None and (not layer.kind.has_shapes or "Point" in (facts.geometry_type or ""))
    places = layer.kind.has_shapes or any(name.startswith(("east", "x", "lon")) for name in names)
    return points and places and any(name.startswith(HOLE_WORDS) for name in names)


class LogContent(QObject):
    """Finds the holes of the subject in the background, and reads those that are chosen.

    Signals:
        found(str): other holes, or none, with why.
        read(): what was chosen was read.
    """

    found = pyqtSignal(str)
    read = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.holes: HoleSet | None = None
        self.layer_id = ""
        self.chosen: tuple[int, ...] = ()
        self.data: dict[str, HoleData] = {}  # what was read, by hole, with what was worked out
        self._job: Job | None = None
        self._of: tuple | None = None

    @property
    def busy(self) -> bool:
        return self._job is not None

    def shown(self) -> list[HoleData]:
        """Return what was read of the holes that are chosen."""
        names = [self.holes.holes[n].name for n in self.chosen] if self.holes is not None else []
        return [self.data[name] for name in names if name in self.data]

    def remake(self) -> None:
        """Find the holes of the subject, if they are others."""
        subject = self.session.work.subject
        if subject is None or not has_holes(self.session, subject):
            if self.holes is None:
                self._of = None
                self.found.emit(HINT)
            return
        others = [
            layer for layer in self.session.work.layers if layer.kind.has_rows and not self.session.is_streamed(layer)
        ]
        of = (subject.id, subject.rows, subject.holes.tables, tuple((each.id, each.ref) for each in others))
        if of == self._of:
            return
        self._of = of
        cache = self.session.cache

        def work(job: Job) -> HoleSet:
            from brisk_atlas.core.strip.holes.find_holes import holes_of

            return holes_of(cache, subject, others, job.check)

        def done(holes: HoleSet) -> None:
            self._job = None
            if of == self._of:
                same = self.layer_id == subject.id
                before = [self.holes.holes[n].name for n in self.chosen] if self.holes is not None and same else []
                self.holes, self.layer_id, self.data = holes, subject.id, {}
                numbers = [n for name in before if (n := holes.named(name)) is not None]
                self.chosen = ()
                self.found.emit("" if len(holes) else tr("The layer has no rows."))
                self.choose(numbers or ([0] if len(holes) else []))

        self._run(tr("Looking for what belongs to the holes"), work, done)

    def choose(self, numbers: list[int]) -> None:
        """Show holes beside each other, and read those that were not."""
        if self.holes is None:
            return
        self.chosen = tuple(numbers)
        missing = [self.holes.holes[n] for n in numbers if self.holes.holes[n].name not in self.data]
        if not missing:
            self.read.emit()
            return
        cache, of = self.session.cache, self._of

        def work(job: Job) -> list[HoleData]:
            from brisk_atlas.core.strip.holes.read_hole import read_hole

            return [read_hole(cache, hole, job.check) for hole in missing]

        def done(found: list[HoleData]) -> None:
            self._job = None
            if of == self._of:
                self.data |= {each.hole.name: each for each in found}
                self.read.emit()

        self._run(tr("Reading what was measured down the hole"), work, done)

    def _run(self, title: str, work, done) -> None:  # type: ignore[no-untyped-def]
        def failed(error: BaseException) -> None:
            self._job = None
            if isinstance(error, AtlasError):
                self.holes = None
                self.found.emit(str(error))
            else:
                self.session.fault(error)

        if self._job is not None:
            self._job.cancel()
        self._job = self.session.run(title, work, done, shown=False, failed=failed)
