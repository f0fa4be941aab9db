"""The glance: what a dataset is, before it is opened."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QTabWidget, QVBoxLayout, QWidget

from brisk_atlas.core.jobs import Job
from brisk_atlas.core.model import AtlasError, size_text

from ..session import Session
from ..theme import LIGHT, Theme

if TYPE_CHECKING:
    from collections.abc import Sequence

    from brisk_atlas.core.model import Dataset, Layer
    from brisk_atlas.core.read import Source

PICTURE = (344, 236)
MAKING = "an overview is being made"
EMPTY = "Choose a dataset in the list to see what it is."


class Glance(QWidget):
    """Picture, facts, record summary and member files of one dataset or one of its parts.

    Signals:
        open_wanted(object, object): path and part name (or None) to open.
        record_wanted(object): path whose record to read.
    """

    open_wanted = pyqtSignal(object, object)
    record_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.chosen: tuple[Path, str | None] | None = None
        self._job: Job | None = None
        self._waiting: set[Source] = set()
        session.prepared.connect(self._prepared)
        self.name = QLabel(EMPTY)
        self.name.setObjectName("title")
        self.name.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.setSpacing(8)
        column.addWidget(self.name)
        self.rest = QWidget()  # stands in for the body until there is something to show
        column.addWidget(self.rest, 1)
        self.theme: Theme = LIGHT
        self._built = False

    def _build(self) -> None:
        """Make the body, with the first dataset that is looked at."""
        if self._built:
            return
        from ..reading_view import ReadingView

        self._built = True
        self.summary = QLabel("")
        self.summary.setObjectName("quiet")
        self.summary.setWordWrap(True)
        self.picture = QLabel()
        self.picture.setFixedHeight(PICTURE[1])
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.facts, self.record, self.members = ReadingView(), ReadingView(), ReadingView()
        self.tabs = QTabWidget()
        for page, title in ((self.facts, "Facts"), (self.record, "Record"), (self.members, "Files")):
            self.tabs.addTab(page, title)
        self.open_button = QPushButton("Open on the Desk")
        self.open_button.setObjectName("main")
        self.record_button = QPushButton("Read its record")
        buttons = QHBoxLayout()
        buttons.addWidget(self.open_button, 1)
        buttons.addWidget(self.record_button, 1)
        column = QVBoxLayout(self.rest)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(8)
        column.addWidget(self.summary)
        column.addWidget(self.picture)
        column.addLayout(buttons)
        column.addWidget(self.tabs, 1)
        column.addStretch(0)
        self.open_button.clicked.connect(self._open)
        self.record_button.clicked.connect(self._read)
        self.use_theme(self.theme)

    def use_theme(self, theme: Theme) -> None:
        self.theme = theme
        if self._built:
            for reading in (self.facts, self.record, self.members):
                reading.repaint_theme(theme)

    def _open(self) -> None:
        if self.chosen:
            self.open_wanted.emit(*self.chosen)

    def _read(self) -> None:
        if self.chosen:
            self.record_wanted.emit(self.chosen[0])

    @property
    def busy(self) -> bool:
        return self._job is not None and not self._job.finished

    def _clear(self, text: str) -> None:
        for view in (self.facts, self.record, self.members):
            view.show_sections([])
        self.picture.clear()
        self.picture.setText(text)
        self.summary.setText("")
        self.tabs.setVisible(False)
        self.open_button.setVisible(False)
        self.record_button.setVisible(False)

    def look_at(self, path: Path | None, part: str | None = None) -> None:
        """Show a dataset; the latest wish wins."""
        if self._job:
            self._job.cancel()
        self.chosen = (path, part) if path else None
        if path is None:
            self.name.setText(EMPTY)
            if self._built:
                self._clear("")
            return
        self._build()
        self.name.setText(path.name if part is None else f"{path.name} · {part}")

        def work(job: Job) -> tuple:
            return _glance(self.session, path, part, job)

        def done(found: tuple) -> None:
            if self.chosen == (path, part):
                self._show(*found)

        def failed(error: BaseException) -> None:
            if self.chosen == (path, part):
                self._clear("can't be read")
                self.summary.setText(f"{error.reason}. {error.remedy}" if isinstance(error, AtlasError) else str(error))

        self._job = self.session.run("Glance", work, done, shown=False, failed=failed)

    def _prepared(self, source: object) -> None:
        """Look again once all of what is on show can be seen."""
        if source in self._waiting and self.chosen:
            self.look_at(*self.chosen)

    def _show(self, dataset: Dataset, sections: tuple, picture: _Picture) -> None:
        derived, record, members = sections
        self.facts.show_sections(derived)
        self.record.show_sections(record)
        self.members.show_sections(members)
        self.tabs.setVisible(True)
        self.tabs.setTabVisible(1, bool(record))
        self.summary.setText(
            f"{dataset.format} · {dataset.kind}" + (f" · {'; '.join(dataset.warnings)}" if dataset.warnings else "")
        )
        self.picture.clear()
        if isinstance(picture.shown, str):
            self.picture.setText(picture.shown)
        else:
            self.picture.setPixmap(QPixmap.fromImage(picture.shown))
        self._waiting = {layer.source for layer in picture.unfinished}
        for layer in picture.unfinished:
            self.session.prepare(layer)
        can_open = dataset.kind in ("vector", "raster", "scene", "pointcloud", "table", "project")
        self.open_button.setVisible(can_open)
        self.record_button.setVisible(True)


def _glance(session: Session, path: Path, part_name: str | None, job: Job) -> tuple:
    """Work out a glance: sections to read and a picture. Runs in the background."""
    from brisk_atlas.core import record as records
    from brisk_atlas.core.find import role_of

    session.holdings.forget(path) if not any(layer.path == path for layer in session.work.layers) else None
    dataset = session.holdings.dataset(path)
    job.check()
    derived = records.derived_sections(dataset, part_name)
    said: list = []
    for _, standard in records.records_of(dataset):
        if standard != "ISO 19139":
            said.append(records.Section("Record", (("standard", standard), ("reading", "its XML is beside the data"))))
    found = records.record_of(dataset)
    if found:
        said = records.sections_of(found)
    files = [(size_text(m.stat().st_size), f"{m.name}: {role_of(m, dataset)}") for m in dataset.members]
    members = [records.Section(f"{len(files)} files" if len(files) > 1 else "one file", tuple(files))]
    job.check()
    return dataset, (derived, said, members), _picture(session, dataset, part_name, job)


class _Picture(NamedTuple):
    """A picture, or what is said in its place, and the layers that it would take more to draw."""

    shown: QImage | str
    unfinished: Sequence[Layer] = ()


def _picture(session: Session, dataset: Dataset, part_name: str | None, job: Job) -> _Picture:
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.draw.frame import extent_of
    from brisk_atlas.core.draw.looks import first_look
    from brisk_atlas.core.model import Layer

    layers = []
    for number, part in enumerate(dataset.parts):
        style = first_look(part.facts, number)
        if style is not None and part_name in (None, part.facts.name):
            layers.append(
                Layer(f"glance-{number}", part.facts.name, dataset.path, part.facts.name, part.facts.kind, style)
            )
    if dataset.kind == "scene" and part_name is None:
        layers = layers[:1]
    if not layers:
        return _Picture("no picture: it has no geometry" if dataset.kind == "table" else "")
    facts = session.holdings.part(layers[0].source).facts
    extent = extent_of(session.holdings, layers, facts.crs)
    if extent is None:
        return _Picture("no picture: it has no extent")
    job.check()
    view = View.fitting(extent, PICTURE[0] * 2, PICTURE[1] * 2, margin=0.03, density=2.0)
    frame = session.painter.frame(layers, view, check=job.check)
    if frame.faults:
        raise AtlasError(dataset.path, next(iter(frame.faults.values())).removeprefix(f"{dataset.path}: "))
    from ..frame_image import image_of

    if frame.unfinished and not frame.image.any():
        return _Picture(MAKING, layers)
    image = image_of(frame).copy()
    image.setDevicePixelRatio(2.0)
    return _Picture(image, [layer for layer in layers if layer.kind == "raster" and layer.source in frame.unfinished])
