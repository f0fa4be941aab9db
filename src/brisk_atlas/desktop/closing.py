"""What is asked before a window with unsaved work closes."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtWidgets import QMessageBox, QWidget

from brisk_atlas.core.model.language import tr

from .plain_text import plain_box


def may_close_work(parent: QWidget, save: Callable[[], bool]) -> bool:
    """Ask what to do with unsaved work before it closes, with its window or for other work; returns whether it may."""
    box = plain_box(parent, tr("Unsaved work"), tr("Save what is open and how it looks before it closes?"))
    saving = box.addButton(tr("Save"), QMessageBox.ButtonRole.AcceptRole)
    box.addButton(tr("Close without saving"), QMessageBox.ButtonRole.DestructiveRole)
    stay = box.addButton(tr("Stay"), QMessageBox.ButtonRole.RejectRole)
    box.exec()
    if box.clickedButton() is stay:
        return False
    return save() if box.clickedButton() is saving else True


def may_lose_records(parent: QWidget, names: Sequence[str]) -> bool:
    """Ask whether unsaved edits of the records of some datasets may be discarded."""
    box = plain_box(
        parent, tr("Unsaved records"), tr("Edits of the records of {names} were not saved.", names=", ".join(names[:5]))
    )
    box.addButton(tr("Close without them"), QMessageBox.ButtonRole.DestructiveRole)
    stay = box.addButton(tr("Stay"), QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is not stay
