"""Python in a window of its own: what it does at the top, what is typed and answered below."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..theme import Theme
from .console_text import ConsoleText

WIDTH_PX, HEIGHT_PX = 820, 520


class ConsoleWindow(QWidget):
    """A console with its buttons.

    Signals:
        stop_wanted(), restart_wanted(), refresh_wanted(): end what runs; begin anew; take the layers as they are now.
        closed(): the window was closed.
    """

    stop_wanted = pyqtSignal()
    restart_wanted = pyqtSignal()
    refresh_wanted = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self, theme_of: Callable[[], Theme], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self._theme_of = theme_of
        self.setWindowTitle(tr("{title} · Brisk Atlas", title=tr("Console")))
        self.resize(WIDTH_PX, HEIGHT_PX)
        self.state = PlainLabel("")
        self.state.setObjectName("quiet")
        self.refresh = QPushButton(tr("Take the layers as they are now"))
        self.stop, self.restart = QPushButton(tr("Stop what runs")), QPushButton(tr("Begin anew"))
        self.refresh.setToolTip(tr("`workspace` gets the layers of the window; the same as refresh()"))
        self.restart.setToolTip(tr("End this Python with all its names, and start another"))
        self.text = ConsoleText(theme_of(), self)
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.addWidget(self.state, 1)
        for button in (self.refresh, self.stop, self.restart):
            bar.addWidget(button)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(bar)
        column.addWidget(self.text, 1)
        self.refresh.clicked.connect(lambda checked=False: self.refresh_wanted.emit())
        self.stop.clicked.connect(lambda checked=False: self.stop_wanted.emit())
        self.restart.clicked.connect(lambda checked=False: self.restart_wanted.emit())
        self.text.ready.connect(lambda: self.show_state(runs=False))
        self.text.executing.connect(lambda code: self.show_state(runs=True))
        self.text.executed.connect(lambda reply: self.show_state(runs=False))

    def begin(self) -> None:
        """Show that a Python with the layers as they are now starts, and clear what an earlier one answered."""
        self.text.blank()
        self.state.setText(tr("Starting…"))
        self.refresh.setEnabled(False)
        self.stop.setEnabled(False)

    def show_state(self, *, runs: bool) -> None:
        """Show whether code runs."""
        self.state.setText(tr("Running…") if runs else tr("Ready"))
        self.stop.setEnabled(runs)

    def changeEvent(self, event: QEvent | None) -> None:
        if event is not None and event.type() == QEvent.Type.PaletteChange:
            self.text.use_theme(self._theme_of())
        super().changeEvent(event)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.closed.emit()
        super().closeEvent(event)
