"""Held probes as a layer of points with their values."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
import pyarrow as pa
import shapely

from brisk_atlas.core.inspect import Held, as_rows
from brisk_atlas.core.model import CannotWrite
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.model.shapes import Features
from brisk_atlas.core.place import transform
from brisk_atlas.core.read.wkb import shapes_of

from .vector import FORMATS, VectorOrder, hand_over_vector


def save_probes(held: Sequence[Held], mapping: Mapping[str, str], path: Path) -> Path:
    """Write held probes as points, in the CRS of the first, with a field for each line they have; returns
    the file. Raises CannotWrite."""
    if not held:
        raise CannotWrite(path, tr("nothing is held"), tr("Hold a probe first."))
    crs = held[0].crs
    xy = np.vstack([transform(np.array([[h.x, h.y]]), h.crs, crs) for h in held])
    known = np.isfinite(xy).all(axis=1)  # rows of tables have no place
    wkb = pa.array([shapely.to_wkb(shapely.Point(p)) if k else None for p, k in zip(xy, known)], pa.binary())
    features = Features(as_rows(held, mapping), wkb, shapes_of(wkb)[0], crs)
    format_ = next((name for name, (suffix, *_) in FORMATS.items() if suffix == path.suffix.lower()), "GeoPackage")
    target = path if path.suffix.lower() == FORMATS[format_][0] else path.with_name(path.name + FORMATS[format_][0])
    hand_over_vector(features, VectorOrder(target, format_, target.stem))
    return target
