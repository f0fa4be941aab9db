"""Ask where a picture, a film or a model of the relief is to be written, and how large it is to be."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.relief.file_kinds import FILM_SUFFIXES, FRAMES_A_SECOND, MODEL_SUFFIXES, MOST_SAMPLES

from ..plain_text import PlainLabel

LARGEST = 8192
FILM_SIDE, FILM_SECONDS, MOST_SECONDS = 1280, 12.0, 240.0


class ReliefFileForm(QDialog):
    """A path and what more is asked; `suffixes` are those that can be written, the first where none is typed.

    Signals:
        wanted(object): the path to write.
    """

    wanted = pyqtSignal(object)

    def __init__(self, title: str, name: str, suffixes: tuple[str, ...], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self._suffixes = suffixes
        self.path = QLineEdit(str(Path.home() / f"relief{suffixes[0]}"))
        self.path.setObjectName(f"{name} path")
        browse = QPushButton(tr("Choose…"))
        where = QHBoxLayout()
        where.addWidget(self.path, 1)
        where.addWidget(browse)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        self.form = QFormLayout(self)
        self.form.addRow(tr("File"), where)
        self.form.addRow(buttons)
        self.resize(480, self.sizeHint().height())
        browse.clicked.connect(self._browse)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)

    def add_row(self, words: str, widget: QWidget) -> None:
        """Add what more is asked, above the path."""
        self.form.insertRow(self.form.rowCount() - 2, words, widget)

    def _browse(self) -> None:
        kinds = ";;".join(f"{suffix[1:].upper()} (*{suffix})" for suffix in self._suffixes)
        chosen, kind = QFileDialog.getSaveFileName(self, self.windowTitle(), self.path.text(), kinds)
        if chosen:
            suffix = next((each for each in self._suffixes if f"*{each}" in kind), self._suffixes[0])
            bare = Path(chosen).suffix.lower() not in self._suffixes
            self.path.setText(chosen + suffix if bare else chosen)

    def _accept(self) -> None:
        path = Path(self.path.text().strip()).expanduser()
        whole = path if path.suffix.lower() in self._suffixes else path.with_name(path.name + self._suffixes[0])
        self.accept()
        self.wanted.emit(whole)


class ReliefPictureForm(ReliefFileForm):
    """Width and height go together, as the picture shows what the pane shows."""

    def __init__(self, size: tuple[int, int], parent: QWidget) -> None:
        super().__init__(tr("Picture of the relief"), "picture", (".png",), parent)
        self._share = size[1] / size[0]
        self.width_, self.height_ = (
            _pixels(f"picture {name}", 2 * side) for name, side in zip(("width", "height"), size)
        )
        self.caption = QLineEdit()
        self.caption.setObjectName("picture caption")
        self.caption.setPlaceholderText("none")
        self.noted = QCheckBox(tr("note of the scale and how it was seen, below the picture"))
        self.noted.setObjectName("picture note")
        self.add_row(tr("Width"), self.width_)
        self.add_row(tr("Height"), self.height_)
        self.add_row(tr("Caption"), self.caption)
        self.add_row("", self.noted)
        self.width_.valueChanged.connect(lambda value: _follow(self.height_, value * self._share))
        self.height_.valueChanged.connect(lambda value: _follow(self.width_, value / self._share))

    @property
    def size_wanted(self) -> tuple[int, int]:
        """The columns and rows of the picture."""
        return self.width_.value(), self.height_.value()

    @property
    def has_strip(self) -> bool:
        """Whether a strip with the caption and the note goes below the picture."""
        return self.noted.isChecked() or bool(self.caption.text().strip())


class ReliefFilmForm(ReliefFileForm):
    """A whole turn about the spot in the middle, or a flight through the named places that have a view of it."""

    def __init__(self, size: tuple[int, int], places: int, parent: QWidget) -> None:
        super().__init__(tr("Film of the relief"), "film", FILM_SUFFIXES, parent)
        self._share = size[1] / size[0]
        self.way = QComboBox()
        self.way.setObjectName("film way")
        self.way.addItem(tr("a whole turn about the middle"), False)
        if places > 1:
            self.way.addItem(tr("a flight through {places} named places", places=places), True)
        self.seconds = QDoubleSpinBox()
        self.seconds.setObjectName("film seconds")
        self.seconds.setRange(0.5, MOST_SECONDS)
        self.seconds.setDecimals(1)
        self.seconds.setValue(FILM_SECONDS)
        self.seconds.setSuffix(" s")
        self.width_ = _pixels("film width", FILM_SIDE)
        self.add_row(tr("What it shows"), self.way)
        self.add_row(tr("Length"), self.seconds)
        self.add_row(tr("Width"), self.width_)
        if places < 2:
            hint = PlainLabel(tr("Store two or more named places with the relief open to fly through them."))
            hint.setObjectName("quiet")
            hint.setWordWrap(True)
            self.add_row("", hint)

    @property
    def flies(self) -> bool:
        """Whether it goes through named places."""
        return bool(self.way.currentData())

    @property
    def frames(self) -> int:
        """How many frames it has."""
        return max(2, round(self.seconds.value() * FRAMES_A_SECOND))

    @property
    def size_wanted(self) -> tuple[int, int]:
        """The columns and rows of the film."""
        return self.width_.value(), max(16, round(self.width_.value() * self._share))


class ReliefModelForm(ReliefFileForm):
    """Which part of the ground, and how fine."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(tr("Model of the relief"), "model", MODEL_SUFFIXES, parent)
        self.what = QComboBox()
        self.what.setObjectName("model extent")
        self.what.addItem(tr("all of the ground"), False)
        self.what.addItem(tr("what the map shows"), True)
        self.samples = QSpinBox()
        self.samples.setObjectName("model samples")
        self.samples.setRange(1_000, MOST_SAMPLES)
        self.samples.setGroupSeparatorShown(True)
        self.samples.setSingleStep(50_000)
        self.samples.setValue(250_000)
        self.add_row(tr("Extent"), self.what)
        self.add_row(tr("Heights, about"), self.samples)
        hint = PlainLabel(tr("GLB and OBJ carry the map as a picture; an STL is a closed body with a flat base."))
        hint.setObjectName("quiet")
        hint.setWordWrap(True)
        self.add_row("", hint)


def _pixels(name: str, value: int) -> QSpinBox:
    box = QSpinBox()
    box.setObjectName(name)
    box.setRange(16, LARGEST)
    box.setSuffix(tr(" px"))
    box.setGroupSeparatorShown(True)
    box.setValue(value)
    return box


def _follow(box: QSpinBox, value: float) -> None:
    box.blockSignals(True)
    box.setValue(round(value))
    box.blockSignals(False)
