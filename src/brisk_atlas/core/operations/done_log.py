"""What was done in a run of the application, as a script that does it again.

Layers stand in it as the data that they show. Those that are more (with computed fields, edits, a CRS that was stated)
go into a project beside the script, recipes into files of their own.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import datetime
from pathlib import Path
from pprint import pformat
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.handover.recipe import Recipe, write_recipe
from brisk_atlas.core.model import DataRef, Layer
from brisk_atlas.core.model.table_view import PLAIN_ROWS
from brisk_atlas.core.system.atomic_write import write_whole
from brisk_atlas.core.workspace.project_file import save
from brisk_atlas.core.workspace.undoable_work import WorkState
from brisk_atlas.core.workspace.work import Work
from brisk_atlas.core.workspace.workspace import PROJECT_SUFFIX

from . import to_json
from .operation import Operation

if TYPE_CHECKING:
    from brisk_atlas.core.model import OpenOptions

WIDTH = 110
_HEAD = '''"""What was done on {day}; Python does it again."""

from pathlib import Path

from brisk_atlas import Workspace
from brisk_atlas.operations import from_json

HERE = Path(__file__).parent


def run(values):
    result = from_json(values).run(workspace)
    print("\\n".join(result.lines()))


with Workspace() as workspace:
'''


@dataclass(frozen=True)
class DoneDeed:
    """An operation or a recipe that was run, when, what the window called it, and the layers as they were."""

    when: datetime
    title: str
    what: Operation | Recipe
    layers: tuple[Layer, ...]


class DoneLog:
    """The deeds of a run, in their order."""

    def __init__(self) -> None:
        self.deeds: list[DoneDeed] = []

    def note(self, title: str, what: Operation | Recipe, layers: Sequence[Layer]) -> None:
        """Note what was done."""
        self.deeds.append(DoneDeed(datetime.now().astimezone(), title, what, tuple(layers)))

    def write(self, path: Path, options: Mapping[DataRef, OpenOptions]) -> list[Path]:
        """Write the script, and what it needs beside it; returns the files, the script first. `options` are what was
        stated about files. Raises CannotWrite."""
        sources = _Sources(options)
        files, lines = [path], []
        for number, deed in enumerate(tuple(self.deeds), start=1):
            lines.append(f"    # {deed.when:%H:%M:%S} {' '.join(deed.title.split())}")
            named = sources.among(deed.layers)
            if isinstance(deed.what, Recipe):
                recipe = path.with_name(f"{path.stem}_{number}.recipe.json")
                write_recipe(_recipe_with(deed.what, named), recipe)
                files.append(recipe)
                lines.append(f'    run({{"operation": "run", "recipe": str(HERE / {recipe.name!r})}})\n')
            elif deed.what.needs_work:
                lines.append("    # is left out: it works on what the window holds\n")
            else:
                values = pformat(to_json(_operation_with(deed.what, named)), width=WIDTH, sort_dicts=False)
                lines.append(f"    run({values.replace(chr(10), chr(10) + ' ' * 8)})\n")
        if sources.used:
            project = path.with_name(path.stem + PROJECT_SUFFIX)
            work = Work()
            work.state = WorkState(layers=tuple(replace(each, group=None) for each in sources.used.values()))
            save(work, project, dict(options))
            files.append(project)
            lines.insert(0, f"    workspace.open_project(HERE / {project.name!r})\n")
        begun = self.deeds[0].when if self.deeds else datetime.now().astimezone()
        body = "\n".join(lines) if lines else "    pass\n"
        write_whole(path, (_HEAD.format(day=f"{begun:%Y-%m-%d}") + body).encode())
        return files


class _Sources:
    """How layers are named in a script. `used` are those that a project must hold."""

    def __init__(self, options: Mapping[DataRef, OpenOptions]) -> None:
        self._options = options
        self.used: dict[str, Layer] = {}

    def among(self, layers: Sequence[Layer]) -> Callable[[Any], Any]:
        """Return what names a value: the id of a layer becomes its data, or its name in the project; else itself."""
        by_id = {layer.id: layer for layer in layers}

        def named(value: Any) -> Any:
            layer = by_id.get(value) if isinstance(value, str) else None
            if layer is None:
                return value
            if layer.rows == PLAIN_ROWS and not layer.ref.is_inline and layer.ref.whole not in self._options:
                return layer.ref
            self.used[layer.id] = layer
            return layer.name

        return named


def _operation_with(operation: Operation, named: Callable[[Any], Any]) -> Operation:
    changed = {}
    for each in fields(operation):
        value = getattr(operation, each.name)
        changed[each.name] = tuple(named(one) for one in value) if isinstance(value, tuple) else named(value)
    return replace(operation, **changed)


def _recipe_with(recipe: Recipe, named: Callable[[Any], Any]) -> Recipe:
    return replace(recipe, branches=tuple(replace(each, source=named(each.source)) for each in recipe.branches))
