"""The row of filters over the list: kind, CRS, date, area, and grouping by theme."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMenu, QPushButton, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.find import entry_filter
from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from brisk_atlas.core.find.entry_filter import EntryRow

    from ..locator_map import LocatorMap

ANY = {"kinds": tr("Any kind"), "crs": tr("Any CRS"), "age": tr("Any date")}
MAP_PX = (340, 240)


class FilterBar(QWidget):
    """Filters that say what they let through.

    Signals:
        changed(): the filter is another one, or the grouping.
    """

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.filter = entry_filter.EntryFilter()
        self.theme: Theme = LIGHT
        self._rows: Sequence[EntryRow] = ()
        self._area: AreaBox | None = None
        self.kind, self.crs, self.age, self.area = (QToolButton() for _ in range(4))
        self.theme_button = QToolButton()
        self.clear = QToolButton()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for button, name in ((self.kind, "kinds"), (self.crs, "crs"), (self.age, "age"), (self.area, "area")):
            button.setObjectName(f"filter {name}")
            row.addWidget(button)
            if name != "area":
                button.clicked.connect(lambda checked=False, name=name: self._offer(name))
        self.area.clicked.connect(self.draw_area)
        self.theme_button.setObjectName("group by theme")
        self.theme_button.setText(tr("By theme"))
        self.theme_button.setToolTip(tr("Group by the theme keywords of the records"))
        self.theme_button.setCheckable(True)
        self.theme_button.toggled.connect(lambda on: self.changed.emit())
        self.clear.setText(tr("Clear"))
        self.clear.setToolTip(tr("Let everything through"))
        self.clear.clicked.connect(self.let_all_through)
        row.addWidget(self.theme_button)
        row.addWidget(self.clear)
        row.addStretch(1)
        self._say()

    @property
    def grouped(self) -> bool:
        return self.theme_button.isChecked()

    def show_rows(self, rows: Sequence[EntryRow]) -> None:
        """Offer the kinds, systems and places of these rows."""
        self._rows = rows
        if self._area is not None and self._area.isVisible():
            self._area.show_rows(rows)

    def set_text(self, text: str) -> None:
        self._become(text=text)

    def let_all_through(self) -> None:
        if self._area is not None:
            self._area.map.box = None
        self._become(kinds=frozenset(), crs=frozenset(), age="", box=None)

    def _become(self, **values: object) -> None:
        wanted = self.filter._replace(**values)  # type: ignore[arg-type]
        if wanted != self.filter:
            self.filter = wanted
            self._say()
            self.changed.emit()

    def _say(self) -> None:
        s = self.filter
        for button, name, chosen in (
            (self.kind, "kinds", ", ".join(sorted(s.kinds))),
            (self.crs, "crs", ", ".join(sorted(s.crs))),
            (self.age, "age", s.age),
        ):
            button.setText(f"{chosen or ANY[name]} ▾")
            button.setProperty("on", bool(chosen))
        self.area.setText(tr("In the drawn area ▾") if s.box else tr("Any place ▾"))
        self.clear.setVisible(bool(s.kinds or s.crs or s.age or s.box))

    def _offer(self, name: str) -> None:
        """Show what can be chosen, below the button."""
        button = {"kinds": self.kind, "crs": self.crs, "age": self.age}[name]
        self.choices(name).popup(button.mapToGlobal(QPoint(0, button.height() + 2)))

    def choices(self, name: str) -> QMenu:
        """Return the menu of what the rows at hand offer for `kinds`, `crs` or `age`."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._fill(menu, name)
        return menu

    def _fill(self, menu: QMenu, name: str) -> None:
        if name == "age":
            for age in ("", *entry_filter.AGES):
                self._add(menu, age or ANY["age"], self.filter.age == age, lambda on, age=age: self._become(age=age))
            return
        chosen: frozenset[str] = getattr(self.filter, name)
        known = [row.summary for row in self._rows if row.summary is not None]
        attribute = "kind" if name == "kinds" else "crs"
        found = (
            {getattr(s, attribute) for s in known} | {getattr(p, attribute) for s in known for p in s.parts} | chosen
        )
        counts = {value: sum(1 for s in known if value == getattr(s, attribute) or
                             any(value == getattr(p, attribute) for p in s.parts)) for value in found}  # fmt: skip
        for value in sorted(found - {"", "several"}):
            self._add(
                menu, f"{value}   {grouped(counts[value])}", value in chosen,
                lambda on, value=value: self._become(**{name: chosen | {value} if on else chosen - {value}}),
            )  # fmt: skip
        if not menu.actions():
            self._add(menu, tr("Nothing is known yet"), False, lambda on: None)

    @staticmethod
    def _add(menu: QMenu, text: str, on: bool, run: object) -> None:
        action = menu.addAction(text)
        assert action is not None
        action.setCheckable(True)
        action.setChecked(on)
        action.triggered.connect(run)  # type: ignore[arg-type]

    def draw_area(self) -> None:
        """Open the small map to draw a box on."""
        if self._area is None:
            self._area = AreaBox(self)
            self._area.map.drawn.connect(lambda box: self._become(box=box))
        self._area.map.theme = self.theme
        self._area.show_rows(self._rows)
        self._area.move(self.area.mapToGlobal(QPoint(0, self.area.height() + 2)))
        self._area.show()
        self._area.map.setFocus()

    @property
    def locator(self) -> LocatorMap | None:
        return self._area.map if self._area is not None else None


class AreaBox(QFrame):
    """The small map in a box of its own, with where the rows lie."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        from ..locator_map import LocatorMap

        self.setObjectName("areaBox")
        self.map = LocatorMap(drawing=True)
        self.map.setFixedSize(*MAP_PX)
        found = PlainLabel(tr("Drag a box; only datasets that touch it are listed. The wheel zooms."))
        found.setObjectName("quiet")
        clear, done = QPushButton(tr("Any place")), QPushButton(tr("Done"))
        clear.clicked.connect(self.map.take_away)
        done.clicked.connect(self.hide)
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(clear)
        buttons.addWidget(done)
        column = QVBoxLayout(self)
        column.addWidget(found)
        column.addWidget(self.map)
        column.addLayout(buttons)

    def show_rows(self, rows: Sequence[EntryRow]) -> None:
        self.map.show_boxes([r.summary.box for r in rows if r.summary is not None and r.summary.box is not None])
