"""Links to views of the map: copied from the Desk, opened by it, and registered with the desktop of the machine."""

from __future__ import annotations

import logging
import shutil
import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject
from PyQt6.QtGui import QGuiApplication

from brisk_atlas.core.model import AtlasError, CannotRead, CannotWrite, DataRef
from brisk_atlas.core.model.errors import NeedsPassword
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.system.jobs import Job
from brisk_atlas.core.workspace.named_places import NamedPlace
from brisk_atlas.core.workspace.view_link import ViewLink
from brisk_atlas.desktop_entry import ENTRY, data_home, entry_text

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.shared_views import SharedView

    from .window import AtlasWindow

log = logging.getLogger(__name__)
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

    def __init__(self, window: AtlasWindow, link: ViewLink, others: Sequence[DataRef] = ()) -> None:
        """Open the layers of a link, and `others` that are not shown at first."""
        super().__init__(window)
        self.window, self.link = window, link
        self.hidden = {ref for ref in others if ref not in link.layers and not self._is_open(ref)}
        wanted = [ref for ref in dict.fromkeys((*link.layers, *others)) if not self._is_open(ref)]
        self.is_shown = self.is_over = False
        window.session.work_changed.connect(self._take_change)
        window.session.open_linked(wanted)
        self._take_change("layers")

    def _is_open(self, ref: DataRef) -> bool:
        return any(layer.ref == ref for layer in self.window.session.work.layers)

    def _take_change(self, what: str) -> None:
        """Hide what came of the other layers, and show the view once its own are there, whether those come or not."""
        work = self.window.session.work
        ids = {layer.id for layer in work.layers if layer.ref in self.hidden}
        self.hidden = {ref for ref in self.hidden if not self._is_open(ref)}
        if ids:
            work.change(tr("hide layers"), ids, visible=False)
        if not self.is_shown and all(map(self._is_open, self.link.layers)):
            self.is_shown = True
            self.window.show_page("desk")
            self.window.desk.spots.go_to_place(self.link.place)
        if self.is_shown and not self.hidden and not self.is_over:
            self.is_over = True
            self.window.session.work_changed.disconnect(self._take_change)
            self.deleteLater()


def look_for_views(window: AtlasWindow, page: DataRef) -> None:
    """Show the views that an album's page links to; what lies at an address that is no such page is opened as data."""

    def work(job: Job) -> tuple[SharedView, ...]:
        from brisk_atlas.core.workspace.shared_views import views_of_page

        try:
            return views_of_page(page, job.check)
        except NeedsPassword:
            raise
        except CannotRead:
            log.info("%s is no page of an album", page.name, exc_info=True)
            return ()

    def done(found: tuple[SharedView, ...]) -> None:
        if found:
            _show_views(window, found)
        else:
            window.session.open_data(page)

    window.session.run(tr("Looking at {name}", name=page.name), work, done)


def _show_views(window: AtlasWindow, views: tuple[SharedView, ...]) -> None:
    """Show the first of some views with its layers; all are stored as places, and the layers of the others are there to
    be switched on."""
    if len(views) > 1:
        for view in views:
            window.session.work.store_place(view.link.place._replace(name=view.title or tr("View")))
        window.notice.say("good", tr("{count} views of the album are stored as places.", count=len(views)), "")
    LinkedView(window, views[0].link, [ref for view in views[1:] for ref in view.link.layers])


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
