"""Any operation from the command line: `brisk-atlas zonal-statistics --zones ... --grid ...`.

The arguments are made from the fields of the operation.
"""

from __future__ import annotations

import argparse
import json
import sys
import typing
from collections.abc import Collection, Sequence
from dataclasses import MISSING, fields
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import AtlasError, DataRef, Extent
from brisk_atlas.core.model.argument import Source, plain_type
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.operations import COMMANDS, Operation, operation_called
from brisk_atlas.core.operations.operation import PartlyFailed

EXTENT = "XMIN,YMIN,XMAX,YMAX[,CRS]"
SOURCE = "LAYER|PATH[#PART]"


def summary_of(command: str) -> str:
    """Return what an operation does in a line."""
    words = " ".join((operation_called(command).__doc__ or "").split())
    return words.partition(". ")[0].rstrip(".") + "."


def parser_of(command: str) -> argparse.ArgumentParser:
    """Return the parser of an operation's arguments."""
    kind = operation_called(command)
    parser = argparse.ArgumentParser(prog=f"brisk-atlas {command}", description=" ".join((kind.__doc__ or "").split()))
    asked = _sources_asked(kind)
    if asked:
        words = ", ".join("--" + name for name in asked)
        parser.add_argument(
            "given", nargs="*", metavar=SOURCE, help=tr("the same as {words}, in this order", words=words)
        )
    add_settings(parser, kind, in_place=asked)
    parser.add_argument("--project", type=Path, metavar="FILE", help=tr("a project to open first, for layers by name"))
    parser.add_argument("--json", action="store_true", help=tr("print the result as JSON"))
    return parser


def _sources_asked(kind: type[Any]) -> dict[str, bool]:
    """Return the sources that an operation can't do without, and whether each may be several."""
    hints = typing.get_type_hints(kind, include_extras=True)
    plain = {each.name: plain_type(hints[each.name]) for each in fields(kind) if each.default is MISSING}
    return {name: many for name, (inner, many) in plain.items() if inner is Source}


def parsed(command: str, arguments: Sequence[str]) -> argparse.Namespace:
    """Return the arguments of an operation; sources that are given without the name of their setting are taken in
    order. Ends the program where one is missing."""
    parser, kind = parser_of(command), operation_called(command)
    asked = parser.parse_args(arguments)
    given = list(getattr(asked, "given", ()))
    for name, many in _sources_asked(kind).items():
        if getattr(asked, name) is None and given:
            setattr(asked, name, given if many else given[0])
            given = [] if many else given[1:]
        if getattr(asked, name) is None:
            parser.error(tr("the following arguments are required: --{name}", name=name))
    if given:
        parser.error(tr("unrecognized arguments: {given}", given=" ".join(given)))
    return asked


def add_settings(parser: argparse.ArgumentParser, kind: type[Any], in_place: Collection[str] = ()) -> None:
    """Add an argument for each field of an operation or of a step; those `in_place` may be given without a name."""
    hints = typing.get_type_hints(kind, include_extras=True)
    for each in fields(kind):
        inner, many = plain_type(hints[each.name])
        flag = "--" + each.name.replace("_", "-")
        required = each.default is MISSING
        words = each.metadata.get("help", "")
        if inner is bool:
            parser.add_argument(flag, dest=each.name, action="store_true", help=words)
            continue
        parse, shown = _parsing(inner)
        default = "" if required or each.default in (None, "", False, ()) else f" (default {each.default})"
        if each.metadata.get("placed"):
            how_many = ("+" if required else "*") if many else None
            parser.add_argument(each.name, type=parse, metavar=each.name.upper(), nargs=how_many, help=words)
            continue
        parser.add_argument(
            flag,
            dest=each.name,
            type=parse,
            metavar=shown,
            required=required and each.name not in in_place,
            nargs="+" if many else None,
            default=None if required else each.default,
            help=words + default,
        )


def _parsing(kind: Any) -> tuple[Any, str]:
    """Return what makes a value of a text, and how it is shown in the help."""
    if kind is Source:
        return str, SOURCE
    if kind is Extent:
        return _extent, EXTENT
    return kind, {Path: "PATH", int: "N", float: "NUMBER"}.get(kind, "TEXT")


def _extent(text: str) -> Extent:
    numbers, crs = text.split(",")[:4], ",".join(text.split(",")[4:])
    try:
        xmin, ymin, xmax, ymax = map(float, numbers)
    except ValueError:
        raise argparse.ArgumentTypeError(tr("'{text}' is not {extent}", text=text, extent=EXTENT)) from None
    return Extent(xmin, ymin, xmax, ymax, crs or None)


def source_from(text: str, layer_names: Sequence[str]) -> str | DataRef:
    """Return an open layer's name where one is called so, else the reference that a text is. The part of a file may
    stand behind `#` alone."""
    return text if text in layer_names else DataRef.typed(text)


def settings_given(kind: type[Any], asked: argparse.Namespace, layer_names: Sequence[str]) -> dict[str, Any]:
    """Return what was given for the fields of an operation or of a step."""
    hints = typing.get_type_hints(kind, include_extras=True)
    values = {}
    for each in fields(kind):
        value = getattr(asked, each.name)
        inner, many = plain_type(hints[each.name])
        if inner is Source and value is not None:
            value = [source_from(v, layer_names) for v in value] if many else source_from(value, layer_names)
        values[each.name] = tuple(value) if many and value is not None else value
    return values


def _operation(command: str, asked: argparse.Namespace, layer_names: Sequence[str]) -> Operation:
    kind = operation_called(command)
    return kind(**settings_given(kind, asked, layer_names))


def run(command: str, arguments: Sequence[str]) -> int:
    """Run an operation; returns the exit code."""
    from brisk_atlas.core.workspace import Workspace

    asked = parsed(command, arguments)
    try:
        with Workspace() as workspace:
            faults = workspace.open_project(asked.project) if asked.project else []
            for fault in faults:
                print(" ".join(str(fault).split()), file=sys.stderr)
            names = [name for layer in workspace.work.layers for name in (layer.name, layer.id)]
            result = _operation(command, asked, names).run(workspace, shown_progress())
    except AtlasError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print(tr("Cancelled."), file=sys.stderr)
        return 130
    if asked.json:
        print(json.dumps(result.as_json(), indent=2, ensure_ascii=False))
    else:
        print("\n".join(result.lines()))
    return 1 if isinstance(result, PartlyFailed) and result.failed else 0


def shown_progress() -> Any:
    """Return what shows progress on a terminal, and nothing elsewhere."""
    if not sys.stderr.isatty():
        return lambda share, step="": None

    def show(share: float, step: str = "") -> None:
        print(f"\r{share:4.0%} {step[:60]:<60}", end="" if share < 1 else "\n", file=sys.stderr, flush=True)

    return show


def listing() -> str:
    """Return all operations with what they do, for the help."""
    return "\n".join(f"  {command:<18}{summary_of(command)}" for command in COMMANDS)
