"""A pane beside the map that shows one side of a comparison, tethered to the map or free."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.comparison import SIDE_NAMES

from ..plain_text import PlainLabel
from ..session import Session
from .map_canvas import MapCanvas
from .renderer import MarkedClasses, Renderer, Wish
from .side_box import SideBox


class TwinPane(QWidget):
    """Draws one side of what is compared.

    Signals:
        remove_wanted(int): the pane of this side is to go.
    """

    remove_wanted = pyqtSignal(int)

    def __init__(self, session: Session, number: int) -> None:
        super().__init__()
        self.session, self.number = session, number
        name = SIDE_NAMES[number]
        self.setObjectName(f"twin {name}")
        self.marked: MarkedClasses | None = None
        self.canvas = MapCanvas()
        self.canvas.setObjectName(f"twin canvas {name}")
        self.canvas.setAccessibleName(tr("Map of side {name}", name=name))
        self.renderer = Renderer(session)
        self.side = SideBox(session, number)
        self.tether = QCheckBox(tr("tethered"))
        self.tether.setObjectName(f"tether {name}")
        self.tether.setChecked(True)
        self.tether.setToolTip(tr("Go where the map goes, and take it along"))
        self.remove = QToolButton()
        self.remove.setText("✕")
        self.remove.setToolTip(tr("Remove this pane"))
        self.remove.setObjectName(f"remove pane {name}")
        if number < 2:  # B stays as long as there is a twin
            self.remove.hide()
        bar = QFrame()
        bar.setObjectName("paneBar")
        row = QHBoxLayout(bar)
        row.setContentsMargins(8, 2, 8, 2)
        row.addWidget(PlainLabel(name))
        row.addWidget(self.side, 1)
        row.addWidget(self.tether)
        row.addWidget(self.remove)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(self.canvas, 1)
        self.side.side_chosen.connect(session.work.set_side)
        self.remove.clicked.connect(lambda: self.remove_wanted.emit(self.number))
        self.canvas.view_changed.connect(self.draw)
        self.renderer.drawn.connect(self.canvas.show_frames)
        self.renderer.begun.connect(self.canvas.show_begun)

    @property
    def busy(self) -> bool:
        """Whether its picture is still being drawn."""
        return self.renderer.busy or self.canvas.settling

    def draw(self) -> None:
        """Ask for the picture of the side in the present view."""
        view, work = self.canvas.wanted_view(), self.session.work
        comparison = work.state.comparison
        if view is None or view.width < 2 or view.height < 2 or comparison is None:
            return
        if self.number < len(comparison.sides):
            stack = tuple(work.drawn(hidden=comparison.hidden_on(self.number)))
            self.renderer.want(Wish((stack,), view, work.picks, marked=self.marked))
