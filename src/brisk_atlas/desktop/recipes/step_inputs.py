"""Inputs for the settings of a step, each for a type of setting."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from enum import Enum
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QFileDialog, QHBoxLayout, QLineEdit, QMenu, QToolButton, QWidget

from brisk_atlas.core.model import DataRef, Extent
from brisk_atlas.core.model.language import tr

from ..panes.bar_buttons import bar_menu
from ..theme import mono_font

MOST_ACCURATE = tr("the most accurate one")


class Taking(Enum):
    """What becomes of a name that is chosen in a menu."""

    REPLACE = "replace"  # it is the value
    APPEND = "append"  # one more of several
    INSERT = "insert"  # into an expression, where the cursor is


class StepInput(QWidget):
    """An input for one setting. `value` is what JSON holds; None for the default.

    Signals:
        changed(): another value was given.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(6)

    def value(self) -> Any:
        """Return what was given."""
        raise NotImplementedError

    def show_value(self, value: Any) -> None:
        """Show a value; reports nothing."""
        raise NotImplementedError


class TextInput(StepInput):
    """A line of text, of a number or of several values with commas between; names are offered in a menu."""

    def __init__(
        self, parse: Callable[[str], Any], shown: Callable[[Any], str], names: Sequence[str] = (),
        taking: Taking = Taking.REPLACE, *, mono: bool = False,
    ) -> None:  # fmt: skip
        super().__init__()
        self._parse, self._shown, self._taking = parse, shown, taking
        self.line = QLineEdit()
        if mono:
            self.line.setFont(mono_font())
        self.row.addWidget(self.line, 1)
        self.line.editingFinished.connect(self._edited)
        self._last = ""
        if names:
            button, menu = bar_menu(tr("Names"), "names", tr("Names of what comes to this step"))
            for name in names:
                action = menu.addAction(name.replace("&", "&&"))
                assert action is not None
                action.triggered.connect(lambda checked=False, n=name: self._insert(n))
            self.row.addWidget(button)

    def _insert(self, name: str) -> None:
        if self._taking is Taking.INSERT:
            self.line.insert(name if name.isidentifier() else '"' + name.replace('"', '""') + '"')
        elif self._taking is Taking.APPEND and self.line.text().strip():
            self.line.setText(f"{self.line.text().strip()}, {name}")
        else:
            self.line.setText(name)
        self.line.setFocus()
        self._edited()

    def _edited(self) -> None:
        if self.line.text() != self._last:
            self._last = self.line.text()
            self.changed.emit()

    def value(self) -> Any:
        text = self.line.text().strip()
        return self._parse(text) if text else None

    def show_value(self, value: Any) -> None:
        self._last = "" if value is None else self._shown(value)
        self.line.setText(self._last)


class ChoiceInput(StepInput):
    """One of few words."""

    def __init__(self, choices: Sequence[str], default: Any) -> None:
        super().__init__()
        self.box = QComboBox()
        for each in choices:
            self.box.addItem(each or tr("by what fits"), each)
        self._default = default
        self.row.addWidget(self.box)
        self.row.addStretch(1)
        self.box.activated.connect(lambda at: self.changed.emit())

    def value(self) -> Any:
        return self.box.currentData()

    def show_value(self, value: Any) -> None:
        self.box.setCurrentIndex(max(0, self.box.findData(self._default if value is None else value)))


class SwitchInput(StepInput):
    """Yes or no."""

    def __init__(self, words: str, default: bool) -> None:
        super().__init__()
        self.box = QCheckBox(words)
        self._default = default
        self.row.addWidget(self.box)
        self.row.addStretch(1)
        self.box.clicked.connect(lambda checked: self.changed.emit())

    def value(self) -> Any:
        return self.box.isChecked()

    def show_value(self, value: Any) -> None:
        self.box.setChecked(self._default if value is None else bool(value))


class SourceInput(StepInput):
    """One source, or several: an open layer, another branch, or a dataset by its file."""

    def __init__(self, sources: Sequence[tuple[str, Any]], *, several: bool) -> None:
        super().__init__()
        self._several, self._known = several, list(sources)
        self._chosen: list[Any] = []
        self.button, self.sources = QToolButton(), QMenu()
        self.button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.button.setMenu(self.sources)
        self.row.addWidget(self.button)
        self.row.addStretch(1)
        self.sources.aboutToShow.connect(self._fill)

    def _fill(self) -> None:
        self.sources.clear()
        for word, value in self._known:
            action = self.sources.addAction(word.replace("&", "&&"))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(value in self._chosen)
            action.triggered.connect(lambda checked=False, v=value: self.take(v))
        self.sources.addSeparator()
        other = self.sources.addAction(tr("A file…"))
        assert other is not None
        other.triggered.connect(self._browse)

    def _browse(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, tr("Another source"))
        if path:
            self.take(DataRef.file(path).as_json())

    def take(self, value: Any) -> None:
        """Choose a source; of several, add it or take it away."""
        if not self._several:
            self._chosen = [value]
        elif value in self._chosen:
            self._chosen.remove(value)
        else:
            self._chosen.append(value)
        self._say()
        self.changed.emit()

    def _say(self) -> None:
        names = [next((w for w, v in self._known if v == each), source_words(each)) for each in self._chosen]
        self.button.setText(", ".join(names) or tr("Choose a source"))

    def value(self) -> Any:
        return list(self._chosen) or None if self._several else self._chosen[0] if self._chosen else None

    def show_value(self, value: Any) -> None:
        self._chosen = [] if value is None else list(value) if self._several else [value]
        self._say()


def source_words(value: Any) -> str:
    """Return what a source is called: the part or the file of a reference, the text that it is."""
    if isinstance(value, dict):
        ref = DataRef.from_json(value)
        return f"{ref.part or ref.stem}, {ref.whole.name}" if ref.part else ref.name
    return str(value)


class ExtentInput(StepInput):
    """An extent: what the map shows, or four numbers."""

    def __init__(self, view: Extent | None) -> None:
        super().__init__()
        self._view = view
        self._crs: str | None = view.crs if view is not None else None
        self.line = QLineEdit()
        self.line.setFont(mono_font())
        self.line.setPlaceholderText(tr("x min, y min, x max, y max, CRS"))
        self.from_map = QToolButton()
        self.from_map.setText(tr("What the map shows"))
        self.from_map.setEnabled(view is not None)
        self.row.addWidget(self.line, 1)
        self.row.addWidget(self.from_map)
        self.line.editingFinished.connect(self.changed)
        self.from_map.clicked.connect(self._take_view)

    def _take_view(self) -> None:
        if self._view is not None:
            self.show_value({**dict(zip(("xmin", "ymin", "xmax", "ymax"), self._view.bounds)), "crs": self._view.crs})
            self.changed.emit()

    def value(self) -> Any:
        numbers, crs = self.line.text().split(",")[:4], ",".join(self.line.text().split(",")[4:]).strip()
        try:
            bounds = [float(n) for n in numbers]
        except ValueError:
            return None
        if len(bounds) < 4:
            return None
        return {**dict(zip(("xmin", "ymin", "xmax", "ymax"), bounds)), "crs": crs or self._crs}

    def show_value(self, value: Any) -> None:
        if not isinstance(value, dict):
            self.line.setText("")
            return
        self._crs = value.get("crs")
        numbers = [f"{value[side]:.10g}" for side in ("xmin", "ymin", "xmax", "ymax")]
        self.line.setText(", ".join([*numbers, *([self._crs] if self._crs and len(self._crs) < 20 else [])]))
        self.line.setCursorPosition(0)


class TransformationInput(StepInput):
    """One of the transformations between the CRS of the data and another one, with how accurate each is."""

    def __init__(self, source: str, target: Callable[[], str | None]) -> None:
        super().__init__()
        self._source, self._target = source, target
        self._chosen: str | None = None
        self.button, self.offered = QToolButton(), QMenu()
        self.button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.button.setMenu(self.offered)
        self.row.addWidget(self.button)
        self.row.addStretch(1)
        self.offered.aboutToShow.connect(self._fill)

    def _fill(self) -> None:
        from brisk_atlas.core.handover.steps.coordinates import transformations
        from brisk_atlas.core.model import AtlasError

        self.offered.clear()
        self._offer(MOST_ACCURATE, None)
        try:
            known = transformations(self._source, self._target() or self._source)
        except AtlasError:
            return  # the step says what is wrong with the CRS
        self.offered.addSeparator()
        for each, _ in known:
            self._offer(each.text, each.name)

    def _offer(self, words: str, name: str | None) -> None:
        action = self.offered.addAction(words.replace("&", "&&"))
        assert action is not None
        action.setCheckable(True)
        action.setChecked(name == self._chosen)
        action.triggered.connect(lambda checked=False: self.take(name))

    def take(self, name: str | None) -> None:
        """Choose a transformation by its name; None for the most accurate one."""
        self.show_value(name)
        self.changed.emit()

    def value(self) -> Any:
        return self._chosen

    def show_value(self, value: Any) -> None:
        self._chosen = value or None
        self.button.setText(self._chosen or MOST_ACCURATE)
