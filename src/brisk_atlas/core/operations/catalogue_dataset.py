"""One dataset of a catalogue site: its page in each language, its pictures, rows and files, its record for machines."""

from __future__ import annotations

import hashlib
import logging
import re
import shutil
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import groupby
from pathlib import Path
from urllib.parse import urlsplit, urlunsplit

from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.curate.derived import derived_record, filled
from brisk_atlas.core.find.questions import placed_by_degrees
from brisk_atlas.core.find.summary import amount_text, crs_text, kind_word
from brisk_atlas.core.model import AtlasError, DataKind, DataRef, Dataset, size_text
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.vocabulary import shown_all
from brisk_atlas.core.read.find_records import find_records
from brisk_atlas.core.record.brief_sections import NOT_STATED, Section, brief
from brisk_atlas.core.record.elements import element_of, label_of, stated_places
from brisk_atlas.core.record.model import Record
from brisk_atlas.core.record.translated import translated
from brisk_atlas.core.record.values import meaning_of, shown
from brisk_atlas.core.site.key_samples import key_samples
from brisk_atlas.core.site.machine_forms import (
    FORM_NAMES,
    DatasetAddress,
    citation_of,
    machine_forms,
    public_record,
    schema_org,
)  # fmt: skip
from brisk_atlas.core.site.search_index import search_tiers
from brisk_atlas.core.site.service_clients import lines_of_file, lines_of_service, services_in
from brisk_atlas.core.site.site_entry import NOT_LISTED, KeySample, SiteDownload, SiteEntry, SiteService
from brisk_atlas.core.site.site_pages import PICTURE, DatasetPage, PageFile, PagePart, SiteAbout, dataset_page
from brisk_atlas.core.system.atomic_write import reason_of
from brisk_atlas.core.system.scratch import ScratchFolder
from brisk_atlas.core.system.shares import alone

from .catalogue_files import FilesWriter
from .catalogue_parts import built_parts
from .catalogue_plan import DATASETS, DatasetWish

log = logging.getLogger(__name__)
THEME = "theme"  # keywords of that kind say what data is about, where a record states no topics
MOST_KEYWORDS = 60
MOST_FIELDS = 300
MOST_WORDS_TEXT = 4_000  # characters of lineage and purpose that the search knows
YEAR = re.compile(r"\d{4}")
SHORT_CODES = {  # of ISO 639-1, which pages state, by those of ISO 639-2, which records do
    "eng": "en", "fre": "fr", "fra": "fr", "ger": "de", "deu": "de", "spa": "es", "por": "pt", "ita": "it", "dut": "nl",
    "nld": "nl", "dan": "da", "swe": "sv", "nor": "no", "nob": "nb", "nno": "nn", "fin": "fi", "ice": "is", "isl": "is",
    "pol": "pl", "cze": "cs", "ces": "cs", "slo": "sk", "slk": "sk", "slv": "sl", "hrv": "hr", "srp": "sr", "hun": "hu",
    "rum": "ro", "ron": "ro", "bul": "bg", "gre": "el", "ell": "el", "tur": "tr", "est": "et", "lav": "lv", "lit": "lt",
    "gle": "ga", "wel": "cy", "cym": "cy", "cat": "ca", "baq": "eu", "eus": "eu", "glg": "gl", "mlt": "mt", "rus": "ru",
    "ukr": "uk", "ara": "ar", "heb": "he", "per": "fa", "fas": "fa", "hin": "hi", "chi": "zh", "zho": "zh", "jpn": "ja",
    "kor": "ko", "vie": "vi", "tha": "th", "ind": "id", "may": "ms", "msa": "ms", "swa": "sw", "mao": "mi", "mri": "mi",
}  # fmt: skip
SAFE_LANGUAGE = re.compile(r"[A-Za-z0-9-]{1,20}")


@dataclass(frozen=True)
class SiteSettings:
    """What all pages of a site share. `largest` is the size in bytes of the largest file that is handed out; `language`
    the one that the pages speak beside those of the records."""

    about: SiteAbout
    day: str
    version: str
    largest: int
    language: str

    def address_of(self, id_: str) -> DatasetAddress:
        """Return where a dataset is found."""
        return DatasetAddress(id_, f"{self.about.address}{DATASETS}/{id_}/" if self.about.address else "")


def build_several(wishes: tuple[DatasetWish, ...], folder: Path, settings: SiteSettings) -> list[SiteEntry]:
    """Build the folders of several datasets."""
    scratch = ScratchFolder()
    try:
        return [build_dataset(wish, folder / DATASETS / wish.id, settings, scratch) for wish in wishes]
    finally:
        scratch.delete()


def build_in_worker(wishes: tuple[DatasetWish, ...], folder: Path, settings: SiteSettings) -> list[SiteEntry]:
    """Do what `build_several` does on one thread, as there is a worker at it for each core."""
    with alone():
        return build_several(wishes, folder, settings)


def build_dataset(wish: DatasetWish, folder: Path, settings: SiteSettings, scratch: ScratchFolder) -> SiteEntry:
    """Write the folder of a dataset of a site; returns what it is. One that can't be read gets none, and says why."""
    cache = DataCache()
    try:
        dataset = _placed(cache, cache.dataset(wish.ref))
        stated = _stated_record(dataset)
        shutil.rmtree(folder, ignore_errors=True)
        if not _is_listed(dataset, stated):
            return SiteEntry(wish.id, wish.source, wish.state, wish.source, kind=NOT_LISTED)
        folder.mkdir(parents=True)
        return _DatasetBuilder(cache, dataset, stated, wish, folder, settings).built(scratch)
    except Exception as error:  # what a library raises on one dataset holds up no other
        if isinstance(error, OSError) and error.errno is not None:
            raise reason_of(error, folder) from error  # the site can't be written
        log.warning("%s is left out of the site", wish.ref, exc_info=True)
        shutil.rmtree(folder, ignore_errors=True)
        reason = f"{type(error).__name__}: {error}"
        words = tr("It can’t be shown ({reason}).", reason=reason)
        if isinstance(error, AtlasError):
            words = f"{error.reason}. {error.remedy}"
        reason = without_folder(words.strip(), wish.ref)
        return SiteEntry(wish.id, wish.source, wish.state, wish.source, fault=reason)


def _placed(cache: DataCache, dataset: Dataset) -> Dataset:
    """Return a dataset with the rows of a table at their places, where it states them in degrees."""
    options = placed_by_degrees(dataset) if dataset.ref.is_local else None
    if options is None:
        return dataset
    assert options.columns is not None
    cache.set_options(dataset.ref, options)
    placed = cache.dataset(dataset.ref)
    columns = ", ".join(filter(None, (options.columns.x, options.columns.y, options.columns.mgrs)))
    remark = tr("Its rows are placed by {columns}, in degrees on WGS 84.", columns=columns)
    return replace(placed, warnings=(*placed.warnings, remark))


def _stated_record(dataset: Dataset) -> Record | None:
    """Return the record of a dataset, of several the likeliest; None for none."""
    if dataset.ref.protocol and not dataset.parts:
        return None
    locations, _ = find_records(dataset)
    return locations[0].document.record if locations else None


def _is_listed(dataset: Dataset, stated: Record | None) -> bool:
    """Return whether a catalogue lists what lies somewhere: data, and records of data elsewhere; no text, no work of
    this application, no template of records, no photograph that nobody described."""
    if stated is not None:
        return bool(stated.title) or dataset.kind is not DataKind.RECORD
    return any(
        (facts.kind.has_rows or facts.kind.has_place) and not (facts.kind.has_cells and facts.unplaced)
        for facts in (part.facts for part in dataset.parts)
    )


class _DatasetBuilder:
    """A dataset on its way into a site."""

    def __init__(
        self, cache: DataCache, dataset: Dataset, stated: Record | None, wish: DatasetWish, folder: Path,
        settings: SiteSettings,
    ) -> None:  # fmt: skip
        self.cache, self.dataset, self.wish, self.folder, self.settings = cache, dataset, wish, folder, settings
        self.has_record = stated is not None
        self.record = public_record(filled(stated or Record(), derived_record(dataset)))
        self.title = self.record.title or _plain_title(wish)
        self.record = replace(self.record, title=self.title)
        self.address = settings.address_of(wish.id)
        facts = [part.facts for part in dataset.parts]
        one = facts[0] if len(facts) == 1 else None
        systems = {crs_text(each) for each in facts} - {""}
        self.kind = shown_all(kind_word(one) if one is not None else str(dataset.kind))
        self.amount = (
            shown_all(amount_text(one)) if one is not None else trn("{count:,} part", "{count:,} parts", len(facts))
        )
        self.crs = systems.pop() if len(systems) == 1 else tr("several CRS") if systems else ""
        self.remarks = [without_folder(warning, dataset.ref) for warning in dataset.warnings]

    def built(self, scratch: ScratchFolder) -> SiteEntry:
        """Write all; returns what it is."""
        parts, keys = [], list[KeySample]()
        for part in built_parts(self.cache, self.dataset, self.record, self.folder):
            parts.append(part.page)
            keys += key_samples(part.rows) if part.rows is not None else ()
        writer = FilesWriter(self.dataset, self.folder, self.settings.largest, scratch)
        downloads = writer.written()
        self.remarks += writer.remarks
        services = self._services()
        forms = machine_forms(self.record, self.address, downloads, services)
        for name, data in forms.items():
            (self.folder / name).write_bytes(data)
        self._write_pages(tuple(parts), downloads, services, tuple(forms))
        return self._entry(tuple(keys), downloads, services, any(part.picture for part in parts))

    def _services(self) -> tuple[SiteService, ...]:
        found = services_in(self.record)
        ref = self.dataset.ref
        if not ref.protocol or not ref.address.startswith(("http://", "https://")):
            return found
        names = {"ogcapi": "OGC API Features", "stac": "STAC API", "xyz": "XYZ tiles"}
        own = SiteService(
            names.get(ref.protocol, ref.protocol.upper()), _without_login(ref.address), ref.part or ref.inner
        )
        return found if any(each.address == own.address for each in found) else (own, *found)

    def _write_pages(
        self, parts: tuple[PagePart, ...], downloads: tuple[SiteDownload, ...], services: tuple[SiteService, ...],
        forms: tuple[str, ...],
    ) -> None:  # fmt: skip
        languages = {"": (tr("as written"), "index.html")}
        for locale in self.record.locales:
            if SAFE_LANGUAGE.fullmatch(locale.id):
                languages[locale.id] = (meaning_of("language", locale.language), f"index.{locale.id}.html")
        citation = citation_of(self.record, self.title, self.address, self.settings.day)
        files = tuple(PageFile(d.path, d.format, d.of, size_text(d.size_bytes), d.sha256) for d in downloads)
        addresses = [lines_of_service(service) for service in services]
        if self.address.page:
            addresses += [
                lines_of_file(f"{d.of}, {d.format}" if d.of else d.format, self.address.of(d.path), d.media_type)
                for d in downloads
                if d.media_type in ("application/geopackage+sqlite3", "application/geo+json", "image/tiff", "text/csv")
            ]
        for language, (_, file) in languages.items():
            record = translated(self.record, language)
            page = DatasetPage(
                title=record.title,
                summary=record.abstract,
                address=self.address.page,
                facts=self._facts(),
                remarks=tuple(self.remarks),
                languages=tuple((name, path, path == file) for name, path in languages.values()),
                parts=parts,
                downloads=files,
                addresses=tuple(addresses),
                citation=citation,
                has_record=self.has_record,
                brief=tuple(_stated_only(brief(record)) if not self.has_record else brief(record)),
                whole=tuple(_whole(record)),
                forms=tuple((name, FORM_NAMES[name]) for name in forms),
                schema_org=schema_org(record, self.address, downloads, record.title),
            )
            tag = _language_tag(self.record, language)
            (self.folder / file).write_bytes(
                dataset_page(self.settings.about, page, self.settings.day, self.settings.version, tag)
            )

    def _facts(self) -> tuple[str, ...]:
        size = size_text(self.dataset.size_bytes) if self.dataset.size_bytes else ""
        return tuple(text for text in (self.kind, self.amount, self.crs, self.dataset.format, size) if text)

    def _entry(
        self, keys: tuple[KeySample, ...], downloads: tuple[SiteDownload, ...], services: tuple[SiteService, ...],
        has_picture: bool,
    ) -> SiteEntry:  # fmt: skip
        record = self.record
        keywords = [word for each in record.keywords for word in each.words]
        topics = [meaning_of("topic", topic) for topic in record.topics]
        themes = topics or [word for each in record.keywords if each.kind == THEME for word in each.words]
        fields = [
            word for entity in record.entities for field in entity.fields for word in (field.name, field.alias) if word
        ]
        dates = {each.kind: each.day for each in record.dates}
        others = (record.purpose, record.lineage, *record.alternate_titles, *record.credits,
                  *(each.description for each in record.steps),
                  *(name for each in record.contacts for name in (each.organisation, each.person)))  # fmt: skip
        entry = SiteEntry(
            id=self.wish.id,
            source=self.wish.source,
            state=self.wish.state,
            title=str(self.title),
            summary=str(record.abstract),
            kind=self.kind,
            format=self.dataset.format,
            amount=self.amount,
            crs=self.crs,
            size_bytes=self.dataset.size_bytes,
            themes=tuple(dict.fromkeys(map(str, themes)))[:MOST_KEYWORDS],
            keywords=tuple(dict.fromkeys(map(str, keywords)))[:MOST_KEYWORDS],
            fields=tuple(dict.fromkeys(map(str, fields)))[:MOST_FIELDS],
            places=tuple(dict.fromkeys(map(str, record.places)))[:MOST_KEYWORDS],
            boxes=tuple((b.west, b.south, b.east, b.north) for b in record.boxes  # type: ignore[misc]
                        if None not in (b.west, b.south, b.east, b.north)),
            years=_years(record),
            languages=tuple(map(str, record.languages)),
            identifiers=tuple(filter(None, (str(record.identifier), *(str(each.code) for each in record.identifiers)))),
            parent=str(record.parent),
            made_from=tuple(filter(None, (*(str(each.title) for each in record.sources),
                                          *(str(each.title or each.identifier) for each in record.related)))),
            keys=keys,
            downloads=downloads,
            services=services,
            has_picture=has_picture and (self.folder / PICTURE).exists(),
            has_record=self.has_record,
            licence=next((str(text) for each in record.constraints for text in each.other), ""),
            citation=citation_of(record, str(self.title), self.address, self.settings.day),
            issued=str(dates.get("publication") or dates.get("creation") or ""),
            remarks=tuple(self.remarks),
            digest=digest_of(self.folder, {each.path: each.sha256 for each in downloads}),
        )  # fmt: skip
        text = " ".join([*filter(None, map(str, others)), *_other_languages(record)])[:MOST_WORDS_TEXT]
        return replace(entry, words=search_tiers(entry, text))


def without_folder(text: str, ref: DataRef) -> str:
    """Return a text without the folder of the machine in which data lies."""
    return text.replace(f"{ref.path.parent}/", "") if ref.is_local else text


def _without_login(address: str) -> str:
    """Return an address without the name of who is logged in there."""
    found = urlsplit(address)
    return urlunsplit(found._replace(netloc=found.netloc.rpartition("@")[2]))


def digest_of(folder: Path, known: Mapping[str, str]) -> str:
    """Return a digest of all files of a folder, of which some are known by their SHA-256."""
    digest = hashlib.sha256()
    for path in sorted(each for each in folder.rglob("*") if each.is_file()):
        name = path.relative_to(folder).as_posix()
        digest.update(name.encode("utf-8", "surrogateescape"))
        own = known.get(name)
        digest.update(bytes.fromhex(own) if own is not None else hashlib.sha256(path.read_bytes()).digest())
    return digest.hexdigest()


def _plain_title(wish: DatasetWish) -> str:
    """Return a title for data without one: the name of its file in words."""
    name = wish.ref.part or Path(wish.ref.name).stem or wish.source
    return " ".join(name.replace("_", " ").split()) or wish.id


def _years(record: Record) -> tuple[int, int] | None:
    """Return the first and the last year of the content, None where none is stated."""
    days = [day for each in record.times for day in (each.begin, each.end)]
    years = [int(found.group()) for day in days if (found := YEAR.match(day))]
    return (min(years), max(years)) if years else None


def _other_languages(record: Record) -> Iterator[str]:
    for locale in record.locales:
        other = translated(record, locale.id)
        yield from (str(text) for text in (other.title, other.abstract) if text)
        yield from (str(word) for each in other.keywords for word in each.words)


def _language_tag(record: Record, language: str) -> str:
    """Return the language of a page as HTML states it: that of the record, by the ISO 639 code that it states."""
    code = next((each.language for each in record.locales if each.id == language), "") if language else record.language
    plain = code.lower()
    return SHORT_CODES.get(plain, plain if re.fullmatch(r"[a-z]{2,3}", plain) else "en")


def _stated_only(sections: list[Section]) -> list[Section]:
    """Return sections without what is not stated, where nobody wrote a record."""
    lines = [(each.title, tuple(line for line in each.lines if line.text != NOT_STATED)) for each in sections]
    return [Section(title, those) for title, those in lines if those]


def _whole(record: Record) -> Iterator[tuple[str, tuple[tuple[str, str], ...]]]:
    """Yield the sections of the model with all that a record states."""
    lines = ((element_of(place[:1]).section, label_of(place), shown(element_of(place), value))
             for place, value in stated_places(record))  # fmt: skip
    for section, those in groupby(lines, key=lambda line: line[0]):
        yield section, tuple((label, text) for _, label, text in those)
