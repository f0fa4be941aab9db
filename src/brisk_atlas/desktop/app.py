"""Starting the window, and taking its picture without a display."""

from __future__ import annotations

import gc
import logging
import os
import sys
import time
from collections.abc import MutableMapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSettings, QSize, Qt, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QWidget

from brisk_atlas.core.model.language import tr

from . import theme
from .collector import Collector
from .command_list import commands_of
from .fault_hooks import FaultHooks
from .later import begins_within
from .session import Session
from .settings.chosen_language import translate_qt
from .settings.settings_file import window_settings
from .settings.stored_settings import take_interface_size
from .warm_up import warm_later
from .window import AtlasWindow

if TYPE_CHECKING:
    from brisk_atlas.core.find import Shelves
    from brisk_atlas.core.model import DataRef

    from .one_window import OneWindow
    from .stand_in import StandInProcess

DEFAULT_SIZE = QSize(1280, 800)
OFFER_MS = 600
BEGIN_MS = 40  # the window stands first
SETTLED_S = 0.1  # this long without work counts as settled
SETTLED_TURNS = 8  # and this many looks: on a machine that stood still, time alone says nothing
SOON_MS = 1_000  # what is to be done sooner than this is waited for
PATIENCE_S = 120.0
SCHEME = "brisk-atlas:"  # of links to views


def take_portal(environment: MutableMapping[str, str]) -> None:
    """Have dialogs for files come from the desktop under Wayland, through its portal; what is chosen there stays."""
    if environment.get("WAYLAND_DISPLAY"):
        environment.setdefault("QT_QPA_PLATFORMTHEME", "xdgdesktopportal")


def make_application() -> QApplication:
    """Return the application object with our fonts; a window brings its colours."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication([*sys.argv[:1], "-style", "fusion"])
    app.setApplicationName("Brisk Atlas")
    app.setDesktopFileName("brisk-atlas")
    app.setWindowIcon(QIcon(str(theme.MARKS / "brisk-atlas.svg")))
    translate_qt(app)
    theme.load_fonts(app)
    return app


def make_window(shelves: Shelves | None = None, settings: QSettings | None = None) -> AtlasWindow:
    """Return a window of its own session, not yet shown."""
    window = AtlasWindow(Session(shelves), settings or window_settings(), commands_of)
    window.resize(DEFAULT_SIZE)

    def look_for_views_in(page: DataRef) -> None:
        from .view_links import look_for_views

        look_for_views(window, page)

    window.session.page_wanted.connect(look_for_views_in)
    return window


def _start_log(level: str) -> None:
    from brisk_atlas.core.system.log import start_log  # once the window stands: what it needs takes its time

    start_log(level)


def _collected(window: AtlasWindow) -> Collector:
    """Have garbage collected on this thread, all of it a moment after layers were closed."""
    collector, work = Collector(window), window.session.work
    before = [0]

    def look(what: str) -> None:
        count = len(work.layers)
        if count < before[0]:
            collector.all_soon()
        before[0] = count

    window.session.work_changed.connect(look)
    collector.start()
    return collector


def _hooked(window: AtlasWindow) -> FaultHooks:
    """Let what nobody catches come up as a notice of the window."""
    hooks = FaultHooks()
    hooks.raised.connect(lambda words, details: window.notice.say("fault", words, details))
    hooks.install()
    return hooks


def run(
    paths: Sequence[Path],
    *,
    pin: Path | None = None,
    served: Path | None = None,
    log_level: str = "INFO",
    alone: bool = False,
) -> int:
    """Open the window on `paths` and stay until it is closed. `served` is a project that a stand-in offers; a window
    that is `alone` takes nothing from other starts."""
    settings = window_settings()
    take_interface_size(settings)
    take_portal(os.environ)
    app = make_application()
    window = make_window(settings=settings)
    hooks = _hooked(window)
    geometry = window.settings.value("geometry")
    if geometry is not None:
        window.restoreGeometry(geometry)
    window.show()
    collector = _collected(window)
    QTimer.singleShot(0, lambda: _start_log(log_level))
    warm_later(window)
    server = _offered(window, served) if served is not None else None
    QTimer.singleShot(BEGIN_MS, lambda: _begin(window, paths, pin))
    QTimer.singleShot(OFFER_MS, lambda: window.autosave.offer_left_behind(window.notice))
    others: list[OneWindow] = []
    if not alone:
        QTimer.singleShot(OFFER_MS, lambda: others.append(_shared(window)))
    code = app.exec()
    hooks.remove()
    collector.stop()
    for each in others:
        each.close()
    if server is not None:
        server.stop()
    if not window.session.stopped:  # work that does not listen must not hold up the end
        logging.shutdown()
        os._exit(code)
    return code


def _offered(window: AtlasWindow, served: Path) -> StandInProcess:
    from brisk_atlas import demo

    from .stand_in import offer_stand_in  # only the demo has one

    return offer_stand_in(window.session, served, [demo.DATA / "sea_temperature.nc"])


def _begin(window: AtlasWindow, paths: Sequence[Path], pin: Path | None) -> None:
    """Fill the standing window: the shelves, the first folder, and what was asked for."""
    shelves = window.session.shelves
    if pin is not None and pin not in shelves.pinned:
        shelves.pinned.insert(0, pin)
    window.find_page.fill_shelves()
    if pin is not None or shelves.pinned:
        window.find_page.go_to(pin or shelves.pinned[0])
    else:
        window.find_page.show_welcome()
    window.find_page.shelves.pins_changed.emit()  # so that the shelves are gone through in a while
    _open_all(window, paths)


def _open_all(window: AtlasWindow, paths: Sequence[str | Path]) -> None:
    """Open files, addresses and links to views."""
    links = [str(path) for path in paths if str(path).startswith(SCHEME)]
    files = [path for path in paths if str(path) not in links]
    if files:
        window.session.open_files(files)
    for link in links[-1:]:  # a window shows one view
        from .view_links import open_link

        open_link(window, link)


def _shared(window: AtlasWindow) -> OneWindow:
    from .one_window import OneWindow

    return OneWindow(window, lambda places: _open_all(window, places))


def settle(window: AtlasWindow, patience: float = PATIENCE_S) -> bool:
    """Let the window work until nothing has been going on for a while; False if it never stops."""
    app = QApplication.instance()
    assert app is not None
    end = time.monotonic() + patience
    quiet_since, quiet_turns = time.monotonic(), 0
    while time.monotonic() < end:
        app.processEvents()
        if window.busy:
            quiet_since, quiet_turns = time.monotonic(), 0
        elif quiet_turns > SETTLED_TURNS and time.monotonic() - quiet_since > SETTLED_S:
            if not begins_within(SOON_MS):
                return True
            quiet_since, quiet_turns = time.monotonic(), 0
        quiet_turns += 1
        time.sleep(0.01)
    return False


def picture(
    paths: Sequence[Path],
    out: Path,
    page: str,
    size: QSize,
    *,
    pin: Path | None = None,
    served: Path | None = None,
    prepare: Sequence[str] = (),
) -> int:
    """Draw the settled window into a PNG; returns the exit code. `prepare` are commands to run first."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    _start_log("INFO")
    app = make_application()
    from brisk_atlas.core.find import Shelves

    window = make_window(Shelves(pinned=[pin] if pin else []))
    hooks = _hooked(window)
    window.session.asks = False
    window.resize(size)
    window.show()
    window.use_theme(theme.LIGHT)  # whatever the user's own is
    if served is not None:
        _offered(window, served)
    window.find_page.fill_shelves()
    if pin is not None:
        window.find_page.go_to(pin, choose="elevation_2031.tif")
    else:
        window.find_page.show_welcome()
    if paths:
        window.session.open_files(paths)
    settled = settle(window)
    window.show_page(page)
    for command_id in prepare:
        window.commands.do(command_id)
        settle(window)
    settled = settle(window) and settled
    if window.notice.isVisible():
        print(window.notice.text.text(), file=sys.stderr)
    for widget in window.findChildren(QWidget):  # there is no pointer in a picture
        widget.setAttribute(Qt.WidgetAttribute.WA_UnderMouse, False)
    gc.enable()
    image = window.grab()
    written = image.save(str(out), "PNG")
    window.session.work.load(window.session.work.state, None, None)
    window.close()
    app.processEvents()
    hooks.remove()
    if not written:
        print(tr("{out}: the picture can't be written. Choose another folder.", out=out), file=sys.stderr)
        return 1
    return 0 if settled else 1
