"""What pages of outlets say of them, in words."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from brisk_atlas.core.model import Dataset, Extent
from brisk_atlas.core.model.language import tr, trn, untranslated
from brisk_atlas.core.model.vocabulary import amount_words
from brisk_atlas.core.model.vocabulary import shown as word_shown
from brisk_atlas.core.record.model import Locale, Record
from brisk_atlas.core.record.values import meaning_of

from .postings.outlet import Outlet
from .postings.outlet_rows import MOST_COUNTED, OutletRows
from .postings.outlet_ways import OfferedService
from .postings.posting import FieldType

_TYPES = {
    FieldType.BOOLEAN: untranslated("yes or no"), FieldType.INTEGER: untranslated("whole number"),
    FieldType.NUMBER: untranslated("number"), FieldType.TEXT: untranslated("text"),
    FieldType.DATE: untranslated("date"), FieldType.TIME: untranslated("date and time"),
}  # fmt: skip


def facts_in_words(shown: OutletRows) -> list[str]:
    """Return what an outlet is, in a few short texts."""
    posting, count = shown.rows.posting, shown.count()
    kind = word_shown(posting.geometry_type.removesuffix(" Z") if posting.has_shapes else "table")
    return [kind, counted_rows(count), trn("{count:,} field", "{count:,} fields", len(shown.fields)),
            *([posting.crs] if posting.crs else [])]  # fmt: skip


def counted_rows(count: int | None, skip: int = 0) -> str:
    """Return how many rows there are (None: more than are counted), and from which one on they are shown."""
    many = tr("more than {count:,} rows", count=MOST_COUNTED) if count is None else amount_words(None, count)
    return tr("{rows}, from row {first:,} on", rows=many, first=skip + 1) if skip else many


def file_in_words(dataset: Dataset) -> list[str]:
    """Return what an outlet without rows is, in a few short texts."""
    facts = dataset.parts[0].facts if dataset.parts else None
    grid, cloud = (facts.grid, facts.cloud) if facts is not None else (None, None)
    found = [word_shown(str(dataset.kind)), dataset.format]
    if grid is not None:
        found += [
            tr("{columns:,} x {rows:,} cells", columns=grid.width, rows=grid.height),
            trn("{count:,} band", "{count:,} bands", len(grid.bands)),
        ]
    if cloud is not None and facts is not None and facts.count is not None:
        found.append(amount_words(dataset.kind, facts.count))
    return [*found, *([facts.crs] if facts is not None and facts.crs else [])]


def file_addresses(outlet: Outlet, base: str, *, has_cells: bool) -> list[tuple[str, str, str]]:
    """Return where services offer an outlet without rows."""
    cells = [("WCS", tr("the numbers"), f"{base}/services/wcs")] if OfferedService.COVERAGES in outlet.services else []
    return [*_map_addresses(outlet, base), *(cells if has_cells else [])]


def _map_addresses(outlet: Outlet, base: str) -> list[tuple[str, str, str]]:
    if OfferedService.MAPS not in outlet.services:
        return []
    return [
        ("WMS", tr("pictures of any extent"), f"{base}/services/wms"),
        ("WMTS", tr("tiles of pictures"), f"{base}/services/wmts"),
        (
            tr("XYZ tiles"),
            tr("tiles of pictures by their numbers"),
            f"{base}/services/xyz/{outlet.id}/{{z}}/{{x}}/{{y}}.png",
        ),
    ]


def languages_of(record: Record) -> list[Locale]:
    """Return the languages that a record has beside its own, each with what it is called."""
    return [replace(each, language=meaning_of("language", each.language)) for each in record.locales if each.id]


def record_in_words(record: Record) -> list[tuple[str, str]]:
    """Return what a record says beside title, summary and fields, as terms and texts."""
    contacts = "; ".join(
        ", ".join(filter(None, (each.organisation, each.person, meaning_of("role", each.role), each.email, each.link)))
        for each in record.contacts
    )
    conditions = "; ".join(text for each in record.constraints for text in (*each.limits, *each.other))
    dates = "; ".join(f"{meaning_of('date', each.kind)} {each.day}" for each in record.dates)
    words = ", ".join(word for each in record.keywords for word in each.words)
    steps = " ".join(filter(None, (record.lineage, *(each.description for each in record.steps))))
    stated = ((tr("Keywords"), words), (tr("Contact"), contacts), (tr("Conditions of use"), conditions),
              (tr("Dates"), dates), (tr("Updated"), meaning_of("frequency", record.maintenance)),
              (tr("How it was made"), steps), (tr("Credit"), "; ".join(record.credits)))  # fmt: skip
    return [(term, " ".join(text.split())) for term, text in stated if text.strip()]


def fields_of(shown: OutletRows) -> list[dict[str, Any]]:
    """Return what is stated of the fields of an outlet."""
    rounded = {each.name: each.decimals for each in shown.outlet.fields}

    def note(name: str) -> str:
        digits = rounded[name]
        return "" if digits is None else trn("rounded to {count} decimal", "rounded to {count} decimals", digits)

    return [
        {
            "name": name,
            "type": tr(_TYPES[field.type]),
            "unit": field.unit,
            "note": note(name),
            "is_number": field.type in (FieldType.INTEGER, FieldType.NUMBER),
        }
        for name, field in shown.fields.items()
    ]


def cell_text(value: object, type_: FieldType) -> str:
    """Return a value as the table shows it, "" for a missing one."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return word_shown("yes" if value else "no")
    if type_ is FieldType.TIME:
        return str(value).replace("T", " ").replace(".000000Z", " UTC").replace("Z", " UTC")
    return str(value)


def moves_of(view: Extent) -> list[tuple[str, str]]:
    """Return the names of other views near one, and their boxes."""
    w, h, (x, y) = view.width, view.height, view.centre

    def box(dx: float, dy: float, scale: float) -> str:
        """Return the box of a view moved by shares of this one, and so many times as large."""
        left, low = x + dx * w - w * scale / 2, y + dy * h - h * scale / 2
        return ",".join(f"{value:.2f}" for value in (left, low, left + w * scale, low + h * scale))

    return [
        (tr("Closer"), box(0, 0, 0.5)), (tr("Farther"), box(0, 0, 2)), (tr("North"), box(0, 0.5, 1)),
        (tr("South"), box(0, -0.5, 1)), (tr("West"), box(-0.5, 0, 1)), (tr("East"), box(0.5, 0, 1)),
    ]  # fmt: skip


def addresses_of(shown: OutletRows, base: str) -> list[tuple[str, str, str]]:
    """Return where services offer an outlet: what it is, for what, and its address."""
    outlet, posting = shown.outlet, shown.rows.posting
    placed, features = posting.has_shapes and posting.crs is not None, OfferedService.FEATURES in outlet.services
    found = []
    if features:
        found.append(("OGC API Features", tr("rows, by filters and pages"), f"{base}/collections/{outlet.id}/items"))
    if features and placed:
        found.append(("WFS", tr("rows, for older programs"), f"{base}/services/wfs"))
    if placed:
        found += _map_addresses(outlet, base)
    if placed and OfferedService.TILES in outlet.services:
        found.append((tr("Vector tiles"), tr("of all that is offered"), f"{base}/services/vectortiles.json"))
    return found
