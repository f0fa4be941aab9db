"""The Style drawer: how the subject looks. Every change is a step of undo."""

from __future__ import annotations

from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QHBoxLayout, QPushButton, QScrollArea, QVBoxLayout, QWidget

from brisk_atlas.core.model import CloudStyle, DataRef, Facts, GridStyle, Layer, Style, VectorStyle, bands_of
from brisk_atlas.core.model.language import tr

from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .style_kinds import cloud_rows, grid_rows, vector_rows
from .style_rows import StyleRows
from .style_scene import mask_rows, scene_rows

EMPTY = tr("Open a layer to style it.")


class StyleDrawer(QScrollArea):
    """A form made anew for each kind of layer."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme: Theme = LIGHT
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._built: tuple | None = None
        self._rows: StyleRows | None = None
        self._copied: Style | None = None
        session.work_changed.connect(self._work_changed)
        self._build()

    @property
    def theme(self) -> Theme:
        return self._theme

    @theme.setter
    def theme(self, theme: Theme) -> None:
        self._theme = theme
        if self._rows is not None and not sip.isdeleted(self._rows.form) and hasattr(self._rows, "histogram"):
            self._rows.histogram.theme = theme

    def showEvent(self, event: object) -> None:
        self._build()

    def _work_changed(self, what: str) -> None:
        if what in ("subject", "layers", "file") and self.isVisible():
            self._build()

    def _build(self) -> None:
        """Make the form for the subject, or only refresh its values."""
        layer = self.session.work.subject
        facts = self.session.facts_of(layer) if layer else None
        key = (
            (
                layer.id,
                layer.kind,
                layer.ref,
                layer.rows.computed,
                layer.rows.joins,
                facts is not None,
                _shape(layer),
                len(self.session.work.layers),
            )
            if layer
            else None
        )
        if self._rows is not None and sip.isdeleted(self._rows.form):  # its form went with an event that came between
            self._rows, self._built = None, None
        if key != self._built or self.widget() is None:
            self._built = key
            self._make_form(layer, facts)
        if layer and self._rows is not None:
            self._rows.fill(layer)

    def _make_form(self, layer: Layer | None, facts: Facts | None) -> None:
        page = QWidget()
        column = QVBoxLayout(page)
        column.setContentsMargins(12, 10, 12, 10)
        self._rows = None
        if layer is None or facts is None or layer.style is None:
            label = PlainLabel(
                EMPTY if layer is None else tr("{name} is a {kind}; it is not drawn.", name=layer.name, kind=layer.kind)
            )
            label.setObjectName("quiet")
            label.setWordWrap(True)
            column.addWidget(label)
        else:
            column.addLayout(self._head(layer))
            form = QFormLayout()
            form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
            form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
            form.setVerticalSpacing(7)
            column.addLayout(form)
            self._rows = StyleRows(self.session, form, self)
            self._rows.filling = True  # the making of the form changes nothing
            self._rows.opacity()
            add_rows = {VectorStyle: self._vector_rows, GridStyle: self._grid_rows, CloudStyle: self._cloud_rows}
            add_rows[type(layer.style)](self._rows, layer, facts)
            self.theme = self._theme
        column.addStretch(1)
        # The old form may be the sender of what brought us here, so it goes after this event.
        old = self.takeWidget()
        self.setWidget(page)
        if old is not None:
            old.deleteLater()

    def _head(self, layer: Layer) -> QHBoxLayout:
        head = QHBoxLayout()
        name = PlainLabel(layer.name)
        name.setObjectName("heading")
        name.setMinimumWidth(40)
        head.addWidget(name, 1)
        copy, paste = QPushButton(tr("Copy")), QPushButton(tr("Paste"))
        copy.setObjectName("copy style")
        paste.setObjectName("paste style")
        copy.setToolTip(tr("Copy this style, for another layer of its kind"))
        paste.setToolTip(tr("Give this layer the style that was copied"))
        paste.setEnabled(self.can_paste(layer))

        def copied() -> None:
            self.copy()
            now = self.session.work.subject
            paste.setEnabled(now is not None and self.can_paste(now))

        copy.clicked.connect(copied)
        paste.clicked.connect(self.paste)
        head.addWidget(copy)
        head.addWidget(paste)
        return head

    def _vector_rows(self, rows: StyleRows, layer: Layer, facts: Facts) -> None:
        by_rules = isinstance(layer.style, VectorStyle) and bool(layer.style.rules)
        vector_rows(rows, facts, [f.name for f in self.session.fields_of(layer)], by_rules=by_rules)

    def _grid_rows(self, rows: StyleRows, layer: Layer, facts: Facts) -> None:
        dataset = self.session.dataset_of(layer)
        scene_rows(rows, layer, dataset)
        grid_rows(rows, facts, bands_of(layer.style), self._bands_elsewhere(layer))
        mask_rows(rows, layer, dataset)

    def _cloud_rows(self, rows: StyleRows, layer: Layer, facts: Facts) -> None:
        cloud_rows(rows, facts)

    def _bands_elsewhere(self, layer: Layer) -> list[tuple[str, DataRef, int]]:
        """Return the bands of the other open grids: what to call them, their part, and their number."""
        found: list[tuple[str, DataRef, int]] = []
        for other in self.session.work.layers:
            facts = self.session.facts_of(other)
            if other.ref != layer.ref and facts is not None and facts.grid is not None:
                found += [(f"{other.name}: {band.name}", other.ref, band.index) for band in facts.grid.bands]
        return found

    # Copying

    def copy(self) -> None:
        """Keep the subject's style for another layer."""
        layer = self.session.work.subject
        self._copied = layer.style if layer else None

    def can_paste(self, layer: Layer) -> bool:
        if self._copied is None or type(self._copied) is not type(layer.style):
            return False
        facts = self.session.facts_of(layer)
        bands = len(facts.grid.bands) if facts is not None and facts.grid is not None else 0
        return max(bands_of(self._copied), default=0) <= bands

    def paste(self) -> None:
        """Give the subject the style that was copied."""
        layer = self.session.work.subject
        if layer is not None and self._copied is not None and self.can_paste(layer):
            self.session.work.change(tr("paste style"), layer.id, style=self._copied)


def _shape(layer: Layer) -> int:
    """Return what of a style decides which rows its form has."""
    return len(bands_of(layer.style)) + (isinstance(layer.style, VectorStyle) and bool(layer.style.rules))
