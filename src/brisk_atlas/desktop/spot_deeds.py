"""What is done with places on the Desk: stored, gone to, copied, measured from."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPointF, pyqtSignal
from PyQt6.QtGui import QGuiApplication

from brisk_atlas.core.model.language import tr

from .drawers.places_drawer import PlacesDrawer
from .panes.map_pane import MapPane
from .relief_tether import ReliefTether
from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.named_places import NamedPlace


class SpotDeeds(QObject):
    """Works on the map, and on the relief that is tethered to it.

    Signals:
        drawer_wanted(): the named places are to be seen.
        relief_wanted(): the relief is to be seen.
        sheet_wanted(): the rows of the subject are to be seen.
        row_chosen(object, int): a feature was gone to; its layer and its row.
    """

    drawer_wanted = pyqtSignal()
    relief_wanted = pyqtSignal()
    sheet_wanted = pyqtSignal()
    row_chosen = pyqtSignal(object, int)

    def __init__(self, session: Session, map_: MapPane, tether: ReliefTether, places: PlacesDrawer) -> None:
        super().__init__(map_)
        self.session, self.map, self.tether, self.places = session, map_, tether, places
        places.store_wanted.connect(self.store_place)
        places.go_wanted.connect(self.go_to_place)

    def store_place(self) -> None:
        """Store what the map shows under a name, and let it be typed."""
        view = self.map.canvas.view
        if view is None:
            return
        from brisk_atlas.core.workspace.named_places import NamedPlace

        size = view.width, view.height
        picture, eye = self.map.picture(), self.tether.stored_eye()
        place = NamedPlace("", "place", view.x, view.y, view.resolution, *size, view.crs, view.turn, picture, eye)
        stored = self.session.work.store_place(place)
        self.drawer_wanted.emit()
        self.places.list.setCurrentRow([p.id for p in self.session.work.state.places].index(stored.id))
        self.places.list.setFocus()
        item = self.places.list.currentItem()
        if item is not None:
            self.places.list.editItem(item)

    def go_to_place(self, place: NamedPlace) -> None:
        """Show a named place, and its relief if it was stored with one."""
        self.map.go_to_place(place)
        if place.eye is not None:
            self.relief_wanted.emit()
        self.tether.go_to_place(place)

    def go_to_feature(self, layer_id: str, row: int) -> None:
        """Make a layer the subject, pick one of its rows, and go there."""
        from brisk_atlas.core.workspace import Picks

        work = self.session.work
        work.choose(layer_id)
        work.pick(Picks(layer_id, (row,)))
        layer = work.layer(layer_id)
        if layer is not None and layer.kind.has_shapes:
            self.map.fit_picked()
            self.row_chosen.emit(layer, row)
        else:
            self.sheet_wanted.emit()

    def go_to(self, x: float, y: float) -> None:
        """Go to a position of the map, no further out than now, and probe it."""
        view = self.map.canvas.view
        if view is None:
            return
        self.map.canvas.look_at_centre(x, y, view.resolution, view.crs)
        self.map.canvas.probed.emit(x, y)

    def at_spot(self, act: Callable[[float, float], object]) -> None:
        """Do something with the place that a menu was opened at, or the centre of the map."""
        spot = self.map.canvas.spot
        if spot is not None:
            act(*spot)

    def copy_spot(self) -> None:
        """Copy the position of a menu, or of the centre of the map, in all notations."""
        from brisk_atlas.core.place import Spot, notations
        from brisk_atlas.core.place.notation import TITLES

        def copy(x: float, y: float) -> None:
            texts = notations(Spot(x, y, self.session.work.state.crs))
            clipboard = QGuiApplication.clipboard()
            if clipboard is not None:
                clipboard.setText("\n".join(f"{TITLES[name]}\t{text}" for name, text in texts.items()))
                self.session.noticed.emit("good", tr("Copied {texts}", texts=texts["pane"]), "")

        self.at_spot(copy)

    def measure_from(self, x: float, y: float) -> None:
        """Take the measure with its first corner at a place."""
        self.map.canvas.take_tool("distance")
        tool, view = self.map.canvas.tool, self.map.canvas.view
        if tool is not None and view is not None:
            tool.press(QPointF(*view.to_pixel(x, y)), (x, y))
            self.map.canvas.update()
