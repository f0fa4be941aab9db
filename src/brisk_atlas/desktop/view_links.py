"""Links to views of the map: copied from the Desk, opened by it, and registered with the desktop of the machine."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QGuiApplication

from brisk_atlas.core.model import AtlasError, CannotWrite
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.workspace.named_places import NamedPlace
from brisk_atlas.core.workspace.view_link import ViewLink
from brisk_atlas.desktop_entry import ENTRY, data_home, entry_text

if TYPE_CHECKING:
    from .window import AtlasWindow

HANDLER = "x-scheme-handler/brisk-atlas"
REGISTER_S = 20.0


def link_of(window: AtlasWindow) -> ViewLink | None:
    """Return the link to what the map shows, None where it shows nothing yet."""
    view = window.desk.map.canvas.view
    if view is None:
        return None
    place = NamedPlace("", "", view.x, view.y, view.resolution, view.width, view.height, view.crs, view.turn)
    return ViewLink.of(place, (layer.ref for layer in window.session.work.layers if layer.visible))


def copy_link(window: AtlasWindow) -> None:
    """Put the link to what the map shows on the clipboard."""
    link, clipboard = link_of(window), QGuiApplication.clipboard()
    if link is None or clipboard is None:
        return
    clipboard.setText(str(link))
    left = sum(layer.visible for layer in window.session.work.layers) - len(link.layers)
    more = tr(" {left} drawn by hand can’t be linked to.", left=left) if left else ""
    layers = trn("{count} layer", "{count} layers", len(link.layers))
    window.notice.say(
        "good", tr("The link to the view, with {layers}, is on the clipboard.{more}", layers=layers, more=more), ""
    )


class LinkedView(QObject):
    """A view that a link names: its layers are opened, as far as that is allowed, and then its place is shown.

    No host is allowed by a link: whoever opened it is asked, as for what a file points at.
    """

    def __init__(self, window: AtlasWindow, link: ViewLink) -> None:
        super().__init__(window)
        self.window, self.link = window, link
        self.awaited = {ref for ref in link.layers if not self._is_open(ref)}
        window.session.work_changed.connect(self._take_change)
        window.session.open_linked([ref for ref in link.layers if ref in self.awaited])
        self._show_when_there()

    def _is_open(self, ref: object) -> bool:
        return any(layer.ref == ref for layer in self.window.session.work.layers)

    def _take_change(self, what: str) -> None:
        self._show_when_there()

    def _show_when_there(self) -> None:
        if all(map(self._is_open, self.awaited)):
            self.window.session.work_changed.disconnect(self._take_change)
            self.window.show_page("desk")
            self.window.desk.spots.go_to_place(self.link.place)
            self.deleteLater()


def open_link(window: AtlasWindow, text: str) -> None:
    """Show the view that a link names; one that is damaged becomes a notice."""
    try:
        link = ViewLink.parse(text)
    except AtlasError as error:
        window.session.fault(error)
        return
    LinkedView(window, link)


def applications_folder() -> Path:
    """Return where the user's own entries of applications lie."""
    return data_home() / "applications"


def register_links(folder: Path) -> str:
    """Write the entry by which the desktop of the machine opens links with this application; returns what came of it in
    words. Raises CannotWrite."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise CannotWrite(
            folder, tr("it can’t be made ({strerror})", strerror=error.strerror), tr("Look at its permissions.")
        ) from error
    write_whole(folder / ENTRY, entry_text().encode())
    tool = shutil.which("xdg-mime")
    if tool is None:
        return tr("The entry is written; this machine has no xdg-mime, so links are opened once its desktop reads it.")
    done = subprocess.run([tool, "default", ENTRY, HANDLER], capture_output=True, timeout=REGISTER_S, check=False)
    return (
        tr("Links open with Brisk Atlas.")
        if done.returncode == 0
        else tr("The entry is written, and was not taken up.")
    )
