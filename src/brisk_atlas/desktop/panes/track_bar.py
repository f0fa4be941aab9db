"""A bar of dates along the map: step, play, and a line of time with a mark for each."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..theme import Theme
from .player import Player
from .time_track import TimeTrack


class TrackBar(QFrame):
    """What bars of dates have alike. Those of a kind say in `go` what is shown at a date."""

    def __init__(self, title: str, name: str, ready: Callable[[], bool]) -> None:
        super().__init__()
        self.setObjectName("dimensions")
        self.ends = (0, 0)
        self.title = PlainLabel(title)
        self.track = TimeTrack()
        self.date = PlainLabel()
        self.date.setObjectName("mono")
        self.player = Player(lambda: self.step(1, around=True), ready)
        self.player.setObjectName(f"play {name}")
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(10, 2, 10, 2)
        self.row.setSpacing(4)
        self.row.addWidget(self.title)
        for mark, by in (("‹", -1), ("›", 1)):
            button = QToolButton()
            button.setText(mark)
            button.setObjectName("date before" if by < 0 else "next date")
            button.setToolTip(tr("The date before") if by < 0 else tr("The next date"))
            button.clicked.connect(lambda checked=False, by=by: self.step(by))
            self.row.addWidget(button)
        self.row.addWidget(self.player)
        self.row.addWidget(self.track, 1)
        self.row.addWidget(self.date)
        self.track.chosen.connect(self.go)
        self.track.ends_moved.connect(self._take_ends)
        self.hide()

    def use_theme(self, theme: Theme) -> None:
        """Paint the track in a theme."""
        self.track.theme = theme
        self.track.update()

    def _take_ends(self, first: int, last: int) -> None:
        self.ends = (first, last)

    def go(self, number: int) -> None:
        """Show what is of a date."""
        raise NotImplementedError

    def step(self, by: int, *, around: bool = False) -> None:
        """Go some dates on, within the stretch that counts; `around` from its end to its begin."""
        if not self.track.seconds:
            return
        first, last = self.ends
        number = self.track.at + by
        if around and not first <= number <= last:
            number = first
        self.go(min(max(number, first), last))
