"""The shelves: pinned folders, this machine's places, and what was opened lately."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QMenu

from brisk_atlas.core.model.language import tr

from ..plain_text import plain_tip
from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef

PATH = Qt.ItemDataRole.UserRole
INDENT = "   "
ADD = "add"  # in the place of a path: the line that makes a connection
MOST_RECENT = 8


class ShelfList(QListWidget):
    """Shelves under their headings. Folders dropped here are pinned; pinned ones are dragged into order.

    Signals:
        chosen(object): the folder (a path) to go to, or the reference of a dataset.
        connection_wanted(object): a connection is to be edited, or a new one made (None).
        export_wanted(), import_wanted(): the connections are to be written to a file, or read from one.
        pins_changed(): folders were pinned, unpinned or put in another order.
    """

    chosen = pyqtSignal(object)
    pins_changed = pyqtSignal()
    connection_wanted = pyqtSignal(object)
    export_wanted = pyqtSignal()
    import_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setObjectName("shelves")
        self.setAccessibleName(tr("Shelves"))
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDropIndicatorShown(True)
        self.setDragDropMode(QListWidget.DragDropMode.DragDrop)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.itemClicked.connect(self._choose)
        self.itemActivated.connect(self._choose)
        self.customContextMenuRequested.connect(self._menu)

    def fill(self) -> None:
        """Show what there is now; mounted places are looked up each time."""
        from brisk_atlas.core.find.shelves import mounted

        self.clear()
        shelves = self.session.shelves
        self._heading(tr("Pinned"))
        for folder in shelves.pinned:
            self._place(folder, folder.name or str(folder))
        if not shelves.pinned:
            self._hint(tr("Drop a folder here"))
        self._fill_connections()
        self._heading(tr("This machine"))
        self._place(Path.home(), tr("Home"))
        self._place(Path("/"), tr("File system"))
        for folder, what in mounted():
            self._place(folder, folder.name, f"{folder}, {what}")
        from brisk_atlas.core.model import DataRef

        projects = [DataRef.file(path) for path in shelves.projects]
        for title, refs in ((tr("Opened lately"), shelves.recent), (tr("Projects"), projects)):
            if refs:
                self._heading(title)
            for ref in refs[:MOST_RECENT]:
                self._place(ref, ref.name.removesuffix(".brisk.json"))

    def _fill_connections(self) -> None:
        from brisk_atlas.core.find.connections import grouped

        self._heading(tr("Connections"))
        for group, connections in grouped(self.session.shelves.connections):
            if group:
                self._hint(group)
            for each in connections:
                self._place(each.ref, INDENT * bool(group) + each.name, each.ref.place)
        add = QListWidgetItem(tr("{indent}Connect…", indent=INDENT))
        add.setData(PATH, ADD)
        add.setToolTip(tr("A database, a service or tiles, by an address"))
        self.addItem(add)

    def _heading(self, text: str) -> None:
        item = QListWidgetItem(text)
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        self.addItem(item)

    def _hint(self, text: str) -> None:
        self._heading(INDENT + text)

    def _place(self, path: Path | DataRef, text: str, tip: str = "") -> None:
        item = QListWidgetItem(INDENT + text)
        item.setData(PATH, path)
        item.setToolTip(plain_tip(tip or str(path)))
        self.addItem(item)

    def _path_at(self, item: QListWidgetItem | None) -> Path | DataRef | None:
        found = item.data(PATH) if item is not None else None
        return None if found == ADD else found

    def _choose(self, item: QListWidgetItem) -> None:
        if item.data(PATH) == ADD:
            self.connection_wanted.emit(None)
            return
        path = self._path_at(item)
        if path is not None:
            self.chosen.emit(path)

    # Pinning

    def pin(self, folder: Path, before: Path | None = None) -> None:
        self.session.shelves.pin(folder, before)
        self.fill()
        self.pins_changed.emit()

    def unpin(self, folder: Path) -> None:
        self.session.shelves.unpin(folder)
        self.fill()
        self.pins_changed.emit()

    def turn_pin(self, folder: Path) -> None:
        """Pin a folder, or unpin it."""
        if folder in self.session.shelves.pinned:
            self.unpin(folder)
        else:
            self.pin(folder)

    def disconnect_from(self, place: DataRef) -> None:
        """Remove a place from the connections."""
        self.session.shelves.disconnect(place)
        self.fill()

    def _menu(self, at: QPoint) -> None:
        path = self._path_at(self.itemAt(at))
        if path is None:
            return
        menu = QMenu(self)
        shelves = self.session.shelves

        def add(text: str, run: Callable[[], object]) -> None:
            action = menu.addAction(text)
            assert action is not None
            action.triggered.connect(run)

        add(tr("Go there"), lambda: self.chosen.emit(path))
        if not isinstance(path, Path):
            if shelves.connection_to(path) is not None:
                add(tr("Edit the connection…"), lambda: self.connection_wanted.emit(path))
                add(tr("Remove the connection"), lambda: self.disconnect_from(path))
                add(tr("Export all connections…"), self.export_wanted.emit)
                add(tr("Import connections…"), self.import_wanted.emit)
        elif path in shelves.pinned:
            add(tr("Unpin"), lambda: self.unpin(path))
        elif path.is_dir():
            add(tr("Pin"), lambda: self.pin(path))
        menu.popup(self.mapToGlobal(at))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        path = self._path_at(self.currentItem())
        if event.key() == Qt.Key.Key_Delete and isinstance(path, Path) and path in self.session.shelves.pinned:
            self.unpin(path)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.currentItem() is not None:
            self._choose(self.currentItem())  # type: ignore[arg-type]
        else:
            super().keyPressEvent(event)

    # Dragging

    def mimeData(self, items: list[QListWidgetItem]) -> QMimeData:  # type: ignore[override]
        from PyQt6.QtCore import QUrl

        mime = QMimeData()
        paths = [path for item in items if (path := self._path_at(item)) is not None]
        mime.setUrls([QUrl.fromLocalFile(str(path)) for path in paths if isinstance(path, Path)])
        return mime

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        if _folders_in(event.mimeData()):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        super().dragMoveEvent(event)  # it draws the line between the shelves
        assert event is not None
        if _folders_in(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        before = self._path_at(self.itemAt(event.position().toPoint()))
        among = isinstance(before, Path) and before in self.session.shelves.pinned
        for folder in _folders_in(event.mimeData()):
            self.pin(folder, before if among and isinstance(before, Path) else None)
        event.acceptProposedAction()


def _folders_in(mime: QMimeData | None) -> list[Path]:
    """Return the folders among what is being dragged."""
    urls = mime.urls() if mime is not None else []
    paths = [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]
    return [path for path in paths if path.is_dir()]
