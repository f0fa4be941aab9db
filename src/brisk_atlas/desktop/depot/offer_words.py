"""What is offered, in lines of text."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from .postings_tree import ListedPosting

if TYPE_CHECKING:
    from brisk_atlas.core.depot.postings.outlet import Outlet
    from brisk_atlas.core.depot.postings.posted_rows import RowEdit
    from brisk_atlas.core.depot.postings.posting import Posting


def edit_words(found: tuple[str, str] | None) -> str:
    """Return when a posting was last edited and by whom, in the time of this machine."""
    if found is None:
        return "never edited"
    when = datetime.fromisoformat(found[0]).astimezone()
    return f"edited {when:%Y-%m-%d %H:%M} by {found[1] or 'somebody'}"


def about_posting(found: ListedPosting) -> list[str]:
    """Return what a posting is, line by line."""
    posting = found.posting
    kind = posting.geometry_type or "table"
    if not posting.has_rows:
        what = "an album" if posting.is_album else f"a file, {posting.file}" if posting.file else "a metadata record"
        return [posting.title, "", *([posting.summary, ""] if posting.summary else []), what,
                f"Posted by {posting.owner}, {found.last_edit}"]  # fmt: skip
    outlets = f"{len(found.outlets)} outlet{'s' if len(found.outlets) != 1 else ''}"
    facts = f"{kind}, {len(posting.fields)} fields, {posting.crs or 'no CRS'}"
    head = [posting.title, "", *([posting.summary, ""] if posting.summary else [])]
    return [*head, facts, f"Posted by {posting.owner}, {found.last_edit}", outlets]


def about_outlet(outlet: Outlet, posting: Posting, address: str) -> list[str]:
    """Return what an outlet shows and leaves out, and where it is served, line by line."""
    left_out = [each.name for each in posting.fields if each.name not in {f.source for f in outlet.fields}]
    rounded = [f"{each.name} to {each.decimals} decimals" for each in outlet.fields if each.decimals is not None]
    lines = [outlet.title, ""]
    for circle, rights in outlet.rights:
        lines.append(f"{circle} may {', '.join(sorted(rights))}{' (own rows only)' if outlet.own_rows else ''}")
    lines += [f"Fields: {len(outlet.fields)} of {len(posting.fields)}"] if posting.has_rows else []
    lines += [f"Left out: {', '.join(left_out)}"] if left_out else []
    lines += [f"Rounded: {', '.join(rounded)}"] if rounded else []
    lines += [f"Rows: {outlet.where}"] if outlet.where else []
    lines += [f"Places: on a grid of {outlet.blur:g}"] if outlet.blur else []
    lines += [f"Within: {', '.join(f'{side:.9g}' for side in outlet.area)} ({posting.crs})"] if outlet.area else []
    lines += [f"Bands: {', '.join(map(str, outlet.bands))}"] if outlet.bands else []
    lines += _ways_of(outlet, posting)
    lines += [f"Until: {outlet.until.date()}"] if outlet.until is not None else []
    lines += ["", f"Page: {address}pages/{outlet.id}"] if address else []
    lines += [f"Rows: {address}collections/{outlet.id}/items"] if address and posting.has_rows else []
    return lines


def _ways_of(outlet: Outlet, posting: Posting) -> list[str]:
    """Return by which services and in which formats it is handed out, where these are not all that there are."""
    from brisk_atlas.core.depot.postings.outlet_ways import forms_of, services_of

    able, forms = services_of(posting), outlet.forms(posting)
    services = [each.value for each in able if each in outlet.services]
    lines = [f"By: {', '.join(services) or 'its page alone'}"] if len(services) < len(able) else []
    names = ", ".join(form.name for form in forms.values())
    return [*lines, *([f"Files: {names or 'none'}"] if len(forms) < len(forms_of(posting)) else [])]


def edit_line(edit: RowEdit) -> str:
    """Return what was done to a row, when and by whom."""
    row = edit.after or edit.before
    values = row.values.values() if row is not None else ()
    title = next((str(value) for value in values if value not in (None, "")), "a row")
    when = datetime.fromisoformat(edit.at).astimezone()
    done = f"{edit.account or 'somebody'}, {when:%Y-%m-%d %H:%M}"
    if edit.before is None or edit.after is None:
        return f"{title} {'added' if edit.before is None else 'deleted'} by {done}"
    changed = [f"{name} {_value(edit.before.values.get(name))} to {_value(value)}"
               for name, value in edit.after.values.items() if value != edit.before.values.get(name)]  # fmt: skip
    changed += ["moved"] if edit.before.wkb != edit.after.wkb else []
    return f"{title}: {', '.join(changed) or 'unchanged'} by {done}"


def _value(value: object) -> str:
    return "missing" if value is None else str(value)
