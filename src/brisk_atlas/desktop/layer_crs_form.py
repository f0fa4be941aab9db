"""Setting the CRS of a layer where the one that its file states is wrong; the file stays as it is."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr

from .crs_picker import CrsPicker
from .plain_text import PlainLabel
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer


class LayerCrsForm(QDialog):
    """What the coordinates of a layer are taken to be in, and where it lies then.

    Signals:
        chosen(object): the CRS to take them in, or None for the one that the file states.
    """

    chosen = pyqtSignal(object)

    def __init__(self, session: Session, layer: Layer, parent: QWidget) -> None:
        super().__init__(parent)
        from brisk_atlas.core.find.questions import Suggestion
        from brisk_atlas.core.place import crs_name

        self.session, self.layer = session, layer
        self.setWindowTitle(tr("The CRS of {name}", name=layer.name))
        self.resize(620, 460)
        self.stated = session.cache.part(layer.ref.with_crs(None)).facts.crs
        words = PlainLabel(
            tr(
                "{name} states {crs_name}. Another can be taken here for this layer; the file itself is not changed.",
                name=layer.ref.name,
                crs_name=crs_name(self.stated) if self.stated else tr("no CRS"),
            )
        )
        words.setWordWrap(True)
        self.picker = CrsPicker(session, may_be_unknown=False)
        self.lands = PlainLabel()
        self.lands.setObjectName("lands")
        self.lands.setWordWrap(True)
        self.use, self.back = QPushButton(tr("Take it in this CRS")), QPushButton(tr("As the file states"))
        self.use.setObjectName("main")
        self.back.setEnabled(layer.ref.crs is not None)
        others = {
            facts.crs: other.name
            for other in session.work.layers
            if other.id != layer.id and (facts := session.facts_of(other)) is not None and facts.crs
        }
        found = [Suggestion(self.stated, tr("as the file states"))] if self.stated else []
        found += [
            Suggestion(crs, tr("that of {name}", name=name)) for crs, name in others.items() if crs != self.stated
        ]
        self.picker.offer(found, layer.ref.crs or self.stated, None)
        low = QHBoxLayout()
        low.addStretch(1)
        low.addWidget(self.back)
        low.addWidget(self.use)
        column = QVBoxLayout(self)
        column.addWidget(words)
        column.addWidget(self.picker, 1)
        column.addWidget(self.lands)
        column.addLayout(low)
        self.picker.chosen.connect(self._show_landing)
        self.use.clicked.connect(lambda: self._take(self.picker.code))
        self.back.clicked.connect(lambda: self._take(None))
        self._show_landing(self.picker.code)

    def _show_landing(self, crs: str | None) -> None:
        from brisk_atlas.core.find.landing import landing_of

        extent = self.session.cache.part(self.layer.ref).facts.extent
        self.use.setEnabled(bool(crs))
        if crs is None or extent is None:
            self.lands.setText("")
            return
        landing = landing_of(extent.bounds, crs)
        fits = (
            ""
            if landing is None or landing.fits is not False
            else tr(" This CRS is made for {area}.", area=landing.area)
        )
        self.lands.setText(
            tr("In it: {words}.{fits}", words=landing.words, fits=fits)
            if landing
            else tr("In it, the coordinates have no place on the Earth.")
        )

    def _take(self, crs: str | None) -> None:
        self.accept()
        self.chosen.emit(None if crs == self.stated else crs)
