"""The command line of metadata records: `brisk-atlas record show|check|convert|table|apply|flatten|page|catalogue`."""

from __future__ import annotations

import argparse
import json
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Operation, Result
    from brisk_atlas.core.record import Document, Standard

SHORTEST = 24  # letters of a label before its text


def parser() -> argparse.ArgumentParser:
    """Return the parser of its arguments."""
    parser = argparse.ArgumentParser(
        prog="brisk-atlas record", description=tr("Read, check, convert and table metadata records.")
    )
    verbs = parser.add_subparsers(dest="verb", required=True)

    def verb(name: str, says: str) -> argparse.ArgumentParser:
        return verbs.add_parser(name, help=says, description=says)

    show = verb("show", tr("Print a record, or the records of a dataset."))
    show.add_argument("paths", nargs="+", type=Path)
    show.add_argument("--full", action="store_true", help=tr("every element with its place, not the short reading"))
    show.add_argument("--json", action="store_true", help=tr("print a list with an object a record"))
    check = verb("check", tr("Say what is wrong with records; exit 1 if any has a fault."))
    check.add_argument("paths", nargs="+", type=Path, help=tr("records, datasets or folders"))
    check.add_argument("--standard", help=tr("check under this standard instead of the record's own"))
    check.add_argument("--schema", action="store_true", help=tr("check against the XML schema too"))
    check.add_argument("--json", action="store_true")
    convert = verb("convert", tr("Write a record in another standard and say what was lost."))
    convert.add_argument("path", type=Path)
    convert.add_argument("to", metavar="STANDARD")
    convert.add_argument("-o", "--output", type=Path)
    convert.add_argument("--force", action="store_true", help=tr("write over a file that is there"))
    table = verb("table", tr("Chosen elements of all records of folders as a table."))
    table.add_argument("paths", nargs="+", type=Path)
    table.add_argument(
        "--element",
        action="append",
        dest="elements",
        metavar="NAME",
        help=tr("such as title or contacts.email; again for more"),
    )
    table.add_argument("--standard")
    table.add_argument("-o", "--output", type=Path, help=tr("a .csv or .xlsx file; printed as CSV if not given"))
    apply = verb("apply", tr("Apply a template to records; only shown unless --write is given."))
    apply.add_argument("template", type=Path)
    apply.add_argument("paths", nargs="+", type=Path)
    apply.add_argument(
        "--replace", action="store_true", help=tr("write over what the records say; otherwise only gaps are filled")
    )
    apply.add_argument(
        "--element", action="append", dest="elements", metavar="NAME", help=tr("only these elements of the template")
    )
    apply.add_argument("--write", action="store_true", help=tr("save; a dataset without a record gets one beside it"))
    flat = verb("flatten", tr("Any XML as tables, one a chosen element name."))
    flat.add_argument("path", type=Path)
    flat.add_argument("names", nargs="*", metavar="ELEMENT", help=tr("none: list the element names"))
    flat.add_argument("-o", "--output", type=Path, help=tr("a folder for the CSV files; printed if not given"))
    page = verb("page", tr("A record as an HTML page that needs nothing else."))
    page.add_argument("path", type=Path)
    page.add_argument("-o", "--output", type=Path)
    catalogue = verb("catalogue", tr("A DCAT-AP catalogue of a folder."))
    catalogue.add_argument("folder", type=Path)
    catalogue.add_argument("--title", default="")
    catalogue.add_argument(
        "-o", "--output", type=Path, help=tr(".jsonld, .ttl or .rdf; printed as Turtle if not given")
    )
    return parser


def main(arguments: Sequence[str]) -> int:
    """Run a command about records; returns its exit code."""
    from brisk_atlas.core.model import AtlasError

    asked = parser().parse_args(arguments)
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
        return _complain(
            tr(
                "{filename}: it cannot be written ({strerror}).",
                filename=error.filename or "output",
                strerror=error.strerror,
            )
        )


class _Refused(Exception):
    """What was asked cannot be done; says why."""


def _complain(text: str) -> int:
    print(text, file=sys.stderr)
    return 1


def _standard(name: str | None) -> Standard | None:
    from brisk_atlas.core.operations.records import standard_called

    return None if name is None else standard_called(name)


def _documents(path: Path) -> list[tuple[str, Document]]:
    """Return the records that a path is or has, each with what it is called. Raises AtlasError."""
    from brisk_atlas.core.curate.documents import documents_of

    documents, unread = documents_of(path)
    for reason in unread:
        print(reason, file=sys.stderr)
    return documents


def _run(operation: Operation) -> Result:
    """Run an operation that needs no open work."""
    from brisk_atlas.core.workspace import Workspace

    with Workspace() as workspace:
        return operation.run(workspace)


def _print(result: Result) -> None:
    for line in result.lines():
        print(line)


def _show(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.record import brief
    from brisk_atlas.core.record.elements import label_of, place_text, stated_places

    lines = []
    missing = False
    for path in asked.paths:
        documents = _documents(path)
        if not documents:
            missing = bool(
                _complain(
                    tr("{name}: it has no record. `record apply TEMPLATE {name} --write` makes one.", name=path.name)
                )
            )
        for label, document in documents:
            if asked.json:
                values = {place_text(place): value for place, value in stated_places(document.record)}
                left = [{"line": u.line, "path": u.path, "text": u.text, "reason": u.reason} for u in document.unplaced]
                lines.append({"record": label, "standard": document.standard.name, "values": values, "unplaced": left})
                continue
            print(f"{document.record.title or 'without a title'}  [{label}]")
            if asked.full:
                for place, value in stated_places(document.record):
                    where = tr(
                        "{label_of}, line {line_of}", label_of=label_of(place), line_of=document.line_of(place) or "-"
                    )
                    print(f"  {place_text(place):<{SHORTEST}}  {value}  ({where})")
                for u in document.unplaced:
                    print(
                        tr(
                            "  line {line}: {path}: {text}  ({reason})",
                            line=u.line,
                            path=u.path,
                            text=u.text,
                            reason=u.reason,
                        )
                    )
                continue
            for section in brief(document.record):
                print(section.title)
                for label_, text, _ in section.lines:
                    print(f"  {label_:<{SHORTEST}}  {text}")
            for note in document.notes:
                print(f"! {note}")
    if asked.json:
        print(json.dumps(lines, indent=2, ensure_ascii=False))
    return int(missing)


def _check(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.curate.many import sources_in
    from brisk_atlas.core.record import check, check_schema, completeness
    from brisk_atlas.core.record.elements import label_of, place_text

    standard = _standard(asked.standard)
    paths = [s.record for p in asked.paths if p.is_dir() for s in sources_in(p) if s.record] + [
        p for p in asked.paths if not p.is_dir()
    ]
    result, faulty = [], False
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
                result.append(
                    {
                        "record": str(path),
                        "standard": judged.name,
                        "filled_in": full.stated,
                        "asked": full.asked,
                        "findings": findings,
                    }
                )
                continue
            print(
                tr(
                    "{label} under {name}: {stated} of {asked} filled in, {count} finding(s)",
                    label=label,
                    name=judged.name,
                    stated=full.stated,
                    asked=full.asked,
                    count=len(found),
                )
            )
            for f in found:
                where = label_of(f.place) if f.place else tr("the record")
                print(f"  {f.severity}: {where}: {f.reason}")
    if asked.json:
        print(json.dumps(result, indent=2, ensure_ascii=False))
    return int(faulty)


def _convert(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.operations import ConvertRecord

    _print(_run(ConvertRecord(asked.path, asked.to, asked.output, asked.force)))
    return 0


def _table(asked: argparse.Namespace) -> int:
    import csv

    from brisk_atlas.core.curate import many
    from brisk_atlas.core.curate.documents import sources_of
    from brisk_atlas.core.operations import TableRecords
    from brisk_atlas.core.record.elements import elements

    if asked.output is not None:
        chosen = tuple(asked.elements) if asked.elements else None
        _print(_run(TableRecords(tuple(asked.paths), asked.output, chosen, asked.standard)))
        return 0
    shown = asked.elements or list(many.DEFAULT)
    unknown = [name for name in shown if name not in elements()]
    if unknown:
        raise _Refused(
            tr("No element is called {unknown}. `record show --full` prints the names.", unknown=", ".join(unknown))
        )
    base = asked.paths[0] if len(asked.paths) == 1 and asked.paths[0].is_dir() else None
    out = csv.writer(sys.stdout)
    out.writerow(many.columns(shown))
    for row in many.table(sources_of(asked.paths), shown, _standard(asked.standard)):
        out.writerow(many.cells(row, base))
    return 0


def _apply(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.operations import ApplyTemplate
    from brisk_atlas.core.operations.records import TemplateChanges

    elements = tuple(asked.elements) if asked.elements else None
    made = _run(ApplyTemplate(asked.template, tuple(asked.paths), elements, asked.replace, asked.write))
    assert isinstance(made, TemplateChanges)
    failed = [plan for plan in made.plans if plan.error]
    for plan in failed:
        _complain(plan.error)
    _print(TemplateChanges(tuple(plan for plan in made.plans if not plan.error), made.is_written, made.digest))
    return int(bool(failed))


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
        raise _Refused(
            tr("{name}: it has no element called {strange}.", name=asked.path.name, strange=", ".join(strange))
        )
    if asked.output:
        from brisk_atlas.core.operations import FlattenXml

        _print(_run(FlattenXml(asked.path, tuple(asked.names), asked.output)))
        return 0
    out = csv.writer(sys.stdout)
    for flat in flattening.flatten(asked.path, asked.names):
        print(f"# {flat.name}")
        out.writerow(flat.columns)
        out.writerows(flat.rows)
    return 0


def _page(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.operations import WriteRecordPage

    _print(_run(WriteRecordPage(asked.path, asked.output)))
    return 0


def _catalogue(asked: argparse.Namespace) -> int:
    from brisk_atlas.core.curate.handing_on import catalogue, write_graph

    if not asked.folder.is_dir():
        raise _Refused(tr("{folder}: it is no folder.", folder=asked.folder))
    graph, failed = catalogue(asked.folder, asked.title)
    for text in failed:
        print(text, file=sys.stderr)
    if asked.output:
        write_graph(graph, asked.output)
        print(tr("Written: {output}", output=asked.output))
    else:
        print(graph.serialize(format="turtle"))
    return 0
