"""Editing rows of an outlet: what is done becomes steps of a draft, one after the other, sent when one says so."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QObject

from brisk_atlas.core.model import AtlasError, DataRef, Dataset, Edit, Layer
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.working_copy.draft_refs import draft_in, with_draft
from brisk_atlas.core.working_copy.merging import MergedRow
from brisk_atlas.core.workspace import Picks

from ..panes.map_pane import MapPane
from ..session import Session
from .conflict_form import ConflictForm
from .copy_follower import CopyFollower
from .edit_drawer import DraftShown, EditDrawer
from .map_editing import MapEditing
from .row_words import row_title

if TYPE_CHECKING:
    from brisk_atlas.core.connect.copy import SentReport
    from brisk_atlas.core.system.jobs import Job


class EditDeed(NamedTuple):
    """Something to be done to the layer that is edited; `make` returns the reference that shows it."""

    what: str
    layer_id: str
    make: Callable[[Layer], DataRef]
    then: Callable[[Layer], None] | None = None


class Editing(QObject):
    """Has the map's tools, the drawer, the sheet and the Depot work on the same copy."""

    def __init__(self, session: Session, pane: MapPane, drawer: EditDrawer) -> None:
        super().__init__(pane)
        self.session, self.pane, self.drawer = session, pane, drawer
        self.follower = CopyFollower(session, self)
        self.form: ConflictForm | None = None
        self._deeds: deque[EditDeed] = deque()
        self._doing = False
        self._sending = False
        self._refreshes = 0
        self._picked: tuple[str, tuple[str, ...]] | None = None  # a layer's rows by name, while it is read anew
        self.map = MapEditing(session, pane, drawer, self.do)
        drawer.begin_wanted.connect(self.begin)
        drawer.value_edited.connect(self._value_typed)
        drawer.send_wanted.connect(self.send)
        drawer.take_back_wanted.connect(self._take_back)
        drawer.decide_wanted.connect(self.ask)
        drawer.go_wanted.connect(self._go)
        session.work_changed.connect(self._work_changed)
        self.follower.about_to_change.connect(self._note_picks)
        self.follower.changed.connect(self._rows_came)
        self.follower.state_known.connect(self._say_state)

    # What is edited

    @property
    def layer(self) -> Layer | None:
        """The subject, where it is a copy that is edited."""
        subject = self.session.work.subject
        return subject if subject is not None and subject.ref.is_copy else None

    @property
    def can_begin(self) -> bool:
        """Whether the subject may be one that can be edited: its Depot says so once it is asked."""
        subject = self.session.work.subject
        return subject is not None and subject.ref.protocol == "ogcapi" and bool(subject.ref.inner)

    @property
    def busy(self) -> bool:
        """Whether something is being done or sent."""
        return self._doing or self._sending or bool(self._deeds)

    def begin(self) -> None:
        """Copy the subject from its Depot, and have its layer show the copy."""
        from brisk_atlas.core.connect.copy import make_copy

        subject = self.session.work.subject
        if subject is None or not self.can_begin:
            return

        def work(job: Job) -> DataRef:
            ref = make_copy(subject.ref.whole, job.check)
            (part,) = self.session.cache.dataset(ref).parts
            return ref.with_part(part.facts.name)

        def done(ref: DataRef) -> None:
            if self.session.work.layer(subject.id) is not None:
                self.session.work.change(tr("edit features"), subject.id, ref=ref)
                self.follower.look(now=True)

        self.session.run(tr("Copying {name}", name=subject.name), work, done)

    def _work_changed(self, what: str) -> None:
        if what in ("layers", "subject", "picks", "file"):
            self.refresh()

    def refresh(self) -> None:
        """Show the subject in the drawer as it is now."""
        layer = self.layer
        if layer is None:
            self.drawer.show_other(can_begin=self.can_begin)
            return
        picks = self.session.work.picks
        row = picks.rows[0] if picks is not None and picks.layer_id == layer.id and picks.rows else None
        self._refreshes += 1
        number = self._refreshes

        def work(job: Job) -> DraftShown:
            from brisk_atlas.core.working_copy.copy_store import WorkingCopy
            from brisk_atlas.core.workspace.row_editing import seen_row, unsent

            copy = WorkingCopy.of(layer.ref)
            copy.note_shown(draft_in(layer.ref))
            outlet, picked = copy.outlet, None
            seen = seen_row(self.session.cache, layer, row) if row is not None else None
            if seen is not None:
                picked = row_title(seen, tr("a row")), dict(seen.values)
            return DraftShown(outlet, unsent(layer), picked)

        def done(shown: DraftShown) -> None:
            if self.layer == layer and number == self._refreshes:  # what was asked later may have come earlier
                self.drawer.show_draft(shown)
                self.drawer.state.setText(self.follower.states.get(with_draft(layer.ref.whole, 0), ""))
                self.map.show_outlines()

        self.session.run(tr("Edits"), work, done, shown=False)

    def _say_state(self, place: DataRef, words: str) -> None:
        if self.layer is not None and with_draft(self.layer.ref.whole, 0) == place:
            self.drawer.state.setText(words)

    # Deeds, one after the other

    def do(self, what: str, make: Callable[[Layer], DataRef], then: Callable[[Layer], None] | None = None) -> None:
        """Do something to the layer that is edited, after what is being done."""
        if self.layer is not None:
            self._deeds.append(EditDeed(what, self.layer.id, make, then))
            self._do_next()

    def _do_next(self) -> None:
        if self._doing or not self._deeds:
            return
        deed = self._deeds.popleft()
        layer = self.session.work.layer(deed.layer_id)
        if layer is None or not layer.ref.is_copy:
            self._do_next()
            return
        self._doing = True

        def work(job: Job) -> DataRef:
            ref = deed.make(layer)
            self.session.cache.dataset(ref)
            return ref

        def done(ref: DataRef) -> None:
            self._doing = False
            if self.session.work.change(deed.what, layer.id, ref=ref) and deed.then is not None:
                now = self.session.work.layer(layer.id)
                if now is not None:
                    deed.then(now)
            self._do_next()

        def failed(error: BaseException) -> None:
            self._doing = False
            self.session.fault(error)
            self.refresh()
            self._do_next()

        self.session.run(deed.what.capitalize(), work, done, shown=False, failed=failed)

    def change_values(self, edits: Sequence[Edit]) -> None:
        """Give rows other values, as the sheet edits them."""
        from brisk_atlas.core.workspace.row_editing import change_values

        if edits:
            self.do(
                tr("edit {field}", field=edits[0].field), lambda layer: change_values(self.session.cache, layer, edits)
            )

    def _value_typed(self, field: str, text: str) -> None:
        layer, picks = self.layer, self.session.work.picks
        if layer is None or picks is None or picks.layer_id != layer.id:
            return
        row = picks.rows[0]

        def make(layer: Layer) -> DataRef:
            from brisk_atlas.core.table.editing import value_from
            from brisk_atlas.core.workspace.row_editing import change_values

            kind = self.session.cache.table(layer.ref).schema.field(field).type
            edit = Edit(field, (row,), (value_from(text, kind, field),))
            return change_values(self.session.cache, layer, [edit])

        self.do(tr("edit {field}", field=field), make)

    def _take_back(self, found: MergedRow) -> None:
        from brisk_atlas.core.workspace.row_editing import take_back

        self.do(tr("take an edit back"), lambda layer: take_back(layer, found))

    # Sending and deciding

    def send(self) -> None:
        """Send what was done to the Depot."""
        from brisk_atlas.core.connect.copy import send

        layer = self.layer
        if layer is None or self._sending:
            return
        self._sending = True

        def done(report: SentReport) -> None:
            self._sending = False
            self.follower.reread(with_draft(layer.ref.whole, 0))
            self._end_draft(layer)
            self._report(report)

        def failed(error: BaseException) -> None:
            self._sending = False
            self.session.fault(error)
            self.follower.reread(with_draft(layer.ref.whole, 0))

        self.session.run(
            tr("Sending edits of {name}", name=layer.name), lambda job: send(layer.ref, job.check), done, failed=failed
        )

    def _end_draft(self, layer: Layer) -> None:
        """Have the layer show the rows of the Depot, where all of its draft was sent."""
        from brisk_atlas.core.workspace.row_editing import unsent

        now = self.session.work.layer(layer.id)
        if now is not None and draft_in(now.ref) and not unsent(now):
            whole = with_draft(now.ref, 0)

            def done(dataset: Dataset) -> None:
                self.session.work.change(tr("send edits"), layer.id, ref=whole)

            self.session.run(tr("Edits"), lambda job: self.session.cache.dataset(whole), done, shown=False)

    def _report(self, report: SentReport) -> None:
        if report.refused:
            found, why = report.refused[0]
            title = row_title(found.shown, tr("A row"))
            more = tr(" So were {count} more.", count=len(report.refused) - 1) if len(report.refused) > 1 else ""
            self.session.noticed.emit(
                "fault", tr("{title} was not taken: {why}.{more}", title=title, why=why, more=more), ""
            )
        elif report.conflicts:
            count = len(report.conflicts)
            text = trn(
                "{count:,} row was changed by others too. Decide what holds; nothing of that was sent.",
                "{count:,} rows were changed by others too. Decide what holds; nothing of that was sent.",
                count,
            )
            self.session.noticed.emit("caution", text, "")
        elif report.sent:
            text = trn(
                "The Depot has {count:,} edited row of yours.",
                "The Depot has {count:,} edited rows of yours.",
                report.sent,
            )
            self.session.noticed.emit("good", text, "")

    def ask(self, found: MergedRow) -> None:
        """Ask what holds of a row that both changed."""
        self.form = ConflictForm(found, self.drawer.window() or self.drawer)
        self.form.decided.connect(self._decided)
        self.form.open()

    def _decided(self, found: MergedRow, mine: dict[str, bool]) -> None:
        from brisk_atlas.core.workspace.row_editing import decide

        self.do(tr("decide an edit"), lambda layer: decide(layer, found, mine))

    def _go(self, found: MergedRow) -> None:
        """Pick the row of an edit and show it on the map."""
        from brisk_atlas.core.workspace.row_editing import row_names

        layer = self.layer
        if layer is None or found.shown is None:
            return
        names = row_names(self.session.cache, layer)
        if found.shown.name in names:
            self.session.work.pick(Picks(layer.id, (names.index(found.shown.name),)))
            self.pane.fit_picked()

    def _note_picks(self, place: DataRef) -> None:
        """Note which rows are picked, by their names: their numbers are others once rows come or go."""
        from brisk_atlas.core.workspace.row_editing import row_names

        layer, picks, self._picked = self.layer, self.session.work.picks, None
        if layer is None or picks is None or picks.layer_id != layer.id or with_draft(layer.ref.whole, 0) != place:
            return
        try:
            names = row_names(self.session.cache, layer)
        except AtlasError:
            return
        self._picked = layer.id, tuple(names[row] for row in picks.rows if row < len(names))

    def _rows_came(self, place: DataRef) -> None:
        """Pick the same rows among those that were read anew, and show them."""
        from brisk_atlas.core.workspace.row_editing import row_names

        picked, self._picked = self._picked, None
        layer = self.session.work.layer(picked[0]) if picked is not None else None
        if picked is not None and layer is not None:
            numbers = {name: number for number, name in enumerate(row_names(self.session.cache, layer))}
            rows = tuple(numbers[name] for name in picked[1] if name in numbers)
            self.session.work.pick(Picks(layer.id, rows) if rows else None)
        self.refresh()
