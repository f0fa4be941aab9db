"""What is asked about the subject in dialogs: its name and scales, its CRS, and where its file lies now."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr

from .session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.draw import View
    from brisk_atlas.core.model import Layer
    from brisk_atlas.core.operations import Written

    from .layer_crs_form import LayerCrsForm
    from .layer_form import LayerForm


class LayerDialogs:
    """Opens the dialogs of a layer over a window; the last one of each stays at hand."""

    def __init__(self, session: Session, window: QWidget) -> None:
        self.session, self.window = session, window
        self.form: LayerForm | None = None
        self.crs_form: LayerCrsForm | None = None

    def ask_form(self, view: View | None) -> None:
        """Ask for the name, the note and the scales of the subject."""
        from .layer_form import LayerForm

        layer = self.session.work.subject
        if layer is not None:
            scale = view.scale if view is not None and view.crs else None
            self.form = LayerForm(self.session, layer, scale, self.window)
            self.form.open()

    def count_rows(self) -> None:
        """Count the rows of the subject, and report how many there are."""
        from brisk_atlas.core.operations import CountRows

        layer = self.session.work.subject
        if layer is None:
            return

        def done(found: Written) -> None:
            words = ". ".join((found.what, *found.remarks))
            self.session.noticed.emit("good", f"{words[0].upper()}{words[1:]}.", "")

        self.session.run_operation(tr("Counting the rows of {name}", name=layer.name), CountRows(layer.id), done)

    def ask_crs(self) -> None:
        """Ask for the CRS that the subject's coordinates are taken in."""
        from .layer_crs_form import LayerCrsForm

        layer = self.session.work.subject
        if layer is None:
            return
        self.crs_form = LayerCrsForm(self.session, layer, self.window)
        self.crs_form.chosen.connect(
            lambda crs: self.session.work.change(tr("set the CRS"), layer.id, ref=layer.ref.with_crs(crs))
        )
        self.crs_form.open()

    def ask_place(self) -> None:
        """Ask where the file of the subject lies now."""
        layer = self.session.work.subject
        if layer is None:
            return
        suffix = f"*{layer.ref.path.suffix}" if layer.ref.path.suffix else "*"
        start = str(layer.ref.folder) if layer.ref.folder and layer.ref.folder.exists() else str(Path.home())
        fitting = tr("{name} ({name} {suffix});;All files (*)", name=layer.ref.name, suffix=suffix)
        file, _ = QFileDialog.getOpenFileName(
            self.window, tr("Where {name} lies now", name=layer.ref.name), start, fitting
        )
        if file:
            self.relink(layer, file)

    def relink(self, layer: Layer, file: str) -> None:
        """Have a layer show another file, and all whose files moved along with it."""
        from brisk_atlas.core.model import DataRef
        from brisk_atlas.core.workspace.source_watch import found_beside

        work = self.session.work
        gone = [la.ref.whole for la in work.layers if la.ref.is_local and not la.ref.path.exists()]
        places = found_beside(gone, layer.ref.whole, DataRef.parse(file))
        count = sum(la.ref.whole in places for la in work.layers)
        work.relink(places)
        self.session.check_sources()
        words = tr("{name} shows {file}", name=layer.name, file=file)
        if count > 1:
            words = tr("{count} layers show their files again", count=count)
        self.session.noticed.emit("good", words, "")
