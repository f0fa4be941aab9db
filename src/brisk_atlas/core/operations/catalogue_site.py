"""A catalogue site of a folder, a database or a service: pages, a search and forms for machines, as files."""

from __future__ import annotations

import shutil
from collections.abc import Iterable, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from hashlib import sha256
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import AtlasError, DataRef
from brisk_atlas.core.model.language import language_in_use, tr
from brisk_atlas.core.site.site_entry import SiteEntry
from brisk_atlas.core.system.atomic_write import reason_of

from .catalogue_plan import (
    DATASETS,
    FORMAT,
    NO_SITE,
    STATE,
    DatasetWish,
    PlannedDataset,
    SitePlan,
    SiteState,
    SiteWish,
    checked_folder,
    digest_of_settings,
    listed_in,
    plan_of,
    source_of,
    state_bytes,
    stored_site,
)  # fmt: skip
from .operation import Operation, Progress, Source, argument, silent

if TYPE_CHECKING:
    from brisk_atlas.core.site.related import RelatedDataset
    from brisk_atlas.core.site.site_files import DescribedDataset
    from brisk_atlas.core.system.workers import Call
    from brisk_atlas.core.workspace.workspace import Workspace

    from .catalogue_dataset import SiteSettings

BATCH = 6  # datasets that a worker builds at a time
PATIENCE_S = 900.0
MOST_FAULTS = 20  # reported one by one


@dataclass(frozen=True)
class SiteMade:
    """What came of it: how many datasets the site has, how many of them were built anew, what could not be read, and
    what the shapes of DCAT-AP find wrong, None where that was not looked at."""

    path: Path
    count: int
    built: int
    removed: int
    faults: tuple[SiteEntry, ...]
    findings: tuple[str, ...] | None = None

    @property
    def failed(self) -> int:
        return len(self.faults) + len(self.findings or ())

    def lines(self) -> list[str]:
        """Return it in words."""
        words = [f"{self.count:,} dataset{'s' if self.count != 1 else ''}", f"{self.built:,} built anew"]
        if self.removed:
            words.append(f"{self.removed:,} removed")
        found = [f"Written: {self.path / 'index.html'}", ", ".join(words)]
        found += [f"Left out: {entry.source}: {entry.fault}" for entry in self.faults[:MOST_FAULTS]]
        if len(self.faults) > MOST_FAULTS:
            found.append(f"{len(self.faults) - MOST_FAULTS:,} more were left out; all.html lists them.")
        if self.findings is not None:
            found += self.findings or ("The descriptions conform to the shapes of DCAT-AP.",)
        return found

    def as_json(self) -> dict[str, Any]:
        return {"path": str(self.path), "count": self.count, "built": self.built, "removed": self.removed,
                "faults": [{"source": entry.source, "reason": entry.fault} for entry in self.faults],
                "findings": None if self.findings is None else list(self.findings)}  # fmt: skip


@dataclass(frozen=True)
class CatalogueSite(Operation):
    """Make a site of files for all datasets of a folder, a database or a service: pages, a search, forms for machines.
    What did not change since the site was made last stays as it is."""

    source: Source = argument(tr("the folder, or the address of a database, a service or a Depot"))
    out: Path = argument(tr("the folder of the site; a new one, or one that was made so"))
    title: str = argument(tr("the title of the site; the name of the folder if not given"), "")
    summary: str = argument(tr("a few sentences about it"), "")
    address: str = argument(tr("where it will be found, https://...; machines need it"), "")
    largest_mb: int = argument(tr("files that are larger are not handed out"), 200)
    everything: bool = argument(tr("build all anew"), False)
    check: bool = argument(tr("check the descriptions by the shapes of DCAT-AP"), False)

    def run(self, workspace: Workspace, progress: Progress = silent) -> SiteMade:
        """Raises AtlasError for a source that can't be listed, and an output folder with something else in it."""
        source, old = source_of(self.source), checked_folder(self.out)
        settings = self._settings(source)
        digest = digest_of_settings(asdict(settings))
        plan = self._planned(source, old, "" if self.everything else digest, progress)
        built = _built(plan.wishes, self.out, settings, progress)
        moment = datetime.now(UTC).isoformat(timespec="seconds")
        entries = [*plan.holding, *(_dated(entry, plan.before.get(entry.source), moment) for entry in built)]
        entries.sort(key=lambda entry: entry.source)
        removed = self._remove_gone(old.entries, entries)
        progress(0.95, tr("search and lists"))
        made = _SiteFinish(self.out, settings, entries, {entry.id for entry in built}, old.ties, moment)
        try:
            ties = made.finished()
            wish = SiteWish(self.title, self.summary, self.address, self.largest_mb)
            _write(self.out / STATE, state_bytes(SiteState(FORMAT, wish, digest, tuple(entries), ties)))
        except OSError as error:
            raise reason_of(error, self.out) from error
        findings = None
        if self.check:
            progress(0.97, tr("checking the descriptions"))
            findings = made.findings()
        faults = tuple(entry for entry in entries if entry.fault)
        count = sum(entry.is_listed or bool(entry.fault) for entry in built)
        return SiteMade(self.out, len(made.listed), count, removed, faults, findings)

    def plan(self, progress: Progress = silent) -> list[PlannedDataset]:
        """Return what a run would do with each dataset; nothing is read or written for it. Raises AtlasError."""
        source = source_of(self.source)
        digest = digest_of_settings(asdict(self._settings(source)))
        return self._planned(source, stored_site(self.out) or NO_SITE, digest, progress).rows()

    def _planned(self, source: DataRef, old: SiteState, digest: str, progress: Progress) -> SitePlan:
        progress(0.0, tr("looking at what is there"))
        listed = list(listed_in(source, self.out, lambda: progress(0.0, tr("looking at what is there"))))
        return plan_of(source, listed, old, digest, self.out)

    def _settings(self, source: DataRef) -> SiteSettings:
        from brisk_atlas.core.site.site_pages import SiteAbout
        from brisk_atlas.version import VERSION

        from .catalogue_dataset import SiteSettings

        address = self.address.strip()
        if address and not address.startswith(("http://", "https://")):
            raise AtlasError(address, tr("it is no address of the web"), tr("It begins with https:// or http://."))
        address = address.rstrip("/") + "/" if address else ""
        title = self.title or (source.path.resolve().name if source.is_local else source.name) or "Catalogue"
        about = SiteAbout(title, self.summary, address)
        return SiteSettings(
            about, datetime.now(UTC).date().isoformat(), VERSION, self.largest_mb * 1_000_000, language_in_use()
        )

    def _remove_gone(self, before: Iterable[SiteEntry], after: Iterable[SiteEntry]) -> int:
        """Remove the folders of datasets that are there no more; returns how many."""
        there = {entry.id for entry in after}
        gone = [entry for entry in before if entry.id not in there]
        for entry in gone:
            shutil.rmtree(self.out / DATASETS / entry.id, ignore_errors=True)
        return len([entry for entry in gone if entry.is_listed])


def _dated(entry: SiteEntry, before: SiteEntry | None, moment: str) -> SiteEntry:
    """Return an entry with when it changed: now, unless all of it is as it was."""
    same = before is not None and before.digest == entry.digest and before.changed
    return replace(entry, changed=before.changed if same and before is not None else moment)


def _built(wishes: Sequence[DatasetWish], out: Path, settings: SiteSettings, progress: Progress) -> list[SiteEntry]:
    """Build datasets: files shared between worker processes, of which one that brings its process down is left out
    alone; what others offer here, where logins are known."""
    from brisk_atlas.core.system.workers import WorkerDied, WorkerTooSlow, shared_workers

    from .catalogue_dataset import build_several

    try:
        (out / "datasets").mkdir(exist_ok=True)
    except OSError as error:
        raise reason_of(error, out) from error
    found: list[SiteEntry] = []

    def report() -> None:
        done = len(found)
        progress(0.05 + 0.9 * done / max(1, len(wishes)), wishes[min(done, len(wishes) - 1)].source)

    if wishes and not wishes[0].ref.is_local:
        for wish in wishes:
            report()
            found += build_several((wish,), out, settings)
        return found
    waiting = [tuple(wishes[at : at + BATCH]) for at in range(0, len(wishes), BATCH)]
    while waiting:
        broken: list[tuple[DatasetWish, ...]] = []
        calls = (_call(batch, out, settings) for batch in waiting)
        for call, made in shared_workers().run_in_order(calls, report):
            batch = call.arguments[0]
            if isinstance(made, WorkerDied | WorkerTooSlow):
                if len(batch) == 1:
                    found.append(_broken(batch[0]))
                broken += [(wish,) for wish in batch] if len(batch) > 1 else []
            elif isinstance(made, Exception):
                raise made
            else:
                found += made
        waiting = broken
    return found


def _call(batch: tuple[DatasetWish, ...], out: Path, settings: SiteSettings) -> Call:
    from brisk_atlas.core.system.workers import Call

    return Call(f"{__package__}.catalogue_dataset:build_in_worker", (batch, out, settings), PATIENCE_S)


def _broken(wish: DatasetWish) -> SiteEntry:
    reason = "The process that read it ended. It may be damaged; ask its sender for it again."
    return SiteEntry(wish.id, wish.source, wish.state, wish.source, fault=reason)


def _write(path: Path, data: bytes) -> None:
    """Write a file of the site where it differs, so that there is the old one or the new."""
    if path.is_file() and path.stat().st_size == len(data) and path.read_bytes() == data:
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    beside = path.with_name(f".{path.name}.new")
    beside.write_bytes(data)
    beside.replace(path)


class _SiteFinish:
    """What is made of all datasets together: what belongs with what, lists, the search, and forms for machines."""

    def __init__(
        self, out: Path, settings: SiteSettings, entries: Sequence[SiteEntry], built: set[str], ties: dict[str, str],
        moment: str,
    ) -> None:  # fmt: skip
        self.out, self.settings, self.built, self.ties, self.moment = out, settings, built, ties, moment
        self.listed = [entry for entry in entries if entry.is_listed]
        self.faults = [entry for entry in entries if entry.fault]

    def finished(self) -> dict[str, str]:
        """Write all; returns the digests of what stands on each page of others."""
        from brisk_atlas.core.site import site_files, site_pages
        from brisk_atlas.core.site.related import related_of
        from brisk_atlas.core.site.search_index import search_script

        about, day, version = self.settings.about, self.settings.day, self.settings.version
        ties = self._put_related(related_of(self.listed))
        described = self._described()
        files = {
            **site_pages.assets(),
            "search.js": search_script(self.listed),
            "index.html": site_pages.home_page(about, self.listed, day, version),
            "all.html": site_pages.list_page(about, self.listed, self.faults, day, version),
            "machines.html": site_pages.machine_page(about, self._forms(), day, version),
            **site_files.catalogue_graphs(about, described, day),
            "catalog.json": site_files.stac_catalog(about, described),
            "feed.xml": site_files.change_feed(about, self.listed, self.moment),
        }
        if about.address:
            files["sitemap.xml"] = site_files.site_map(about, self.listed)
        for name, data in files.items():
            _write(self.out / name, data)
        if not about.address:
            (self.out / "sitemap.xml").unlink(missing_ok=True)
        return ties

    def _described(self) -> list[DescribedDataset]:
        from brisk_atlas.core.site.site_files import DescribedDataset

        folder = self.out / DATASETS
        return [DescribedDataset(entry, folder / entry.id, self.settings.address_of(entry.id)) for entry in self.listed]

    def _forms(self) -> list[tuple[str, str, str]]:
        forms = [
            ("DCAT-AP", tr("as Turtle"), "catalogue.ttl"), ("DCAT-AP", tr("as JSON-LD"), "catalogue.jsonld"),
            ("DCAT-AP", tr("as RDF/XML"), "catalogue.rdf"), ("STAC", tr("a catalog of collections"), "catalog.json"),
            ("Atom", tr("the latest changes"), "feed.xml"),
        ]  # fmt: skip
        return (
            [*forms, (tr("Sitemap"), tr("for search engines"), "sitemap.xml")] if self.settings.about.address else forms
        )

    def _put_related(self, related: dict[str, tuple[RelatedDataset, ...]]) -> dict[str, str]:
        """Put what belongs with each dataset on its pages, where that is not what stands there."""
        from brisk_atlas.core.site.site_pages import with_related

        by_id = {entry.id: entry for entry in self.listed}
        digests = {}
        for id_, those in related.items():
            lines = [(by_id[each.id], each) for each in those]
            digests[id_] = sha256(
                repr([(entry.id, entry.title, each.reasons) for entry, each in lines]).encode("utf-8", "replace")
            ).hexdigest()[:16]
            if digests[id_] == self.ties.get(id_) and id_ not in self.built:
                continue
            for page in (self.out / DATASETS / id_).glob("index*.html"):
                _write(page, with_related(page.read_text("utf-8"), lines).encode("utf-8", "replace"))
        return digests

    def findings(self) -> tuple[str, ...]:
        """Return what the shapes of DCAT-AP find wrong in the catalogue."""
        from rdflib import Graph

        from brisk_atlas.core.site.shacl import findings_in

        graph = Graph().parse(self.out / "catalogue.ttl", format="turtle")
        return tuple(f"{each.about}: {each.reason}" for each in findings_in(graph))
