"""The bar at the top: the switch of pages, the subject, and what is wanted from any page."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QButtonGroup, QFrame, QHBoxLayout, QMenu, QToolButton

from brisk_atlas.core.model.language import tr

from .commands import Commands
from .page_titles import PAGE_TITLES
from .plain_text import plain_tip
from .subject_bar import SubjectBar

PAGES = tuple(PAGE_TITLES)
MENU = (
    ("open", "open_project", "save", "save_as", "save_script"),
    ("undo", "redo", "paste", "copy_picture", "paper"),
    ("probe", "style", "change", "statistics", "sheet", "relief", "trust"),
    ("offline", "stored_answers"),
    ("settings", "welcome", "help", "keys", "tour"),
    ("theme", "quit"),
)


class PageBar(QFrame):
    """The switch of pages at the left, the subject in the middle, Undo, colours, Do… and the menu at the right.

    Signals:
        page_wanted(str): a page was chosen.
    """

    page_wanted = pyqtSignal(str)

    def __init__(self, commands: Commands, subject: SubjectBar) -> None:
        super().__init__()
        self.commands = commands
        self.setObjectName("bar")
        row = QHBoxLayout(self)
        row.setContentsMargins(6, 0, 6, 0)
        row.setSpacing(2)
        self.page_buttons = QButtonGroup(self)
        for number, page in enumerate(PAGES):
            button = QToolButton()
            button.setObjectName("page")
            button.setText(PAGE_TITLES[page])
            button.setCheckable(True)
            button.clicked.connect(lambda checked=False, page=page: self.page_wanted.emit(page))
            self.page_buttons.addButton(button, number)
            row.addWidget(button)
        self.hint_pages()
        row.addWidget(subject, 1)
        for command_id in ("undo", "redo", "theme"):
            row.addWidget(self._button(command_id, Qt.ToolButtonStyle.ToolButtonIconOnly))
        self.do_button = self._button("do", Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        row.addWidget(self.do_button)
        row.addWidget(self._menu_button())

    def _button(self, command_id: str, style: Qt.ToolButtonStyle) -> QToolButton:
        button = QToolButton()
        button.setDefaultAction(self.commands[command_id])
        button.setToolButtonStyle(style)
        button.setObjectName(command_id)
        return button

    def _menu_button(self) -> QToolButton:
        menu = QMenu(self)
        menu.aboutToShow.connect(lambda: self._fill_menu(menu))
        button = QToolButton()
        button.setObjectName("menu")
        button.setText(tr("Menu"))
        button.setMenu(menu)
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        return button

    def _fill_menu(self, menu: QMenu) -> None:
        menu.clear()
        for group in MENU:
            for command_id in group:
                menu.addAction(self.commands[command_id])
            menu.addSeparator()

    def page_button(self, page: str) -> QToolButton:
        """Return the button that goes to a page."""
        button = self.page_buttons.button(PAGES.index(page))
        assert isinstance(button, QToolButton)
        return button

    def hint_pages(self) -> None:
        """Say on the switch of pages what each is for, and its keys."""
        for page in PAGES:
            self.page_button(page).setToolTip(self.commands.hint(f"page_{page}"))

    def say_undo(self, undo: str, redo: str) -> None:
        """Say what Undo and Redo would do, "" for nothing."""
        self.commands["undo"].setToolTip(
            plain_tip(tr("Undo: {undo}  (Ctrl+Z)", undo=undo) if undo else tr("Nothing to undo"))
        )
        self.commands["redo"].setToolTip(
            plain_tip(tr("Redo: {redo}  (Ctrl+Shift+Z)", redo=redo) if redo else tr("Nothing to redo"))
        )
