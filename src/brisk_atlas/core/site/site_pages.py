"""The pages of a site: of all datasets, of each, and of what machines read."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any
from urllib.parse import quote

from jinja2 import Environment, StrictUndefined
from markupsafe import Markup

from brisk_atlas.core.draw.legend_lines import LegendLines
from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.page_templates import in_script, page_templates, script_texts
from brisk_atlas.core.record.brief_sections import NOT_STATED, Section

from .related import RelatedDataset
from .service_clients import IN_A_GIS, AddressLines
from .site_entry import SiteEntry

HERE = Path(__file__).parent
FONTS_FOLDER = Path(__file__).parents[2] / "fonts"
FONTS = ("SourceSans3-Regular.ttf", "SourceSans3-Semibold.ttf", "SourceCodePro-Regular.ttf")
LICENCES = ("SourceSans3-LICENSE.md", "SourceCodePro-LICENSE.md")  # which go wherever the fonts go
SCRIPTS = ("map.js", "home.js", "dataset.js", "site.css")
PICTURE = "picture.jpg"
MOST_THEMES = 24
RELATED = ("<!--related-->", "<!--/related-->")  # what belongs with a dataset stands between, as it changes with others
NO_THEME = tr("no theme stated")


@dataclass(frozen=True)
class SiteAbout:
    """What a site is called, what it says of itself, and where it will be found, "" where that is not known yet."""

    title: str
    summary: str = ""
    address: str = ""


@dataclass(frozen=True)
class PagePart:
    """A part of a dataset as its page shows it: its picture, how far finer ones go (`levels`), the script with its
    rows, the extent of the picture in units of its plane, and how many metres such a unit is, None where that is not
    known."""

    name: str
    amount: str
    crs: str
    note: str = ""
    picture: str = ""
    pictures: str = ""
    levels: int = 0
    size: tuple[int, int] = (0, 0)
    extent: tuple[float, float, float, float] | None = None
    metres: float | None = None
    script: str = ""
    legend: LegendLines | None = None

    def as_json(self) -> dict[str, Any]:
        """Return what the script of the page needs."""
        return {"name": self.name, "pictures": self.pictures, "levels": self.levels, "size": self.size,
                "extent": self.extent, "metres": self.metres, "script": self.script}  # fmt: skip


@dataclass(frozen=True)
class PageFile:
    """A file to take, with its size in words."""

    path: str
    format: str
    of: str
    size: str
    sha256: str


@dataclass(frozen=True)
class DatasetPage:
    """What the page of a dataset states, in one language. `languages` are (name, file, whether it is this one)."""

    title: str
    summary: str
    address: str
    facts: tuple[str, ...]
    remarks: tuple[str, ...]
    languages: tuple[tuple[str, str, bool], ...]
    parts: tuple[PagePart, ...]
    downloads: tuple[PageFile, ...]
    addresses: tuple[AddressLines, ...]
    citation: str
    has_record: bool
    brief: tuple[Section, ...]
    whole: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    forms: tuple[tuple[str, str], ...]
    schema_org: dict[str, Any]

    @property
    def has_map(self) -> bool:
        return any(part.picture for part in self.parts)

    @property
    def has_rows(self) -> bool:
        return any(part.script for part in self.parts)

    @property
    def files_by_part(self) -> list[tuple[str, list[PageFile]]]:
        """The files of each part of the dataset, those of all of it under "" first."""
        found: dict[str, list[PageFile]] = {"": []}
        for each in self.downloads:
            found.setdefault(each.of, []).append(each)
        return [(of, those) for of, those in found.items() if those]

    @property
    def schema(self) -> Markup:
        return in_script(self.schema_org)

    @property
    def parts_json(self) -> Markup:
        return in_script([part.as_json() for part in self.parts])


def dataset_page(site: SiteAbout, page: DatasetPage, day: str, version: str, language: str = "en") -> bytes:
    """Return the page of a dataset; what belongs with it is put in by `with_related`."""
    template = _environment().get_template("dataset.html")
    return _bytes(template.render(site=site, page=page, day=day, version=version, lang=language,
                                  not_stated=NOT_STATED, in_a_gis=IN_A_GIS))  # fmt: skip


def with_related(page: str, entries: Sequence[tuple[SiteEntry, RelatedDataset]]) -> str:
    """Return a page with what belongs with its dataset in place of what stood there."""
    lines = [(entry, tie.reasons) for entry, tie in entries]
    before, _, rest = page.partition(RELATED[0])
    _, _, after = rest.partition(RELATED[1])
    return before + RELATED[0] + _environment().get_template("related.html").render(related=lines) + RELATED[1] + after


def home_page(site: SiteAbout, entries: Sequence[SiteEntry], day: str, version: str) -> bytes:
    """Return the page with the themes and the search."""
    largest = sorted(_by_theme(entries), key=lambda group: (group[0] == NO_THEME, -len(group[2])))
    themes = [
        {"name": theme, "anchor": anchor, "count": len(those), "picture": _picture_of(those), "kind": those[0].kind}
        for theme, anchor, those in largest[:MOST_THEMES]
    ]
    schema = {"@context": "https://schema.org/", "@type": "DataCatalog", "name": site.title,
              "description": site.summary or site.title}  # fmt: skip
    schema |= {"url": site.address} if site.address else {}
    shown = {"site": site, "root": "", "themes": themes, "counted": _counted(entries), "schema": in_script(schema)}
    return _bytes(_environment().get_template("home.html").render(**shown, day=day, version=version))


def list_page(
    site: SiteAbout, entries: Sequence[SiteEntry], faults: Sequence[SiteEntry], day: str, version: str
) -> bytes:
    """Return the page with all datasets by theme, which needs no scripts."""
    template = _environment().get_template("all.html")
    return _bytes(template.render(site=site, root="", groups=_by_theme(entries), faults=faults,
                                  counted=_counted(entries), day=day, version=version))  # fmt: skip


def machine_page(site: SiteAbout, forms: Sequence[tuple[str, str, str]], day: str, version: str) -> bytes:
    """Return the page that lists what machines read: each form's name, what it is, and its path."""
    template = _environment().get_template("machines.html")
    return _bytes(template.render(site=site, root="", forms=forms, day=day, version=version))


def assets() -> dict[str, bytes]:
    """Return the files that all pages share, by their paths."""
    return {
        **{f"assets/{name}": (HERE / "assets" / name).read_bytes() for name in SCRIPTS},
        **{f"assets/{name}": (FONTS_FOLDER / name).read_bytes() for name in (*FONTS, *LICENCES)},
    }


def _counted(entries: Sequence[SiteEntry]) -> str:
    return trn("{count:,} dataset", "{count:,} datasets", len(entries))


def _picture_of(entries: Sequence[SiteEntry]) -> str:
    return next((f"datasets/{quote(entry.id)}/{PICTURE}" for entry in entries if entry.has_picture), "")


def _by_theme(entries: Sequence[SiteEntry]) -> list[tuple[str, str, list[SiteEntry]]]:
    """Return the datasets of each theme, by its name; those without one come last."""
    groups: dict[str, list[SiteEntry]] = defaultdict(list)
    for entry in entries:
        for theme in entry.themes or (NO_THEME,):
            groups[theme].append(entry)
    names = sorted(groups, key=lambda name: (name == NO_THEME, name.lower()))
    return [
        (name, f"theme-{number}", sorted(groups[name], key=lambda entry: entry.title.lower()))
        for number, name in enumerate(names, start=1)
    ]


def _bytes(page: str) -> bytes:
    return page.encode("utf-8", "replace")


@cache
def _environment() -> Environment:
    found = page_templates(HERE / "templates", StrictUndefined)
    scripts = [(HERE / "assets" / name).read_text("utf-8") for name in SCRIPTS if name.endswith(".js")]
    found.globals["texts"] = script_texts("".join(scripts))  # of a site that speaks one language
    return found
