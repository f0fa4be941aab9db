"""A layer: one part of a dataset, open in the work, with its look."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .style import Style


@dataclass(frozen=True)
class Layer:
    """One open layer. `kind` is that of its part; `style` is None for tables.

    `blend` is `normal` or `multiply`, which darkens what lies below by this layer's colours.
    `id` is unique in the work and stays when the layer is restyled or moved.
    """

    id: str
    name: str
    path: Path
    part: str
    kind: str
    style: Style | None = None
    visible: bool = True
    opacity: float = 1.0
    blend: str = "normal"

    @property
    def source(self) -> tuple[Path, str]:
        """Return what the layer shows, whatever its look."""
        return self.path, self.part
