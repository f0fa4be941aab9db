"""Choosing the map's CRS: what suits the place, by search, and how each layer is transformed into it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .crs_picker import CrsPicker
from .plain_text import PlainLabel, plain_tip
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.system.jobs import Job

RECENT = "recent map CRS"
MOST_RECENT = 4


class MapCrsForm(QDialog):
    """Left what can be chosen, right how the layers come into it.

    Signals:
        chosen(str): the CRS to show the map in.
    """

    chosen = pyqtSignal(str)

    def __init__(self, session: Session, view: View | None, recent: list[str], parent: QWidget) -> None:
        super().__init__(parent)
        from brisk_atlas.core.find.questions import Suggestion
        from brisk_atlas.core.place.map_crs import proposals

        self.session = session
        self._job: Job | None = None
        self.setWindowTitle(tr("The map's coordinate reference system"))
        self.resize(1060, 540)
        self.picker = CrsPicker(session, may_be_unknown=False)
        self.layers = QTreeWidget()
        self.layers.setObjectName("transformations")
        self.layers.setHeaderLabels([tr("Layer"), tr("Transformation")])
        self.layers.setRootIsDecorated(False)
        self.layers.setColumnWidth(0, 150)
        self.use = QPushButton(tr("Show the map in it"))
        self.use.setObjectName("main")
        subject = session.work.subject
        facts = session.facts_of(subject) if subject else None
        found = [
            Suggestion(each.crs, _with_name(each.crs, each.reason))
            for each in proposals(
                view.extent if view is not None else None,
                facts.crs if facts else None,
                subject.name if subject is not None else "",
            )
        ]
        known = {each.crs for each in found}
        found += [Suggestion(crs, _with_name(crs, tr("used before"))) for crs in recent if crs not in known]
        self.picker.offer(found, session.work.state.crs, self._near(view))
        row = QHBoxLayout()
        row.addWidget(self.picker, 3)
        right = QVBoxLayout()
        heading = PlainLabel(tr("Transformations of the layers"))
        heading.setObjectName("heading")
        right.addWidget(heading)
        right.addWidget(self.layers, 1)
        row.addLayout(right, 2)
        low = QHBoxLayout()
        low.addStretch(1)
        low.addWidget(self.use)
        column = QVBoxLayout(self)
        column.addLayout(row, 1)
        column.addLayout(low)
        self.picker.chosen.connect(self._show_layers)
        self.use.clicked.connect(self._take)
        self._show_layers(self.picker.code)

    @staticmethod
    def _near(view: View | None) -> tuple[float, float] | None:
        """Return the centre of the view in degrees."""
        import numpy as np

        from brisk_atlas.core.place import transform

        if view is None or not view.crs:
            return None
        lon, lat = transform(np.array([[view.x, view.y]]), view.crs, "EPSG:4326")[0].tolist()
        return (lon, lat) if np.isfinite(lon) and np.isfinite(lat) else None

    def _show_layers(self, code: str | None) -> None:
        from brisk_atlas.core.place.transformation import transformation_between

        self.use.setEnabled(bool(code))
        known = [(la.name, self.session.facts_of(la)) for la in self.session.work.layers if la.kind.has_place]
        layers = [(name, facts.crs) for name, facts in known if facts is not None]
        if self._job:
            self._job.cancel()

        def text_of(crs: str | None) -> str:
            try:
                return transformation_between(crs, code).text if crs else tr("no CRS is stated: as it is")
            except AtlasError as error:
                return error.reason

        def work(job: Job) -> list[tuple[str, str]]:
            return [(name, text_of(crs)) for name, crs in layers]

        def done(lines: list[tuple[str, str]]) -> None:
            self.layers.clear()
            for name, text in lines:
                QTreeWidgetItem(self.layers, [name, text]).setToolTip(1, plain_tip(text))

        self._job = self.session.run(tr("Looking up transformations"), work, done, shown=False)

    def _take(self) -> None:
        if self.picker.code:
            self.chosen.emit(self.picker.code)
            self.accept()


def _with_name(crs: str, reason: str) -> str:
    """Return a reason with the name of the CRS before it, where its label is a code alone."""
    from brisk_atlas.core.place import crs_label, proj_crs

    return f"{proj_crs(crs).name} · {reason}" if crs_label(crs) == crs else reason
