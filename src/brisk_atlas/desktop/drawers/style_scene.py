"""The rows that scenes add to a grid's style: what its numbers are turned into, and its quality as a mask."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from brisk_atlas.core.kinds import first_style
from brisk_atlas.core.model import GridStyle, Quantity, RasterPart, Stretch, Style
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.quality_band import quality_band

if TYPE_CHECKING:
    from brisk_atlas.core.model import Dataset, Layer

    from .style_rows import StyleRows

STORED = tr("numbers as stored")


def scene_rows(rows: StyleRows, layer: Layer, dataset: Dataset | None) -> None:
    """Add the choice of radiance, reflectance or temperature where the dataset says how to come by them."""
    part = _base(dataset, layer)
    if part is None or not part.quantities:
        return
    options: list[tuple[str, object]] = [(STORED, None), *((str(quantity), quantity) for quantity in part.quantities)]

    def put(chosen: Quantity | None) -> None:
        now = rows.session.work.subject
        if now is None or rows.filling or not isinstance(now.style, GridStyle):
            return
        style: Style | None = now.style if now.style.stretch.kind != "hand" else replace(now.style, stretch=Stretch())
        measured = part.measured_as(chosen) if chosen is not None else part
        if len(measured.facts.grid.bands if measured.facts.grid else ()) < max(now.style.bands):
            style = first_style(measured.facts, 0)
        elif part.facts.grid is not None and part.facts.grid.drawn_by_service and chosen is None:
            style = first_style(part.facts, 0)
        rows.session.work.change(
            tr("show {chosen}", chosen=chosen or STORED), now.id, ref=now.ref.with_quantity(chosen), style=style
        )

    rows.heading(tr("Values"))
    rows.choice_of(tr("Values as"), "quantity", options, lambda now: now.ref.quantity, put)


def mask_rows(rows: StyleRows, layer: Layer, dataset: Dataset | None) -> None:
    """Add a tick for each class of the dataset's quality band, to leave its cells out."""
    found = quality_band(dataset, layer.part)
    if found is None:
        return
    part, band, classes = found
    rows.heading(tr("Quality mask"))
    for value, _, name in classes:

        def on(style: GridStyle, value: int = value) -> bool:
            return style.mask is not None and value in style.mask[2]

        def put(wanted: bool, value: int = value, name: str = name) -> None:
            style = rows.style()
            if isinstance(style, GridStyle) and not rows.filling:
                hidden = set(style.mask[2] if style.mask else ()) - {value} | ({value} if wanted else set())
                mask = (part, band, tuple(sorted(hidden))) if hidden else None
                rows.change(f"{'mask' if wanted else 'show'} {name}", mask=mask)

        rows.check("", name, f"mask {name}", on, put)


def _base(dataset: Dataset | None, layer: Layer) -> RasterPart | None:
    """Return the part as stored, whatever its numbers are turned into now."""
    if dataset is None:
        return None
    found = next((p for p in dataset.parts if p.facts.name == layer.part), None)
    return found if isinstance(found, RasterPart) else None
