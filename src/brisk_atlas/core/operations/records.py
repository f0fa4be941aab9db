"""What is done with metadata records: converting, templates, filling, tables, pages, catalogues, flattening."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr

from .operation import Operation, Progress, Written, argument, silent

if TYPE_CHECKING:
    from collections.abc import Iterable

    from brisk_atlas.core.curate import many
    from brisk_atlas.core.curate.batch import Plan
    from brisk_atlas.core.record import Conversion, Standard
    from brisk_atlas.core.workspace.workspace import Workspace


def standard_called(name: str) -> Standard:
    """Return a standard by its name, in any spelling. Raises AtlasError."""
    from brisk_atlas.core.record import STANDARDS, standard_named

    try:
        return standard_named(name)
    except KeyError:
        raise AtlasError(
            name, tr("no standard is called so"), tr("There are: {standards}.", standards=", ".join(STANDARDS))
        ) from None


@dataclass(frozen=True)
class RecordConversion:
    """What became of a record in another standard, and the file it is written to."""

    path: Path
    conversion: Conversion
    is_written: bool

    def lines(self) -> list[str]:
        return [*([f"Written: {self.path}"] if self.is_written else []), *self.conversion.lines()]

    def as_json(self) -> dict[str, Any]:
        made = self.conversion
        counts = {"lost": len(made.lost), "moved": len(made.moved), "missing": len(made.missing)}
        return {"path": str(self.path), "is_written": self.is_written, **counts, "report": made.lines()}


@dataclass(frozen=True)
class ConvertRecord(Operation):
    """Write a record in another standard, and say what was moved and what it has no place for."""

    record: Path = argument(tr("a record, or a dataset that has one"))
    to: str = argument(tr("the standard to write it in"))
    path: Path | None = argument(tr("the file to write; beside the record if not given"), None)
    overwrite: bool = argument(tr("write over a file that is there"), False)
    which: str = argument(tr("the label of the record, or a part of it, where the dataset has several"), "")
    only_report: bool = argument(tr("write nothing; only say what would become of it"), False)

    def run(self, workspace: Workspace, progress: Progress = silent) -> RecordConversion:
        from brisk_atlas.core.curate.documents import document_of, without_ending
        from brisk_atlas.core.curate.saving import save
        from brisk_atlas.core.record import convert

        standard, document = standard_called(self.to), document_of(self.record, self.which)
        plain = without_ending(document.path)
        target = self.path or plain.with_name(plain.name + standard.suffix)
        made = convert(document, standard, target)
        if not self.only_report:
            save(made.document, target, over=self.overwrite)
        return RecordConversion(target, made, not self.only_report)


@dataclass(frozen=True)
class FillRecord(Operation):
    """Put what the data tells into its record where that says nothing: extent, CRS, fields, counts. A dataset without a
    record gets one."""

    data: Path = argument(tr("the dataset"))
    standard: str = argument(tr("the standard of a new record"), "ISO 19139")
    new: bool = argument(tr("make a new record even where there is one"), False)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core import read
        from brisk_atlas.core.curate.derived import derived_record, filled
        from brisk_atlas.core.curate.saving import path_beside, save
        from brisk_atlas.core.read.find_records import BESIDE, find_records
        from brisk_atlas.core.record import Record, written
        from brisk_atlas.core.record.elements import stated_places

        dataset = read.open(self.data)
        found = derived_record(dataset)
        locations, _ = find_records(dataset) if not self.new else ((), ())
        beside = next((one for one in locations if one.where == BESIDE and one.can_edit), None)
        if beside is not None:
            before = beside.document
            after = before.edited(filled(before.record, found))
            save(after, before.path, was=before.data)
            added = len(list(stated_places(after.record))) - len(list(stated_places(before.record)))
            return Written((before.path,), tr("{added:,} values filled in", added=added))
        standard = standard_called(self.standard)
        record = standard.adapted(filled(Record(title=self.data.stem), found))
        document = written(standard, record, self.data.with_name(self.data.name + standard.suffix))
        path = path_beside(self.data, document)
        save(replace(document, path=path), path)
        return Written((path,), tr("a new record"))


@dataclass(frozen=True)
class TemplateChanges:
    """What a template does to each of many records."""

    plans: tuple[Plan, ...]
    is_written: bool
    digest: str
    """Of all records as they were read: the same digest, the same changes."""

    def lines(self) -> list[str]:
        from brisk_atlas.core.curate.batch import short

        lines = []
        for plan in self.plans:
            if plan.error:
                lines.append(plan.error)
                continue
            state = "new record" if plan.is_new else "changes" if plan.changes else "nothing to change"
            lines.append(f"{plan.path.name}: {state}")
            lines += [f"  {c.label}: {short(c.before) or 'not stated'} -> {short(c.after)}" for c in plan.changes]
        return lines + ([] if self.is_written else [tr("Nothing was written; say --write to save.")])

    def as_json(self) -> dict[str, Any]:
        from brisk_atlas.core.curate.batch import short

        records = [
            {
                "path": str(plan.path),
                "is_new": plan.is_new,
                "error": plan.error,
                "changes": [
                    {"element": c.label, "before": short(c.before), "after": short(c.after)} for c in plan.changes
                ],
            }
            for plan in self.plans
        ]
        return {"is_written": self.is_written, "digest": self.digest, "records": records}


@dataclass(frozen=True)
class ApplyTemplate(Operation):
    """Put what a template says into many records; datasets without one get a new one."""

    template: Path = argument(tr("the record that is the template"))
    paths: tuple[Path, ...] = argument(tr("records, datasets and folders"))
    elements: tuple[str, ...] | None = argument(tr("the elements to take from it; all if not given"), None)
    replace: bool = argument(tr("write over what records say; otherwise only gaps are filled"), False)
    write: bool = argument(tr("save; otherwise it is only shown what would change"), False)
    digest: str = argument(tr("what an earlier look returned; nothing is saved if a record changed since"), "")

    def run(self, workspace: Workspace, progress: Progress = silent) -> TemplateChanges:
        from brisk_atlas.core.curate import batch
        from brisk_atlas.core.curate.documents import sources_of
        from brisk_atlas.core.record import read_document
        from brisk_atlas.core.record.templates import FILL, REPLACE

        how = REPLACE if self.replace else FILL
        template = read_document(self.template)
        found = batch.plans(template, sources_of(self.paths), how, self.elements, lambda: progress(0.0, tr("reading")))
        plans = list(found)
        digest = batch.digest_of(template, plans)
        if self.write:
            if self.digest and self.digest != digest:
                raise AtlasError(
                    self.template.name, tr("a record or the template changed since it was looked at"), tr("Look again.")
                )
            for number, plan in enumerate(plans):
                progress(number / len(plans), plan.path.name)
                plans[number] = plan.saved()
        return TemplateChanges(tuple(plans), self.write, digest)


@dataclass(frozen=True)
class TableRecords(Operation):
    """Write a table with a row a record: chosen elements, how complete it is, what is wrong with it."""

    paths: tuple[Path, ...] = argument(tr("records, datasets and folders"))
    path: Path = argument(tr("the table to write, .csv or .xlsx"))
    elements: tuple[str, ...] | None = argument(tr("the elements, a column each"), None)
    standard: str | None = argument(tr("the standard to judge by; each record's own if not given"), None)
    words: str = argument(tr("only rows with these words in a cell"), "")
    order_by: str | None = argument(tr("the head of the column to sort by"), None)
    descending: bool = argument(tr("sort from the highest down"), False)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.curate import many
        from brisk_atlas.core.curate.documents import sources_of
        from brisk_atlas.core.record.elements import elements

        chosen = self.elements or many.DEFAULT
        unknown = [name for name in chosen if name not in elements()]
        if unknown:
            raise AtlasError(
                ", ".join(unknown), tr("no element is called so"), tr("`record show --full` prints the names.")
            )
        standard = standard_called(self.standard) if self.standard else None
        rows: Iterable[many.TableRow]
        rows = many.table(sources_of(self.paths), chosen, standard, lambda: progress(0.0, tr("reading records")))
        base = self.paths[0] if len(self.paths) == 1 and self.paths[0].is_dir() else None
        if self.words:
            rows = (row for row in rows if many.has_words(row, self.words, base))
        if self.order_by is not None:
            heads = many.columns(chosen)
            if self.order_by not in heads:
                raise AtlasError(
                    self.order_by, tr("no column is called so"), tr("There are: {heads}.", heads=", ".join(heads))
                )
            column = heads.index(self.order_by)
            rows = sorted(rows, key=lambda row: many.sort_key(row, column, base), reverse=self.descending)
        writer = many.write_xlsx if self.path.suffix.lower() == ".xlsx" else many.write_csv
        return Written((self.path,), tr("{writer:,} rows", writer=writer(rows, chosen, self.path, base)))


@dataclass(frozen=True)
class WriteRecordPage(Operation):
    """Write a record as a page that needs nothing else, with a picture of its data."""

    record: Path = argument(tr("a record, or a dataset that has one"))
    path: Path | None = argument(tr("the page to write; beside the record if not given"), None)
    which: str = argument(tr("the label of the record, or a part of it, where the dataset has several"), "")
    data: Path | None = argument(tr("the dataset it speaks of; found by its name if not given"), None)

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core import read
        from brisk_atlas.core.curate.data_sections import derived_sections
        from brisk_atlas.core.curate.documents import data_of, document_of
        from brisk_atlas.core.curate.handing_on import html_page
        from brisk_atlas.core.curate.saving import replace_file
        from brisk_atlas.core.kinds.first_sight import picture_of
        from brisk_atlas.core.model import DataRef

        document, data = document_of(self.record, self.which), self.data or data_of(self.record)
        target = self.path or self.record.with_name(self.record.name + ".html")
        if data is None:
            page = html_page(document)
        else:
            progress(0.2, tr("reading"))
            derived = derived_sections(read.open(data))
            progress(0.4, tr("drawing"))
            page = html_page(document, picture_of(DataRef.file(data.absolute())), derived=derived)
        replace_file(target, page.encode("utf-8"))
        return Written((target,), "")


@dataclass(frozen=True)
class WriteCatalogue(Operation):
    """Write a DCAT-AP catalogue of all datasets of a folder."""

    folder: Path = argument(tr("the folder"))
    path: Path = argument(tr("the catalogue to write: .jsonld, .ttl or .rdf"))
    title: str = argument(tr("its title"), "")

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.curate.handing_on import catalogue, write_graph

        if not self.folder.is_dir():
            raise AtlasError(self.folder, tr("it is no folder"), tr("Name a folder."))
        graph, failed = catalogue(self.folder, self.title, lambda: progress(0.0, tr("reading records")))
        write_graph(graph, self.path)
        return Written((self.path,), "", tuple(failed))


@dataclass(frozen=True)
class FlattenXml(Operation):
    """Write elements of any XML file as tables, a row an element, each to a CSV file."""

    file: Path = argument(tr("the XML file"))
    elements: tuple[str, ...] = argument(tr("the names of the elements, a table each"))
    folder: Path = argument(tr("the folder to write the tables to"))

    def run(self, workspace: Workspace, progress: Progress = silent) -> Written:
        from brisk_atlas.core.record import flattening

        known = {kind.name for kind in flattening.kinds_in(self.file)}
        strange = [name for name in self.elements if name not in known]
        if strange:
            raise AtlasError(
                self.file.name,
                tr("it has no element called {strange}", strange=", ".join(strange)),
                tr("Names are as in the file."),
            )
        progress(0.3, tr("reading elements"))
        tables = flattening.flatten(self.file, list(self.elements))
        paths = flattening.write_all_csv(tables, self.folder, self.file.name.partition(".")[0])
        return Written(tuple(paths), tr("{count:,} tables", count=len(tables)))
