"""The Find page: shelves on the left, the list in the middle, the glance on the right."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QFileSystemWatcher, QSettings, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSplitter,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.find.entry_filter import EntryFilter, EntryRow
from brisk_atlas.core.model.language import tr, trn

from ..down_to_list import down_goes_to
from ..later import Later
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .catalogue_actions import CatalogueActions
from .connection_actions import ConnectionActions
from .entry_deeds import EntryDeeds
from .filter_bar import FilterBar
from .find_list import FindList
from .folder_index import FolderIndex
from .glance import Glance
from .shelf_list import ShelfList

if TYPE_CHECKING:
    from brisk_atlas.core.find import DatasetSummary, Entry
    from brisk_atlas.core.model import DataRef

    from ..welcome.welcome_view import WelcomeView

TYPING_MS = 60
ARRANGE_MS = 400  # what was found out is sorted and filtered anew, where that matters, this often
WATCH_MS = 500  # a change in the folder is looked at after this much quiet
SEARCH_COLUMNS = ("name", "title", "kind", "amount", "crs", "folder", "modified")
INDEX_MS = 4000  # after the last look at a folder, the shelves are gone through


class FindPage(QWidget):
    """Looking for data, in a folder or through all pinned shelves.

    Signals:
        open_wanted(list): references of datasets, or parts of them, to open.
        ask_wanted(list): references to open after asking all that can be chosen.
        record_wanted(object): the reference of a dataset whose record to read.
        folder_changed(): another folder is on show.
        command_wanted(str): the id of a command that the welcome names.
        project_wanted(object): the path of a recent project to open.
    """

    folder_changed = pyqtSignal()
    command_wanted = pyqtSignal(str)
    project_wanted = pyqtSignal(object)
    open_wanted = pyqtSignal(list)
    ask_wanted = pyqtSignal(list)
    record_wanted = pyqtSignal(object)

    def __init__(self, session: Session, settings: QSettings | None = None) -> None:
        super().__init__()
        self.session = session
        self.place: DataRef | None = None  # the folder, database or schema on show
        self.searching = ""  # what is searched for through all shelves
        self._theme: Theme = LIGHT
        self._want: str | None = None
        self._columns: tuple[str, ...] | None = None  # those of folders, while a search shows its own
        self._counts = 0, 0  # datasets and folders of what is listed
        self.folder_index = FolderIndex(session)
        self.shelves = ShelfList(session)
        self.pin_button = QPushButton(tr("Pin a folder…"))
        self.up = QToolButton()
        self.up.setText(tr("Up"))
        self.up.setToolTip(tr("To the folder above (Backspace)"))
        self.path_line = QLineEdit()
        self.path_line.setObjectName("folder")
        self.path_line.setAccessibleName(tr("Folder, address or database"))
        self.path_line.setPlaceholderText(tr("Type or paste a folder, an address or a database, then Enter"))
        self.filter = QLineEdit()
        self.filter.setObjectName("find filter")
        self.filter.setAccessibleName(tr("Filter by name"))
        self.filter.setPlaceholderText(tr("Filter by name"))
        self.filter.setClearButtonEnabled(True)
        self.everywhere = QToolButton()
        self.everywhere.setObjectName("everywhere")
        self.everywhere.setText(tr("All shelves"))
        self.everywhere.setCheckable(True)
        self.everywhere.setToolTip(tr("Search names, fields and records of all pinned shelves (Ctrl+F)"))
        self.filter_bar = FilterBar()
        self.list = FindList(settings)
        self.count = PlainLabel("")
        self.count.setObjectName("quiet")
        self.glance = Glance(session)
        self._welcome: WelcomeView | None = None
        self._watcher: QFileSystemWatcher | None = None
        self._typed = Later(self, TYPING_MS, self._filter_now)
        self._arrange = Later(self, ARRANGE_MS, self.list.rows.arrange)
        self._changed = Later(self, WATCH_MS, self._list_again)
        self._index = Later(self, INDEX_MS, self.index_shelves)
        self.connections = ConnectionActions(session, self)
        self.records = CatalogueActions(session, self)
        self.deeds = EntryDeeds(self.list, self.shelves, self.records)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(10, 12, 6, 10)
        heading = PlainLabel(tr("Shelves"))
        heading.setObjectName("heading")
        column.addWidget(heading)
        column.addWidget(self.shelves, 1)
        column.addWidget(self.pin_button)
        middle = QWidget()
        rows = QVBoxLayout(middle)
        rows.setContentsMargins(8, 10, 8, 8)
        bar = QHBoxLayout()
        for piece, stretch in ((self.up, 0), (self.path_line, 3), (self.filter, 2), (self.everywhere, 0)):
            bar.addWidget(piece, stretch)
        rows.addLayout(bar)
        listed = QWidget()
        column = QVBoxLayout(listed)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.filter_bar)
        column.addWidget(self.list, 1)
        column.addWidget(self.count)
        self.middle = QStackedWidget()
        self.middle.addWidget(listed)
        rows.addWidget(self.middle, 1)
        split = QSplitter()
        for widget, stretch in ((left, 0), (middle, 1), (self.glance, 0)):
            split.addWidget(widget)
            split.setStretchFactor(split.count() - 1, stretch)
        split.setSizes([136, 814, 330])
        self.glance.setMinimumWidth(300)
        left.setMinimumWidth(120)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)

    def _connect(self) -> None:
        down_goes_to(self.list, self.filter)
        self.folder_index.listed.connect(self._listed)
        self.folder_index.failed.connect(self._not_listed)
        self.folder_index.learned.connect(self._learn)
        self.folder_index.found.connect(self._found)
        self.folder_index.indexed.connect(self._indexed)
        self.shelves.chosen.connect(self._shelf_chosen)
        self.shelves.pins_changed.connect(self._pins_changed)
        self.shelves.connection_wanted.connect(self.connections.edit)
        self.shelves.export_wanted.connect(self.connections.export)
        self.shelves.import_wanted.connect(self.connections.import_from_file)
        self.connections.changed.connect(self.shelves.fill)
        self.connections.listed.connect(self._go_to_address)
        self.records.place_wanted.connect(self.go_to_place)
        self.records.address_wanted.connect(self._go_to_address)
        self.pin_button.clicked.connect(self.pin_folder)
        self.up.clicked.connect(self.go_up)
        self.path_line.returnPressed.connect(self._go_to_typed)
        self.filter.textChanged.connect(lambda text: self._typed.start())
        self.filter.returnPressed.connect(self._filter_entered)
        self.everywhere.toggled.connect(self._everywhere_changed)
        self.filter_bar.changed.connect(self._filter_changed)
        self.list.looked_at.connect(self.glance.look_at)
        self.deeds.open_wanted.connect(self.open_wanted)
        self.deeds.ask_wanted.connect(self.ask_wanted)
        self.deeds.record_wanted.connect(self.record_wanted)
        self.deeds.place_wanted.connect(self.go_to_place)
        self.deeds.dataset_wanted.connect(lambda path: self.go_to(path.parent, choose=path.name))
        self.list.went_up.connect(self.go_up)
        self.list.scrolled.connect(self._note_view)
        self.glance.open_wanted.connect(lambda ref: self.open_wanted.emit([ref]))
        self.glance.record_wanted.connect(self.record_wanted)
        self.glance.data_wanted.connect(self.deeds.show_links)
        self.glance.went_stale.connect(self._list_again)

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = self.list.rows.theme = self.filter_bar.theme = theme
        if self._welcome is not None:
            self._welcome.use_theme(theme)

    @property
    def folder(self) -> Path | None:
        """The folder on show, None for none or another kind of place."""
        return self.place.path if self.place is not None and self.place.is_local else None

    @property
    def busy(self) -> bool:
        waiting = any(each.isActive() for each in (self._typed, self._arrange, self._changed))
        return waiting or self.folder_index.busy or self.glance.busy

    # What is on show

    @property
    def welcome(self) -> WelcomeView:
        """Ways to begin, made at the first call: the window stands before."""
        if self._welcome is None:
            from ..welcome.welcome_view import WelcomeView

            self._welcome = WelcomeView(self.session)
            self._welcome.use_theme(self._theme)
            self._welcome.wanted.connect(self.command_wanted)
            self._welcome.project_wanted.connect(self.project_wanted)
            self._welcome.dataset_wanted.connect(lambda ref: self.open_wanted.emit([ref]))
            self.middle.addWidget(self._welcome)
        return self._welcome

    def show_welcome(self, on: bool = True) -> None:
        """Show ways to begin, or the list with its glance."""
        if not on and self._welcome is None:
            return
        if on:
            self.welcome.fill()
        self.middle.setCurrentIndex(int(on))
        self.glance.setVisible(not on)
        for widget in (self.filter, self.up):
            widget.setVisible(not on)

    # Shelves

    def fill_shelves(self) -> None:
        self.shelves.fill()

    def _shelf_chosen(self, place: Path | DataRef) -> None:
        if isinstance(place, Path):
            self.go_to(place)
        elif not place.is_local:
            self._go_to_address(place)
        elif place.path.is_dir():
            self.go_to(place.path)
        else:
            self.go_to(place.path.parent, choose=place.name)

    def pin_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Pin a folder"), str(self.folder or Path.home()))
        if chosen:
            self.pin(Path(chosen))

    def pin(self, folder: Path) -> None:
        self.shelves.pin(folder)
        self.go_to(folder)

    def toggle_pin(self) -> None:
        """Pin the folder on show, or unpin it."""
        if self.folder:
            self.shelves.turn_pin(self.folder)

    def _pins_changed(self) -> None:
        self.folder_changed.emit()
        self._index.start()

    def index_shelves(self) -> None:
        self.folder_index.index_shelves()

    def _indexed(self) -> None:
        if self.searching:
            self.folder_index.search(self.searching)

    # Folders

    def go_up(self) -> None:
        from brisk_atlas.core.find import place_above

        above = place_above(self.place) if self.place is not None else None
        if self.place is not None and above is not None:
            self.go_to_place(above, choose=self.place.name)

    def _go_to_typed(self) -> None:
        from brisk_atlas.core.model import DataRef

        ref = DataRef.parse(self.path_line.text().strip())
        if ref.is_local:
            self.go_to(ref.path)
        else:
            self._go_to_address(ref)

    def _go_to_address(self, ref: DataRef) -> None:
        """Show what lies at an address, once it is found out what that is."""
        from brisk_atlas.core.find.trying import must_be_recognised

        if must_be_recognised(ref):
            self.connections.recognise(ref.place, self._show_address)
        else:
            self._show_address(ref)

    def _show_address(self, ref: DataRef) -> None:
        """List a database, one of its schemas, a service or a folder, and put it among the connections; open a file."""
        from brisk_atlas.core.connect import is_listed

        if is_listed(ref):
            self.connections.start(ref, lambda: self.go_to_place(ref))
        else:
            self.connections.start(ref, lambda: self.open_wanted.emit([ref]))
            self.connections.note(ref)

    def go_to(self, folder: Path, choose: str | None = None) -> None:
        """List a folder, then look at each dataset in the background."""
        if folder.is_file():
            folder, choose = folder.parent, folder.name
        from brisk_atlas.core.model import DataRef

        self.go_to_place(DataRef.file(folder), choose)

    def go_to_place(self, place: DataRef, choose: str | None = None) -> None:
        """List a folder, a database or a schema, then look at each dataset in the background."""
        self._want = choose
        self.folder_index.list_place(place)

    def ask_database(self) -> None:
        """Ask for a SELECT to open what it gives, of the database on show."""
        from dataclasses import replace

        from .query_form import QueryForm

        if self.place is not None and not self.place.is_local:
            self.query_form = QueryForm(self.session, replace(self.place, inner="", part=None), self)
            self.query_form.chosen.connect(lambda ref: self.open_wanted.emit([ref]))
            self.query_form.open()

    def _not_listed(self, place: DataRef, error: BaseException) -> None:
        """Ask for the login that a database or a server wants; report anything else."""
        self.connections.take_failure(place, error, self.go_to_place)

    def _listed(self, place: DataRef, entries: list[Entry], again: bool) -> None:
        """Show what is in a place; listed again, what is known stays and so does the analyst."""
        if again and (place != self.place or self.searching):
            return
        if not again:
            self.place = place
            self.path_line.setText(str(place))
            self._watch(place)
            self._note_connection(place)
            self.searching = ""
            self.everywhere.blockSignals(True)
            self.everywhere.setChecked(False)
            self.everywhere.blockSignals(False)
            self._say_scope()
            self.filter.clear()
            self._typed.stop()
            self.filter_bar.set_text("")
        known = {str(row.entry.ref): row for row in self.list.rows.rows} if again else {}
        before = [known.get(str(entry.ref)) if known else None for entry in entries]
        rows = [old if old and old.entry == entry else EntryRow(entry, None) for entry, old in zip(entries, before)]
        self._show_rows(rows, again=again)
        self._say_count()
        self._note_view()
        self.folder_index.look_at(place, [row.entry for row in rows if row.summary is None and not row.entry.is_folder])
        if not again:
            self.folder_changed.emit()

    def _note_connection(self, place: DataRef) -> None:
        """Put a database, a service or a folder of a web server that answered among the connections."""
        from brisk_atlas.core.find import place_above
        from brisk_atlas.core.model import PlaceKind

        if not place.is_local:
            self.connections.note(place if place.kind is PlaceKind.ADDRESS else place_above(place) or place)

    def _watch(self, place: DataRef) -> None:
        if self._watcher is None:
            self._watcher = QFileSystemWatcher(self)
            self._watcher.directoryChanged.connect(lambda path: self._changed.start())
        if self._watcher.directories():
            self._watcher.removePaths(self._watcher.directories())
        if place.is_local:
            self._watcher.addPath(str(place))

    def _list_again(self) -> None:
        if self.place is not None and not self.searching:
            self.folder_index.list_place(self.place, again=True)

    def _show_rows(self, rows: list[EntryRow], *, again: bool = False) -> None:
        if not again:
            self.show_welcome(False)
        searching = self.everywhere.isChecked()
        if searching and self._columns is None:
            self._columns = self.list.rows.columns
            self.list.set_columns(SEARCH_COLUMNS, keep=False)
        elif not searching and self._columns is not None:
            self.list.set_columns(self._columns)
            self._columns = None
        self.list.rows.as_found = searching
        data = sum(not row.entry.is_folder for row in rows)
        self._counts = data, len(rows) - data
        if not again:
            self.list.leave()
        self.list.rows.show(rows)
        self.filter_bar.show_rows(rows)
        if again and self.list.current is not None:
            return
        wanted = next((r.entry.ref for r in rows if self._want and r.entry.name == self._want), None)
        index = self.list.rows.index_of(wanted) if wanted else self.list.rows.first_dataset()
        if index.isValid():
            self.list.go_to(index)
        else:
            self.glance.look_at(None)

    def _say_count(self) -> None:
        model = self.list.rows
        data, folders = self._counts
        text = trn("{count:,} dataset", "{count:,} datasets", data)
        if self.searching:
            most = tr(" at most") if data >= 300 else ""
            text = tr(
                "{text}{most} on the pinned shelves with '{searching}'", text=text, most=most, searching=self.searching
            )
            if not data:
                text = tr("Nothing on the pinned shelves has all these words.")
        else:
            text += trn(", {count:,} folder", ", {count:,} folders", folders)
            if not data + folders:
                text = tr("Nothing here that can be opened. Go up, or pin another folder.")
        if model.filter != EntryFilter():
            shown = len({row.entry.ref for row in model.shown if not row.entry.is_folder})
            text = tr("{shown:,} of {text}", shown=shown, text=text) if shown < data else text
        self.count.setText(text)

    def _note_view(self) -> None:
        self.folder_index.in_view = self.list.in_view()

    def _learn(self, found: dict[DataRef, DatasetSummary]) -> None:
        """Show what was found out."""
        if self.list.rows.learn(found) and not self._arrange.isActive():
            self._arrange.start()
        self.filter_bar.show_rows(self.list.rows.rows)
        self._say_count()

    # Filter and search

    def _filter_now(self) -> None:
        text = self.filter.text().strip()
        if self.everywhere.isChecked():
            self.searching = text
            self._search()
        else:
            self.filter_bar.set_text(text)

    def _filter_entered(self) -> None:
        if self.place is not None and self.records.can_search(self.place) and not self.everywhere.isChecked():
            self._typed.stop()
            self.records.search(self.place, self.filter.text().strip())
            return
        if self._typed.isActive():
            self._typed.stop()
            self._filter_now()
        self.list.setFocus()

    def _filter_changed(self) -> None:
        self.list.rows.filter, self.list.rows.grouped = self.filter_bar.filter, self.filter_bar.grouped
        self.list.rows.arrange()
        current = self.list.current
        if current is None or not self.list.rows.index_of(current[0]).isValid():
            self.list.go_to(self.list.rows.first_dataset())
        self._say_count()

    def begin_search(self) -> None:
        """Put the keyboard on the search through all shelves."""
        self.everywhere.setChecked(True)
        self.filter.setFocus()
        self.filter.selectAll()

    def _say_scope(self) -> None:
        on = self.everywhere.isChecked()
        here = (
            tr("Filter by name; Enter searches the catalogue")
            if self.records.can_search(self.place)
            else tr("Filter by name")
        )
        self.filter.setPlaceholderText(tr("Words in names, fields or records") if on else here)

    def _everywhere_changed(self, on: bool) -> None:
        self._say_scope()
        text = self.filter.text().strip()
        if on:
            self.filter_bar.set_text("")
            self.searching = text
            self._search()
            return
        self.searching = ""
        if self.place is not None:
            self._want = None
            self.folder_index.list_place(self.place)

    def _search(self) -> None:
        """Show what the index has; a later word takes the place of an earlier one."""
        self._want = None
        if self.searching:
            self.folder_index.search(self.searching)
            return
        self.folder_index.stop()
        self._show_rows([])
        self.count.setText(tr("Type words that stand in names, fields, titles, summaries or keywords."))

    def _found(self, words: str, rows: list[EntryRow]) -> None:
        if words == self.searching:
            self._show_rows(rows)
            self._say_count()
