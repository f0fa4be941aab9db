"""Places: the whole map in small, and the places that were given names, with their pictures."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.named_places import NamedPlace, geojson_of

from ..deletable_list import DeletableList
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .overview_map import OverviewMap

PICTURE = QSize(112, 70)
PLACE_ID = Qt.ItemDataRole.UserRole


class PlacesDrawer(QWidget):
    """Return or a double click goes to a place, F2 renames it, Delete removes it.

    Signals:
        store_wanted(): what the map shows is to be stored under a name.
        go_wanted(object): a NamedPlace to go to.
    """

    store_wanted = pyqtSignal()
    go_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self.overview = OverviewMap(session)
        self.list = DeletableList()
        self.list.setObjectName("places")
        self.list.setAccessibleName(tr("Named places"))
        self.list.setIconSize(PICTURE)
        self.list.setSpacing(3)
        self.list.setEditTriggers(QAbstractItemView.EditTrigger.EditKeyPressed)
        self.empty = PlainLabel(
            tr("No place has a name yet. Store what the map shows, to come back to it from anywhere.")
        )
        self.empty.setObjectName("quiet")
        self.empty.setWordWrap(True)
        self.empty.setContentsMargins(10, 6, 10, 6)
        self.store, self.go = QPushButton(tr("Store this place")), QPushButton(tr("Go there"))
        self.store.setObjectName("main")
        self.export = QPushButton(tr("Export…"))
        self.export.setToolTip(tr("Write the places as areas in GeoJSON"))
        low = QHBoxLayout()
        low.setContentsMargins(8, 4, 6, 6)
        low.setSpacing(6)
        for button in (self.store, self.go, self.export):
            low.addWidget(button)
        low.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.overview, self.empty, self.list):
            column.addWidget(widget, int(widget is self.list))
        column.addLayout(low)
        self._filling = False
        self.store.clicked.connect(self.store_wanted)
        self.go.clicked.connect(self._go)
        self.export.clicked.connect(self._ask_and_export)
        self.list.itemActivated.connect(lambda item: self._go())
        self.list.itemDoubleClicked.connect(lambda item: self._go())
        self.list.itemChanged.connect(self._renamed)
        self.list.delete_pressed.connect(self._remove)
        session.work_changed.connect(lambda what: self.fill() if what in ("places", "file") else None)
        self.fill()

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.overview.theme = theme
        self.overview.update()

    @property
    def current(self) -> NamedPlace | None:
        """The place that is chosen in the list."""
        item = self.list.currentItem()
        return next((p for p in self.session.work.state.places if item and p.id == item.data(PLACE_ID)), None)

    def fill(self) -> None:
        """Show the places of the work."""
        self._filling = True
        places, row = self.session.work.state.places, self.list.currentRow()
        self.list.clear()
        for place in places:
            item = QListWidgetItem(place.name)
            item.setData(PLACE_ID, place.id)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            picture = QPixmap()
            picture.loadFromData(place.picture)
            item.setIcon(QIcon(picture))
            self.list.addItem(item)
        self.list.setCurrentRow(min(max(row, 0), len(places) - 1))
        self.empty.setVisible(not places)
        for button in (self.go, self.export):
            button.setEnabled(bool(places))
        self._filling = False

    def _go(self) -> None:
        if self.current is not None:
            self.go_wanted.emit(self.current)

    def _renamed(self, item: QListWidgetItem) -> None:
        if not self._filling:
            self.session.work.rename_place(item.data(PLACE_ID), item.text())

    def _remove(self) -> None:
        if self.current is not None:
            self.session.work.remove_place(self.current.id)

    def _ask_and_export(self) -> None:
        start = str(Path.home() / "places.geojson")
        file, _ = QFileDialog.getSaveFileName(self, tr("Export the places"), start, tr("GeoJSON (*.geojson)"))
        if file:
            self.export_to(Path(file))

    def export_to(self, path: Path) -> None:
        """Write the places as GeoJSON."""
        from brisk_atlas.core.model import AtlasError
        from brisk_atlas.core.system.atomic_write import write_whole

        path = path if path.suffix else path.with_suffix(".geojson")
        try:
            write_whole(path, geojson_of(self.session.work.state.places).encode())
        except AtlasError as error:
            self.session.fault(error)
            return
        self.session.noticed.emit(
            "good", tr("Wrote {count} places to {path}", count=len(self.session.work.state.places), path=path), ""
        )
