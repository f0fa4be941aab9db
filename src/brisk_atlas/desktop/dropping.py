"""What is dropped on the window: files are opened, at their place in the stack, and folders listed on Find."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, QPoint, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtWidgets import QAbstractButton, QWidget

from .session import Session

if TYPE_CHECKING:
    from .stack_spine import StackSpine


class Dropping(QObject):
    """Takes what is dropped on a window. `to_desk` is the button over which something is dragged to get to the Desk;
    `spine` gives the stack while it is in sight, else None.

    Signals:
        desk_wanted(): something is dragged over the name of the Desk, to be dropped there.
        folder_dropped(Path): a folder that is no dataset by itself.
    """

    desk_wanted = pyqtSignal()
    folder_dropped = pyqtSignal(object)

    def __init__(
        self, window: QWidget, session: Session, to_desk: QAbstractButton, spine: Callable[[], StackSpine | None],
        own: Callable[[], QObject | None],
    ) -> None:  # fmt: skip
        super().__init__(window)
        self.window, self.session = window, session
        self._to_desk, self._spine, self._own = to_desk, spine, own
        self._place: tuple[str | None, str | None] | None = None
        window.setAcceptDrops(True)
        window.installEventFilter(self)
        session.layers_opened.connect(self._take_to_place)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QDragEnterEvent):
            mime = event.mimeData()
            if mime is not None and mime.hasUrls():
                event.acceptProposedAction()
            return True
        if isinstance(event, QDragMoveEvent):
            if self._to_desk.rect().contains(self._to_desk.mapFrom(self.window, event.position().toPoint())):
                self.desk_wanted.emit()
            return True
        if isinstance(event, QDropEvent):
            self._take(event)
            return True
        return super().eventFilter(watched, event)

    def _take(self, event: QDropEvent) -> None:
        """Open what is dropped; what comes from the list and is dropped on Find again stays as it is."""
        mime, own = event.mimeData(), self._own()
        if mime is None or (own is not None and event.source() is own):
            return
        paths = [Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()]
        folders = [path for path in paths if path.is_dir() and not is_dataset_folder(path)]
        if folders:
            self.folder_dropped.emit(folders[0])
        self._note_place(event.position().toPoint())
        self.session.open_files(path for path in paths if path not in folders)

    def _note_place(self, at: QPoint) -> None:
        """Note the position in the stack that what is opened next goes to, if it is dropped there."""
        self._place, spine = None, self._spine()
        view = spine.viewport() if spine is not None else None
        if spine is not None and view is not None:
            there = view.mapFrom(self.window, at)
            if view.rect().contains(there):
                self._place = spine.place_of_drop(there)

    def _take_to_place(self, ids: list[str]) -> None:
        place, self._place = self._place, None
        if place is not None:
            self.session.work.place_rows(ids, *place)


def is_dataset_folder(path: Path) -> bool:
    """Return whether a folder is a dataset by itself."""
    from brisk_atlas.core.read import folder_suffixes
    from brisk_atlas.core.read.scene_names import metadata_in
    from brisk_atlas.core.read.survey_folder import is_survey_folder
    from brisk_atlas.core.read.tile_folder import is_tile_folder

    by_content = is_tile_folder(path) or is_survey_folder(path)
    return path.suffix.lower() in folder_suffixes() or len(metadata_in(path)) == 1 or by_content
