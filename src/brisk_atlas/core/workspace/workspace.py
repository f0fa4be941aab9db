"""The workspace: everything that the open work needs, without a window."""

from __future__ import annotations

import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from brisk_atlas.core.model.kinds import DataKind
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Jobs, Lane

from .layer_times import LayerTimes
from .work import Work

if TYPE_CHECKING:
    from brisk_atlas.core.cache import DataCache
    from brisk_atlas.core.compare.layer_series import SeriesDate
    from brisk_atlas.core.compare.layer_time import LayerTime
    from brisk_atlas.core.draw.frame import Painter
    from brisk_atlas.core.find import Catalogue, Neighbour, ScanPool, Shelves
    from brisk_atlas.core.model import AtlasError, DataRef, Dataset, Facts, Field, Layer, OpenOptions, Style
    from brisk_atlas.core.table.engine import Sheet

    from .answers import Answers
    from .autosave import Unsaved
    from .preflight import PreflightResult
    from .undoable_work import Place, WorkState

PROJECT_SUFFIX = ".brisk.json"
Report = Callable[[float, str], None]


def _silent(share: float, step: str) -> None:
    """Report to nobody."""


class OpenedPart(NamedTuple):
    """A part that was read, with the look that it gets first; `name` where another is wanted than the part's own."""

    ref: DataRef
    facts: Facts
    style: Style | None
    name: str | None = None


class ReadProject(NamedTuple):
    """What a project file holds, and the layers of it that can't be read, each with the reason; `past` are the steps
    that led to unsaved work."""

    path: Path
    state: WorkState
    place: Place | None
    file_state: tuple[int, int] | None
    faults: list[AtlasError]
    past: list[tuple[str, WorkState]]


class Workspace:
    """Layers with their undo, what was read of them, answers about files, and the project file.

    Reading is safe for threads; `work` is changed from one thread only. What takes time to load is made at the first
    need. Closed layers give back what was read of them.

    `memory` is how many bytes what was read may take, None for a share of the machine's.

    >>> from brisk_atlas import demo
    >>> with Workspace() as workspace:
    ...     faults = workspace.open_project(demo.PROJECT)
    ...     [layer.name for layer in workspace.work.layers][:2]
    ['gas_readings', 'coastline']
    """

    def __init__(self, shelves: Shelves | None = None, *, memory: int | None = None) -> None:
        self.work = Work()
        self._memory = memory
        self.jobs = Jobs()
        self._shelves = shelves
        self._cache: DataCache | None = None
        self._painter: Painter | None = None
        self._answers: Answers | None = None
        self._catalogue: Catalogue | None = None
        self._making = threading.Lock()
        self._shown: set[DataRef] = set()
        self.layer_times = LayerTimes()
        self.work.listen(self._release_closed)

    def __enter__(self) -> Workspace:
        return self

    def __exit__(self, *reasons: object) -> None:
        self.close()

    # What it is made of

    @property
    def cache(self) -> DataCache:
        """Return what was read; the readers load at the first call."""
        if self._cache is None:
            from brisk_atlas.core.cache import DataCache

            self._cache = DataCache(self._memory)
        return self._cache

    def use_memory(self, memory: int | None) -> None:
        """Let what was read take another number of bytes from now on, None for a share of the machine's."""
        self._memory = memory
        if self._cache is not None:
            self._cache.use_budget(memory)

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
            from .answers import Answers

            self._answers = Answers()
        return self._answers

    @property
    def catalogue(self) -> Catalogue:
        """Return what is stored about datasets; it is opened at the first call, which takes time."""
        with self._making:
            if self._catalogue is None:
                from brisk_atlas.core.find import Catalogue

                self._catalogue = Catalogue()
            return self._catalogue

    @property
    def scan_pool(self) -> ScanPool:
        """Return the workers that look at datasets."""
        from brisk_atlas.core.find.scan_pool import shared_scan_pool

        return shared_scan_pool()

    @property
    def painter(self) -> Painter:
        """Return the painter; the first call loads the drawing core, which takes time."""
        if self._painter is None:
            from brisk_atlas.core.kinds import painter_for

            self._painter = painter_for(self.cache)
        return self._painter

    # Opening

    def look(self, ref: DataRef, *, anew: bool = False, check: Callable[[], None] = lambda: None) -> PreflightResult:
        """Return whether what lies at a place can be opened at once, or what is to be asked, or why not."""
        from .preflight import OpenPreflight

        preflight = OpenPreflight(self.cache, self.answers, self.catalogue, self.scan_pool)
        return preflight.look(ref, self.placed_layers(), anew=anew, check=check)

    def open(self, place: str | Path | DataRef, options: OpenOptions | None = None) -> list[Layer]:
        """Open what lies at a place, as layers on top of the others; returns them.

        Without `options` it is opened as it was answered before, else as is guessed. Raises CannotRead.
        """
        from brisk_atlas.core.model import DataRef

        ref = DataRef.parse(place)
        if options is None:
            result = self.look(ref)
            if result.error is not None:
                raise result.error
            options = result.question.guess if result.question is not None else None
        if options is not None:
            self.cache.set_options(ref.whole, options)
        return self.add(self.read_parts(ref))

    def read_parts(self, ref: DataRef, report: Report = _silent) -> list[OpenedPart]:
        """Read what is to be drawn of a dataset, or of one part of it, for `add`. Raises AtlasError."""
        from brisk_atlas.core.kinds import KINDS, first_style
        from brisk_atlas.core.model import AtlasError

        from .style_inside import style_inside

        report(0.1, tr("looking at it"))
        dataset = self.cache.dataset(ref)
        self.layer_times.note(dataset)
        parts = [part for part in dataset.parts if part.facts.kind in KINDS]
        options = self.cache.options.get(ref.whole)
        chosen = options.parts if options is not None else None
        if ref.part is not None:
            parts = [part for part in parts if part.facts.name == ref.part]
        elif chosen is not None:
            parts = [part for part in parts if part.facts.name in chosen]
        elif dataset.kind is DataKind.SCENE or ref.protocol:  # of a service, its features rather than their picture
            parts = parts[:1]
        if not parts and ref.part is not None:
            names = ", ".join(part.facts.name for part in dataset.parts)
            raise AtlasError(
                ref.whole, tr("it has no part called {part}", part=ref.part), tr("There are: {names}.", names=names)
            )
        if not parts:
            raise AtlasError(
                ref, tr("a {kind} is not drawn on the Desk", kind=dataset.kind), tr("Read it on Find or Record.")
            )
        found = []
        for number, part in enumerate(parts):
            report(0.2 + 0.8 * number / len(parts), tr("reading {name}", name=part.facts.name))
            source = ref.with_part(part.facts.name)
            if part.facts.kind.has_shapes and part.facts.extent is not None:
                from brisk_atlas.core.cache.by_view import seen_features

                seen_features(self.cache, source, part.facts.extent)
            style = style_inside(source, part.facts) or first_style(part.facts, len(self.work.layers) + number)
            found.append(OpenedPart(source, part.facts, style, _layer_name(dataset, part.facts)))
        return found

    def packed_in(self, ref: DataRef) -> list[DataRef]:
        """Return the datasets that were chosen of an archive of several, to be opened one by one."""
        options = self.cache.options.get(ref.whole)
        if ref.part is not None or options is None or options.parts is None:
            return []
        dataset = self.cache.dataset(ref)
        packed = [part for part in dataset.parts if part.facts.kind is DataKind.PACKED]
        return [part.ref for part in packed if part.facts.name in options.parts]

    def add(self, parts: Sequence[OpenedPart]) -> list[Layer]:
        """Lay what was read on top of the stack; returns the layers."""
        if self._painter is not None:
            self._painter.forget({part.ref.whole for part in parts})
        with self.work.together():
            return [self.work.add(*part) for part in parts]

    def proposed_pair(self) -> tuple[Layer, Layer] | None:
        """Return the subject and the drawn layer most like it, the earlier one first; None without."""
        from brisk_atlas.core.compare.partner import best_partner, in_order_of_time

        subject = self.work.subject
        if subject is None or subject.style is None:
            return None
        others = [layer for layer in self.work.layers if layer.id != subject.id and layer.style is not None]
        facts = {layer.id: self.facts_of(layer) for layer in (subject, *others)}
        best = best_partner(subject, others, facts)
        if best is None:
            return None
        return in_order_of_time(best, subject, {layer.id: self.time_of(layer) for layer in (best, subject)})

    def time_of(self, layer: Layer) -> LayerTime | None:
        """Return when the data of a layer was taken, None where that is not known. Reads nothing."""
        return self.layer_times.of(layer, self.facts_of)

    def series_of_subject(self) -> list[SeriesDate]:
        """Return the layers that show the same as the subject at other dates, and itself, by date; none without."""
        return self.series_of(self.work.subject) if self.work.subject is not None else []

    def series_of(self, layer: Layer) -> list[SeriesDate]:
        """Return the grids that show the same as a layer at other dates, and itself, by date; none without."""
        from brisk_atlas.core.compare.layer_series import series_with

        if not layer.kind.has_cells:
            return []
        alike = [other for other in self.work.layers if other.id != layer.id and other.kind == layer.kind]
        if not alike:
            return []
        facts = {each.id: self.facts_of(each) for each in (layer, *alike)}
        return series_with(layer, alike, facts, {each.id: self.time_of(each) for each in (layer, *alike)})

    def placed_layers(self) -> list[Neighbour]:
        """Return the open layers that have a place."""
        from .preflight import neighbour

        known = [(layer.name, self.facts_of(layer)) for layer in self.work.layers]
        return [near for name, facts in known if facts is not None and (near := neighbour(name, facts)) is not None]

    # Projects

    def open_project(self, path: str | Path) -> list[AtlasError]:
        """Open a project file; returns why layers of it can't be read, if any: they stay. Raises CannotRead."""
        project = self.read_project(Path(path))
        self.take_project(project)
        return project.faults

    def read_project(self, path: Path, report: Report = _silent) -> ReadProject:
        """Read a project file and what its layers show, for `take_project`. Raises CannotRead."""
        from brisk_atlas.core.model import AtlasError

        from .autosave import past_of
        from .project_file import read, state_of_file

        file_state = state_of_file(path)
        state, place, options = read(path)
        for ref, each in options.items():
            self.cache.set_options(ref, each)
        faults = []
        for number, layer in enumerate(state.layers):
            report(number / len(state.layers), layer.name)
            try:
                self.cache.part(layer.ref)
                self.layer_times.note(self.cache.dataset(layer.ref))
            except AtlasError as error:
                faults.append(error)
        return ReadProject(path, state, place, file_state, faults, past_of(path))

    def take_project(self, project: ReadProject, unsaved: Unsaved | None = None) -> None:
        """Begin anew with a project that was read; `unsaved` says that it is work that an earlier run left."""
        if unsaved is None:
            self.work.load(project.state, project.path, project.place, project.file_state)
        else:
            self.work.load(project.state, unsaved.file, project.place, unsaved=True, past=project.past)

    def save_project(self, path: str | Path) -> Path:
        """Write the project; returns where, as the ending of projects is added. Raises CannotWrite."""
        from .project_file import save

        path = Path(path)
        path = path if path.name.endswith(PROJECT_SUFFIX) else path.with_name(path.name + PROJECT_SUFFIX)
        save(self.work, path, self.cache.options)
        return path

    # Layers

    def layer(self, name: str) -> Layer:
        """Return the layer with an id, else with a name. Raises AtlasError where none or several have it."""
        from brisk_atlas.core.model import AtlasError

        by_id = self.work.layer(name)
        found = [by_id] if by_id is not None else [layer for layer in self.work.layers if layer.name == name]
        if len(found) != 1:
            names = ", ".join(layer.name for layer in self.work.layers) or "none"
            raise AtlasError(
                name, tr("{count} open layers are called so", count=len(found)), tr("Open are: {names}.", names=names)
            )
        return found[0]

    def dataset_of(self, layer: Layer) -> Dataset | None:
        """Return the open dataset of a layer, without reading anything."""
        dataset = self.cache.peek(layer.ref)
        if dataset is None and layer.ref.is_inline:  # small, and at hand
            from brisk_atlas.core.model import AtlasError

            with suppress(AtlasError):
                return self.cache.dataset(layer.ref)
        return dataset

    def facts_of(self, layer: Layer) -> Facts | None:
        """Return what a layer's part is, without reading anything."""
        dataset = self.dataset_of(layer)
        with suppress(KeyError):
            return dataset.part_of(layer.ref).facts if dataset else None
        return None

    def fields_of(self, layer: Layer) -> tuple[Field, ...]:
        """Return the fields of a layer with those that were added; its dataset must be open."""
        from brisk_atlas.core.table import fields_with_added

        return fields_with_added(self.cache, layer)

    def is_read_by_view(self, layer: Layer) -> bool:
        """Return whether a layer is read by view, so that its rows are not tied to features on the map."""
        from brisk_atlas.core.cache.by_view import is_stream

        known = layer.kind.has_shapes and self.dataset_of(layer) is not None
        return known and is_stream(self.cache, layer.ref)

    def sheet_of(self, layer: Layer, check: Callable[[], None] | None = None) -> Sheet:
        """Return the sheet of a layer with what was added to its rows, made once for each state of that."""
        from brisk_atlas.core.table import rows_of
        from brisk_atlas.core.table.engine import Sheet

        return self.cache.derive_latest(
            ("sheet", layer.id, layer.ref), layer.rows.modifications, lambda: Sheet(rows_of(self.cache, layer, check))
        )

    def drop_edits(self, layer: Layer) -> None:
        """Take the edits from a layer, as they stand in its file now."""
        from dataclasses import replace

        now = self.work.layer(layer.id)
        if now is not None:
            self.work.change(tr("save edits"), layer.id, rows=replace(now.rows, edits=(), edited_from=()))

    def forget(self, layer: Layer) -> None:
        """Have a layer read anew, as its file was written."""
        self.cache.forget(layer.ref)
        self.layer_times.forget(layer.ref)
        if self._painter is not None:
            self._painter.forget()

    # Memory

    def _release_closed(self, what: str) -> None:
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

        def trim(job: object) -> None:
            from brisk_atlas.core.cache.budget import give_back

            give_back()

        self.jobs.start(tr("Giving back memory"), trim, shown=False, lane=Lane.BATCH)

    def close(self) -> bool:
        """End all work and give everything back; returns whether all of it has ended."""
        ended = self.jobs.close()
        if self._cache is not None:
            self._cache.clear()
        if self._catalogue is not None:
            self._catalogue.close()
        return ended


class FrozenWorkspace(Workspace):
    """A workspace as another one stands now: its layers stay so, all else is the other's. For work in the background,
    which must do what was asked for, whatever is changed before it begins."""

    def __init__(self, live: Workspace) -> None:
        self._live, self.jobs, self.layer_times = live, live.jobs, live.layer_times
        self.work = Work()
        self.work.state = live.work.state

    @property
    def cache(self) -> DataCache:
        """What was read, shared with the workspace that was frozen."""
        return self._live.cache

    @property
    def painter(self) -> Painter:
        return self._live.painter

    @property
    def shelves(self) -> Shelves:
        return self._live.shelves

    @property
    def answers(self) -> Answers:
        return self._live.answers

    @property
    def catalogue(self) -> Catalogue:
        return self._live.catalogue

    def forget(self, layer: Layer) -> None:
        self._live.forget(layer)

    def close(self) -> bool:
        return True


def _layer_name(dataset: Dataset, facts: Facts) -> str | None:
    """Return what the layer of a part is called: of a scene by its date and its bands, of a service by its title."""
    if dataset.ref.protocol:
        return facts.notes.get("title")
    if dataset.kind is not DataKind.SCENE:
        return None
    from brisk_atlas.core.read.scene_words import layer_name

    return layer_name(dataset.ref.stem, facts.notes, facts.name)
