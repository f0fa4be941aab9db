"""A colleague at another machine: an application of its own that edits rows of an outlet and sends them.

python second_colleague.py ADDRESS OUTLET FIELD BUILDING=VALUE...
"""

from __future__ import annotations

import os
import sys
import time

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.passwords import remember
from brisk_atlas.core.workspace import Picks
from brisk_atlas.desktop.app import make_application, make_window

ENOUGH_S = 60.0


def until(app, holds):
    end = time.monotonic() + ENOUGH_S
    while not holds():
        app.processEvents()
        time.sleep(0.01)
        if time.monotonic() > end:
            raise SystemExit("it never came")


def main() -> None:
    address, outlet, field, *wanted = sys.argv[1:]
    remember(address.rstrip("/"), os.environ["DEPOT_PASSWORD"])
    app = make_application()
    window = make_window()
    window.resize(1280, 800)
    window.show()
    session = window.session
    session.open_refs([DataRef.service("ogcapi", address, outlet)])
    until(app, lambda: session.work.layers)
    window.show_page("desk")
    desk, editing = window.desk, window.desk.editing
    desk.side.toggle("edit")
    until(app, lambda: desk.edit.begin.isVisible())
    QTest.mouseClick(desk.edit.begin, Qt.MouseButton.LeftButton)
    until(app, lambda: editing.layer is not None and desk.edit.shown is not None)
    for count, each in enumerate(wanted, 1):
        building, _, value = each.partition("=")
        names = session.cache.table(editing.layer.ref).column("building").to_pylist()
        session.work.pick(Picks(editing.layer.id, (names.index(building),)))
        until(
            app, lambda building=building: desk.edit.shown.picked is not None and desk.edit.shown.picked[0] == building
        )
        line = desk.edit.form.lines[field]
        line.setFocus()
        line.selectAll()
        QTest.keyClicks(line, value)
        QTest.keyClick(line, Qt.Key.Key_Return)
        until(app, lambda count=count: len(desk.edit.shown.unsent) == count and not editing.busy)
    QTest.mouseClick(desk.edit.send, Qt.MouseButton.LeftButton)
    until(app, lambda: not editing.busy and not desk.edit.shown.unsent)
    print("sent", flush=True)
    session.close()
    os._exit(0)


if __name__ == "__main__":
    main()
