"""How a sketch looks at first: each kind of mark by a rule of its own."""

from __future__ import annotations

from brisk_atlas.core.model import Label, StyleRule, VectorStyle

INK, PAPER = "#C2452D", "#FFFDF8"
TEXT_PX = 13.0


def first_look() -> VectorStyle:
    """Return the look of a new sketch. Texts stand where they were drawn, whatever else is written there."""
    beside = Label("text", TEXT_PX - 1, INK, PAPER, priority=8)
    area = VectorStyle(fill=INK, line=INK, width=2.0, hatch="rising", hatch_gap=10.0, label=beside)
    line = VectorStyle(fill=INK, line=INK, width=2.4, casing=1.0, casing_colour=PAPER, label=beside)
    point = VectorStyle(fill=INK, line=PAPER, width=1.6, size=11.0, label=beside)
    text = VectorStyle(fill=INK, line=INK, hollow=True, width=0.0, size=1.0,
                       label=Label("text", TEXT_PX, INK, PAPER, priority=10, over=True))  # fmt: skip
    looks = (("area", area), ("line", line), ("point", point), ("text", text))
    return VectorStyle(
        fill=INK, line=INK, rules=tuple(StyleRule(f"{kind}s", f"kind = '{kind}'", look) for kind, look in looks)
    )
