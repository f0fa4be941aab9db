"""What is noted of a layer: its name, a note, and the scales between which it is drawn."""

from __future__ import annotations

from dataclasses import replace
from math import inf, isfinite

from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QFormLayout, QLineEdit, QPlainTextEdit, QPushButton, QWidget

from brisk_atlas.core.model import Layer

from .plain_text import PlainLabel
from .session import Session
from .status_line import SCALES

ANY = "any"


class LayerForm(QDialog):
    """The lines of one layer; what is typed is taken by the button, as one step of undo."""

    def __init__(self, session: Session, layer: Layer, scale: float | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.session, self.layer = session, layer
        self.setWindowTitle(f"About the layer {layer.name}")
        self.resize(440, 340)
        self.name, self.note = QLineEdit(layer.name), QPlainTextEdit(layer.note)
        self.note.setPlaceholderText("A note for yourself and for whoever opens the project")
        self.locked = QCheckBox("Lock against changes")
        self.locked.setChecked(layer.locked)
        closest, farthest = layer.scales if layer.scales is not None else (None, None)
        self.closest, self.farthest = self._scales(closest, scale), self._scales(farthest, scale)
        self.message = PlainLabel()
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.use = QPushButton("Take it")
        self.use.setObjectName("main")
        form = QFormLayout(self)
        form.addRow("Name", self.name)
        form.addRow("Note", self.note)
        form.addRow("Drawn from", self.closest)
        form.addRow("Drawn to", self.farthest)
        form.addRow("", self.locked)
        form.addRow("", self.message)
        form.addRow("", self.use)
        for box in (self.closest, self.farthest):
            box.currentTextChanged.connect(self._check)
        self.use.clicked.connect(self._take)
        self._check()

    @staticmethod
    def _scales(chosen: float | None, now: float | None) -> QComboBox:
        box = QComboBox()
        box.setEditable(True)
        box.addItem(ANY)
        if now is not None:
            box.addItem(f"1:{float(f'{now:.3g}'):,.0f}   as now")
        box.addItems([f"1:{ratio:,}" for ratio in SCALES])
        box.setCurrentText(f"1:{chosen:,.0f}" if chosen and isfinite(chosen) else ANY)
        return box

    @staticmethod
    def _number(box: QComboBox) -> float | None:
        """Return the number below one that a box says, None for any. Raises ValueError."""
        text = box.currentText().replace("as now", "").strip()
        return None if text in (ANY, "") else float(text.removeprefix("1:").replace(",", "").replace(" ", ""))

    def _check(self) -> None:
        """Say what is wrong with the scales, if anything."""
        try:
            closest, farthest = self._number(self.closest), self._number(self.farthest)
            wrong = ""
            if closest is not None and farthest is not None and closest > farthest:
                wrong = f"1:{closest:,.0f} is further out than 1:{farthest:,.0f}, so that it would never be drawn."
        except ValueError:
            wrong = "A scale is written as 1:25,000."
        self.message.setText(wrong)
        self.use.setEnabled(not wrong)

    def _take(self) -> None:
        closest, farthest = self._number(self.closest), self._number(self.farthest)
        scales = None if closest is None and farthest is None else (closest or 0.0, farthest or inf)
        work, locked = self.session.work, self.locked.isChecked()
        self.accept()
        after = replace(self.layer, note=self.note.toPlainText().strip(), scales=scales, locked=locked)
        if self.layer.locked:
            work.change("unlock", self.layer.id, locked=False)
        work.change("note", self.layer.id, note=after.note, scales=scales)
        work.rename(self.layer.id, self.name.text())
        if locked:
            work.change("lock", self.layer.id, locked=True)
