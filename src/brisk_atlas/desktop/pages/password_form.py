"""Asking for the login of a database or a server: remembered for this run, and in the system's keyring if wanted."""

from __future__ import annotations

from dataclasses import replace
from urllib.parse import quote, urlsplit, urlunsplit

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QDialog, QFormLayout, QLineEdit, QPushButton, QWidget

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.passwords import remember

from ..plain_text import PlainLabel


class PasswordForm(QDialog):
    """One line for the password, and one for the user of a server whose address names none.

    Signals:
        stated(object): it was typed and is known now: the reference of the place, with its user.
    """

    stated = pyqtSignal(object)

    def __init__(self, place: DataRef, reason: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.place = place
        self.setWindowTitle(tr("Password"))
        self.setMinimumWidth(420)
        address = PlainLabel(place.place)
        address.setWordWrap(True)
        why = PlainLabel(reason)
        why.setObjectName("quiet")
        why.setWordWrap(True)
        self.user = QLineEdit()
        self.user.setObjectName("user")
        self.password = QLineEdit()
        self.password.setObjectName("password")
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.store = QCheckBox(tr("Store it in the system's keyring"))
        self.use = QPushButton(tr("Connect"))
        self.use.setObjectName("main")
        self.use.setDefault(True)
        form = QFormLayout(self)
        form.addRow(tr("Address") if self._is_web else tr("Database"), address)
        form.addRow("", why)
        if self._is_web and "@" not in urlsplit(place.address).netloc:
            form.addRow(tr("User"), self.user)
        form.addRow(tr("Password"), self.password)
        form.addRow("", self.store)
        form.addRow("", self.use)
        self.use.clicked.connect(self._take)

    @property
    def _is_web(self) -> bool:
        return self.place.address.startswith(("http://", "https://"))

    def _with_user(self) -> tuple[DataRef, str]:
        """Return the place with its user, and the name that its password is remembered under."""
        if not self._is_web:
            return self.place, self.place.place
        parts = urlsplit(self.place.address)
        user = self.user.text().strip()
        if user:
            parts = parts._replace(netloc=f"{quote(user, safe='')}@{parts.netloc.rpartition('@')[2]}")
        address = urlunsplit(parts)
        prefix = f"{self.place.protocol}+" if self.place.protocol else ""
        return replace(self.place, place=f"{prefix}{address}"), f"{parts.scheme}://{parts.netloc}"

    def _take(self) -> None:
        password = self.password.text()
        self.password.clear()
        place, name = self._with_user()
        if self.store.isChecked():
            from brisk_atlas.core.connect.keyring_store import store_password

            store_password(name, password)
        else:
            remember(name, password)
        self.accept()
        self.stated.emit(place)
