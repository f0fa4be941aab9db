"""What the work on boreholes needs of the pane that shows them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.read_hole import HoleData
    from brisk_atlas.core.strip.holes.tracks import LogTemplate

    from .log_canvas import LogCanvas
    from .log_content import LogContent
    from .log_list import LogList


class ShowsHoles(Protocol):
    """What shows holes: the pane of the strip log."""

    content: LogContent
    canvas: LogCanvas
    hole_list: LogList
    template: LogTemplate | None

    @property
    def first(self) -> HoleData | None: ...
    def drawn(self) -> list[str]: ...
    def turn(self, name: str, on: bool) -> None: ...
    def show_again(self) -> None: ...
    def sight_measured(self, data: HoleData) -> tuple[float, float]: ...
