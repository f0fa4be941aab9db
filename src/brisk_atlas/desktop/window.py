"""The window: page switch, subject bar, pages, notices and the foot."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QSettings, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QPixmap
from PyQt6.QtWidgets import QApplication, QFrame, QMainWindow, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from . import theme as themes
from .attachment_opening import AttachmentOpening
from .autosave import Autosave
from .closing import may_lose_records
from .commands import Command, Commands
from .dropping import Dropping
from .layer_dialogs import LayerDialogs
from .map_dialogs import MapDialogs
from .menus import (
    CRS_MENU,
    FIELD_MENU,
    FIND_MENU,
    JOBS_MENU,
    LAYER_MENU,
    MAP_MENU,
    PROBE_MENU,
    ROW_MENU,
    SCALE_MENU,
    offer_menu,
    open_menu,
)
from .notice import Notice
from .opening_questions import OpeningQuestions
from .page_bar import PAGES, PageBar
from .pages.find_page import FindPage
from .project_deeds import ProjectDeeds
from .services_switch import ServicesSwitch
from .session import PROJECT_SUFFIX, Session
from .settings.own_keys import own_keys
from .settings.stored_settings import less_motion, take_length_units, take_memory_limit
from .status_line import StatusLine
from .style_files import StyleFiles
from .subject_bar import SubjectBar

if TYPE_CHECKING:
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.workspace import Work
    from brisk_atlas.core.workspace.plates import Plate

    from .do_palette import Choice, DoPalette
    from .pages.desk_page import DeskPage
    from .pages.find_list import FindList
    from .pages.handover_page import HandoverPage
    from .pages.record_page import RecordPage
    from .settings.settings_window import SettingsWindow
    from .stack_spine import StackSpine

SMALLEST, SMALLEST_PAGE = (640, 400), (850, 450)
MAP_TOOLS = (
    "fit_subject", "fit_all", "fit_picked", "box_zoom", "zoom_in", "zoom_out", "curtain", "relief", "measure", "go_to",
)  # fmt: skip
CHECK_SOURCES_MS = 5_000
ICONS_LATER_MS = 20


class AtlasWindow(QMainWindow):
    """One window, four pages. All but Find are made when they are first needed. `commands_of` lists what it can do.

    Signals:
        ended(): it closes, and what belongs to it ends.
    """

    ended = pyqtSignal()

    def __init__(
        self, session: Session, settings: QSettings, commands_of: Callable[[AtlasWindow], list[Command]]
    ) -> None:
        super().__init__()
        self.session = session
        self.settings = settings
        self.theme = themes.NIGHT if settings.value("theme") == "night" else themes.LIGHT
        self.setWindowTitle("Brisk Atlas")
        self.commands = Commands(self, own_keys(settings))
        self.find_page = FindPage(session, settings)
        self.pages = QStackedWidget()
        self._made: dict[str, Any] = {"find": self.find_page}
        self._rooms: dict[str, QWidget] = {}
        for page in PAGES:
            room = QWidget()
            column = QVBoxLayout(room)
            column.setContentsMargins(0, 0, 0, 0)
            self._rooms[page] = room
            self.pages.addWidget(room)
        self._house("find", self.find_page)
        self._palette_box: DoPalette | None = None
        self.choices: Callable[[str], list[Choice]] = lambda words: []  # what Do… finds besides commands
        self.subject = SubjectBar(session)
        self.notice = Notice()
        self.autosave = Autosave(session)
        self.questions = OpeningQuestions(session, self.notice, lambda: self.theme, self)
        self.layer_dialogs = LayerDialogs(session, self)
        self.map_dialogs = MapDialogs(session, settings, lambda: self.desk.map.canvas.view, self)
        self.style_files = StyleFiles(session, self)
        self.services = ServicesSwitch(session, settings, self)
        self.project = ProjectDeeds(session, self, self._take_typed, self._map_picture)
        take_memory_limit(settings, session.workspace)
        take_length_units(settings)
        self._settings_box: SettingsWindow | None = None
        self.map_dialogs.crs_chosen.connect(self._use_map_crs)
        self.map_dialogs.place_chosen.connect(self._go_to)
        self.map_dialogs.feature_chosen.connect(self._go_to_feature)
        self.map_dialogs.turn_chosen.connect(lambda angle: self.desk.map.turn_to(angle))
        self.services.turned.connect(self._offline_turned)
        self.foot = StatusLine(session, settings)
        for command in commands_of(self):
            self.commands.add(command)
        self.commands["do"].setIconText(tr("Do…"))
        self.foot.cancel_all = self.commands["cancel_jobs"]
        self.bar = PageBar(self.commands, self.subject)
        self._lay_out()
        self._connect()
        self.show_page("find")
        self.use_theme(self.theme)

    def can_search_scenes(self) -> bool:
        """Whether Find shows a collection of a catalogue of scenes."""
        place = self.find_page.place
        return place is not None and place.protocol == "stac" and bool(place.inner)

    def search_scenes(self) -> None:
        """Search the catalogue that Find shows, around what the map shows."""
        place = self.find_page.place
        view = self.desk.map.canvas.view if self.has_desk else None
        if place is not None and self.can_search_scenes():
            self.find_page.connections.search_scenes(place, view.extent if view is not None else None)

    def _offline_turned(self, offline: bool) -> None:
        """Say whether servers are asked, and draw what can be drawn now."""
        self.foot.offline.setVisible(offline)
        if self.has_desk:
            self.desk.map.draw()

    # Putting it together

    def _house(self, page: str, widget: QWidget) -> None:
        layout = self._rooms[page].layout()
        assert layout is not None
        layout.addWidget(widget)

    @property
    def has_desk(self) -> bool:
        return "desk" in self._made

    @property
    def desk(self) -> DeskPage:
        """Return the Desk, made at the first call."""
        if "desk" not in self._made:
            from .pages.desk_page import DeskPage

            desk = self._made["desk"] = DeskPage(self.session, self._rooms["desk"])
            self._house("desk", desk)
            desk.map.set_tools(self.commands, MAP_TOOLS)
            desk.empty.wanted.connect(self.commands.do)
            desk.map.pointer_moved.connect(self.foot.show_pointer)
            desk.map.canvas.pointer_left.connect(self.foot.clear_pointer)
            desk.map.view_changed.connect(self._view_changed)
            desk.map.settled.connect(self._view_changed)
            desk.map.drawing_faults.connect(self._say_faults)
            for found in (desk.probe.found, desk.probe.held_changed, desk.map.canvas.tool_changed):
                found.connect(lambda *changed: self.commands.refresh())
            offer_menu(desk.spine, self.commands, LAYER_MENU, desk.spine.take_at)
            offer_menu(desk.map.canvas, self.commands, MAP_MENU, desk.map.canvas.take_spot)
            desk.probe.use_settings(self.settings)
            self.attachments = AttachmentOpening(self.notice, desk.probe.pictures)
            desk.probe.attachment_opened.connect(self.attachments.open)
            desk.side.use_settings(self.settings)
            self._take_motion()
            offer_menu(desk.probe.tree, self.commands, PROBE_MENU, desk.probe.tree.take_at)
            desk.sheet.row_menu_wanted.connect(lambda at: open_menu(self, self.commands, ROW_MENU, at))
            desk.sheet.field_menu_wanted.connect(
                lambda at: open_menu(self, self.commands, FIELD_MENU, at, desk.sheet.fields.take_none)
            )
            self._recolour()
        return self._made["desk"]

    @property
    def record(self) -> RecordPage:
        """Return the Record page, made at the first call."""
        if "record" not in self._made:
            from .pages.record_page import RecordPage

            self._made["record"] = RecordPage(self.session)
            self._made["record"].dataset_changed.connect(self._speak_of)
            self._made["record"].empty.wanted.connect(self.commands.do)
            self._house("record", self._made["record"])
            self._recolour()
        return self._made["record"]

    @property
    def handover(self) -> HandoverPage:
        """Return the Hand over page, made at the first call."""
        if "handover" not in self._made:
            from .pages.handover_page import HandoverPage

            page = self._made["handover"] = HandoverPage(self.session, self.settings)
            self._house("handover", page)
            page.open_wanted.connect(self.session.open_files)
            page.recipes.empty.wanted.connect(self.commands.do)
            page.plate_wanted.connect(self._show_plate)
            self._recolour()
        return self._made["handover"]

    def _show_plate(self, plate: Plate) -> None:
        """Show the view of a plate again, on the page that it was captured on."""
        from brisk_atlas.core.workspace.plates import PlateKind

        from .album.plate_showing import show_on_desk

        self.show_page("desk")
        show_on_desk(self.desk, plate)
        if plate.kind is PlateKind.RECORD:
            self.show_page("record")

    def _lay_out(self) -> None:
        self.pages.setMinimumSize(*SMALLEST_PAGE)
        room = QScrollArea()  # of a window that is smaller than a page, such as on a small screen at twice the size
        room.setWidgetResizable(True)
        room.setFrameShape(QFrame.Shape.NoFrame)
        room.setWidget(self.pages)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.bar, self.notice, room, self.foot):
            column.addWidget(widget, 1 if widget is room else 0)
        middle.setMinimumSize(*SMALLEST)  # or a long name or number would widen the window
        self.setCentralWidget(middle)

    def _connect(self) -> None:
        self.bar.page_wanted.connect(self.show_page)
        self.session.noticed.connect(self.notice.say)
        self.session.work_changed.connect(self._work_changed)
        # Queued: taking the layers in and showing the Desk are two short steps rather than a long one.
        self.session.layers_opened.connect(self._show_opened, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]
        desk_button = self.bar.page_button("desk")
        self.dropping = Dropping(self, self.session, desk_button, self._spine_in_sight, self._list_in_sight)
        self.dropping.desk_wanted.connect(self._go_to_desk)
        self.dropping.folder_dropped.connect(self._list_folder)
        self.session.opening.connect(lambda: self.desk)
        self._sources = QTimer(self)
        self._sources.setInterval(CHECK_SOURCES_MS)
        self._sources.timeout.connect(self._check_sources)
        self._sources.start()
        self.find_page.open_wanted.connect(self.session.open_refs)
        self.find_page.ask_wanted.connect(self.session.open_asking)
        self.foot.scale_chosen.connect(self._use_scale)
        self.foot.crs.clicked.connect(lambda: self.commands.do("map_crs"))
        self.find_page.record_wanted.connect(self.read_record)
        self.find_page.folder_changed.connect(lambda *changed: self.commands.refresh())
        self.find_page.command_wanted.connect(self.commands.do)
        self.find_page.project_wanted.connect(self.project.open)
        offer_menu(self.find_page.list, self.commands, FIND_MENU, self.find_page.list.take_at)
        for widget, groups in ((self.foot.scale, SCALE_MENU), (self.foot.crs, CRS_MENU), (self.foot.jobs, JOBS_MENU)):
            offer_menu(widget, self.commands, groups)

    # Pages and themes

    @property
    def page(self) -> str:
        return PAGES[self.pages.currentIndex()]

    def show_page(self, page: str) -> None:
        """Go to a page; the keyboard goes to its main thing."""
        widget: Any = self.find_page if page == "find" else getattr(self, page)
        view = self.desk.map.canvas.view if page == "handover" and self.has_desk else None
        if page == "handover":
            widget.take_view(view.extent if view else None)
        self.pages.setCurrentIndex(PAGES.index(page))
        self.bar.page_button(page).setChecked(True)
        self.commands.refresh()
        self._say_undo()
        self.foot.speak_of_map(page == "desk")
        self._speak_of()
        if page == "find":
            self.find_page.list.setFocus()
        elif page == "desk" and self.session.work.layers:
            self.desk.map.canvas.setFocus()

    def _speak_of(self) -> None:
        """Let the subject bar name what the page in sight speaks of."""
        record = self._made.get("record")
        shown = record.ref if record is not None and self.page == "record" else None
        subject = self.session.work.subject
        if shown is None or (subject is not None and subject.ref.whole == shown):
            self.subject.speak_of(None)
        else:
            self.subject.speak_of(tr("Record of {name}", name=shown.name))

    def _show_opened(self, ids: list[str]) -> None:
        self.show_page("desk")

    def read_record(self, ref: DataRef) -> None:
        self.record.read_ref(ref)
        self.show_page("record")

    def toggle_theme(self) -> None:
        self.use_theme(themes.LIGHT if self.theme is themes.NIGHT else themes.NIGHT)

    def use_theme(self, theme: themes.Theme) -> None:
        """Take on the colours of a theme."""
        self.theme = theme
        self.settings.setValue("theme", theme.name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        themes.apply(app, theme)
        self._recolour()

    def _recolour(self) -> None:
        """Give the colours to everything that paints itself; icons follow a moment later."""
        self.find_page.theme = self.theme
        self.find_page.glance.use_theme(self.theme)
        if self.has_desk:
            self._made["desk"].use_theme(self.theme)
        if "record" in self._made:
            self._made["record"].use_theme(self.theme)
        if "handover" in self._made:
            self._made["handover"].use_theme(self.theme)
        QTimer.singleShot(ICONS_LATER_MS, self._recolour_icons)

    def _recolour_icons(self) -> None:
        self.commands.recolour(self.theme.ink)

    # The work

    def _work_changed(self, what: str) -> None:
        self.commands.refresh()
        work = self.session.work
        self._say_undo()
        name = work.file.name.removesuffix(PROJECT_SUFFIX) if work.file else tr("unsaved work") if work.layers else ""
        self.setWindowTitle(
            tr("{name}{what} · Brisk Atlas", name=name, what=" *" if work.changed and work.layers else "")
            if name
            else "Brisk Atlas"
        )
        if what == "file":
            self.show_page("desk")

    @property
    def undoing(self) -> RecordPage | Work:
        """Return what Undo speaks to: the record on its page, the work elsewhere."""
        return self._made["record"] if self.page == "record" and "record" in self._made else self.session.work

    def _say_undo(self) -> None:
        self.bar.say_undo(self.undoing.undo_text, self.undoing.redo_text)

    def _say_faults(self, faults: dict[str, str]) -> None:
        for text in faults.values():
            self.notice.say("fault", text)

    def _view_changed(self) -> None:
        self.commands.refresh("back", "forward")
        self.foot.show_view(self.desk.map.canvas.view, self.logicalDpiX())

    def _use_scale(self, ratio: float) -> None:
        canvas = self.desk.map.canvas
        if canvas.view is not None and canvas.view.crs:
            view = canvas.view
            resolution = self.foot.resolution_at(ratio, canvas.view.crs, view.x, view.y, self.logicalDpiX())
            canvas.look_at_centre(view.x, view.y, resolution, view.crs)

    def begin_do(self) -> None:
        if self._palette_box is None:
            from .do_palette import DoPalette

            self._palette_box = DoPalette(
                self.commands, lambda words: self.choices(words), lambda: self.theme.ink, self
            )
        self._palette_box.begin()

    # Beginning

    def show_welcome(self) -> None:
        """Show ways to begin, and recent work."""
        self.show_page("find")
        self.find_page.show_welcome()

    def show_settings(self) -> None:
        """Show the settings of the whole application."""
        if self._settings_box is None:
            from .settings.settings_window import SettingsWindow

            self._settings_box = SettingsWindow(
                self.session, self.settings, lambda: self.theme.name, lambda: self.services.is_offline,
                self.commands.do, self.foot, self,
            )  # fmt: skip
            self._settings_box.units_changed.connect(self._reword_lengths)
            self._settings_box.motion_changed.connect(self._take_motion)
        self._settings_box.fill()
        self._settings_box.show()
        self._settings_box.raise_()

    def _reword_lengths(self) -> None:
        """Say lengths and areas in sight anew, after other units were chosen."""
        if self.has_desk:
            self.desk.reword_lengths()

    def _take_motion(self) -> None:
        """Have no more move by itself than is wanted."""
        if self.has_desk:
            self.desk.map.use_less_motion(less_motion(self.settings))

    def _use_map_crs(self, crs: str) -> None:
        self.session.work.use_crs(crs)
        self.show_page("desk")

    def _go_to_feature(self, layer_id: str, row: int) -> None:
        self.show_page("desk")
        self.desk.spots.go_to_feature(layer_id, row)

    def _go_to(self, x: float, y: float) -> None:
        self.show_page("desk")
        self.desk.spots.go_to(x, y)

    def _map_picture(self) -> QPixmap | None:
        """Return what the map shows, None without layers."""
        return self.desk.map.canvas.grab() if self.has_desk and self.session.work.layers else None

    # What is dropped, what changed outside, and the end

    def _spine_in_sight(self) -> StackSpine | None:
        return self.desk.spine if self.page == "desk" and self.session.work.layers else None

    def _list_in_sight(self) -> FindList | None:
        return self.find_page.list if self.page == "find" else None

    def _go_to_desk(self) -> None:
        if self.page != "desk":
            self.show_page("desk")

    def _list_folder(self, folder: Path) -> None:
        self.show_page("find")
        self.find_page.go_to(folder)

    def _check_sources(self) -> None:
        """See whether files changed, while somebody looks."""
        if self.isActiveWindow():
            self.session.check_sources()

    @property
    def busy(self) -> bool:
        """Return whether anything on show is still being worked out."""
        pages = [page for page in self._made.values() if hasattr(page, "busy")]
        return not self.session.jobs.idle or self.questions.busy or any(page.busy for page in pages)

    def _take_typed(self) -> None:
        """Have what is being typed in the work, before that is saved or asked about."""
        if "handover" in self._made:
            self._made["handover"].flush()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.project.may_leave():
            event.ignore()
            return
        if self.unsaved_records and self.isVisible() and not may_lose_records(self, self.unsaved_records):
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        if self.has_desk:
            self.desk.floating.note_all()
        self.autosave.discard()
        if "handover" in self._made:
            self._made["handover"].shut()
        self.ended.emit()
        self.session.close()
        if self.has_desk:
            self.desk.relief.close_stage()
        event.accept()

    @property
    def unsaved_records(self) -> list[str]:
        """Return the datasets whose records were edited and not saved."""
        page = self._made.get("record")
        return page.unsaved if page is not None else []

    def save_here(self) -> bool:
        """Save what is being worked on: the record on its page where it was edited, the project otherwise."""
        page = self._made.get("record")
        if self.page == "record" and page is not None and page.can_save:
            return bool(page.actions_.save())
        return self.project.save()

    def table_records(self) -> None:
        """Show the records of the folder of Find, or of the subject, as a table."""
        folder = self.find_page.folder if self.page == "find" else None
        self.show_page("record")
        if folder is not None:
            self.record.show_folder(folder)
        else:
            self.record.show_many()
