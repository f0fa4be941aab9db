"""The command line of metadata records: `brisk-atlas record show|check|convert|table|apply|flatten|page|catalogue`."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from brisk_atlas.core.record import Document, Standard

SHORTEST = 24  # letters of a label before its text


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="brisk-atlas record", description="Read, check, convert and table metadata records."
    )
    verbs = parser.add_subparsers(dest="verb", required=True)

    def verb(name: str, says: str) -> argparse.ArgumentParser:
        return verbs.add_parser(name, help=says, description=says)

    show = verb("show", "Print a record, or the records of a dataset.")
    show.add_argument("paths", nargs="+", type=Path)
    show.add_argument("--full", action="store_true", help="every element with its place, not the short reading")
    show.add_argument("--json", action="store_true", help="print a list with an object a record")
    check = verb("check", "Say what is wrong with records; exit 1 if any has a fault.")
    check.add_argument("paths", nargs="+", type=Path, help="records, datasets or folders")
    check.add_argument("--standard", help="check under this standard instead of the record's own")
    check.add_argument("--schema", action="store_true", help="check against the XML schema too")
    check.add_argument("--json", action="store_true")
    convert = verb("convert", "Write a record in another standard and say what was lost.")
    convert.add_argument("path", type=Path)
    convert.add_argument("to", metavar="STANDARD")
    convert.add_argument("-o", "--output", type=Path)
    convert.add_argument("--force", action="store_true", help="write over a file that is there")
    table = verb("table", "Chosen elements of all records of folders as a table.")
    table.add_argument("paths", nargs="+", type=Path)
    table.add_argument(
        "--element",
        action="append",
        dest="elements",
        metavar="NAME",
        help="such as title or contacts.email; again for more",
    )
    table.add_argument("--standard")
    table.add_argument("-o", "--output", type=Path, help="a .csv or .xlsx file; printed as CSV if not given")
    apply = verb("apply", "Apply a template to records; only shown unless --write is given.")
    apply.add_argument("template", type=Path)
    apply.add_argument("paths", nargs="+", type=Path)
    apply.add_argument(
        "--replace", action="store_true", help="write over what the records say; otherwise only gaps are filled"
    )
    apply.add_argument(
        "--element", action="append", dest="elements", metavar="NAME", help="only these elements of the template"
    )
    apply.add_argument("--write", action="store_true", help="save; a dataset without a record gets one beside it")
    flat = verb("flatten", "Any XML as tables, one a chosen element name.")
    flat.add_argument("path", type=Path)
    flat.add_argument("names", nargs="*", metavar="ELEMENT", help="none: list the element names")
    flat.add_argument("-o", "--output", type=Path, help="a folder for the CSV files; printed if not given")
    page = verb("page", "A record as an HTML page that needs nothing else.")
    page.add_argument("path", type=Path)
    page.add_argument("-o", "--output", type=Path)
    catalogue = verb("catalogue", "A DCAT-AP catalogue of a folder.")
    catalogue.add_argument("folder", type=Path)
    catalogue.add_argument("--title", default="")
    catalogue.add_argument("-o", "--output", type=Path, help=".jsonld, .ttl or .rdf; printed as Turtle if not given")
    return parser


def main(arguments: Sequence[str]) -> int:
    """Run a command about records; returns its exit code."""
    from brisk_atlas.core.model import AtlasError

    asked = _parser().parse_args(arguments)
    verbs: dict[str, Callable[[Any], int]] = {
        "show": _show, "check": _check, "convert": _convert, "table": _table,
        "apply": _apply, "flatten": _flatten, "page": _page, "catalogue": _catalogue,
    }  # fmt: skip
    try:
        return verbs[asked.verb](asked)
    except BrokenPipeError:
        return 1
    except (AtlasError, _Refused) as error:
        return _complain(" ".join(str(error).split()))
    except OSError as error:
        return _complain(f"{error.filename or 'output'}: it cannot be written ({error.strerror}).")


class _Refused(Exception):
    """What was asked cannot be done; says why."""


def _complain(text: str) -> int:
    print(text, file=sys.stderr)
    return 1


def _standard(name: str | None) -> Standard | None:
    from brisk_atlas.core.record import STANDARDS, standard_named

    if name is None:
        return None
    try:
        return standard_named(name)
    except KeyError:
        raise _Refused(f"No standard is called '{name}'. There are: {', '.join(STANDARDS)}.") from None


def _documents(path: Path) -> list[tuple[str, Document]]:
    """Return the records that a path is or has, each with what it is called. Raises AtlasError."""
    from brisk_atlas.core import read
    from brisk_atlas.core.read.find_records import find_records
    from brisk_atlas.core.record import read_document
    from brisk_atlas.core.record.detect import is_record_name

    if path.is_file() and is_record_name(path.name):
        return [(path.name, read_document(path))]
    kept, failed = find_records(read.open(path))
    for one in failed:
        print(one.reason, file=sys.stderr)
    return [(one.label, one.document) for one in kept]


def _show(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.record import brief
    from brisk_atlas.core.record.elements import label_of, place_text, said_places

    told = []
    missing = False
    for path in asked.paths:
        documents = _documents(path)
        if not documents:
            missing = bool(
                _complain(f"{path.name}: it has no record. `record apply TEMPLATE {path.name} --write` makes one.")
            )
        for label, document in documents:
            if asked.json:
                values = {place_text(place): value for place, value in said_places(document.record)}
                left = [{"line": u.line, "path": u.path, "text": u.text, "reason": u.reason} for u in document.unplaced]
                told.append({"record": label, "standard": document.standard.name, "values": values, "unplaced": left})
                continue
            print(f"{document.record.title or 'without a title'}  [{label}]")
            if asked.full:
                for place, value in said_places(document.record):
                    where = f"{label_of(place)}, line {document.line_of(place) or '-'}"
                    print(f"  {place_text(place):<{SHORTEST}}  {value}  ({where})")
                for u in document.unplaced:
                    print(f"  line {u.line}: {u.path}: {u.text}  ({u.reason})")
                continue
            for section in brief(document.record):
                print(section.title)
                for label_, text, _ in section.lines:
                    print(f"  {label_:<{SHORTEST}}  {text}")
            for note in document.notes:
                print(f"! {note}")
    if asked.json:
        print(json.dumps(told, indent=2, ensure_ascii=False))
    return int(missing)


def _check(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.curate.many import sources_in
    from brisk_atlas.core.record import check, check_schema, completeness
    from brisk_atlas.core.record.elements import label_of, place_text

    standard = _standard(asked.standard)
    paths = [s.record for p in asked.paths if p.is_dir() for s in sources_in(p) if s.record] + [
        p for p in asked.paths if not p.is_dir()
    ]
    told, faulty = [], False
    for path in paths:
        for label, document in _documents(path):
            judged = standard or document.standard
            found = check(document.record, judged)
            if asked.schema and document.standard.family == "xml":
                found += check_schema(document.data, document.standard, document.place_at)
            faulty |= any(f.severity == "fault" for f in found)
            full = completeness(document.record, judged)
            if asked.json:
                findings = [
                    {
                        "severity": f.severity,
                        "place": place_text(f.place),
                        "line": document.line_of(f.place),
                        "reason": f.reason,
                    }
                    for f in found
                ]
                told.append(
                    {
                        "record": str(path),
                        "standard": judged.name,
                        "said": full.said,
                        "asked": full.asked,
                        "findings": findings,
                    }
                )
                continue
            print(f"{label} under {judged.name}: {full.said} of {full.asked} filled in, {len(found)} finding(s)")
            for f in found:
                where = label_of(f.place) if f.place else "the record"
                print(f"  {f.severity}: {where}: {f.reason}")
    if asked.json:
        print(json.dumps(told, indent=2, ensure_ascii=False))
    return int(faulty)


def _convert(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.connect.members import RECORDS
    from brisk_atlas.core.curate.saving import save
    from brisk_atlas.core.record import convert

    standard = _standard(asked.to)
    assert standard is not None
    documents = _documents(asked.path)
    if not documents:
        raise _Refused(f"{asked.path.name}: it has no record.")
    document = documents[0][1]
    name = document.path.name
    ending = max((e for e in RECORDS if name.lower().endswith(e)), key=len, default="")
    stem = name[: len(name) - len(ending)]
    target = asked.output or document.path.with_name(stem + standard.suffix)
    made = convert(document, standard, target)
    save(made.document, target, over=asked.force)
    print(f"Written: {target}")
    for line in made.lines():
        print(f"  {line}")
    return 0


def _sources(paths: Sequence[Path]) -> Any:
    from brisk_atlas.core.curate.many import Source, sources_in
    from brisk_atlas.core.record.detect import is_record_name

    for path in paths:
        if path.is_dir():
            yield from sources_in(path)
        elif is_record_name(path.name):
            yield Source(None, path)
        else:
            found = [Source(path, document.path) for _, document in _documents(path) if not document.read_only]
            yield from found or [Source(path, None)]


def _table(asked: argparse.Namespace) -> int:
    import csv

    from brisk_atlas.core.curate import many
    from brisk_atlas.core.record.elements import elements

    chosen = asked.elements or list(many.DEFAULT)
    unknown = [name for name in chosen if name not in elements()]
    if unknown:
        raise _Refused(f"No element is called {', '.join(unknown)}. `record show --full` prints the names.")
    rows = many.table(_sources(asked.paths), chosen, _standard(asked.standard))
    base = asked.paths[0] if len(asked.paths) == 1 and asked.paths[0].is_dir() else None
    if asked.output is None:
        out = csv.writer(sys.stdout)
        out.writerow(many.columns(chosen))
        for row in rows:
            out.writerow(many.cells(row, base))
        return 0
    writer = many.write_xlsx if asked.output.suffix.lower() == ".xlsx" else many.write_csv
    count = writer(rows, chosen, asked.output, base)
    print(f"Written: {asked.output}, {count:,} rows")
    return 0


def _apply(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.curate import batch
    from brisk_atlas.core.record import read_document
    from brisk_atlas.core.record.templates import FILL, REPLACE

    template = read_document(asked.template)
    how = REPLACE if asked.replace else FILL
    failed = False
    plans = batch.plans(template, _sources(asked.paths), how, asked.elements)
    for plan in plans:
        if plan.error:
            failed = bool(_complain(plan.error))
            continue
        state = "new record" if plan.is_new else "changes" if plan.changes else "nothing to change"
        print(f"{plan.path.name}: {state}")
        for change in plan.changes:
            print(f"  {change.label}: {batch.short(change.before) or 'not stated'} -> {batch.short(change.after)}")
        if asked.write and (plan.changes or plan.is_new):
            plan.save()
    if not asked.write:
        print("Nothing was written; say --write to save.")
    return int(failed)


def _flatten(asked: argparse.Namespace) -> int:
    import csv

    from brisk_atlas.core.record import flattening

    kinds = flattening.kinds_in(asked.path)
    if not asked.names:
        for kind in kinds:
            print(f"{kind.count:>7,}  {kind.name}{'' if kind.has_children else '  = ' + kind.example}")
        return 0
    strange = [name for name in asked.names if name not in {kind.name for kind in kinds}]
    if strange:
        raise _Refused(f"{asked.path.name}: it has no element called {', '.join(strange)}.")
    tables = flattening.flatten(asked.path, asked.names)
    if asked.output:
        for path in flattening.write_all_csv(tables, asked.output, asked.path.name.partition(".")[0]):
            print(f"Written: {path}")
        return 0
    out = csv.writer(sys.stdout)
    for flat in tables:
        print(f"# {flat.name}")
        out.writerow(flat.columns)
        out.writerows(flat.rows)
    return 0


def _page(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.curate.handing_on import html_page
    from brisk_atlas.core.curate.saving import replace_file

    documents = _documents(asked.path)
    if not documents:
        raise _Refused(f"{asked.path.name}: it has no record.")
    target = asked.output or asked.path.with_name(asked.path.name + ".html")
    replace_file(target, html_page(documents[0][1], _picture_of(asked.path)).encode("utf-8"))
    print(f"Written: {target}")
    return 0


def _picture_of(path: Path) -> bytes | None:
    """Return a PNG of the data that a record speaks of, where it can be drawn."""
    from brisk_atlas.core.connect.members import RECORDS
    from brisk_atlas.core.record.detect import is_record_name

    data = path
    if is_record_name(path.name):
        stems = [path.with_name(path.name[: -len(e)]) for e in RECORDS if path.name.lower().endswith(e)]
        data = next((stem for stem in stems if stem.exists()), path)
        if data == path:
            return None
    from brisk_atlas.core.handover.picture import picture_of
    from brisk_atlas.core.model import DataRef

    return picture_of(DataRef.file(data))


def _catalogue(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.curate.handing_on import catalogue, write_graph

    if not asked.folder.is_dir():
        raise _Refused(f"{asked.folder}: it is no folder.")
    graph, failed = catalogue(asked.folder, asked.title)
    for text in failed:
        print(text, file=sys.stderr)
    if asked.output:
        write_graph(graph, asked.output)
        print(f"Written: {asked.output}")
    else:
        print(graph.serialize(format="turtle"))
    return 0
