"""Styles of the subject from files of the open standards, and into them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.workspace import FrozenWorkspace

from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Written
    from brisk_atlas.core.sld import ReadStyle

FILES = tr("SLD or SE (*.sld *.se *.xml);;All files (*)")


class StyleFiles:
    """Asks for the file, reads or writes it in the background, and says what could not be taken over."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self.session, self.window = session, window

    def ask_and_read(self) -> None:
        """Ask for a file and give the subject the style in it."""
        file, _ = QFileDialog.getOpenFileName(self.window, tr("Read a style"), str(Path.home()), FILES)
        if file:
            self.read(Path(file))

    def read(self, path: Path) -> None:
        """Give the subject the style in a file."""
        from brisk_atlas.core.operations import UseStyle

        layer = self.session.work.subject
        if layer is None:
            return

        def done(read: ReadStyle) -> None:
            if self.session.work.change(tr("read a style"), layer.id, style=read.style):
                self._say(
                    tr("{name} has the style {read_name}", name=layer.name, read_name=read.name),
                    tr("not taken over"),
                    read.notes,
                )

        frozen = FrozenWorkspace(self.session.workspace)
        self.session.run(tr("Reading {name}", name=path.name), lambda job: UseStyle(layer.id, path).read(frozen), done)

    def ask_and_write(self) -> None:
        """Ask for a file and write the style of the subject into it."""
        layer = self.session.work.subject
        if layer is None:
            return
        start = str(layer.ref.beside(f"{layer.name.replace('/', '_')}.sld"))
        file, _ = QFileDialog.getSaveFileName(self.window, tr("Write the style"), start, tr("SLD 1.1 (*.sld)"))
        if file:
            self.write(Path(file))

    def write(self, path: Path) -> None:
        """Write the style of the subject into a file."""
        from brisk_atlas.core.operations import WriteStyle

        layer = self.session.work.subject
        if layer is None:
            return
        path = path if path.suffix else path.with_suffix(".sld")

        def done(written: Written) -> None:
            notes = [remark.removeprefix(tr("not written: {note}", note="")) for remark in written.remarks]
            self._say(tr("Wrote the style of {name} to {path}", name=layer.name, path=path), tr("not written"), notes)

        self.session.run_operation(tr("Writing {name}", name=path.name), WriteStyle(layer.id, path), done)

    def _say(self, words: str, what: str, notes: Sequence[str]) -> None:
        if notes:
            self.session.noticed.emit("caution", f"{words}; {what}: {', '.join(notes)}.", "")
        else:
            self.session.noticed.emit("good", words, "")
