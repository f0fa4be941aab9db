"""A connection: its address, its name and its group, and how it answers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QDialog, QFormLayout, QHBoxLayout, QLineEdit, QPushButton, QWidget

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..session import Session
from .password_form import PasswordForm

if TYPE_CHECKING:
    from brisk_atlas.core.find.connections import Connection
    from brisk_atlas.core.find.trying import TryResult


HINT = tr("postgresql://user@server/database, or the address of a service or of its tiles")


class ConnectionForm(QDialog):
    """Any address or connection string is pasted; what it is gets recognised.

    Signals:
        saved(object): the reference of the connection, which stands among the others now.
    """

    saved = pyqtSignal(object)

    def __init__(self, session: Session, known: Connection | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.known = session, known
        self.ref: DataRef | None = known.ref if known is not None else None
        self.password_form: PasswordForm | None = None
        self.setWindowTitle(tr("Connection"))
        self.setMinimumWidth(560)
        self.address = QLineEdit(known.ref.place if known is not None else "")
        self.address.setObjectName("address")
        self.address.setPlaceholderText(HINT)
        self.name = QLineEdit(known.name if known is not None else "")
        self.name.setObjectName("connection name")
        self.name.setPlaceholderText(tr("As the server calls itself"))
        self.group = QComboBox()
        self.group.setEditable(True)
        self.group.addItems(sorted({"", *(each.group for each in session.shelves.connections)}))
        self.group.setCurrentText(known.group if known is not None else "")
        self.says = PlainLabel(
            tr("Nothing is asked until you try it or add it. Passwords are asked for when they are needed.")
        )
        self.says.setObjectName("quiet")
        self.says.setWordWrap(True)
        self.test, self.use = QPushButton(tr("Try")), QPushButton(tr("Save") if known is not None else tr("Add"))
        self.use.setObjectName("main")
        self.use.setDefault(True)
        form = QFormLayout(self)
        form.addRow(tr("Address"), self.address)
        form.addRow(tr("Name"), self.name)
        form.addRow(tr("Group"), self.group)
        form.addRow("", self.says)
        row = QHBoxLayout()
        row.addStretch(1)
        row.addWidget(self.test)
        row.addWidget(self.use)
        form.addRow("", row)
        self.address.textChanged.connect(self._address_changed)
        self.test.clicked.connect(lambda: self._find_out(self._try))
        self.use.clicked.connect(lambda: self._find_out(self._save))

    def _address_changed(self) -> None:
        self.ref = None

    def _find_out(self, then: object) -> None:
        """Have the address recognised, then go on with its reference."""
        assert callable(then)
        text = self.address.text().strip()
        if not text:
            self.says.setText(tr("Paste an address first."))
            return
        if self.ref is not None:
            then(self.ref)
            return
        from brisk_atlas.core.find.trying import must_be_recognised

        ref = DataRef.parse(text)
        self.address.setText(ref.place)  # without a password
        if not must_be_recognised(ref):
            if ref.is_local:
                self.says.setText(tr("That is a path on this machine. Pin its folder instead."))
                return
            self._found(ref, then)
            return
        from brisk_atlas.core.connect.recognise import recognise

        self.says.setText(tr("Asking what it is…"))
        self.session.run(
            tr("Asking a server"),
            lambda job: recognise(text, job.check).ref,
            lambda found: self._found(found, then),
            failed=lambda error: self._failed(ref, error, then),
        )

    def _found(self, ref: DataRef, then: object) -> None:
        assert callable(then)
        self.address.setText(ref.place)
        self.ref = ref
        then(ref)

    def _failed(self, ref: DataRef, error: BaseException, then: object) -> None:
        from brisk_atlas.core.model.errors import AtlasError, NeedsPassword

        if isinstance(error, NeedsPassword):

            def again(place: DataRef) -> None:
                self.address.setText(place.place)
                self._find_out(then)

            self.password_form = PasswordForm(ref, str(error.reason), self)
            self.password_form.stated.connect(again)
            self.password_form.open()
            return
        self.says.setText(f"{error.reason}. {error.remedy}" if isinstance(error, AtlasError) else str(error))

    def _try(self, ref: DataRef) -> None:
        from brisk_atlas.core.find.trying import tried

        def done(result: TryResult) -> None:
            kind = f"{ref.protocol.upper()}: " if ref.protocol else ""
            self.says.setText(f"{kind}{result.words}")

        self.says.setText(tr("Trying…"))
        self.session.run(
            tr("Trying a connection"),
            lambda job: tried(ref),
            done,
            failed=lambda error: self._failed(ref, error, self._try),
        )

    def _save(self, ref: DataRef) -> None:
        from brisk_atlas.core.find.connections import Connection, usual_name
        from brisk_atlas.core.read.permissions import allow, place_of

        allow((place_of(ref.place),))
        if self.known is not None and self.known.ref != ref:
            self.session.shelves.disconnect(self.known.ref)
        name = self.name.text().strip() or usual_name(ref)
        self.session.shelves.connect(Connection(ref, name, self.group.currentText().strip()))
        self.accept()
        self.saved.emit(ref)
