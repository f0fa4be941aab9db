"""Working offline, what is stored for it, and which hosts are asked."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QWidget

from .answer_limit import take_limit
from .session import Session

if TYPE_CHECKING:
    from .allowed_places_form import AllowedPlacesForm
    from .stored_answers_form import StoredAnswersForm


class ServicesSwitch(QObject):
    """Turns asking servers off and on.

    Signals:
        turned(bool): the window works offline from now on, or asks servers again.
    """

    turned = pyqtSignal(bool)

    def __init__(self, session: Session, settings: QSettings, window: QWidget) -> None:
        super().__init__(window)
        self.session, self.settings, self.window = session, settings, window
        self.form: StoredAnswersForm | None = None
        self.allowed: AllowedPlacesForm | None = None
        self.is_offline = False
        take_limit(settings)

    def turn(self) -> None:
        """Work offline, or ask servers again."""
        from brisk_atlas.core.connect.fetching import set_offline

        self.is_offline = not self.is_offline
        set_offline(self.is_offline)
        self.turned.emit(self.is_offline)

    def show_stored(self) -> None:
        """Show how much of what services answered is stored."""
        from .stored_answers_form import StoredAnswersForm

        self.form = StoredAnswersForm(self.session, self.settings, self.window)
        self.form.open()

    def show_allowed(self) -> None:
        """Show which hosts and folders files may point at."""
        from .allowed_places_form import AllowedPlacesForm

        self.allowed = AllowedPlacesForm(self.window)
        self.allowed.open()
