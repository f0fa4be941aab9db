"""What an operation is: a value that says what is to be done, and does it in a workspace."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import dataclass, fields
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

from brisk_atlas.core.model import DataRef, Layer
from brisk_atlas.core.model.argument import Source, argument
from brisk_atlas.core.model.language import tr

if TYPE_CHECKING:
    from brisk_atlas.core.workspace.workspace import Workspace

Progress = Callable[[float, str], None]
"""Told the share that is done and what is being done; it may raise to stop the work."""


__all__ = [
    "Operation",
    "PartlyFailed",
    "Progress",
    "Result",
    "Source",
    "Written",
    "argument",
    "grid_of",
    "layer_of",
    "layers_of",
    "silent",
]


def silent(share: float, step: str = "") -> None:
    """Report to nobody."""


class Result(Protocol):
    """What came of an operation."""

    def lines(self) -> list[str]:
        """Return it in words, a line each."""

    def as_json(self) -> dict[str, Any]:
        """Return it as JSON holds it."""


@runtime_checkable
class PartlyFailed(Protocol):
    """A result of many things, some of which may have failed."""

    @property
    def failed(self) -> int:
        """How many failed."""


@dataclass(frozen=True)
class Operation(ABC):
    """Something that can be done to data. It is compared by value, stored as JSON, and run in any workspace; one that
    `needs_work` does something with the work itself: its album, its edits, its views."""

    needs_work = False

    def __post_init__(self) -> None:
        for each in fields(self):  # scripts may give paths as text
            value = getattr(self, each.name)
            if isinstance(value, str) and str(each.type).startswith("Path"):
                object.__setattr__(self, each.name, Path(value))
            elif isinstance(value, list | tuple) and str(each.type).startswith("tuple[Path"):
                object.__setattr__(self, each.name, tuple(map(Path, value)))

    @abstractmethod
    def run(self, workspace: Workspace, progress: Progress = silent) -> Result:
        """Do it. Raises AtlasError; whatever `progress` raises goes through."""

    def check_is_no_source(self, workspace: Workspace, path: Path) -> None:
        """Raise CannotWrite for a file that this works on, or that an open layer is read from: originals are
        read-only."""
        from brisk_atlas.core.model import CannotWrite

        values = [getattr(self, each.name) for each in fields(self)]
        own = [ref for value in values for ref in (value if isinstance(value, tuple) else (value,))]
        refs = [ref for ref in own if isinstance(ref, DataRef)] + [layer.ref for layer in workspace.work.layers]
        there = path.resolve()
        if any(ref.is_local and Path(ref.place).resolve() == there for ref in refs):
            raise CannotWrite(path, tr("it is a source, and originals are read-only"), tr("Choose another name."))


@dataclass(frozen=True)
class Written:
    """Files that were written, and what is in them in words, such as `48 features`."""

    paths: tuple[Path, ...]
    what: str
    remarks: tuple[str, ...] = ()

    def lines(self) -> list[str]:
        return [
            *(tr("Written: {path}", path=path) for path in self.paths),
            *([self.what] if self.what else []),
            *self.remarks,
        ]

    def as_json(self) -> dict[str, Any]:
        return {"paths": [str(path) for path in self.paths], "what": self.what, "remarks": list(self.remarks)}


def layer_of(workspace: Workspace, source: str | DataRef) -> Layer:
    """Return the layer that a source means: an open one, or one as it would be opened, which is not added to the work.
    Raises AtlasError."""
    (layer, *others) = layers_of(workspace, source)
    if others:
        from brisk_atlas.core.model import AtlasError

        names = ", ".join(each.name for each in (layer, *others))
        raise AtlasError(
            source, tr("it has {value} parts", value=1 + len(others)), tr("Name one of them: {names}.", names=names)
        )
    return layer


def layers_of(workspace: Workspace, source: str | DataRef) -> list[Layer]:
    """Return the layers that a source means, as `layer_of` does; all parts of a dataset. Raises AtlasError."""
    if isinstance(source, str):
        return [workspace.layer(source)]
    return [
        Layer(f"source {source}", part.name or part.facts.name, part.ref, part.facts.kind, part.style)
        for part in workspace.read_parts(source)
    ]


def grid_of(workspace: Workspace, source: str | DataRef) -> Layer:
    """Return the layer of a source that is a grid. Raises AtlasError for another kind."""
    layer = layer_of(workspace, source)
    if not layer.kind.has_cells:
        from brisk_atlas.core.model import AtlasError

        raise AtlasError(layer.name, tr("it is a {kind}, not a grid", kind=layer.kind), tr("Choose a grid."))
    return layer
