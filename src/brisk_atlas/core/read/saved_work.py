"""Project files as datasets, so that Find can list them. `core.workspace` opens them."""

from __future__ import annotations

import json
from dataclasses import dataclass

from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Facts, Part
from brisk_atlas.core.model.language import tr

from .on_disk import on_disk


@dataclass(frozen=True)
class SavedWork(Part):
    """What a project file holds; its count is that of its layers."""


def open_dataset(ref: DataRef) -> Dataset:
    """Return the dataset of a project file. Raises CannotRead."""
    path = ref.path
    try:
        content = json.loads(path.read_text("utf-8"))
        layers = [str(layer["name"]) for layer in content["layers"]]
    except (ValueError, KeyError, TypeError, OSError) as error:
        raise CannotRead(
            path, tr("it is not a whole project ({error})", error=error), tr("Open a copy, if you have one.")
        ) from error
    facts = Facts(path.name, DataKind.PROJECT, len(layers), notes={"layers": ", ".join(layers)})
    return Dataset(format="Project", kind=DataKind.PROJECT, parts=(SavedWork(ref, facts),), **on_disk(ref, (path,)))
