"""What a format that is written is: its endings, what it holds, its options, and what it loses."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from brisk_atlas.core.model import AtlasError, DataKind, DataRef
from brisk_atlas.core.model.language import tr

from ..flows import Flow
from ..step import StepContext

Report = Callable[[float, str], None]


@dataclass(frozen=True)
class FormatOption:
    """A choice that a format has: its default says its type; `choices` are all there are, where they are few."""

    name: str
    default: str | int | float | bool
    about: str
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class Loss:
    """What a format does not hold of the data, in words, and what can be done: the name of another format, or a step
    as a recipe stores it, to be added before writing; "" and None where nothing can."""

    text: str
    other_format: str = ""
    step: tuple[str, Mapping[str, Any]] | None = None
    remedy: str = ""


@dataclass(frozen=True)
class WrittenFile:
    """A file, or a table of a database, that was written: what it is, and how many rows, cells or points are in it."""

    path: Path | DataRef
    format: str
    count: int
    words: str

    def as_json(self) -> dict[str, Any]:
        return {"path": str(self.path), "format": self.format, "count": self.count}


@dataclass(frozen=True)
class FileFormat:
    """One format. `write` gets the flow, the path beside the final one, the options and the context; it returns how
    many rows, cells or points it wrote. `losses` says what of a flow it does not hold."""

    name: str
    endings: tuple[str, ...]
    kinds: frozenset[DataKind]
    write: Callable[[Flow, Path, Mapping[str, Any], StepContext, Report], int] = field(repr=False)
    losses: Callable[[Flow, Mapping[str, Any]], list[Loss]] = field(repr=False)
    options: tuple[FormatOption, ...] = ()
    about: str = ""
    appends: bool = False
    is_folder: bool = False
    schemes: tuple[str, ...] = ()  # of addresses, which files have none of
    bytes_per_cell: float = 0.0  # of the fields or cells, about, for a look ahead; 0 where a sample is written

    def chosen(self, given: Mapping[str, Any]) -> dict[str, Any]:
        """Return all options, those that are given in the type of their default. Raises AtlasError."""
        return chosen_options(self.name, self.options, given)


def chosen_options(name: str, options: Sequence[FormatOption], given: Mapping[str, Any]) -> dict[str, Any]:
    """Return all options of a format, those that are given in the type of their default. Raises AtlasError."""
    known = {each.name: each for each in options}
    strange = given.keys() - known.keys()
    if strange:
        there = ", ".join(known) or "none"
        raise AtlasError(
            name,
            tr("it has no option {sorted}", sorted=", ".join(sorted(strange))),
            tr("There are: {there}.", there=there),
        )
    made: dict[str, Any] = {each.name: each.default for each in options}
    for key, value in given.items():
        made[key] = _typed(name, known[key], value)
    return made


def _typed(place: str, option: FormatOption, value: Any) -> Any:
    kind = type(option.default)
    if kind is bool and isinstance(value, str):
        value = {"yes": True, "true": True, "no": False, "false": False}.get(value.lower(), value)
    try:
        made = kind(value) if not isinstance(value, kind) and kind is not bool else value
    except (TypeError, ValueError):
        made = None
    if not isinstance(made, kind):
        raise AtlasError(place, tr("{name} can't be “{value}”", name=option.name, value=value), f"{option.about}.")
    if option.choices and made not in option.choices:
        raise AtlasError(
            place,
            tr("{name} can't be “{value}”", name=option.name, value=value),
            tr("It is one of {choices}.", choices=", ".join(option.choices)),
        )
    return made


FORMATS: dict[str, FileFormat] = {}


def enter(format_: FileFormat) -> FileFormat:
    """Enter a format among those that are written."""
    FORMATS[format_.name] = format_
    return format_


def formats_of(kind: DataKind) -> list[FileFormat]:
    """Return the formats that data of a kind is written in, the recommended one first."""
    return [each for each in FORMATS.values() if kind in each.kinds]


def format_for(kind: DataKind, path: Path, name: str = "") -> FileFormat:
    """Return the format of a name, else the one that the ending of a path means. Raises AtlasError."""
    there = formats_of(kind)
    if name:
        found = next((each for each in there if each.name == name), None)
        if found is None:
            raise AtlasError(path, tr("a {kind} is not written as {name}", kind=kind, name=name),
                             tr("Choose one of {listed}.",
                             listed=', '.join(each.name for each in there)))  # fmt: skip
        return found
    text = path.name.lower()
    fitting = [(len(ending), -number, each) for number, each in enumerate(there) for ending in each.endings
               if text.endswith(ending)]  # fmt: skip
    if not fitting:
        endings = ", ".join(dict.fromkeys(ending for each in there for ending in each.endings))
        raise AtlasError(
            path,
            tr("a {kind} is not written as '{suffix}'", kind=kind, suffix=path.suffix),
            tr("Choose one of {endings}.", endings=endings),
        )
    return max(fitting, key=lambda each: each[:2])[2]
