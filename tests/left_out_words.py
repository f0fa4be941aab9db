"""Words on the screen that are in no catalogue: `python tests/left_out_words.py` prints them; with a language, such as
`de`, the texts that do not fit in it.

A window that is started by this file speaks a pseudo language: whatever goes through a catalogue stands between ⟦ and
⟧. What stands outside of them is either data or was left out of the translation. It parts digits by an apostrophe, so
that a number in which a comma stands does not go by the settings.
"""

from __future__ import annotations

import json
import os
import re
import sys
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from brisk_atlas.core.model import digit_groups, language

BEGIN, END = "⟦", "⟧"
NOT_LOOKED_AT = (  # ids of elements, names of places and dimensions, and the guide, which is in English
    "ManyView/QListWidget",
    "ShelfList/ShelfList",
    "ReadingsTree/ReadingsTree",
    "HelpWindow/",
)
WORD = re.compile(r"[^\W\d_]{3,}")
IN_COMMAS = re.compile(r"(?<![\d.,])\d{1,3},\d{3}(?!\d)")


class PseudoCatalogue:
    """Puts each text between brackets, what is filled into it too."""

    def gettext(self, message: str) -> str:
        return f"{BEGIN}{message}{END}"

    def ngettext(self, one: str, many: str, count: int) -> str:
        return self.gettext(one if count == 1 else many)


def outside(text: str) -> str:
    """Return the parts of a text that are not translated.

    >>> outside("⟦{n} rows of ⟦a layer⟧⟧, untold")
    ', untold'
    """
    depth, left = 0, []
    for letter in text:
        depth += letter == BEGIN
        if not depth:
            left.append(letter)
        depth -= letter == END and depth > 0
    return "".join(left)


def left_out(texts: set[tuple[str, str]], data: set[str]) -> list[str]:
    """Return texts with words outside of all catalogues that are no words of the data, each with where it stands."""
    found = []
    for where, text in sorted(texts):
        if where.startswith(NOT_LOOKED_AT):
            continue
        words = [
            word
            for word in WORD.findall(outside(re.sub(r"<[^>]*>|&\w+;|https?://\S*|/\S*", " ", text)))
            if word.lower() not in data
        ]
        if words:
            found.append(f"{where}: {text[:110]!r} ({', '.join(words[:6])})")
    return found


def in_commas(texts: set[tuple[str, str]]) -> list[str]:
    """Return texts with a number whose digits are parted by a comma, each with where it stands; the settings show one
    as a sample."""
    shown = sorted(each for each in texts if not each[0].startswith("SettingsWindow/"))
    return [f"{where}: {text[:110]!r} (digits)" for where, text in shown if IN_COMMAS.search(text)]


def cells_of(model, parent=None, most=30) -> list[str]:
    """Return the texts of the first cells of a list, a table or a tree."""
    from PyQt6.QtCore import QAbstractListModel, QModelIndex, Qt

    text, tip = Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole
    at, found = parent or QModelIndex(), []
    for row in range(min(model.rowCount(at), most)):
        for column in range(1 if isinstance(model, QAbstractListModel) else min(model.columnCount(at), most)):
            index = model.index(row, column, at)
            found += [str(model.data(index, role) or "") for role in (text, tip)]
            if column == 0 and model.rowCount(index):
                found += cells_of(model, index, most)
    return found


def texts_of(root) -> set[tuple[str, str]]:
    """Return what a window shows or says of itself, each with the class that shows it."""
    from PyQt6.QtCore import Qt
    from PyQt6.QtWidgets import (
        QAbstractButton,
        QAbstractItemView,
        QComboBox,
        QGroupBox,
        QHeaderView,
        QLabel,
        QLineEdit,
        QMenu,
        QTabWidget,
        QWidget,
    )

    found = set()

    def add(widget, *texts):
        owner = widget
        while owner is not None and not type(owner).__module__.startswith("brisk_atlas"):
            owner = owner.parentWidget()
        name = type(owner).__name__ if owner is not None else ""
        found.update((f"{name}/{type(widget).__name__} {widget.objectName()}".strip(), text) for text in texts if text)

    for widget in [root, *root.findChildren(QWidget)]:
        add(widget, widget.toolTip(), widget.accessibleName(), widget.accessibleDescription(), widget.windowTitle())
        if isinstance(widget, (QAbstractButton, QLabel)):
            add(widget, widget.text())
        elif isinstance(widget, QComboBox):
            add(widget, *(widget.itemText(i) for i in range(min(widget.count(), 40))))
        elif isinstance(widget, QLineEdit):
            add(widget, widget.placeholderText())
        elif isinstance(widget, QGroupBox):
            add(widget, widget.title())
        elif isinstance(widget, QTabWidget):
            add(widget, *(widget.tabText(i) for i in range(widget.count())))
        elif isinstance(widget, QMenu):
            add(widget, widget.title(), *(action.text() for action in widget.actions()))
        elif isinstance(widget, QHeaderView):
            model = widget.model()
            if model is not None:
                add(
                    widget,
                    *(
                        str(model.headerData(i, widget.orientation(), Qt.ItemDataRole.DisplayRole) or "")
                        for i in range(min(widget.count(), 60))
                    ),
                )
        elif isinstance(widget, QAbstractItemView) and widget.model() is not None:
            add(widget, *cells_of(widget.model()))
        for action in widget.actions():
            add(widget, action.text(), action.toolTip())
    return found


def words_left_out() -> list[str]:
    """Walk through a window that speaks the pseudo language; returns the texts that are not translated, and those that
    part digits in their own way."""
    language.use_catalogue(PseudoCatalogue())
    digit_groups.use_digit_groups(digit_groups.DigitGroups.APOSTROPHE)
    import left_out_walk  # only now, so that all it loads speaks the pseudo language

    app, texts = left_out_walk.application(), set()
    window = left_out_walk.walk(lambda root: texts.update(texts_of(root)))
    for each in window.commands.all():
        texts.update((f"command {each.id}", text) for text in (each.title, each.tip, each.group) if text)
    assert app is not None
    return left_out(texts, left_out_walk.words_of_the_data(window)) + in_commas(texts)


def texts_cut_off(chosen: str) -> list[str]:
    """Walk through a window that speaks a language; returns the texts that do not fit."""
    language.use_language(chosen)
    import left_out_walk
    from clipped_text import clipped

    app, found = left_out_walk.application(), dict[str, None]()
    left_out_walk.walk(lambda root: found.update(dict.fromkeys(clipped(root))))
    assert app is not None
    return list(found)


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).parent))
    made = texts_cut_off(sys.argv[1]) if sys.argv[1:] else words_left_out()
    json.dump(made, sys.stdout, ensure_ascii=False, indent=1)
    sys.stdout.flush()
    os._exit(0)
