"""Saying a record in another standard: what that one says elsewhere is put there before it is written.

Each function returns the record rearranged; nothing that was stated is changed into something else, and what
still has no place is lost when it is written, which the report of a conversion says.
"""

from __future__ import annotations

from dataclasses import replace

from .model import Constraint, Contact, KeywordSet, ProcessStep, QualityResult, Record

_ORIGIN_ROLES = ("originator", "author", "owner", "principalInvestigator", "resourceProvider", "custodian")
OTHER = ("otherRestrictions",)


def for_iso(record: Record) -> Record:
    """Return a record for ISO, which the model is closest to."""
    return record


def for_words(record: Record) -> Record:
    """Return a record for a standard with plain texts: one condition each, one list of keywords."""
    return replace(record, constraints=_parted(record.constraints), keywords=_one_list(record.keywords))


def for_fgdc(record: Record) -> Record:
    """Return a record for FGDC CSDGM, which has one contact, no statement of lineage and its own keywords."""
    steps = record.steps
    if record.lineage and not any(record.lineage in step.description for step in steps):
        steps = (ProcessStep(description=record.lineage), *steps)
    keywords = tuple(
        replace(k, kind=k.kind if k.kind in ("place", "stratum", "temporal") else "theme") for k in record.keywords
    )
    if record.topics:
        keywords = (*keywords, KeywordSet("theme", record.topics, "ISO 19115 topic category"))
    if record.places:
        keywords = (*keywords, KeywordSet("place", record.places))
    limits = [text for c in record.constraints for text in c.limits]
    access = [text for c in record.constraints if c.kind != "security" for text in (*c.other,)]
    constraints = tuple(
        c
        for c in (
            Constraint("legal", access=OTHER, other=("\n\n".join(access),)) if access else None,
            Constraint("limits", limits=("\n\n".join(limits),)) if limits else None,
            *(c for c in record.constraints if c.kind == "security"),
        )
        if c
    )
    quality = tuple(_in_words(q) for q in record.quality)
    return replace(
        record,
        steps=steps,
        lineage="",
        keywords=keywords,
        topics=(),
        places=(),
        constraints=constraints,
        contacts=_contacts_of_fgdc(record),
        credits=("; ".join(record.credits),) if record.credits else (),
        quality=quality,
        distributors=tuple(replace(c, role="distributor") for c in record.distributors),
        record_contacts=tuple(replace(c, role="pointOfContact") for c in record.record_contacts),
    )


def for_dcat(record: Record) -> Record:
    """Return a record for DCAT-AP: a publisher and a contact point, one list of keywords."""
    contacts = list(record.contacts)
    roles = {c.role for c in contacts}
    first = contacts[0] if contacts else None
    if first and "publisher" not in roles and first.organisation:
        contacts.append(Contact(organisation=first.organisation, role="publisher", email=first.email, link=first.link))
    if first and "pointOfContact" not in roles:
        contacts.append(replace(first, role="pointOfContact"))
    contacts = [replace(c, role="originator") if c.role in _ORIGIN_ROLES else c for c in contacts]
    return replace(
        record, contacts=tuple(contacts), constraints=_parted(record.constraints), keywords=_one_list(record.keywords)
    )


def _contacts_of_fgdc(record: Record) -> tuple[Contact, ...]:
    contacts = list(record.contacts)
    origins = [c for c in contacts if c.role in _ORIGIN_ROLES and (c.organisation or c.person)]
    names = {c.organisation for c in contacts if c.role == "originator"}
    fresh = [
        Contact(organisation=c.organisation or c.person, role="originator") for c in origins if c.role != "originator"
    ]
    chosen = [c for c in contacts if c.role in ("originator", "publisher", "pointOfContact")]
    points = [c for c in contacts if c.role == "pointOfContact"]
    if not points and contacts:
        chosen.append(replace(contacts[0], role="pointOfContact"))
    chosen += [c for c in dict.fromkeys(fresh) if c.organisation not in names]
    return tuple(chosen)


def _in_words(result: QualityResult) -> QualityResult:
    """Return a result with what it measured in its report, where FGDC has nothing else for it."""
    if result.report or not result.measure:
        return result
    figure = " ".join(word for word in (result.value, result.unit) if word)
    return replace(result, report=f"{result.measure}: {figure}" if figure else result.measure)


def _parted(constraints: tuple[Constraint, ...]) -> tuple[Constraint, ...]:
    """Return each condition by itself: a licence, a condition of access, a limit of use."""
    found = []
    for c in constraints:
        use = ("license",) if "license" in c.use else ()
        found += [Constraint("legal", use=use, other=(text,)) for text in c.other if c.kind == "legal"]
        found += [Constraint("limits", limits=(text,)) for text in c.limits]
    return tuple(dict.fromkeys(found))


def _one_list(keywords: tuple[KeywordSet, ...]) -> tuple[KeywordSet, ...]:
    words = tuple(dict.fromkeys(word for k in keywords for word in k.words))
    return (KeywordSet(words=words),) if words else ()
