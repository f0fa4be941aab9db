"""Changes of a style by its legend: the colour or the name of one of its entries."""

from __future__ import annotations

from dataclasses import replace

from brisk_atlas.core.model import ClassLook, VectorStyle


def with_entry_colour(style: VectorStyle, text: str, colour: str, *, of_line: bool) -> VectorStyle:
    """Return a style in which an entry of its legend has another colour.

    text : the entry as its method or its rule names it; of_line : whether the entry is one of lines, for which the
    stroke has the colour
    """
    field = "line" if of_line else "fill"
    if style.rules:
        changed = tuple(
            replace(rule, style=replace(rule.style, **{field: colour})) if rule.name == text else rule  # type: ignore[arg-type]
            for rule in style.rules
        )
        return replace(style, rules=changed)
    if style.colour_by is None:
        return replace(style, **{field: colour})  # type: ignore[arg-type]
    return _with_look(style, replace(_look_of(style, text), colour=colour))


def with_entry_name(style: VectorStyle, text: str, name: str) -> VectorStyle:
    """Return a style in which an entry of its legend is called otherwise; by its own text again for ""."""
    name = name.strip()
    if style.rules:
        taken = {rule.name for rule in style.rules}
        if not name or name in taken:
            return style
        rules = tuple(replace(rule, name=name) if rule.name == text else rule for rule in style.rules)
        return replace(style, rules=rules, hidden=tuple(name if each == text else each for each in style.hidden))
    return _with_look(style, replace(_look_of(style, text), name=name if name not in ("", text) else None))


def _look_of(style: VectorStyle, text: str) -> ClassLook:
    return next((look for look in style.class_looks if look.text == text), ClassLook(text))


def _with_look(style: VectorStyle, look: ClassLook) -> VectorStyle:
    others = tuple(each for each in style.class_looks if each.text != look.text)
    own = () if look.colour is None and not look.name else (look,)
    return replace(style, class_looks=(*others, *own))
