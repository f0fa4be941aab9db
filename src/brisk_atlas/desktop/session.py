"""The workspace in a window: its work in the background, its results and announcements on the window's thread."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from brisk_atlas.core.model.errors import AtlasError, NeedsPermission
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.jobs import Job, Jobs, Lane
from brisk_atlas.core.workspace import Work
from brisk_atlas.core.workspace.source_watch import SourceWatch
from brisk_atlas.core.workspace.workspace import PROJECT_SUFFIX, FrozenWorkspace, Workspace

from .later import Later
from .living import is_living

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.draw.frame import Painter
    from brisk_atlas.core.find import Catalogue, ScanPool, Shelves
    from brisk_atlas.core.handover.recipe import Recipe
    from brisk_atlas.core.model import DataRef, Dataset, Facts, Field, Layer, OpenOptions, Style
    from brisk_atlas.core.operations import Operation
    from brisk_atlas.core.operations.done_log import DoneLog
    from brisk_atlas.core.table.engine import Sheet
    from brisk_atlas.core.workspace import Answers, OpenedPart
    from brisk_atlas.core.workspace.autosave import Unsaved
    from brisk_atlas.core.workspace.preflight import PreflightResult
    from brisk_atlas.core.workspace.workspace import ReadProject

log = logging.getLogger(__name__)


def _may_have_views(ref: DataRef) -> bool:
    from brisk_atlas.core.workspace.shared_views import may_have_views

    return may_have_views(ref)


class Session(QObject):
    """The workspace for widgets.

    Signals:
        work_changed(str): layers, subject, picks, comparison or file.
        noticed(str, str, str): mood (`fault` or `good`), text, details that can be unfolded.
        job_changed(object): a Job began, advanced or ended.
        layers_opened(list): ids of layers just opened.
        preparing(object): a source of which more can be seen than before.
        prepared(object): a source whose layers can now be drawn in full.
        arrived(object): a layer of a service of which a piece came, or failed to come.
        permission_wanted(object): a NeedsPermission of a file that points beyond its own folder.
        page_wanted(object): the address of what may be an album's page; if it is none, `open_data` opens it.
        asked(list): Questions to put before files can be opened.
        sources_checked(dict): which layers' files have changed or are gone: layer id -> SourceState.
        opening(): layers or a project are about to come; whoever shows them should stand ready.
    """

    work_changed = pyqtSignal(str)
    noticed = pyqtSignal(str, str, str)
    job_changed = pyqtSignal(object)
    layers_opened = pyqtSignal(list)
    opening = pyqtSignal()
    asked = pyqtSignal(list)
    permission_wanted = pyqtSignal(object)
    page_wanted = pyqtSignal(object)
    preparing = pyqtSignal(object)
    prepared = pyqtSignal(object)
    arrived = pyqtSignal(object)
    sources_checked = pyqtSignal(dict)
    _called_in_gui = pyqtSignal(object, object)

    def __init__(self, shelves: Shelves | None = None) -> None:
        super().__init__()
        self.workspace = Workspace(shelves)
        self.asks = True  # whether there is somebody to answer; a picture takes the guesses
        self._closed = False
        self._hears_arrivals = False
        self.stopped = True  # whether all work had ended when the session was closed
        self._tried: set[DataRef] = set()
        self.starters: dict[str, Callable[[Callable[[], None]], None]] = {}  # what starts the server of a connection
        self._called_in_gui.connect(self._take_call)
        self.jobs.listen(lambda job: self.job_changed.emit(job) if job.shown and not self._closed else None)
        self.work.listen(self._take_change)
        self.watch = SourceWatch()
        self._checking: Job | None = None
        self._done_log: DoneLog | None = None
        self._arrived: list[OpenedPart] = []
        self._arrivals = Later(self, 0, self._lay_down)

    # What the workspace is made of

    @property
    def work(self) -> Work:
        return self.workspace.work

    @property
    def jobs(self) -> Jobs:
        return self.workspace.jobs

    @property
    def cache(self) -> DataCache:
        return self.workspace.cache

    @property
    def painter(self) -> Painter:
        return self.workspace.painter

    @property
    def shelves(self) -> Shelves:
        return self.workspace.shelves

    @property
    def answers(self) -> Answers:
        return self.workspace.answers

    @property
    def catalogue(self) -> Catalogue:
        return self.workspace.catalogue

    @property
    def scan_pool(self) -> ScanPool:
        return self.workspace.scan_pool

    # Work in the background

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

        return self.jobs.start(name, work, lambda job: self.call_in_gui(home, job), shown=shown, lane=lane)

    def run_operation(
        self,
        name: str,
        operation: Operation,
        done: Callable[[Any], None] | None = None,
        *,
        shown: bool = True,
        lane: Lane = Lane.BATCH,
        failed: Callable[[BaseException], None] | None = None,
    ) -> Job:
        """Run an operation on the layers as they stand now, in the background, then `done(result)` here."""
        frozen = FrozenWorkspace(self.workspace)

        def work(job: Job) -> Any:
            return operation.run(frozen, job.report)

        def noted(result: Any) -> None:
            if shown:
                self.note_done(name, operation, frozen.work.layers)
            if done is not None:
                done(result)

        return self.run(name, work, noted, shown=shown, lane=lane, failed=failed)

    def note_done(self, title: str, what: Operation | Recipe, layers: Sequence[Layer]) -> None:
        """Note what was done, for a script that does it again."""
        if self._done_log is None:
            from brisk_atlas.core.operations.done_log import DoneLog

            self._done_log = DoneLog()
        self._done_log.note(title, what, layers)

    @property
    def has_done(self) -> bool:
        """Whether anything was done that a script can do again."""
        return self._done_log is not None

    def write_script(self, path: Path, done: Callable[[list[Path]], None]) -> None:
        """Write what was done in this run as a script, in the background."""
        log, options = self._done_log, dict(self.cache.options)
        if log is not None:
            self.run(tr("Writing {name}", name=path.name), lambda job: log.write(path, options), done)

    def cancel_all(self) -> None:
        """Cancel all work that is shown to the analyst."""
        for job in self.jobs.open:
            if job.shown:
                job.cancel()

    def call_in_gui(self, done: Callable[[Any], None], what: object) -> None:
        """Call `done(what)` on the window's thread, from any thread; not once the session is closed."""
        if not self._closed:
            self._called_in_gui.emit(done, what)

    def _take_call(self, done: Callable[[Any], None], what: object) -> None:
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
            self.noticed.emit(
                "fault",
                tr("Something went wrong: {name__}: {error}", name__=type(error).__name__, error=error),
                details,
            )

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
        for page in [ref for ref in others if not ref.is_local and _may_have_views(ref)]:
            others.remove(page)
            self.page_wanted.emit(page)
        if projects:
            self.open_project(projects[0].path, then=lambda: self._look_at(others))
            return
        self._look_at(others)

    def open_data(self, ref: DataRef) -> None:
        """Open what lies at an address, which is no page of an album."""
        self._look_at([ref])

    def open_linked(self, refs: Sequence[DataRef]) -> None:
        """Open datasets that a link names; hosts that were not allowed are asked for."""
        from brisk_atlas.core.read.permissions import check_host

        self.opening.emit()
        allowed = []
        for ref in refs:
            try:
                if not ref.is_local:
                    check_host(ref)
                allowed.append(ref)
            except NeedsPermission as error:
                self.permission_wanted.emit(error)
        self._look_at(allowed)

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
            found = []
            for number, ref in enumerate(refs):
                job.report(number / len(refs), ref.name)
                found.append(self.workspace.look(ref, anew=anew, check=job.check))
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
            name = refs[0].name if len(refs) == 1 else trn("{count:,} dataset", "{count:,} datasets", len(refs))
            self.run(tr("Looking at {name}", name=name), work, done)

    def open_as(self, ref: DataRef, options: OpenOptions, *, keep: bool = True) -> None:
        """Open a dataset with options; they are stored for the next time."""
        if keep:
            self.answers.store(ref, options)
        self.cache.set_options(ref, options)
        self._open(ref)

    def _open(self, ref: DataRef) -> None:
        def work(job: Job) -> list[OpenedPart]:
            packed = self.workspace.packed_in(ref)
            if packed:
                self.call_in_gui(self._look_at, packed)
                return []
            return self.workspace.read_parts(ref, job.report)

        self.run(tr("Opening {name}", name=ref.name), work, self._opened)

    def _opened(self, parts: list[OpenedPart]) -> None:
        """Note what was read; what arrives at the same time is laid on the Desk together."""
        if parts:
            self._arrived += parts
            self._arrivals.start()

    def _lay_down(self) -> None:
        arrived, self._arrived = self._arrived, []
        places = dict.fromkeys(part.ref.whole for part in arrived)
        self._tried = {source for source in self._tried if source.whole not in places}
        layers = self.workspace.add(arrived)
        self.shelves.opened(*places)
        self.run(tr("Remembering what was opened"), lambda job: self.shelves.save(), shown=False, lane=Lane.BATCH)
        self.layers_opened.emit([layer.id for layer in layers])

    def hear_arrivals(self) -> None:
        """Announce from now on what comes from services for the map."""
        if self._hears_arrivals:
            return
        from brisk_atlas.core.read.tile_store import TILES

        self._hears_arrivals = True
        TILES.listen(self._tell_arrival)

    def _tell_arrival(self, ref: DataRef) -> None:
        self.call_in_gui(self.arrived.emit, ref)

    def prepare(self, layer: Layer) -> None:
        """Do in the background what makes a layer draw better: read all of a large cloud, or make the
        overviews that a raster lacks. `preparing` and `prepared` say how it goes."""
        source = layer.ref
        if source in self._tried:
            return
        self._tried.add(source)  # also when it fails or is cancelled: not again until it is opened anew

        def work(job: Job) -> None:
            from brisk_atlas.core.kinds import kind_of

            def report(share: float) -> None:
                job.report(share)
                self.call_in_gui(self.preparing.emit, source)

            kind_of(layer.kind).prepare(self.cache, layer, report)

        def ended(nothing: object) -> None:
            self._tried.discard(source)
            self.prepared.emit(source)

        self.run(tr("Preparing {name}", name=layer.name), work, ended, lane=Lane.BATCH)

    def restore(self, unsaved: Unsaved) -> None:
        """Go on with work that an earlier run left unsaved."""
        self.open_project(unsaved.stored, unsaved=unsaved)

    def discard_unsaved(self, stored: Sequence[Path]) -> None:
        """Delete the unsaved work of earlier runs."""
        from brisk_atlas.core.workspace.autosave import discard

        for file in stored:
            discard(file)

    def open_project(
        self, path: Path, then: Callable[[], object] = lambda: None, *, unsaved: Unsaved | None = None
    ) -> None:
        """Open a project file; layers whose files are gone stay, with a notice each."""
        self.opening.emit()

        def done(project: ReadProject) -> None:
            self.workspace.take_project(project, unsaved)
            if unsaved is None:
                self.shelves.opened_project(path)
            else:
                self.discard_unsaved([unsaved.stored])
            for error in project.faults:
                if isinstance(error, NeedsPermission):
                    self.permission_wanted.emit(error)
                else:
                    self.fault(error)
            then()

        self.run(tr("Opening {name}", name=path.name), lambda job: self.workspace.read_project(path, job.report), done)

    def save_project(self, path: Path) -> bool:
        """Write the project; returns whether it was written. A fault is shown."""
        try:
            path = self.workspace.save_project(path)
        except AtlasError as error:
            self.fault(error)
            return False
        self.noticed.emit("good", tr("Saved {name}", name=path.name), "")
        return True

    # Layers

    def dataset_of(self, layer: Layer) -> Dataset | None:
        return self.workspace.dataset_of(layer)

    def facts_of(self, layer: Layer) -> Facts | None:
        return self.workspace.facts_of(layer)

    def fields_of(self, layer: Layer) -> tuple[Field, ...]:
        return self.workspace.fields_of(layer)

    def is_streamed(self, layer: Layer) -> bool:
        return self.workspace.is_read_by_view(layer)

    def sheet_of(self, layer: Layer, check: Callable[[], None] | None = None) -> Sheet:
        """Return the sheet of a layer. Reads, so call it in a job."""
        return self.workspace.sheet_of(layer, check)

    def _take_change(self, what: str) -> None:
        if what == "locked":
            self.noticed.emit("fault", tr("The layer is locked against changes. Unlock it first, by its menu."), "")
        self.work_changed.emit(what)

    def check_sources(self) -> None:
        """See in the background whether the files of the layers are still as they were read."""
        layers = self.work.layers
        if layers and (self._checking is None or self._checking.finished):
            self._checking = self.run(
                tr("Checking files"),
                lambda job: self.watch.states(layers),
                self.sources_checked.emit,
                shown=False,
                failed=lambda error: log.info("files can't be checked: %s", error),
            )

    def add_derived(self, ref: DataRef, style: Style | None, *, as_subject: bool = True) -> None:
        """Open what was computed and written as a layer with a style, in the background; the subject stays unless it is
        to become that."""
        self.cache.forget(ref)
        self.painter.forget()

        def opened(dataset: Dataset) -> None:
            part, subject = dataset.parts[0], self.work.state.subject
            with self.work.together():
                layer = self.work.add(ref.with_part(part.facts.name), part.facts, style)
                if not as_subject:
                    self.work.choose(subject)
            self.layers_opened.emit([layer.id])

        self.run(tr("Opening {name}", name=ref.name), lambda job: self.cache.dataset(ref), opened)

    def show_anew(self, layers: Sequence[Layer]) -> None:
        """Have layers drawn and stated anew, as other data was read for them."""
        self._tried -= {layer.ref for layer in layers}
        for layer in layers:
            self.prepared.emit(layer.ref)
        self.work_changed.emit("layers")

    def close(self) -> None:
        self._closed = True
        if self._hears_arrivals:
            from brisk_atlas.core.read.tile_store import TILES

            TILES.unlisten(self._tell_arrival)
        self.stopped = self.workspace.close()
