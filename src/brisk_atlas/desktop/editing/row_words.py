"""What was done to a row, in a line."""

from __future__ import annotations

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.working_copy.merging import MergedRow
from brisk_atlas.core.working_copy.shared_rows import Plain, SharedRow


def row_title(row: SharedRow | None, fallback: str) -> str:
    """Return what a row is called: its first value that is not missing."""
    values = row.values.values() if row is not None else ()
    return next((value_words(value) for value in values if value not in (None, "")), fallback)


def value_words(value: Plain) -> str:
    """Return a value as people read it."""
    if value is None:
        return "missing"
    return ("yes" if value else "no") if isinstance(value, bool) else str(value)


def draft_words(found: MergedRow) -> str:
    """Return what was done to a row here, and whether others did something too."""
    draft = found.draft
    title = row_title(found.shown or found.theirs or draft.base, tr("a row"))
    if found.whole:
        return f"{title}: {'you deleted it, others changed it' if draft.deletes else 'others deleted it'}"
    if found.conflicts:
        names = [each.field for each in found.conflicts]
        return tr("{title}: others changed {names} too", title=title, names=", ".join(names))
    if draft.adds:
        return tr("{title}: new", title=title)
    if draft.deletes:
        return tr("{title}: deleted", title=title)
    done = [f"{name} {value_words(value)}" for name, value in found.values.items()]
    return f"{title}: {', '.join([*done, *(['moved'] if found.moves else [])])}"
