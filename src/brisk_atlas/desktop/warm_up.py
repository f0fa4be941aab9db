"""What is loaded and made once the window stands, so that the first use of it waits for nothing."""

from __future__ import annotations

import gc

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from brisk_atlas.core.model.language import tr

from .window import AtlasWindow

WARM_MS = 150
REHEARSE_MS = 10
FIRST_START = tr(
    "First start on this machine: what draws is compiled now, once. The first maps take about half a minute."
)


def warm_later(window: AtlasWindow) -> None:
    """Load the libraries and kernels in the background, and make the Desk, a moment after the window stands."""

    def look(job: object) -> bool:
        from brisk_atlas.core.draw.warm import is_compiled

        return is_compiled()

    def looked(compiled: bool) -> None:
        if not compiled:
            window.session.noticed.emit("caution", FIRST_START, "")
        words = tr("Getting ready") if compiled else tr("Compiling for this machine, once")
        window.session.run(words, work, made, shown=not compiled)

    def work(job: object) -> None:
        from brisk_atlas.core.draw import warm
        from brisk_atlas.core.operations import COMMANDS, operation_called
        from brisk_atlas.core.relief import warm as relief_warm

        from .pages import desk_page  # noqa: F401  loading it here leaves the window's thread only the making

        assert window.session.painter is not None
        window.session.scan_pool.pool.warm()
        warm.warm()
        relief_warm.warm()
        for command in COMMANDS:
            operation_called(command)

    def made(nothing: object) -> None:
        gc.freeze()  # what is loaded by now stays, so no later collection stops the window to look through it
        desk = window.desk
        desk.resize(window.pages.size())
        _one_at_a_time([*desk.painted_pieces(), window.subject])

    QTimer.singleShot(WARM_MS, lambda: window.session.run(tr("Looking"), look, looked, shown=False))


def _one_at_a_time(pieces: list[QWidget]) -> None:
    """Paint each piece once, unseen, a beat apart, so that fonts and icons are there at the first show."""
    if pieces:
        pieces.pop(0).grab()
        QTimer.singleShot(REHEARSE_MS, lambda: _one_at_a_time(pieces))
