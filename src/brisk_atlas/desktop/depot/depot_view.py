"""The Depot half of Hand over: what is offered to whom at the left; offering, or what an outlet is, at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import Qt, QTimer, QUrl
from PyQt6.QtGui import QDesktopServices, QGuiApplication
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QLineEdit,
    QMessageBox,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.depot.postings.rights import LOCAL
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.folders import data_folder
from brisk_atlas.core.system.scratch import ScratchFolder

from ..plain_text import PlainLabel, plain_box
from ..session import Session
from ..side_by_side import put_side_by_side
from .depot_service import PORT, DepotService
from .offer_detail import LAST_EDITS, OfferDetail
from .offer_form import OfferForm, OfferWish
from .offer_words import about_outlet, about_posting, edit_line, edit_words
from .postings_tree import ListedPosting, PostingsTree

if TYPE_CHECKING:
    from brisk_atlas.core.depot.offering import OutletPreview
    from brisk_atlas.core.depot.postings.depot_store import DepotStore
    from brisk_atlas.core.model import DataRef

TITLE = tr("Depot")
REFRESH_MS = 2000
EMPTY = (
    tr(
        "A Depot offers layers of yours. Colleagues edit them from their own Desk; everybody reads "
        "them in a browser or by "
        "the open services, with the fields and rows that you choose. What is changed shows at once."
    ),
    "",
    tr("1  Offer the subject: choose its outlets, and see side by side what each circle sees of it."),
    tr("2  Serve: the Depot answers at an address of this machine."),
    tr("3  Invite colleagues into a circle. Everybody needs no invitation."),
)
DETAIL, FORM = range(2)


class DepotView(QWidget):
    """The Depot in a folder: served, or only looked at."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.folder, self.port = data_folder("depot"), PORT
        self.store: DepotStore | None = None
        self.listed: list[ListedPosting] = []
        self._circles: list[str] = []
        self.service = DepotService(self)
        self.tree = PostingsTree()
        self.form = OfferForm(session)
        self.serve, self.address = QPushButton(tr("Serve")), QLineEdit()
        self.serve.setObjectName("serve")
        self.address.setReadOnly(True)
        self.address.setAccessibleName(tr("Address of the Depot"))
        self.look, self.place = QPushButton(tr("Look at it")), QPushButton(tr("Folder…"))
        self.state = PlainLabel("")
        self.state.setObjectName("quiet")
        self.state.setWordWrap(True)
        self.state.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.offer = QPushButton(tr("Offer the subject"))
        self.offer.setObjectName("main")
        self.change, self.withdraw, self.invite = (
            QPushButton(tr("Change…")),
            QPushButton(tr("Withdraw")),
            QPushButton(tr("Invite…")),
        )
        self.detail = OfferDetail()
        self._detailed: object = None
        self._lay_out()
        self._connect()
        self._timer = QTimer(self)
        self._timer.setInterval(REFRESH_MS)
        self._timer.timeout.connect(self.refresh)
        self._show_state()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(6)
        for widget in (self.serve, self.look, self.place):
            head.addWidget(widget)
        head.addStretch(1)
        low = QHBoxLayout()
        low.setSpacing(6)
        for widget in (self.offer, self.change, self.withdraw, self.invite):
            low.addWidget(widget)
        low.addStretch(1)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 10, 0, 10)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self.address)
        column.addWidget(self.state)
        column.addWidget(self.tree, 1)
        column.addLayout(low)
        self.right = QStackedWidget()
        self.right.addWidget(self.detail)
        self.right.addWidget(self.form)
        put_side_by_side(self, left, self.right, (490, 790))

    def _connect(self) -> None:
        self.serve.clicked.connect(lambda checked=False: self.turn_service())
        self.look.clicked.connect(lambda checked=False: QDesktopServices.openUrl(QUrl(self.service.address)))
        self.place.clicked.connect(lambda checked=False: self._choose_folder())
        self.offer.clicked.connect(lambda checked=False: self.begin_offer())
        self.change.clicked.connect(lambda checked=False: self.begin_change())
        self.withdraw.clicked.connect(lambda checked=False: self.ask_withdraw())
        self.invite.clicked.connect(lambda checked=False: self.ask_invite())
        self.tree.chosen.connect(self._show_detail)
        self.form.offer_wanted.connect(self._offer)
        self.form.cancelled.connect(self._end_form)
        self.service.changed.connect(self._show_state)
        self.service.failed.connect(
            lambda why: self.session.noticed.emit("fault", tr("The Depot can't be served: {why}", why=why), "")
        )
        self.session.work_changed.connect(lambda what: self._show_state() if what == "subject" else None)

    def showEvent(self, event: object) -> None:
        self.refresh()
        self._timer.start()

    def hideEvent(self, event: object) -> None:
        self._timer.stop()

    @property
    def busy(self) -> bool:
        """Whether a form is on the way."""
        return self.right.currentIndex() == FORM and not self.form.columns

    # The store

    def _with_store(self, what: str, work: Callable[[DepotStore], object], done: Callable[[object], None]) -> None:
        """Do something with the store in the background, which is made at the first need."""

        def do(job: object) -> object:
            from brisk_atlas.core.depot.postings.depot_store import DepotStore

            if self.store is None:
                self.store = DepotStore(self.folder)
            return work(self.store)

        self.session.run(what, do, done, shown=False)

    def refresh(self) -> None:
        """Show what is offered now."""
        if self.store is None and not (self.folder / "depot.sqlite").exists():
            self._show_listed(([], []))
            return

        def work(store: DepotStore) -> tuple[list[ListedPosting], list[str]]:
            outlets, load = store.outlets, store.load.a_minute()
            listed = []
            for each in store.postings:
                own = [outlet for outlet in outlets if outlet.posting == each.id]
                asked = {outlet.id: round(load.get(outlet.id, 0.0), 1) for outlet in own}
                listed.append(ListedPosting(each, own, edit_words(store.last_edit(each.id)), asked))
            return listed, sorted(store.people.circles())

        self._with_store(tr("Postings"), work, self._show_listed)

    def _show_listed(self, found: object) -> None:
        listed: list[ListedPosting]
        listed, self._circles = cast(tuple[list[ListedPosting], list[str]], found)
        if listed != self.listed:
            self.listed = listed
            self.tree.show_postings(listed)
        self._show_detail()

    def show_posting(self, posted: DataRef) -> None:
        """Choose what was posted; of another folder only where none is served."""
        from brisk_atlas.core.depot.recipe_target import folder_of

        folder = folder_of(posted)
        if folder != self.folder and self.service.begun:
            return
        self.tree.want(posted.inner)  # which is listed anew as it is shown
        if folder != self.folder:
            self.use_folder(folder)

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Folder of the Depot"), str(self.folder.parent))
        if chosen:
            self.use_folder(Path(chosen))

    def use_folder(self, folder: Path) -> None:
        """Work on the Depot in a folder from now on."""
        self.service.stop()
        if self.store is not None:
            self.store.close()
        self.folder, self.store, self.listed = folder, None, []
        self.tree.show_postings([])
        self.refresh()
        self._show_state()

    # Serving

    def turn_service(self) -> None:
        """Serve the Depot, or no longer."""
        if self.service.begun:
            self.service.stop()
        else:
            self.service.start(self.folder, TITLE, port=self.port)
        self._show_state()

    def _show_state(self) -> None:
        on, address = self.service.begun, self.service.address
        self.serve.setText(tr("Stop serving") if on else tr("Serve"))
        self.look.setEnabled(bool(address))
        self.address.setVisible(bool(address))
        self.address.setText(address)
        if self.service.join:
            words = tr("Choose your name and password as the owner, once, at {join}", join=self.service.join)
        elif address:
            words = tr("Served to this machine, from {folder}.", folder=self.folder)
        elif on:
            words = tr("Starting…")
        else:
            words = tr("Not served: nobody sees it. It lies in {folder}.", folder=self.folder)
        self.state.setText(words)
        subject = self.session.work.subject
        self.offer.setEnabled(
            subject is None or any(la.kind.has_rows or la.kind.has_place for la in self.session.work.layers)
        )
        self.offer.setText(tr("Offer the subject") if subject is not None else tr("Offer a record"))

    # Offering

    def begin_offer(self) -> None:
        """Fill in what the subject is offered as."""

        def done(store: object) -> None:
            self.form.begin(store, self._circles)  # type: ignore[arg-type]
            self._show_form()

        self._with_store(tr("Depot"), lambda store: store, done)

    def begin_change(self) -> None:
        """Fill in how the current posting is offered from now on."""
        found = self._current()
        if found is not None and self.store is not None:
            self.form.change(self.store, found.posting, found.outlets, self._circles)
            self._show_form()

    def _show_form(self) -> None:
        self.right.setCurrentIndex(FORM)
        self.form.take_keyboard()

    def _offer(self, wish: OfferWish) -> None:
        from brisk_atlas.core.workspace.workspace import FrozenWorkspace

        frozen = FrozenWorkspace(self.session.workspace)

        def work(store: DepotStore) -> object:
            from brisk_atlas.core.depot.offering import offer_album, offer_file, offer_outlets, offer_record, offer_rows
            from brisk_atlas.core.handover.flows import RowFlow
            from brisk_atlas.core.operations import WriteAlbum
            from brisk_atlas.core.operations.recipe_sources import WorkspaceSources
            from brisk_atlas.core.record import read_document

            if wish.posting is not None:
                return offer_outlets(store, wish.posting, wish.outlets, by=LOCAL)
            if wish.record is not None:
                record = read_document(wish.record).record
                return offer_record(store, record, wish.title, wish.summary, wish.outlets, by=LOCAL)
            if wish.is_album:
                with ScratchFolder() as folder:
                    page = folder / "album.html"
                    WriteAlbum(page).run(frozen)
                    return offer_album(store, page, wish.title, wish.summary, wish.outlets, by=LOCAL)
            layer = self.session.workspace.layer(wish.layer_id)
            flow = WorkspaceSources(self.session.workspace).flow(layer.id)
            if not isinstance(flow, RowFlow):
                return offer_file(store, flow, wish.title, wish.summary, wish.outlets, by=LOCAL)
            shapes = self.session.cache.part(layer.ref).facts.geometry_type or "Unknown"
            return offer_rows(store, flow, wish.title, wish.summary, shapes, wish.outlets, by=LOCAL)

        def done(made: object) -> None:
            self._end_form()
            served = "" if self.service.begun else tr(" Serve the Depot for others to see it.")
            self.session.noticed.emit("good", tr("{title} is offered.{served}", title=wish.title, served=served), "")
            self.refresh()

        self._with_store(tr("Offering {title}", title=wish.title), work, done)

    def _end_form(self) -> None:
        self.form.close_trial()
        self.right.setCurrentIndex(DETAIL)
        self.tree.setFocus()

    # What is there

    def _current(self) -> ListedPosting | None:
        posting, _ = self.tree.current
        return next((each for each in self.listed if each.posting.id == posting), None)

    def _show_detail(self) -> None:
        found, (_, outlet_id) = self._current(), self.tree.current
        for button in (self.change, self.withdraw):
            button.setEnabled(found is not None)
        state = found, outlet_id, self.service.address
        if state == self._detailed:
            return
        self._detailed = state
        if found is None:
            self.detail.show_words([tr("What a Depot is for"), *EMPTY])
            return
        outlet = next((each for each in found.outlets if each.id == outlet_id), None)
        self.detail.show_words(about_outlet(outlet, found.posting, self.service.address) if outlet is not None
                               else about_posting(found))  # fmt: skip

        def work(store: DepotStore) -> tuple[OutletPreview | None, list[str]]:
            from brisk_atlas.core.depot.offering import preview_of

            edits = store.rows(found.posting.id).last_edits(LAST_EDITS)
            lines = list(map(edit_line, edits))
            if outlet is None or not found.posting.has_rows:
                return None, lines
            return preview_of(store, found.posting, outlet), lines

        def done(shown: object) -> None:
            preview, edits = cast("tuple[OutletPreview | None, list[str]]", shown)
            if self._detailed == state:
                if preview is not None:
                    self.detail.show_rows(preview)
                self.detail.show_edits(edits)

        self._with_store(tr("Details"), work, done)

    def ask_withdraw(self) -> None:
        """Ask whether the current outlet or posting is to be offered no longer."""
        found, (_, outlet_id) = self._current(), self.tree.current
        if found is None:
            return
        outlet = next((each for each in found.outlets if each.id == outlet_id), None)
        text = (tr("Offer {title} no longer? The posting and its other outlets stay.",
                title=outlet.title) if outlet is not None else
                tr("Remove {title} from the Depot, with its outlets, rows and history?",
                    title=found.posting.title))  # fmt: skip
        box = plain_box(self, tr("Withdraw"), text, QMessageBox.Icon.Question)
        yes = box.addButton(tr("Withdraw"), QMessageBox.ButtonRole.AcceptRole)
        box.addButton(tr("Cancel"), QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is yes:
            self.withdraw_now(found.posting.id, outlet.id if outlet is not None else "")

    def withdraw_now(self, posting: str, outlet: str) -> None:
        """Offer an outlet no longer, or remove a posting where `outlet` is ""."""

        def work(store: DepotStore) -> None:
            if outlet:
                store.close_outlet(outlet, by=LOCAL)
            else:
                store.withdraw(posting, by=LOCAL)

        self._with_store(tr("Withdrawing"), work, lambda nothing: self.refresh())

    def ask_invite(self) -> None:
        """Ask for which circle somebody is invited."""
        circles = self._circles or ["team"]
        circle, yes = QInputDialog.getItem(self, tr("Invite"), tr("For the circle"), circles, 0, True)
        if yes and circle.strip():
            self.invite_to(circle.strip())

    def invite_to(self, circle: str) -> None:
        """Make an invitation and copy its address."""

        def done(secret: object) -> None:
            address = f"{self.service.address or f'http://127.0.0.1:{self.port}/'}join/{secret}"
            copy_text(address)
            self.session.noticed.emit(
                "good", tr("Copied an address for one colleague, good for a week: {address}", address=address), ""
            )
            self.refresh()

        self._with_store(tr("Inviting"), lambda store: store.people.invite([circle], by=LOCAL), done)

    def shut(self) -> None:
        """Serve no longer, and close the store."""
        self.form.close_trial()
        self.service.shut()
        if self.store is not None:
            self.store.close()
            self.store = None


def copy_text(text: str) -> None:
    """Put a text on the clipboard."""
    clipboard = QGuiApplication.clipboard()
    if clipboard is not None:
        clipboard.setText(text)
