"""What is offered, in lines of text."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from brisk_atlas.core.depot.postings.rights import circle_words, right_words
from brisk_atlas.core.model.date_words import day_text
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.vocabulary import shown

from .postings_tree import ListedPosting

if TYPE_CHECKING:
    from brisk_atlas.core.depot.postings.outlet import Outlet
    from brisk_atlas.core.depot.postings.posted_rows import RowEdit
    from brisk_atlas.core.depot.postings.posting import Posting


def edit_words(found: tuple[str, str] | None) -> str:
    """Return when a posting was last edited and by whom, in the time of this machine."""
    if found is None:
        return tr("never edited")
    when = datetime.fromisoformat(found[0]).astimezone()
    moment = f"{day_text(when)} {when:%H:%M}"
    return tr("edited {when} by {found}", when=moment, found=found[1] or tr("somebody"))


def about_posting(found: ListedPosting) -> list[str]:
    """Return what a posting is, line by line."""
    posting = found.posting
    kind = shown(posting.geometry_type or "table")
    if not posting.has_rows:
        what = (
            tr("an album")
            if posting.is_album
            else tr("a file, {file}", file=posting.file)
            if posting.file
            else tr("a metadata record")
        )
        return [posting.title, "", *([posting.summary, ""] if posting.summary else []), what,
                tr("Posted by {owner}, {last_edit}", owner=posting.owner, last_edit=found.last_edit)]  # fmt: skip
    outlets = trn("{count} outlet", "{count} outlets", len(found.outlets))
    facts = tr("{kind}, {count} fields, {crs}", kind=kind, count=len(posting.fields), crs=posting.crs or tr("no CRS"))
    head = [posting.title, "", *([posting.summary, ""] if posting.summary else [])]
    return [*head, facts, tr("Posted by {owner}, {last_edit}", owner=posting.owner, last_edit=found.last_edit), outlets]


def about_outlet(outlet: Outlet, posting: Posting, address: str) -> list[str]:
    """Return what an outlet shows and leaves out, and where it is served, line by line."""
    left_out = [each.name for each in posting.fields if each.name not in {f.source for f in outlet.fields}]
    rounded = [
        tr("{name} to {decimals} decimals", name=each.name, decimals=each.decimals)
        for each in outlet.fields
        if each.decimals is not None
    ]
    lines = [outlet.title, ""]
    for circle, rights in outlet.rights:
        may = ", ".join(map(right_words, sorted(rights))) + (tr(" (own rows only)") if outlet.own_rows else "")
        lines.append(tr("{circle} may {rights}", circle=circle_words(circle), rights=may))
    lines += (
        [tr("Fields: {count} of {count2}", count=len(outlet.fields), count2=len(posting.fields))]
        if posting.has_rows
        else []
    )
    lines += [tr("Left out: {left_out}", left_out=", ".join(left_out))] if left_out else []
    lines += [tr("Rounded: {rounded}", rounded=", ".join(rounded))] if rounded else []
    lines += [tr("Rows: {where}", where=outlet.where)] if outlet.where else []
    lines += [tr("Places: on a grid of {blur:g}", blur=outlet.blur)] if outlet.blur else []
    lines += (
        [tr("Within: {listed} ({crs})", listed=", ".join(f"{side:.9g}" for side in outlet.area), crs=posting.crs)]
        if outlet.area
        else []
    )
    lines += [tr("Bands: {map}", map=", ".join(map(str, outlet.bands)))] if outlet.bands else []
    lines += _ways_of(outlet, posting)
    lines += [tr("Until: {date}", date=outlet.until.date())] if outlet.until is not None else []
    lines += ["", tr("Page: {address}pages/{id}", address=address, id=outlet.id)] if address else []
    lines += (
        [tr("Rows: {address}collections/{id}/items", address=address, id=outlet.id)]
        if address and posting.has_rows
        else []
    )
    return lines


def _ways_of(outlet: Outlet, posting: Posting) -> list[str]:
    """Return by which services and in which formats it is handed out, where these are not all that there are."""
    from brisk_atlas.core.depot.postings.outlet_ways import forms_of, services_of

    able, forms = services_of(posting), outlet.forms(posting)
    services = [each.value for each in able if each in outlet.services]
    lines = (
        [tr("By: {services}", services=", ".join(services) or tr("its page alone"))]
        if len(services) < len(able)
        else []
    )
    names = ", ".join(form.name for form in forms.values())
    return [*lines, *([tr("Files: {names}", names=names or "none")] if len(forms) < len(forms_of(posting)) else [])]


def edit_line(edit: RowEdit) -> str:
    """Return what was done to a row, when and by whom."""
    row = edit.after or edit.before
    values = row.values.values() if row is not None else ()
    title = next((str(value) for value in values if value not in (None, "")), tr("a row"))
    when = datetime.fromisoformat(edit.at).astimezone()
    done = f"{edit.account or 'somebody'}, {day_text(when)} {when:%H:%M}"
    if edit.before is None or edit.after is None:
        return f"{title} {(tr('added') if edit.before is None else tr('deleted'))} by {done}"
    changed = [f"{name} {_value(edit.before.values.get(name))} to {_value(value)}"
               for name, value in edit.after.values.items() if value != edit.before.values.get(name)]  # fmt: skip
    changed += ["moved"] if edit.before.wkb != edit.after.wkb else []
    return tr("{title}: {changed} by {done}", title=title, changed=", ".join(changed) or tr("unchanged"), done=done)


def _value(value: object) -> str:
    return "missing" if value is None else str(value)
