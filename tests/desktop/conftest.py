"""A real window, offscreen, on a session of its own."""

from __future__ import annotations

import threading
from itertools import count

import pytest
from PyQt6.QtCore import QEvent, QPoint, QSettings, Qt
from PyQt6.QtWidgets import QAbstractButton, QAbstractSpinBox, QComboBox, QLabel, QLineEdit, QWidget

from brisk_atlas import demo
from brisk_atlas.core.find import Shelves
from brisk_atlas.core.model import DataRef
from brisk_atlas.desktop.app import make_application, make_window, settle
from brisk_atlas.desktop.collector import Collector


@pytest.fixture(scope="session")
def qapp():
    return make_application()


@pytest.fixture(scope="session", autouse=True)
def collector(qapp):
    """Garbage is collected on the window's thread."""
    collector = Collector(qapp)
    collector.start()
    yield collector
    collector.stop()


class Driver:
    """Does with the window what a person does, and waits until it has settled."""

    def __init__(self, window, qtbot):
        self.window, self.qtbot = window, qtbot

    @property
    def work(self):
        return self.window.session.work

    @property
    def canvas(self):
        return self.window.desk.map.canvas

    def settle(self):
        assert settle(self.window, 180), "the window never came to rest"

    def layer(self, name):
        return next(layer for layer in self.work.layers if layer.name == name)

    def open(self, *paths, part=None):
        self.window.session.open_refs([DataRef.parse(path).with_part(part) for path in paths])
        self.settle()

    def press(self, widget, key, modifiers=Qt.KeyboardModifier.NoModifier):
        self.qtbot.keyClick(widget, key, modifiers)

    def click(self, widget, at=None, modifiers=Qt.KeyboardModifier.NoModifier):
        self.qtbot.mouseClick(widget, Qt.MouseButton.LeftButton, modifiers, QPoint(*map(round, at)) if at else QPoint())
        self.settle()

    def type(self, widget, text, enter=True):
        widget.setFocus()
        widget.selectAll()
        self.qtbot.keyClicks(widget, text)
        if enter:
            self.press(widget, Qt.Key.Key_Return)
        self.settle()

    def drag(self, widget, start, end, modifiers=Qt.KeyboardModifier.NoModifier):
        left = Qt.MouseButton.LeftButton
        self.qtbot.mousePress(widget, left, modifiers, QPoint(*start))
        for share in (0.3, 0.7, 1.0):
            at = QPoint(*(round(a + (b - a) * share) for a, b in zip(start, end)))
            self.move(widget, at, modifiers)
        self.qtbot.mouseRelease(widget, left, modifiers, QPoint(*end))
        self.settle()

    def move(self, widget, at, modifiers=Qt.KeyboardModifier.NoModifier, button=Qt.MouseButton.LeftButton):
        """Move with the button held; Qt's own test call does not say which button is down."""
        from PyQt6.QtCore import QEvent, QPointF
        from PyQt6.QtGui import QMouseEvent
        from PyQt6.QtWidgets import QApplication

        where = QPointF(at)
        event = QMouseEvent(
            QEvent.Type.MouseMove, where, widget.mapToGlobal(where), Qt.MouseButton.NoButton, button, modifiers
        )
        QApplication.sendEvent(widget, event)

    def command(self, words):
        """Run a command the way Do... does: open it, type, Enter."""
        self.press(self.window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        box = self.window._palette_box
        assert box is not None and box.isVisible()
        self.qtbot.keyClicks(box.line, words)
        self.press(box.line, Qt.Key.Key_Return)
        self.settle()

    def rows(self):
        """Return what the list of Find shows: the texts of each row by column, by name."""
        model = self.window.find_page.list.rows
        found = {}
        for i in range(model.rowCount()):
            texts = {name: model.data(model.index(i, k)) for k, name in enumerate(model.columns)}
            found[texts["name"]] = texts
        return found

    def find(self, name, part=None):
        """Go to a row of the list on Find, or to a part under it, and wait for its glance."""
        find = self.window.find_page
        model = find.list.rows
        path = next(row.entry.ref for row in model.shown if row.entry.name == name)
        find.list.go_to(model.index_of(path))
        if part is not None:
            self.press(find.list, Qt.Key.Key_Right)
            find.list.go_to(model.index_of(path, part))
        self.settle()

    @property
    def sheet(self):
        """Return the sheet that asks before opening."""
        sheet = self.window.questions.sheet
        assert sheet is not None and sheet.isVisible(), "nothing is asked"
        self.settle()
        return sheet

    def choose(self, box, text):
        """Choose an entry of a box by the keyboard."""
        box.setFocus()
        self.press(box, Qt.Key.Key_Home)
        for _ in range(box.findText(text)):
            self.press(box, Qt.Key.Key_Down)
        assert box.currentText() == text
        self.settle()

    def at(self, x, y):
        """Return where a map position lies on the canvas."""
        return self.canvas.view.to_pixel(x, y)

    def colour(self, at):
        return self.window.desk.map.canvas.grab().toImage().pixelColor(*map(round, at)).name()


TOUCHED = {
    QWidget: ("update", "setVisible", "isVisible", "setEnabled", "width", "height", "setToolTip"),
    QComboBox: ("currentText", "currentData", "currentIndex", "itemText", "addItem", "addItems", "clear"),
    QLineEdit: ("text", "setText"),
    QLabel: ("text", "setText"),
    QAbstractButton: ("isChecked", "setChecked", "setText"),
    QAbstractSpinBox: ("text",),
}


@pytest.fixture(scope="session")
def touches():
    """Note every call to a widget that comes from another thread than its own."""
    main, found = threading.get_ident(), []

    def guarded(kind, name):
        method = getattr(kind, name)

        def call(self, *arguments, **options):
            if threading.get_ident() != main:
                found.append(f"{type(self).__name__}.{name} from {threading.current_thread().name}")
            return method(self, *arguments, **options)

        return call

    patch = pytest.MonkeyPatch()
    for kind, names in TOUCHED.items():
        for name in names:
            patch.setattr(kind, name, guarded(kind, name))
    yield found
    patch.undo()


@pytest.fixture(autouse=True)
def no_widget_is_touched_by_a_worker(touches):
    """Work in the background gets values, and asks no widget."""
    touches.clear()
    yield
    assert touches == []


@pytest.fixture(scope="session")
def closed_windows():
    """Count the windows that were closed."""
    return count(1)


@pytest.fixture
def driver(qtbot, qapp, collector, closed_windows, tmp_path):
    window = make_window(
        Shelves(file=tmp_path / "shelves.json"), QSettings(str(tmp_path / "w.ini"), QSettings.Format.IniFormat)
    )
    window.resize(1280, 800)
    window.show()
    yield Driver(window, qtbot)
    window.project.may_leave = lambda: True  # closing asks nothing
    if window.unsaved_records:
        window.record.forget_edits()
    window.close()
    window.deleteLater()  # else each change of colours in a later test would go through all windows before it
    qapp.sendPostedEvents(window, QEvent.Type.DeferredDelete.value)
    if next(closed_windows) % 8 == 0:
        collector.all_soon()  # the data of several windows is much


@pytest.fixture
def demo_driver(driver):
    driver.open(demo.PROJECT)
    return driver


@pytest.fixture
def desk(demo_driver):
    """The demo project on the Desk."""
    demo_driver.window.show_page("desk")
    demo_driver.settle()
    return demo_driver
