"""What is noted of a layer: its name, a note, and the scales between which it is drawn."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QCheckBox, QDialog, QFormLayout, QLineEdit, QPlainTextEdit, QPushButton, QWidget

from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.language import tr

from .plain_text import PlainLabel
from .scale_range import ScaleRange
from .session import Session


class LayerForm(QDialog):
    """The lines of one layer; what is typed is taken by the button, as one step of undo."""

    def __init__(self, session: Session, layer: Layer, scale: float | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.layer = session, layer
        self.setWindowTitle(tr("About the layer {name}", name=layer.name))
        self.resize(440, 340)
        self.name, self.note = QLineEdit(layer.name), QPlainTextEdit(layer.note)
        self.note.setPlaceholderText(tr("A note for yourself and for whoever opens the project"))
        self.locked = QCheckBox(tr("Lock against changes"))
        self.locked.setChecked(layer.locked)
        self.range = ScaleRange(self, scale)
        self.closest, self.farthest = self.range.closest, self.range.farthest
        self.range.show_scales(layer.scales)
        self.message = PlainLabel()
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.use = QPushButton(tr("Take it"))
        self.use.setObjectName("main")
        form = QFormLayout(self)
        form.addRow(tr("Name"), self.name)
        form.addRow(tr("Note"), self.note)
        form.addRow(tr("Drawn from"), self.closest)
        form.addRow(tr("Drawn to"), self.farthest)
        form.addRow("", self.locked)
        form.addRow("", self.message)
        form.addRow("", self.use)
        self.range.changed.connect(self._check)
        self.use.clicked.connect(self._take)
        self._check()

    def _check(self) -> None:
        """Say what is wrong with the scales, if anything."""
        try:
            self.range.scales  # noqa: B018  asked for what is wrong with it
            wrong = ""
        except ValueError as error:
            wrong = str(error)
        self.message.setText(wrong)
        self.use.setEnabled(not wrong)

    def _take(self) -> None:
        scales = self.range.scales
        work, locked = self.session.work, self.locked.isChecked()
        self.accept()
        after = replace(self.layer, note=self.note.toPlainText().strip(), scales=scales, locked=locked)
        if self.layer.locked:
            work.change(tr("unlock"), self.layer.id, locked=False)
        work.change(tr("note"), self.layer.id, note=after.note, scales=scales)
        work.rename(self.layer.id, self.name.text())
        if locked:
            work.change(tr("lock"), self.layer.id, locked=True)
