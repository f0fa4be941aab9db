"""A metadata record as the application knows it, whatever standard it came in."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Contact:
    person: str = ""
    organisation: str = ""
    role: str = ""
    email: str = ""
    phone: str = ""
    city: str = ""


@dataclass(frozen=True)
class DatedEvent:
    """`kind` in the words of the standard: creation, publication, revision."""

    day: str
    kind: str


@dataclass(frozen=True)
class Quality:
    measure: str
    value: str
    unit: str = ""


@dataclass(frozen=True)
class MetadataRecord:
    """What a record says; an empty text means that it does not say.

    `box` is west, south, east, north in degrees.
    """

    standard: str
    path: Path | None = None
    identifier: str = ""
    title: str = ""
    abstract: str = ""
    purpose: str = ""
    status: str = ""
    dates: tuple[DatedEvent, ...] = ()
    contacts: tuple[Contact, ...] = ()
    keywords: tuple[str, ...] = ()
    topics: tuple[str, ...] = ()
    language: str = ""
    representation: str = ""
    scale: str = ""
    resolution: str = ""
    box: tuple[float, float, float, float] | None = None
    crs: tuple[str, ...] = ()
    use_limits: tuple[str, ...] = ()
    access: tuple[str, ...] = ()
    lineage: str = ""
    quality: tuple[Quality, ...] = ()
    maintenance: str = ""
    record_date: str = ""
    record_contacts: tuple[Contact, ...] = ()
