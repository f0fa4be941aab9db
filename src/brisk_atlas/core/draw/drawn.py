"""The result of drawing a layer."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_atlas.core.model.language import tr


@dataclass
class Drawn:
    """What is to be reported of a layer's picture, whether work in the background would make it better,
    and the limits that its colours took. `coming` says that pieces of it are still on their way from a server,
    `failing` that some did not come, which is worth another try after a while."""

    note: str = ""
    unfinished: bool = False
    limits: tuple[tuple[float, float], ...] = ()
    coming: bool = False
    failing: bool = False


def note_missing(drawn: Drawn, missing: int, reasons: list[str]) -> None:
    """Note that pieces of a layer are missing; of some it is known why they did not come."""
    if not missing:
        return
    drawn.coming = drawn.coming or missing > len(reasons)
    drawn.failing = drawn.failing or bool(reasons)
    drawn.note = (
        tr("{count} of its pieces did not come: {reasons}", count=len(reasons), reasons=reasons[0])
        if reasons
        else tr("pieces are on their way")
    )
