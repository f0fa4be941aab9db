"""Metadata: what the data tells of itself and what its records say."""

from .iso19139 import read_iso19139
from .model import Contact, DatedEvent, MetadataRecord, Quality
from .reading import NOT_SAID, Section, derived_sections, extent_text, record_of, records_of, sections_of

__all__ = [
    "NOT_SAID",
    "Contact",
    "DatedEvent",
    "MetadataRecord",
    "Quality",
    "Section",
    "derived_sections",
    "extent_text",
    "read_iso19139",
    "record_of",
    "records_of",
    "sections_of",
]
