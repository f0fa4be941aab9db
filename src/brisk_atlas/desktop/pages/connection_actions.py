"""What is done with connections: recognised, tried, noted, edited, exported and imported."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:  # the forms load when one is first shown, which an empty window can do without
    from brisk_atlas.core.connect.recognise import Recognised
    from brisk_atlas.core.model import DataRef, Extent

    from ..session import Session
    from .connection_form import ConnectionForm
    from .password_form import PasswordForm
    from .scene_search_form import SceneSearchForm

FILTER = tr("Connections (*.json)")


class ConnectionActions(QObject):
    """The connections of the session's shelves.

    Signals:
        changed(): another connection is there, or one has another name.
        listed(object): a connection was made or edited, and is to be shown.
    """

    changed = pyqtSignal()
    listed = pyqtSignal(object)

    def __init__(self, session: Session, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.window_parent = session, parent
        self.form: ConnectionForm | None = None
        self.password_form: PasswordForm | None = None
        self.scene_form: SceneSearchForm | None = None

    def recognise(self, address: str, then: Callable[[DataRef], None]) -> None:
        """Find out in the background what lies at an address, then call `then` with its reference."""
        from brisk_atlas.core.connect.recognise import recognise

        def done(found: Recognised) -> None:
            then(found.ref)

        def failed(error: BaseException) -> None:
            from brisk_atlas.core.model import DataRef

            again = lambda ref: self.recognise(ref.place, then)  # noqa: E731
            self.take_failure(DataRef.parse(address), error, again)

        self.session.run(
            tr("Asking {address}", address=address[:60]), lambda job: recognise(address, job.check), done, failed=failed
        )

    def take_failure(self, place: DataRef, error: BaseException, again: Callable[[DataRef], None]) -> None:
        """Ask for the login that a place wants, then try again; report anything else."""
        from brisk_atlas.core.model.errors import NeedsPassword

        if not isinstance(error, NeedsPassword):
            self.session.fault(error)
            return
        from .password_form import PasswordForm

        self.password_form = PasswordForm(place, str(error.reason), self.window_parent)
        self.password_form.stated.connect(again)
        self.password_form.open()

    def start(self, ref: DataRef, then: Callable[[], None]) -> None:
        """Start the server of a connection that starts when it is first used, then call `then`."""
        starter = self.session.starters.get(ref.place)
        if starter is None:
            then()
            return
        self.session.run(tr("Starting the stand-in"), lambda job: starter(job.check), lambda nothing: then())

    def note(self, ref: DataRef) -> None:
        """Put a place that answered among the connections, and allow its host from now on."""
        from brisk_atlas.core.connect import is_asked, is_listed
        from brisk_atlas.core.find.connections import Connection, usual_name
        from brisk_atlas.core.read.permissions import allow, place_of

        if not is_asked(ref) and not is_listed(ref):
            return
        allow((place_of(ref.place),))
        whole = ref if ref.protocol == "xyz" else type(ref)(ref.kind, ref.place)
        known = [each.ref for each in self.session.shelves.connections if each.ref.kind is whole.kind]
        if any(whole.place.startswith(each.place) for each in known if is_listed(each) and not is_asked(each)):
            return  # a folder of one that is there
        if self.session.shelves.connection_to(whole) is None:
            self.session.shelves.connect(Connection(whole, usual_name(whole)))
            self.changed.emit()

    def edit(self, place: DataRef | None) -> None:
        """Show the form of a connection, or of a new one."""
        known = self.session.shelves.connection_to(place) if place is not None else None
        from .connection_form import ConnectionForm

        self.form = ConnectionForm(self.session, known, self.window_parent)
        self.form.saved.connect(self._saved)
        self.form.open()

    def _saved(self, ref: DataRef) -> None:
        self.changed.emit()
        self.listed.emit(ref)

    def search_scenes(self, place: DataRef, around: Extent | None) -> None:
        """Ask what to search for in a catalogue of scenes, and list what is found."""
        from .scene_search_form import SceneSearchForm

        collection = place.inner.partition("?")[0]
        catalogue = type(place)(place.kind, place.place)
        self.scene_form = SceneSearchForm(catalogue, collection, around, self.window_parent)
        self.scene_form.searched.connect(self.listed)
        self.scene_form.open()

    def export(self) -> None:
        """Ask for a file and write the connections to it."""
        from brisk_atlas.core.find.connections import export_connections

        text, _ = QFileDialog.getSaveFileName(
            self.window_parent, tr("Export connections"), str(Path.home() / "connections.json"), FILTER
        )
        if not text:
            return
        connections, path = list(self.session.shelves.connections), Path(text)

        def done(nothing: object) -> None:
            words = tr(
                "{count} connections are in {name}; passwords and keys are not.", count=len(connections), name=path.name
            )
            self.session.noticed.emit("good", words, "")

        self.session.run(tr("Exporting connections"), lambda job: export_connections(connections, path), done)

    def import_from_file(self) -> None:
        """Ask for a file and add its connections."""
        from brisk_atlas.core.find.connections import import_connections

        text, _ = QFileDialog.getOpenFileName(self.window_parent, tr("Import connections"), str(Path.home()), FILTER)
        if not text:
            return

        def done(found: list) -> None:
            self.session.shelves.connect(*found)
            self.changed.emit()
            self.session.noticed.emit("good", tr("{count} connections were added.", count=len(found)), "")

        self.session.run(tr("Importing connections"), lambda job: import_connections(Path(text)), done)
