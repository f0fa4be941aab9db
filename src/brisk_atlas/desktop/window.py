"""The window: page switch, subject bar, pages, notices and the foot; and all commands."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from . import theme as themes
from .commands import Command, Commands
from .do_palette import DoPalette
from .notice import Notice
from .pages.desk_page import DeskPage
from .pages.find_page import FindPage
from .pages.handover_page import HandoverPage
from .session import PROJECT_SUFFIX, Session
from .status_line import StatusLine
from .subject_bar import SubjectBar

PAGES = ("find", "desk", "record", "handover")
PAGE_TITLES = {"find": "Find", "desk": "Desk", "record": "Record", "handover": "Hand over"}
MAP_TOOLS = ("fit_subject", "fit_all", "fit_picked", "box_zoom", "zoom_in", "zoom_out", "curtain", "relief")


class AtlasWindow(QMainWindow):
    """One window, four pages."""

    def __init__(self, session: Session, settings: QSettings) -> None:
        super().__init__()
        self.session = session
        self.settings = settings
        self.theme = themes.LIGHT
        self.setWindowTitle("Brisk Atlas")
        self.setAcceptDrops(True)
        self.commands = Commands(self)
        self.find = FindPage(session)
        self.desk = DeskPage(session)
        self.handover = HandoverPage(session)
        self._record: QWidget | None = None  # loads XML libraries, so it is made when first shown
        self.pages = QStackedWidget()
        self._holder = QWidget()
        QVBoxLayout(self._holder).setContentsMargins(0, 0, 0, 0)
        for page in (self.find, self.desk, self._holder, self.handover):
            self.pages.addWidget(page)
        self.subject = SubjectBar(session)
        self.notice = Notice()
        self.foot = StatusLine(session)
        self._add_commands()
        self.commands["do"].setIconText("Do…")
        self.palette_box = DoPalette(self.commands, self)
        self._lay_out()
        self._connect()
        self.use_theme(themes.NIGHT if settings.value("theme") == "night" else themes.LIGHT)
        self.show_page("find")

    # Putting it together

    def _lay_out(self) -> None:
        bar = QFrame()
        bar.setObjectName("bar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(6, 0, 6, 0)
        row.setSpacing(2)
        self.page_buttons = QButtonGroup(self)
        for number, page in enumerate(PAGES):
            button = QToolButton()
            button.setObjectName("page")
            button.setText(PAGE_TITLES[page])
            button.setToolTip(self.commands[f"page_{page}"].toolTip())
            button.setCheckable(True)
            button.clicked.connect(lambda checked=False, page=page: self.show_page(page))
            self.page_buttons.addButton(button, number)
            row.addWidget(button)
        row.addWidget(self.subject, 1)
        for command_id in ("undo", "redo", "theme"):
            button = QToolButton()
            button.setDefaultAction(self.commands[command_id])
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonIconOnly)
            button.setObjectName(command_id)
            row.addWidget(button)
        for command_id, menu in (("do", None), ("menu", self._menu())):
            button = QToolButton()
            button.setObjectName(command_id)
            if menu is None:
                button.setDefaultAction(self.commands[command_id])
                button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            else:
                button.setText("Menu")
                button.setMenu(menu)
                button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
            row.addWidget(button)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (bar, self.notice, self.pages, self.foot):
            column.addWidget(widget, 1 if widget is self.pages else 0)
        self.setCentralWidget(middle)
        self.desk.map.set_tools(self.commands, MAP_TOOLS)

    def _menu(self) -> QMenu:
        menu = QMenu(self)
        for group in (("open", "open_project", "save", "save_as"), ("undo", "redo"), ("probe", "style", "change", "sheet", "relief"),
                      ("show_hide", "layer_up", "layer_down", "close_layer"), ("theme", "quit")):  # fmt: skip
            for command_id in group:
                menu.addAction(self.commands[command_id])
            menu.addSeparator()
        return menu

    def _connect(self) -> None:
        self.session.noticed.connect(self.notice.say)
        self.session.work_changed.connect(self._work_changed)
        self.session.layers_opened.connect(lambda ids: self.show_page("desk"))
        self.find.open_wanted.connect(self.session.open_paths)
        self.find.record_wanted.connect(self.read_record)
        self.handover.open_wanted.connect(self.session.open_paths)
        self.desk.to_find.clicked.connect(lambda: self.show_page("find"))
        self.desk.map.pointer_moved.connect(self.foot.show_pointer)
        self.desk.map.canvas.pointer_left.connect(self.foot.clear_pointer)
        self.desk.map.view_changed.connect(self._view_changed)
        self.desk.map.settled.connect(self._view_changed)
        self.desk.map.drawing_faults.connect(
            lambda faults: [self.notice.say("fault", text) for text in faults.values()]
        )

    def _add_commands(self) -> None:
        work, desk = self.session.work, self.desk
        page_keys = {page: f"Ctrl+{number}" for number, page in enumerate(PAGES, 1)}

        def has_layers() -> bool:
            return bool(work.layers)

        def has_subject() -> bool:
            return work.subject is not None

        def drawn_subject() -> bool:
            return work.subject is not None and work.subject.style is not None

        def can_compare() -> bool:
            return work.state.curtain is not None or (
                drawn_subject() and sum(la.style is not None for la in work.layers) > 1
            )

        def has_curtain() -> bool:
            return work.state.curtain is not None and has_subject()

        def on_desk(run):  # type: ignore[no-untyped-def]
            return lambda: (self.show_page("desk"), run())

        for page in PAGES:
            self.commands.add(
                Command(
                    f"page_{page}",
                    f"Go to {PAGE_TITLES[page]}",
                    lambda page=page: self.show_page(page),
                    page_keys[page],
                )
            )
        add = self.commands.add
        add(Command("do", "Do…", self._begin_do, "Ctrl+K", "Find any command by words", "magnifying-glass"))
        add(Command("open", "Open files…", self.choose_files, "Ctrl+O", "Open datasets from disk", "folder-open"))
        add(Command("open_project", "Open a project…", self.choose_project, "Ctrl+Shift+O", icon="folder-notch-open"))
        add(
            Command(
                "save",
                "Save the project",
                self.save,
                "Ctrl+S",
                "Write what is open and how it looks to a project file",
                "floppy-disk",
                has_layers,
            )
        )
        add(
            Command(
                "save_as",
                "Save the project as…",
                self.save_as,
                "Ctrl+Shift+S",
                icon="floppy-disk-back",
                enabled=has_layers,
            )
        )
        add(
            Command(
                "undo",
                "Undo",
                work.undo,
                "Ctrl+Z",
                icon="arrow-counter-clockwise",
                enabled=lambda: bool(work.undo_text),
            )
        )
        add(
            Command(
                "redo", "Redo", work.redo, "Ctrl+Shift+Z", icon="arrow-clockwise", enabled=lambda: bool(work.redo_text)
            )
        )
        add(
            Command(
                "fit_subject",
                "Fit the subject",
                on_desk(desk.map.fit_subject),
                "F",
                "Show all of the subject",
                "frame-corners",
                has_subject,
            )
        )
        add(
            Command(
                "fit_all",
                "Fit all",
                on_desk(desk.map.fit_all),
                "A",
                "Show all visible layers",
                "corners-out",
                has_layers,
            )
        )
        add(
            Command(
                "fit_picked",
                "Go to the picked rows",
                on_desk(desk.map.fit_picked),
                "G",
                icon="crosshair",
                enabled=lambda: work.picks is not None,
            )
        )
        add(
            Command(
                "box_zoom",
                "Zoom to a box",
                on_desk(desk.map.box_zoom),
                "B",
                "Drag a box on the map; or hold Shift and drag",
                "selection",
                has_layers,
            )
        )
        add(
            Command(
                "zoom_in",
                "Zoom in",
                on_desk(lambda: desk.map.zoom(1.6)),
                "Ctrl+=",
                icon="magnifying-glass-plus",
                enabled=has_layers,
            )
        )
        add(
            Command(
                "zoom_out",
                "Zoom out",
                on_desk(lambda: desk.map.zoom(1 / 1.6)),
                "Ctrl+-",
                icon="magnifying-glass-minus",
                enabled=has_layers,
            )
        )
        add(Command("curtain", "Curtain", on_desk(desk.map.toggle_curtain), "C", "Compare the subject with the layer most like it; [ and ] move the edge",
                    "columns", can_compare, lambda: work.state.curtain is not None))  # fmt: skip
        for side, key, words in (
            ("A", "Shift+A", "side A of the curtain"),
            ("B", "Shift+B", "side B of the curtain"),
            ("·", "Shift+N", "both sides of the curtain"),
        ):
            add(Command(f"side_{side}", f"Put the subject on {words}", lambda side=side: work.subject and desk.map.set_side(work.subject.id, side), key,
                        enabled=has_curtain))  # fmt: skip
        add(Command("relief", "Relief", on_desk(desk.toggle_relief), "R", "See an elevation grid in three dimensions, the map draped over it",
                    "cube", has_layers, lambda: not desk.relief.isHidden()))  # fmt: skip
        add(
            Command(
                "focus_map",
                "To the map",
                on_desk(desk.map.canvas.setFocus),
                "F6",
                "Put the keyboard on the map",
                enabled=has_layers,
            )
        )
        add(
            Command(
                "focus_stack",
                "To the stack",
                on_desk(desk.spine.setFocus),
                "F7",
                "Put the keyboard on the stack of layers",
                enabled=has_layers,
            )
        )
        for name, drawer, key, mark in (
            ("probe", desk.probe, "P", "info"),
            ("style", desk.style_form, "S", "palette"),
            ("change", desk.change, "D", "plus-minus"),
        ):
            add(Command(name, f"{name.capitalize()} drawer", on_desk(lambda drawer=drawer: desk.toggle_drawer(drawer)), key, icon=mark, enabled=has_layers,
                        checked=lambda drawer=drawer: desk.shows(drawer)))  # fmt: skip
        add(Command("probe_centre", "Probe the middle of the map", on_desk(lambda: desk.map.canvas.view and desk.map.canvas.probed.emit(
            desk.map.canvas.view.x, desk.map.canvas.view.y)), "Ctrl+P", enabled=has_layers))  # fmt: skip
        add(
            Command(
                "measure_change",
                "Measure the change between two grids",
                on_desk(desk.change.compute),
                "",
                "Area and volume of B minus A",
                enabled=has_layers,
            )
        )
        add(
            Command(
                "sheet",
                "Sheet drawer",
                on_desk(desk.toggle_sheet),
                "T",
                "The rows of the subject",
                "table",
                has_layers,
                lambda: not desk.bottom.isHidden(),
            )
        )
        add(Command("show_hide", "Show or hide the subject", lambda: work.subject and work.change(
            "show or hide", work.subject.id, visible=not work.subject.visible), "H", icon="eye", enabled=drawn_subject))  # fmt: skip
        add(
            Command(
                "layer_up",
                "Move the subject up",
                lambda: work.subject and work.move(work.subject.id, -1),
                "Ctrl+Up",
                icon="arrow-up",
                enabled=has_subject,
            )
        )
        add(
            Command(
                "layer_down",
                "Move the subject down",
                lambda: work.subject and work.move(work.subject.id, 1),
                "Ctrl+Down",
                icon="arrow-down",
                enabled=has_subject,
            )
        )
        add(Command("close_layer", "Close the subject", lambda: work.subject and work.remove(work.subject.id), "Delete", "Take the subject off the Desk; its files stay",
                    "x", has_subject))  # fmt: skip
        add(
            Command(
                "pin",
                "Pin or unpin the folder on Find",
                self.find.toggle_pin,
                "Ctrl+D",
                icon="push-pin",
                enabled=lambda: self.find.folder is not None,
            )
        )
        add(
            Command(
                "hand_over",
                "Hand over the subject",
                lambda: self.show_page("handover"),
                "Ctrl+E",
                "Export a piece of the subject",
                "export",
                has_subject,
            )
        )
        add(
            Command(
                "theme", "Light or night", self.toggle_theme, "Ctrl+T", "Change between light and night colours", "moon"
            )
        )
        add(Command("quit", "Quit", self.close, "Ctrl+Q"))

    # Pages and themes

    @property
    def page(self) -> str:
        return PAGES[self.pages.currentIndex()]

    @property
    def record(self) -> QWidget:
        """Return the Record page, made when it is first needed."""
        if self._record is None:
            from .pages.record_page import RecordPage

            self._record = RecordPage(self.session)
            self._record.reading.repaint_theme(self.theme)
            layout = self._holder.layout()
            assert layout is not None
            layout.addWidget(self._record)
        return self._record

    def show_page(self, page: str) -> None:
        if page == "record":
            self.record.show()
        if page == "handover":
            view = self.desk.map.canvas.view
            self.handover.view_extent = view.extent if view else None
        self.pages.setCurrentIndex(PAGES.index(page))
        button = self.page_buttons.button(PAGES.index(page))
        assert button is not None
        button.setChecked(True)
        self.commands.refresh()
        if page == "find":
            self.find.list.setFocus()
        elif page == "desk" and self.session.work.layers:
            self.desk.map.canvas.setFocus()

    def read_record(self, path: Path) -> None:
        self.show_page("record")
        self.record.read_path(path)  # type: ignore[attr-defined]

    def toggle_theme(self) -> None:
        self.use_theme(themes.LIGHT if self.theme is themes.NIGHT else themes.NIGHT)

    def use_theme(self, theme: themes.Theme) -> None:
        """Recolour everything that paints itself, then the style sheet for the rest."""
        self.theme = theme
        self.settings.setValue("theme", theme.name)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        themes.apply(app, theme)
        for widget in (
            self.desk.map.canvas,
            self.desk.relief,
            self.desk.relief.canvas,
            self.desk.spine,
            self.desk.probe,
            self.desk.sheet.model,
            self.find,
        ):
            widget.theme = theme
        readings = [self.find.glance.facts, self.find.glance.record, self.find.glance.members]
        if self._record is not None:
            readings.append(self._record.reading)  # type: ignore[attr-defined]
        for reading in readings:
            reading.repaint_theme(theme)
        self.commands.recolour(theme.ink)
        if self.desk.relief.isVisible():
            self.desk.relief._remake()
        self.update()

    # The work

    def _work_changed(self, what: str) -> None:
        self.commands.refresh()
        work = self.session.work
        self.commands["undo"].setToolTip(f"Undo: {work.undo_text}  (Ctrl+Z)" if work.undo_text else "Nothing to undo")
        self.commands["redo"].setToolTip(
            f"Redo: {work.redo_text}  (Ctrl+Shift+Z)" if work.redo_text else "Nothing to redo"
        )
        name = work.file.name.removesuffix(PROJECT_SUFFIX) if work.file else "unsaved work" if work.layers else ""
        self.setWindowTitle(
            f"{name}{' *' if work.changed and work.layers else ''} · Brisk Atlas" if name else "Brisk Atlas"
        )
        if what == "file":
            self.show_page("desk")

    def _view_changed(self) -> None:
        view = self.desk.map.canvas.view
        self.foot.show_view(view, self.logicalDpiX())
        if view is not None and self.page == "handover":
            self.handover.view_extent = view.extent

    def _begin_do(self) -> None:
        self.palette_box.begin()

    def choose_files(self) -> None:
        start = str(self.find.folder or Path.home())
        chosen, _ = QFileDialog.getOpenFileNames(self, "Open files", start)
        if chosen:
            self.session.open_paths([Path(p) for p in chosen])

    def choose_project(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, "Open a project", str(Path.home()), f"Projects (*{PROJECT_SUFFIX})"
        )
        if chosen:
            self.session.open_project(Path(chosen))

    def save(self) -> bool:
        file = self.session.work.file
        return self.session.save_project(file) if file else self.save_as()

    def save_as(self) -> bool:
        start = str(self.session.work.file or Path.home() / f"work{PROJECT_SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the project", start, f"Projects (*{PROJECT_SUFFIX})")
        return bool(chosen) and self.session.save_project(Path(chosen))

    # What Qt tells

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None:
            self.session.open_paths([Path(url.toLocalFile()) for url in mime.urls() if url.isLocalFile()])

    @property
    def busy(self) -> bool:
        """Return whether anything on show is still being worked out."""
        record_busy = self._record is not None and self._record.busy  # type: ignore[attr-defined]
        return bool(self.session.jobs.open) or self.desk.busy or self.find.busy or record_busy

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if self.session.work.changed and self.session.work.layers and self.isVisible() and not self._may_close():
            event.ignore()
            return
        self.settings.setValue("geometry", self.saveGeometry())
        self.session.close()
        self.desk.relief.close_stage()
        event.accept()

    def _may_close(self) -> bool:
        """Ask what to do with unsaved work."""
        box = QMessageBox(
            QMessageBox.Icon.NoIcon, "Unsaved work", "Save what is open and how it looks before closing?", parent=self
        )
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Close without saving", QMessageBox.ButtonRole.DestructiveRole)
        stay = box.addButton("Stay", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is stay:
            return False
        return self.save() if box.clickedButton() is save else True


def warm_later(session: Session) -> None:
    """Load the heavy libraries and the kernels in the background once the window stands."""

    def work(job: object) -> None:
        from brisk_atlas.core.draw import warm
        from brisk_atlas.core.draw.frame import Painter

        del Painter
        warm.warm()

    QTimer.singleShot(150, lambda: session.run("Getting ready", work, shown=False))
