"""What is asked about the map: the CRS to show it in, an angle to turn it to, a place or a feature to go to."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtWidgets import QWidget

from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View

    from .find_feature import FindFeature
    from .go_to import GoTo
    from .map_crs_form import MapCrsForm


class MapDialogs(QObject):
    """Asks over a window. `view` says where the map is.

    Signals:
        crs_chosen(str): the CRS that the map is to be shown in.
        place_chosen(float, float): a place to go to, in the CRS of the map.
        turn_chosen(float): degrees clockwise that the map's north is to point from up.
        feature_chosen(str, int): the layer and the row of a feature to go to.
    """

    crs_chosen = pyqtSignal(str)
    place_chosen = pyqtSignal(float, float)
    turn_chosen = pyqtSignal(float)
    feature_chosen = pyqtSignal(str, int)

    def __init__(self, session: Session, settings: QSettings, view: Callable[[], View | None], window: QWidget) -> None:
        super().__init__(window)
        self.session, self.settings, self.window = session, settings, window
        self._view = view
        self.crs_form: MapCrsForm | None = None
        self.place: GoTo | None = None
        self.feature: FindFeature | None = None

    def ask_crs(self) -> None:
        """Ask for the CRS to show the map in; the ones that were chosen lately are proposed."""
        from .map_crs_form import MOST_RECENT, RECENT, MapCrsForm

        recent = [text for text in self.settings.value(RECENT) or [] if isinstance(text, str)]
        self.crs_form = MapCrsForm(self.session, self._view(), recent, self.window)

        def use(crs: str) -> None:
            self.settings.setValue(RECENT, [crs, *(other for other in recent if other != crs)][:MOST_RECENT])
            self.crs_chosen.emit(crs)

        self.crs_form.chosen.connect(use)
        self.crs_form.open()

    def ask_place(self) -> None:
        """Ask for a place to go to."""
        if self.place is None:
            from .go_to import GoTo

            self.place = GoTo(self.session, self.window)
            self.place.chosen.connect(self.place_chosen)
        self.place.begin()

    def ask_turn(self) -> None:
        """Ask how far to turn the map."""
        from .turn_to import TurnTo

        line = TurnTo(self.window)
        line.chosen.connect(self.turn_chosen)
        line.finished.connect(line.deleteLater)
        line.begin()

    def ask_feature(self) -> None:
        """Ask for any value of a feature."""
        if self.feature is None:
            from .find_feature import FindFeature

            self.feature = FindFeature(self.session, self.window)
            self.feature.chosen.connect(self.feature_chosen)
        self.feature.begin()
