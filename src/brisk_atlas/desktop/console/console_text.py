"""What is typed into a console and what it answers."""

from __future__ import annotations

from typing import Any

from pygments.style import Style
from pygments.token import Comment, Error, Keyword, Name, Number, Operator, String, Token
from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QFont, QKeySequence
from PyQt6.QtWidgets import QMenu, QWidget
from qtconsole.rich_jupyter_widget import RichJupyterWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.operations.console_names import SHOW

from ..theme import MONO, Theme

SIZE_PT = 9  # it counts in points


class ConsoleText(RichJupyterWidget):
    """The text of a console, in our colours.

    Signals:
        ready(): it can be typed into.
        show_wanted(list): paths, addresses or references of data that the code asks to see.
    """

    ready = pyqtSignal()
    show_wanted = pyqtSignal(list)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(
            parent, gui_completion="droplist", paging="none", confirm_restart=False, font_family=MONO, font_size=SIZE_PT
        )
        self.banner, self._size = "", SIZE_PT
        self._theme = theme
        self._control.setAccessibleName(tr("Python"))
        self.font_changed.connect(self._resize)  # by its keys
        self.use_theme(theme)

    def use_theme(self, theme: Theme) -> None:
        """Take the colours of a theme."""
        self._theme = theme
        self.style_sheet = f"""
            QPlainTextEdit, QTextEdit {{ font: {self._size}pt "{MONO}"; border: 0;
                background: {theme.raised}; color: {theme.ink};
                selection-background-color: {theme.wash}; selection-color: {theme.ink}; }}
            .error {{ color: {theme.fault}; }}
            .in-prompt, .in-prompt-number {{ color: {theme.second}; }}
            .out-prompt, .out-prompt-number {{ color: {theme.accent}; }}
            .inverted {{ background-color: {theme.ink}; color: {theme.raised}; }}"""
        self.syntax_style = ""  # a name of a style that is installed; ours is not
        self._highlighter.set_style(_style_of(theme))

    def blank(self) -> None:
        """Forget what an earlier process answered, and what it did not get to answer."""
        self._control.clear()
        self._prompt_requested = False

    def _resize(self, font: QFont) -> None:
        if font.pointSize() > 0:
            self._size = font.pointSize()
            self.use_theme(self._theme)

    def _handle_comm_open(self, message: dict[str, Any]) -> None:
        content = message["content"]
        if content["target_name"] == SHOW:
            self.show_wanted.emit([str(each) for each in content["data"].get("places", ())])

    def _banner_default(self) -> str:
        return ""

    def _handle_kernel_info_reply(self, reply: dict[str, Any]) -> None:
        reply["content"]["banner"] = tr(
            "All operations are at hand, such as Export or GridChange; `workspace` has the layers of the window,\n"
            "`show(path)` opens data there, `help(Export)` explains.\n"
        )
        super()._handle_kernel_info_reply(reply)
        self.ready.emit()

    def _context_menu_make(self, pos: QPoint) -> QMenu:
        menu = QMenu(self)
        for words, keys, do, able in (
            (tr("Cut"), QKeySequence.StandardKey.Cut, self.cut, self.can_cut()),
            (tr("Copy"), QKeySequence.StandardKey.Copy, self.copy, self.can_copy()),
            (tr("Paste"), QKeySequence.StandardKey.Paste, self.paste, self.can_paste()),
            (tr("Select all"), QKeySequence.StandardKey.SelectAll, self.select_all_smart, True),
        ):
            action = menu.addAction(words, do)
            assert action is not None
            action.setShortcut(keys)
            action.setEnabled(able)
        return menu


def _style_of(theme: Theme) -> type[Style]:
    """Return the colours of code in a theme; all of them are legible on its ground."""
    inks = {
        Token: theme.ink, Comment: theme.quiet, Keyword: f"bold {theme.ink}", Operator.Word: f"bold {theme.ink}",
        String: theme.good, Number: theme.second, Name.Builtin: theme.second, Name.Decorator: theme.accent,
        Error: theme.fault,
    }  # fmt: skip
    return type("ConsoleStyle", (Style,), {"styles": inks, "background_color": theme.raised})
