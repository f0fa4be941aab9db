"""What is asked about the map in lines to type: an angle to turn it to, and a value of a feature to go to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QWidget

from .session import Session

if TYPE_CHECKING:
    from .find_feature import FindFeature


class MapDialogs(QObject):
    """Opens the lines over a window.

    Signals:
        turn_chosen(float): degrees clockwise that the map's north is to point from up.
        feature_chosen(str, int): the layer and the row of a feature to go to.
    """

    turn_chosen = pyqtSignal(float)
    feature_chosen = pyqtSignal(str, int)

    def __init__(self, session: Session, window: QWidget) -> None:
        super().__init__(window)
        self.session, self.window = session, window
        self.feature: FindFeature | None = None

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
