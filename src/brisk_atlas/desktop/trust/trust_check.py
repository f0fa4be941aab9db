"""Checking the data of the subject: runs it in the background, and takes the map to what it finds."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.operations.trust import TrustReports
    from brisk_atlas.core.system.jobs import Job

    from ..window import AtlasWindow
    from .trust_window import TrustWindow

CELL_PX, SHARE_SHOWN = 6.0, 0.05  # of a cell around a place; of a layer without cells


class TrustCheck:
    """The check of a window's data, with its panel."""

    def __init__(self, window: AtlasWindow) -> None:
        self.window, self.session = window, window.session
        self.panel: TrustWindow | None = None
        self._layer: Layer | None = None
        self._job: Job | None = None

    def begin(self) -> None:
        """Look at the data of the subject."""
        layer = self.session.work.subject
        if layer is None:
            return
        if self.panel is None:
            from .trust_window import TrustWindow

            self.panel = TrustWindow(self.window.theme, self.window)
            self.panel.rows_wanted.connect(self._pick)
            self.panel.place_wanted.connect(self._go_to)
            self.panel.again_wanted.connect(self.begin_again)
            self.panel.record_wanted.connect(lambda: self._ask("record", ".xml", tr("Records (*.xml)")))
            self.panel.page_wanted.connect(lambda: self._ask("page", ".html", tr("Web pages (*.html)")))
        self.panel.theme = self.window.theme
        self._layer = layer
        self.panel.begin(layer.name)
        self.panel.show()
        self.panel.raise_()
        self._look(layer)

    def begin_again(self) -> None:
        """Look at the data of the same layer as it is now."""
        layer = self.session.work.layer(self._layer.id) if self._layer is not None else None
        if layer is not None and self.panel is not None:
            self._layer = layer
            self.panel.begin(layer.name)
            self._look(layer)

    def _look(self, layer: Layer, **written: Path) -> None:
        """Look at the data; `written` are the files that are made of it, by the names of their settings."""
        from brisk_atlas.core.operations import Trust

        panel = self.panel
        assert panel is not None
        if self._job is not None:
            self._job.cancel()

        def done(found: TrustReports) -> None:
            if self._layer is layer:
                panel.show_report(found.reports[0])
            for path in written.values():
                self.session.noticed.emit("good", tr("Wrote what was found to {path}", path=path), "")

        self._job = self.session.run_operation(
            tr("Checking {name}", name=layer.name),
            Trust(layer.id, **written),
            done,
            failed=lambda error: panel.fail(str(error)),
        )

    def _pick(self, rows: list[int]) -> None:
        from brisk_atlas.core.workspace import Picks

        layer, work = self._layer, self.session.work
        if layer is None or work.layer(layer.id) is None:
            return
        self.window.show_page("desk")
        work.choose(layer.id)
        work.pick(Picks(layer.id, tuple(rows)))
        if layer.kind.has_shapes:
            self.window.desk.map.fit_picked()
        else:
            self.window.desk.show_field(self.session.fields_of(layer)[0].name)

    def _go_to(self, x: float, y: float) -> None:
        """Show a place of the data on the map, near enough to see what is wrong there."""
        layer = self._layer
        view = self.window.desk.map.canvas.view
        if layer is None or view is None:
            return
        import numpy as np

        from brisk_atlas.core.place import transform, transform_extent

        facts = self.session.cache.part(layer.ref).facts
        (place,) = transform(np.array([[x, y]]), facts.crs, view.crs)
        if not np.isfinite(place).all():
            self.session.noticed.emit("caution", tr("{x:g}, {y:g} has no place on this map", x=x, y=y), "")
            return
        extent = transform_extent(facts.extent, view.crs) if facts.extent is not None else None
        near = view.resolution
        if extent is not None and facts.grid is not None:
            near = extent.width / facts.grid.width / CELL_PX
        elif extent is not None:
            near = max(extent.width, extent.height) * SHARE_SHOWN / view.width
        self.window.show_page("desk")
        canvas = self.window.desk.map.canvas
        x, y = place.tolist()
        canvas.look_at_centre(x, y, min(view.resolution, near) or view.resolution, view.crs)
        canvas.probed.emit(x, y)

    def _ask(self, setting: str, suffix: str, form: str) -> None:
        """Ask where what was found is written to, and write it."""
        layer = self._layer
        if layer is None:
            return
        name = "".join(c if c.isalnum() else "_" for c in layer.name)
        start = str(Path.home() / f"{name}_checked{suffix}")
        chosen, _ = QFileDialog.getSaveFileName(self.window, tr("Write what was found"), start, form)
        if chosen:
            path = Path(chosen)
            self._look(layer, **{setting: path if path.suffix else path.with_suffix(suffix)})
