"""The Find page: shelves on the left, the list in the middle, the glance on the right."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QMenu,
    QPushButton,
    QSplitter,
    QToolButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.jobs import Job
from brisk_atlas.core.model import AtlasError, size_text

from ..session import Session
from ..subject_bar import count_text, kind_text
from ..theme import LIGHT, Theme
from .glance import Glance

if TYPE_CHECKING:
    from collections.abc import Iterator

    from brisk_atlas.core.find import Entry
    from brisk_atlas.core.model import Dataset, Facts

COLUMNS = ("Name", "Kind", "Count or size", "CRS", "On disk", "Changed", "Remarks")
WIDTHS = (186, 104, 132, 86, 70, 82, 60)
PLAIN = {"record": "", "document": "lines", "project": "layers"}  # kinds without a place, and what is counted
PATH, PART, IS_FOLDER = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1, Qt.ItemDataRole.UserRole + 2


class FindPage(QWidget):
    """Looking for data.

    Signals:
        open_wanted(list, object): paths to open and the part (or None).
        record_wanted(object): a path whose record to read.
        folder_changed(): another folder is on show.
    """

    folder_changed = pyqtSignal()
    open_wanted = pyqtSignal(list, object)
    record_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.theme: Theme = LIGHT
        self.folder: Path | None = None
        self._job: Job | None = None
        self._facts_job: Job | None = None
        self._want: str | None = None
        self.shelves = QListWidget()
        self.shelves.setObjectName("shelves")
        self.shelves.setAccessibleName("Shelves")
        self.pin_button = QPushButton("Pin a folder…")
        self.up = QToolButton()
        self.up.setText("Up")
        self.up.setToolTip("To the folder above (Backspace)")
        self.path_line = QLineEdit()
        self.path_line.setObjectName("folder")
        self.path_line.setPlaceholderText("Type or paste a folder, then Enter")
        self.filter = QLineEdit()
        self.filter.setObjectName("find filter")
        self.filter.setPlaceholderText("Filter by name")
        self.filter.setClearButtonEnabled(True)
        self.filter.setMaximumWidth(190)
        self.list = QTreeWidget()
        self.list.setObjectName("find list")
        self.list.setHeaderLabels(list(COLUMNS))
        self.list.setAlternatingRowColors(True)
        self.list.setUniformRowHeights(True)
        self.list.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header = self.list.header()
        assert header is not None
        for i, width in enumerate(WIDTHS):
            header.resizeSection(i, width)
        header.setSectionResizeMode(len(WIDTHS) - 1, QHeaderView.ResizeMode.Stretch)
        self.count = QLabel("")
        self.count.setObjectName("quiet")
        self.glance = Glance(session)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 12, 6, 10)
        heading = QLabel("Shelves")
        heading.setObjectName("heading")
        column.addWidget(heading)
        column.addWidget(self.shelves, 1)
        column.addWidget(self.pin_button)
        middle = QWidget()
        rows = QVBoxLayout(middle)
        rows.setContentsMargins(8, 10, 8, 8)
        bar = QHBoxLayout()
        for piece in (self.up, self.path_line, self.filter):
            bar.addWidget(piece)
        rows.addLayout(bar)
        rows.addWidget(self.list, 1)
        rows.addWidget(self.count)
        split = QSplitter()
        for widget, stretch in ((left, 0), (middle, 1), (self.glance, 0)):
            split.addWidget(widget)
            split.setStretchFactor(split.count() - 1, stretch)
        split.setSizes([150, 760, 370])
        self.glance.setMinimumWidth(300)
        left.setMinimumWidth(120)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)

    def _connect(self) -> None:
        self.shelves.itemClicked.connect(self._shelf_chosen)
        self.shelves.itemActivated.connect(self._shelf_chosen)
        self.shelves.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.shelves.customContextMenuRequested.connect(self._shelf_menu)
        self.pin_button.clicked.connect(self.pin_folder)
        self.up.clicked.connect(self.go_up)
        self.path_line.returnPressed.connect(lambda: self.go_to(Path(self.path_line.text()).expanduser()))
        self.filter.textChanged.connect(self._filter)
        self.filter.returnPressed.connect(self.list.setFocus)
        self.list.currentItemChanged.connect(lambda item, before: self._glance_at(item))
        self.list.itemActivated.connect(lambda item, column: self.open_chosen())
        self.list.customContextMenuRequested.connect(self._row_menu)
        self.glance.open_wanted.connect(lambda path, part: self.open_wanted.emit([path], part))
        self.glance.record_wanted.connect(self.record_wanted)

    @property
    def busy(self) -> bool:
        jobs = (self._job, self._facts_job)
        return any(job is not None and not job.finished for job in jobs) or self.glance.busy

    # Shelves

    def fill_shelves(self) -> None:
        self.shelves.clear()

        def heading(text: str) -> None:
            item = QListWidgetItem(text)
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.shelves.addItem(item)

        def place(path: Path, text: str) -> None:
            item = QListWidgetItem("   " + text)
            item.setData(PATH, path)
            item.setToolTip(str(path))
            self.shelves.addItem(item)

        heading("Pinned")
        for folder in self.session.shelves.pinned:
            place(folder, folder.name or str(folder))
        heading("This machine")
        place(Path.home(), "Home")
        place(Path("/"), "File system")
        if self.session.shelves.recent:
            heading("Opened lately")
            for path in self.session.shelves.recent:
                place(path, path.name)

    def _shelf_chosen(self, item: QListWidgetItem) -> None:
        path = item.data(PATH)
        if path is None:
            return
        if path.is_dir():
            self.go_to(path)
        else:
            self.go_to(path.parent, choose=path.name)

    def _shelf_menu(self, at: QPoint) -> None:
        item = self.shelves.itemAt(at)
        path = item.data(PATH) if item else None
        if path in self.session.shelves.pinned:
            menu = QMenu(self)
            unpin = menu.addAction("Unpin")
            assert unpin is not None
            unpin.triggered.connect(lambda: self._unpin(path))
            menu.popup(self.shelves.mapToGlobal(at))

    def _unpin(self, path: Path) -> None:
        self.session.shelves.unpin(path)
        self.fill_shelves()

    def pin_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Pin a folder", str(self.folder or Path.home()))
        if chosen:
            self.pin(Path(chosen))

    def pin(self, folder: Path) -> None:
        self.session.shelves.pin(folder)
        self.fill_shelves()
        self.go_to(folder)

    def toggle_pin(self) -> None:
        """Pin the folder on show, or unpin it."""
        if self.folder in self.session.shelves.pinned:
            self._unpin(self.folder)
        elif self.folder:
            self.session.shelves.pin(self.folder)
            self.fill_shelves()

    # The list

    def go_up(self) -> None:
        if self.folder and self.folder.parent != self.folder:
            self.go_to(self.folder.parent, choose=self.folder.name)

    def go_to(self, folder: Path, choose: str | None = None) -> None:
        """List a folder, then look at each dataset in the background."""
        from brisk_atlas.core.find import list_folder

        for job in (self._job, self._facts_job):
            if job:
                job.cancel()
        if folder.is_file():
            folder, choose = folder.parent, folder.name
        self._want = choose

        def done(entries: list[Entry]) -> None:
            self.folder = folder
            self.path_line.setText(str(folder))
            self._fill(entries)
            self.folder_changed.emit()

        self._job = self.session.run(f"Listing {folder.name}", lambda job: list_folder(folder), done)

    def _fill(self, entries: list[Entry]) -> None:
        self.list.clear()
        self.filter.clear()
        items = []
        for entry in entries:
            item = QTreeWidgetItem(
                [
                    entry.name,
                    "folder" if entry.is_folder else "",
                    "",
                    "",
                    "" if entry.is_folder else size_text(entry.size_bytes),
                    entry.modified.strftime("%Y-%m-%d"),
                    "",
                ]
            )
            item.setData(0, PATH, entry.path)
            item.setData(0, IS_FOLDER, entry.is_folder)
            item.setToolTip(0, entry.name)
            item.setTextAlignment(4, Qt.AlignmentFlag.AlignRight)
            items.append(item)
        self.list.addTopLevelItems(items)
        data = sum(not entry.is_folder for entry in entries)
        folders = len(entries) - data
        told = f"{data:,} dataset{'s' * (data != 1)}, {folders:,} folder{'s' * (folders != 1)}"
        self.count.setText(told if entries else "Nothing here that can be opened. Go up, or pin another folder.")
        wanted = next((i for i in items if self._want and i.text(0) == self._want), None)
        first = wanted or next((i for i in items if not i.data(0, IS_FOLDER)), items[0] if items else None)
        if first:
            self.list.setCurrentItem(first)
        else:
            self.glance.look_at(None)
        self._read_facts([entry for entry in entries if not entry.is_folder])

    def _read_facts(self, entries: list[Entry]) -> None:
        """Fill the fact columns one dataset after the other, off this thread."""
        rows = {item.data(0, PATH): item for item in self._items()}
        home = self.session.come_home

        def work(job: Job) -> None:
            from brisk_atlas.core import read

            for number, entry in enumerate(entries):
                job.report(number / len(entries), entry.name)
                try:
                    found: Dataset | AtlasError = self.session.holdings.peek(entry.path) or read.open(entry.path)
                except AtlasError as error:
                    found = error
                except Exception as error:
                    found = AtlasError(entry.path, f"it can't be read ({type(error).__name__}: {error})")
                home(partial(self._show_facts, rows.get(entry.path)), found)

        if entries:
            self._facts_job = self.session.run("Looking at datasets", work)

    def _items(self) -> Iterator[QTreeWidgetItem]:
        for i in range(self.list.topLevelItemCount()):
            item = self.list.topLevelItem(i)
            assert item is not None
            yield item

    def _show_facts(self, item: QTreeWidgetItem | None, found: Dataset | AtlasError) -> None:
        import PyQt6.sip as sip

        if item is None or sip.isdeleted(item):
            return
        if isinstance(found, AtlasError):
            item.setText(1, "can't be read")
            item.setText(6, found.reason)
            item.setToolTip(6, str(found))
            item.setForeground(1, QBrush(QColor(self.theme.fault)))
            return
        item.setText(4, size_text(found.size_bytes))
        remarks = list(found.warnings)
        if len(found.members) > 1:
            remarks.append(f"{len(found.members)} files")
        item.setText(6, "; ".join(remarks))
        item.setToolTip(6, "\n".join(remarks))
        if len(found.parts) == 1:
            self._set_facts(item, found.parts[0].facts, found.kind)
            return
        item.setText(1, found.kind)
        item.setText(2, f"{len(found.parts)} {'band groups' if found.kind == 'scene' else 'parts'}")
        item.setText(3, _common_crs([part.facts for part in found.parts]))
        for part in found.parts:
            child = QTreeWidgetItem([part.facts.name, "", "", "", "", "", ""])
            child.setData(0, PATH, found.path)
            child.setData(0, PART, part.facts.name)
            self._set_facts(child, part.facts, part.facts.kind)
            item.addChild(child)

    @staticmethod
    def _set_facts(item: QTreeWidgetItem, facts: Facts, kind: str) -> None:
        item.setText(1, kind if kind in PLAIN else kind_text(facts))
        item.setText(2, _plain_count(kind, facts.count) if kind in PLAIN else count_text(facts))
        item.setText(3, _crs(facts) if kind not in PLAIN else "")

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        for item in self._items():
            names = " ".join([item.text(0), *(item.child(i).text(0) for i in range(item.childCount()))]).lower()  # type: ignore[union-attr]
            item.setHidden(not all(word in names for word in words))
        current = self.list.currentItem()
        if current is None or current.isHidden():
            shown = next((i for i in self._items() if not i.isHidden()), None)
            if shown:
                self.list.setCurrentItem(shown)

    def _glance_at(self, item: QTreeWidgetItem | None) -> None:
        if item is None or item.data(0, IS_FOLDER):
            self.glance.look_at(None)
        else:
            self.glance.look_at(item.data(0, PATH), item.data(0, PART))

    def open_chosen(self) -> None:
        """Go into the chosen folder, or open the chosen datasets."""
        current = self.list.currentItem()
        if current is not None and current.data(0, IS_FOLDER):
            self.go_to(current.data(0, PATH))
            return
        chosen = [item for item in self.list.selectedItems() if not item.data(0, IS_FOLDER)]
        parts = [item for item in chosen if item.data(0, PART)]
        for item in parts:
            self.open_wanted.emit([item.data(0, PATH)], item.data(0, PART))
        whole = [item.data(0, PATH) for item in chosen if not item.data(0, PART)]
        if whole:
            self.open_wanted.emit(whole, None)

    def _row_menu(self, at: QPoint) -> None:
        item = self.list.itemAt(at)
        if item is None:
            return
        menu = QMenu(self)
        if item.data(0, IS_FOLDER):
            pin = menu.addAction("Pin this folder")
            assert pin is not None
            pin.triggered.connect(lambda: self.pin(item.data(0, PATH)))
        else:
            for text, run in (
                ("Open on the Desk", self.open_chosen),
                ("Read its record", lambda: self.record_wanted.emit(item.data(0, PATH))),
            ):
                action = menu.addAction(text)
                assert action is not None
                action.triggered.connect(run)
        viewport = self.list.viewport()
        assert viewport is not None
        menu.popup(viewport.mapToGlobal(at))

    def keyPressEvent(self, event: object) -> None:
        if event.key() == Qt.Key.Key_Backspace:  # type: ignore[attr-defined]
            self.go_up()
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]


def _plain_count(kind: str, count: int | None) -> str:
    return f"{count:,} {PLAIN[kind]}" if PLAIN[kind] and count is not None else ""


def _crs(facts: Facts) -> str:
    from brisk_atlas.core.place import crs_label

    return crs_label(facts.crs) if facts.crs or facts.kind != "table" else ""


def _common_crs(facts: list[Facts]) -> str:
    found = {_crs(f) for f in facts}
    return found.pop() if len(found) == 1 else "several"
