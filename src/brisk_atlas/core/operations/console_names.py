"""What is at hand in a console: a workspace, all operations, and a way to show data in the window."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from threading import Thread
from typing import Any

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.one_instance import hand_to_running, whole_place

SHOW = "brisk-atlas show"  # the name under which code asks the window to open data


def names_with(project: Path | None, show: Callable[..., None]) -> dict[str, Any]:
    """Return what is at hand in a console besides operations, by name. `refresh` opens the project anew in the same
    workspace."""
    import numpy

    import brisk_atlas

    workspace = brisk_atlas.Workspace()

    def refresh() -> None:
        """Take the layers of the window as they are now."""
        if project is not None:
            for fault in workspace.open_project(project):
                print(fault)

    refresh()
    common = {name: getattr(brisk_atlas, name) for name in brisk_atlas.__all__ if name != "open"}  # Python's own stays
    return {
        **common, "brisk_atlas": brisk_atlas, "np": numpy, "workspace": workspace, "show": show,
        "refresh": refresh,
    }  # fmt: skip


class LateOperations:
    """Puts the operations into names: those that code speaks of before it runs, all others in the background, since
    loading what all of them need takes seconds. A name that is taken stays as it is."""

    def __init__(self, names: dict[str, Any]) -> None:
        from brisk_atlas import operations

        self._source, self._names = operations, names
        self._waiting = set(operations.__all__) - names.keys()

    def load(self, code: str) -> None:
        """Have the operations at hand whose names stand in code."""
        for name in self._waiting.intersection(re.findall(r"\w+", code)):
            self._take(name)

    def load_all(self) -> None:
        """Have all at hand in a while."""

        def take() -> None:
            for name in sorted(self._waiting):
                self._take(name)

        Thread(target=take, daemon=True).start()

    def _take(self, name: str) -> None:
        self._names.setdefault(name, getattr(self._source, name))
        self._waiting.discard(name)


def show_elsewhere(*data: object) -> None:
    """Open data in the window that runs: paths, addresses or references."""
    if not hand_to_running([str(each) for each in data]):
        print(tr("No window runs that could show it."))


def show_in_window(*data: object) -> None:
    """Open data in the window: paths, addresses or references."""
    from comm import create_comm

    create_comm(target_name=SHOW, data={"places": [whole_place(str(each)) for each in data]})
