"""What all parts of the window share: the work, what is held in memory, and the jobs."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from brisk_atlas.core.model import AtlasError, NeedsPermission
from brisk_atlas.core.model.kinds import DataKind
from brisk_atlas.core.project import Work
from brisk_atlas.core.system.jobs import Job, Jobs, Lane

from .living import is_living

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw.frame import Painter
    from brisk_atlas.core.find import Answers, Catalogue, Neighbour, ScanPool, Shelves
    from brisk_atlas.core.find.preflight import PreflightResult
    from brisk_atlas.core.model import DataRef, Dataset, Facts, Field, Layer, OpenOptions, Style
    from brisk_atlas.core.project import Place, WorkState
    from brisk_atlas.core.project.autosave import Unsaved
    from brisk_atlas.core.sheet import Sheet

log = logging.getLogger(__name__)
Look = tuple["Facts", "Style | None", "str | None"]  # of a part: what it is, its first style, and its name
PROJECT_SUFFIX = ".brisk.json"
DRAWN_KINDS = (DataKind.VECTOR, DataKind.RASTER, DataKind.POINTCLOUD, DataKind.TABLE)


class Session(QObject):
    """The work and what serves it.

    Signals:
        work_changed(str): layers, subject, picks, curtain or file.
        noticed(str, str, str): mood (`fault` or `good`), text, details that can be unfolded.
        job_changed(object): a Job began, went on or ended.
        layers_opened(list): ids of layers just opened.
        preparing(object): a source of which more can be seen than before.
        prepared(object): a source whose layers can now be drawn in full.
        permission_wanted(object): a NeedsPermission of a file that points beyond its own folder.
        asked(list): Questions to put before files can be opened.
        opening(): layers or a project are about to come; whoever shows them should stand ready.
    """

    work_changed = pyqtSignal(str)
    noticed = pyqtSignal(str, str, str)
    job_changed = pyqtSignal(object)
    layers_opened = pyqtSignal(list)
    opening = pyqtSignal()
    asked = pyqtSignal(list)
    permission_wanted = pyqtSignal(object)
    preparing = pyqtSignal(object)
    prepared = pyqtSignal(object)
    _came_home = pyqtSignal(object, object)

    def __init__(self, shelves: Shelves | None = None) -> None:
        super().__init__()
        self.jobs = Jobs()
        self.work = Work()
        self._shelves = shelves
        self._cache: DataCache | None = None
        self._painter: Painter | None = None
        self._answers: Answers | None = None
        self._catalogue: Catalogue | None = None
        self._making = threading.Lock()
        self.asks = True  # whether there is somebody to answer; a picture takes the guesses
        self._closed = False
        self.stopped = True  # whether all work had ended when the session was closed
        self._tried: set[DataRef] = set()
        self._came_home.connect(self._take_home)
        self.jobs.listen(lambda job: self.job_changed.emit(job) if job.shown and not self._closed else None)
        self.work.listen(self.work_changed.emit)
        self._arrived: list[tuple[DataRef, list[Look]]] = []
        self._arrivals = QTimer(self)
        self._arrivals.setSingleShot(True)
        self._arrivals.setInterval(0)
        self._arrivals.timeout.connect(self._lay_down)
        self._shown: set[DataRef] = set()
        self.work.listen(self._give_back)

    def _give_back(self, what: str) -> None:
        """Drop the data of layers that were closed; undoing reads it again."""
        if what not in ("layers", "file"):
            return
        shown = {layer.ref.whole for layer in self.work.layers}
        gone, self._shown = self._shown - shown, shown
        if not gone or self._cache is None:
            return
        for ref in gone:
            self._cache.release(ref)
        if self._painter is not None:
            self._painter.forget(gone)

        def trim(job: Job) -> None:
            from brisk_atlas.core.cache.budget import give_back

            give_back()

        self.run("Giving back memory", trim, shown=False, lane=Lane.BATCH)

    @property
    def cache(self) -> DataCache:
        """Return what is held in memory; the readers load at the first call."""
        if self._cache is None:
            from brisk_atlas.core.cache import DataCache

            self._cache = DataCache()
        return self._cache

    @property
    def shelves(self) -> Shelves:
        """Return the shelves, remembered from the last run unless others were given."""
        if self._shelves is None:
            from brisk_atlas.core.find import Shelves

            self._shelves = Shelves()
            self._shelves.load()
        return self._shelves

    @property
    def answers(self) -> Answers:
        """Return what was answered about files before."""
        if self._answers is None:
            from brisk_atlas.core.find import Answers

            self._answers = Answers()
        return self._answers

    @property
    def catalogue(self) -> Catalogue:
        """Return what is kept about datasets; opened at the first call, so make it in a job."""
        with self._making:
            if self._catalogue is None:
                from brisk_atlas.core.find import Catalogue

                self._catalogue = Catalogue()
            return self._catalogue

    @property
    def scan_pool(self) -> ScanPool:
        """Return the children that look at datasets."""
        from brisk_atlas.core.find.scan_pool import shared_scan_pool

        return shared_scan_pool()

    @property
    def painter(self) -> Painter:
        """Return the painter; the first call loads the drawing core, so make it in a job."""
        if self._painter is None:
            from brisk_atlas.core.draw.frame import Painter

            self._painter = Painter(self.cache)
        return self._painter

    def run(
        self,
        name: str,
        work: Callable[[Job], Any],
        done: Callable[[Any], None] | None = None,
        *,
        shown: bool = True,
        lane: Lane = Lane.INTERACTIVE,
        failed: Callable[[BaseException], None] | None = None,
    ) -> Job:
        """Run `work(job)` in the background, then `done(result)` here; a failure becomes a notice."""

        def home(job: Job) -> None:
            if job.state == "done":
                if done:
                    done(job.result)
            elif job.state == "failed" and job.error is not None:
                (failed or self.fault)(job.error)

        return self.jobs.start(name, work, lambda job: self.come_home(home, job), shown=shown, lane=lane)

    def come_home(self, done: Callable[[Any], None], what: object) -> None:
        """Call `done(what)` on the window's thread, from any thread; not once the session is closed."""
        if not self._closed:
            self._came_home.emit(done, what)

    def _take_home(self, done: Callable[[Any], None], what: object) -> None:
        if self._closed or not is_living(done):
            log.debug("a result came for a widget that is gone: %r", done)
            return
        done(what)

    def fault(self, error: BaseException) -> None:
        """Show an error as a notice: plainly if it was foreseen, with its trace if not."""
        if isinstance(error, AtlasError):
            self.noticed.emit("fault", str(error), "")
        else:
            import traceback

            log.error("not foreseen", exc_info=error)
            details = "".join(traceback.format_exception(error))
            self.noticed.emit("fault", f"Something went wrong: {type(error).__name__}: {error}", details)

    def open_files(self, paths: Iterable[str | Path]) -> None:
        """Open datasets, or a project, that lie on the disk or at the addresses given as text."""
        from brisk_atlas.core.model import DataRef

        self.open_refs([DataRef.parse(path) for path in paths])

    def open_refs(self, refs: Sequence[DataRef]) -> None:
        """Open datasets, parts of datasets, or a project, in the background."""
        self.opening.emit()
        self._allow_hosts(refs)
        projects = [ref for ref in refs if ref.is_local and ref.name.endswith(PROJECT_SUFFIX)]
        others = [ref for ref in refs if ref not in projects]
        if projects:
            self.open_project(projects[0].path, then=lambda: self._look_at(others))
            return
        self._look_at(others)

    def _allow_hosts(self, refs: Sequence[DataRef]) -> None:
        """Allow the hosts of addresses that were asked for by hand."""
        addresses = [ref.place for ref in refs if not ref.is_local]
        if addresses:
            from brisk_atlas.core.read.permissions import allow, place_of

            allow(tuple(dict.fromkeys(map(place_of, addresses))))

    def open_asking(self, refs: Sequence[DataRef]) -> None:
        """Open datasets after asking all that can be chosen, whatever was answered before."""
        self.opening.emit()
        self._look_at(refs, anew=True)

    def _look_at(self, refs: Sequence[DataRef], *, anew: bool = False) -> None:
        """Look at datasets in the background; open those that need no answer, and ask for the others."""

        def work(job: Job) -> list[PreflightResult]:
            from brisk_atlas.core.find.preflight import OpenPreflight

            before = OpenPreflight(self.cache, self.answers, self.catalogue, self.scan_pool)
            nearby, found = self.placed_layers(), []
            for number, ref in enumerate(refs):
                job.report(number / len(refs), ref.name)
                found.append(before.look(ref, nearby, anew=anew, check=job.check))
            return found

        def done(found: list[PreflightResult]) -> None:
            for each in found:
                if isinstance(each.error, NeedsPermission):
                    self.permission_wanted.emit(each.error)
                elif each.error is not None:
                    self.fault(each.error)
            waiting = [each.question for each in found if each.question is not None]
            for each in found:
                if each.error is None and each.question is None:
                    self._open(each.ref)
            if waiting and self.asks:
                self.asked.emit(waiting)
            for question in waiting if not self.asks else ():
                self.open_as(question.ref, question.guess, keep=False)

        if refs:
            name = refs[0].name if len(refs) == 1 else f"{len(refs):,} datasets"
            self.run(f"Looking at {name}", work, done)

    def placed_layers(self) -> list[Neighbour]:
        """Return the open layers that have a place. Reads, so call it in a job."""
        from brisk_atlas.core.find.preflight import neighbour

        known = [(layer.name, self.facts_of(layer)) for layer in self.work.layers]
        return [near for name, facts in known if facts is not None and (near := neighbour(name, facts)) is not None]

    def open_as(self, ref: DataRef, reading: OpenOptions, *, keep: bool = True) -> None:
        """Open a dataset as the analyst says; the answer is kept for the next time."""
        if keep:
            self.answers.keep(ref, reading)
        self.cache.set_options(ref, reading)
        self._open(ref)

    def _open(self, ref: DataRef) -> None:
        self.run(f"Opening {ref.name}", partial(self._look, ref), self._opened)

    def _look(self, ref: DataRef, job: Job) -> tuple[DataRef, list[Look]]:
        from brisk_atlas.core.draw.looks import first_look

        job.report(0.1, "looking at it")
        dataset = self.cache.dataset(ref)
        parts = [p for p in dataset.parts if p.facts.kind in DRAWN_KINDS]
        said = self.cache.options.get(ref.whole)
        chosen = said.parts if said is not None else None
        if ref.part is not None:
            parts = [p for p in parts if p.facts.name == ref.part]
        elif chosen is not None:
            parts = [p for p in parts if p.facts.name in chosen]
            inside = [p.ref for p in dataset.parts if p.facts.kind is DataKind.PACKED and p.facts.name in chosen]
            if inside:
                self.come_home(lambda inner: self._look_at(inner), inside)
                return dataset.ref, []
        elif dataset.kind is DataKind.SCENE:
            parts = parts[:1]
        if not parts:
            raise AtlasError(ref, f"a {dataset.kind} is not drawn on the Desk", "Read it on Find or Record.")
        looks = []
        for number, part in enumerate(parts):
            job.report(0.2 + 0.8 * number / len(parts), f"reading {part.facts.name}")
            if part.facts.kind is DataKind.VECTOR:
                self._hold(ref.with_part(part.facts.name), part.facts)
            looks.append((part.facts, first_look(part.facts, len(self.work.layers) + number)))
        if dataset.kind is DataKind.SCENE:
            from brisk_atlas.core.read.scene_words import layer_name

            names = [layer_name(ref.stem, facts.notes, facts.name) for facts, _ in looks]
            return ref, [(facts, style, name) for (facts, style), name in zip(looks, names)]
        return ref, [(facts, style, None) for facts, style in looks]

    def _hold(self, ref: DataRef, facts: Facts) -> None:
        """Read a vector part, or the sample of one that is too large to be held."""
        from brisk_atlas.core.cache.by_view import seen_features

        if facts.extent is not None:
            seen_features(self.cache, ref, facts.extent)

    def _opened(self, found: tuple[DataRef, list[Look]]) -> None:
        """Note what was read; what came home at the same time is laid on the Desk together."""
        if found[1]:
            self._arrived.append(found)
            self._arrivals.start()

    def _lay_down(self) -> None:
        arrived, self._arrived = self._arrived, []
        places = {ref.whole for ref, _ in arrived}
        if self._painter:
            self._painter.forget(places)
        self._tried = {source for source in self._tried if source.whole not in places}
        with self.work.together():
            layers = [self.work.add(ref, *look) for ref, looks in arrived for look in looks]
        self.shelves.opened(*(ref.whole for ref, _ in arrived))
        self.run("Remembering what was opened", lambda job: self.shelves.save(), shown=False, lane=Lane.BATCH)
        self.layers_opened.emit([layer.id for layer in layers])

    def prepare(self, layer: Layer) -> None:
        """Do in the background what makes a layer draw better: read all of a large cloud, or make the
        overviews that a raster lacks. `preparing` and `prepared` say how it goes."""
        source = layer.ref
        if source in self._tried:
            return
        self._tried.add(source)  # also when it fails or is cancelled: not again until it is opened anew

        def work(job: Job) -> None:
            from brisk_atlas.core.draw.prepare import prepare

            def report(share: float) -> None:
                job.report(share)
                self.come_home(self.preparing.emit, source)

            prepare(self.cache, layer, report)

        def ended(nothing: object) -> None:
            self._tried.discard(source)
            self.prepared.emit(source)

        self.run(f"Preparing {layer.name}", work, ended, lane=Lane.BATCH)

    def restore(self, unsaved: Unsaved) -> None:
        """Go on with work that an earlier run left unsaved."""
        self.open_project(unsaved.stored, unsaved=unsaved)

    def discard_unsaved(self, stored: Sequence[Path]) -> None:
        """Delete the unsaved work of earlier runs."""
        from brisk_atlas.core.project.autosave import discard

        for file in stored:
            discard(file)

    def open_project(
        self, path: Path, then: Callable[[], object] = lambda: None, *, unsaved: Unsaved | None = None
    ) -> None:
        """Open a project file; layers whose files are gone stay, with a notice each."""
        self.opening.emit()

        def work(job: Job) -> tuple[WorkState, Place | None, list[AtlasError], tuple[int, int] | None]:
            from brisk_atlas.core.project.file import read, state_of_file

            file_state = state_of_file(path)
            state, place, readings = read(path)
            for ref, reading in readings.items():
                self.cache.set_options(ref, reading)
            faults = []
            for number, layer in enumerate(state.layers):
                job.report(number / len(state.layers), layer.name)
                try:
                    self.cache.part(layer.ref)
                except AtlasError as error:
                    faults.append(error)
            return state, place, faults, file_state

        def done(found: tuple[WorkState, Place | None, list[AtlasError], tuple[int, int] | None]) -> None:
            state, place, faults, file_state = found
            if unsaved is None:
                self.work.load(state, path, place, file_state)
                self.shelves.opened_project(path)
            else:
                self.work.load(state, unsaved.file, place, unsaved=True)
                self.discard_unsaved([unsaved.stored])
            for error in faults:
                if isinstance(error, NeedsPermission):
                    self.permission_wanted.emit(error)
                else:
                    self.fault(error)
            then()

        self.run(f"Opening {path.name}", work, done)

    def save_project(self, path: Path) -> bool:
        """Write the project; returns whether it was written. A fault is shown."""
        from brisk_atlas.core.project.file import save

        path = path if path.name.endswith(PROJECT_SUFFIX) else path.with_name(path.name + PROJECT_SUFFIX)
        try:
            save(self.work, path, self.cache.options)
        except AtlasError as error:
            self.fault(error)
            return False
        self.noticed.emit("good", f"Saved {path.name}", "")
        return True

    def dataset_of(self, layer: Layer) -> Dataset | None:
        """Return the open dataset of a layer, without reading anything."""
        return self.cache.peek(layer.ref)

    def facts_of(self, layer: Layer) -> Facts | None:
        dataset = self.dataset_of(layer)
        try:
            return dataset.part(layer.part).facts if dataset else None
        except KeyError:
            return None

    def fields_of(self, layer: Layer) -> tuple[Field, ...]:
        """Return the fields of a layer with those that were added; its dataset must be open."""
        from brisk_atlas.core.rows import fields_with_added

        return fields_with_added(self.cache, layer)

    def is_streamed(self, layer: Layer) -> bool:
        """Return whether a layer is read by view, so that its rows are not tied to features on the map."""
        from brisk_atlas.core.cache.by_view import is_stream

        known = layer.kind is DataKind.VECTOR and self.dataset_of(layer) is not None
        return known and is_stream(self.cache, layer.ref)

    def sheet_of(self, layer: Layer, check: Callable[[], None] | None = None) -> Sheet:
        """Return the sheet of a layer with what was added to its rows, made once for each state of that.
        Reads, so call it in a job."""
        from brisk_atlas.core.rows import rows_of
        from brisk_atlas.core.sheet import Sheet

        return self.cache.derive_latest(
            ("sheet", layer.id, layer.ref), layer.rows.modifications, lambda: Sheet(rows_of(self.cache, layer, check))
        )

    def saved_rows(self, layer: Layer) -> None:
        """Read a layer anew whose edits have been written into its file."""
        from dataclasses import replace

        self.cache.forget(layer.ref)
        if self._painter:
            self._painter.forget()
        now = self.work.layer(layer.id)
        if now is not None:
            rows = replace(now.rows, edits=(), edited_from=())
            self.run(
                f"Reading {layer.name}",
                lambda job: self.cache.part(layer.ref),
                lambda part: self.work.change("save edits", layer.id, rows=rows),
            )

    def close(self) -> None:
        self._closed = True
        self.stopped = self.jobs.close()
        if self._cache is not None:
            self._cache.clear()
        if self._catalogue is not None:
            self._catalogue.close()
