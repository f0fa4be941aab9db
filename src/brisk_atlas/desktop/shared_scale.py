"""One colour scale for several layers, so that their colours can be compared."""

from __future__ import annotations

from brisk_atlas.core.model import Layer
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.system.jobs import Job

from .session import Session


def share_scale(session: Session, layers: list[Layer]) -> None:
    """Give layers the ramp of the first, and limits that hold all of them."""
    named = [layer for layer in layers if layer.style is not None]

    def work(job: Job) -> list[tuple[str, float, float]]:
        from brisk_atlas.core.kinds import kind_of

        found = []
        for layer in named:
            legend = kind_of(layer.kind).legend(session.cache, layer)
            if legend is not None and legend.ramp:
                found.append((layer.id, legend.low, legend.high))
        return found

    def done(found: list[tuple[str, float, float]]) -> None:
        first = session.work.layer(found[0][0]) if found else None
        if len(found) < 2 or first is None or first.style is None:
            session.noticed.emit("caution", tr("Fewer than two of the chosen layers are coloured by a ramp."), "")
            return
        ids, lows, highs = zip(*found)
        session.work.share_scale(ids, first.style.ramp, min(lows), max(highs))

    session.run(tr("Limits"), work, done, shown=False)
