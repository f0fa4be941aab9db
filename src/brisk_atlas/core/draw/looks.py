"""The look that a part gets when it is first opened."""

from __future__ import annotations

from brisk_atlas.core.model import CloudStyle, DataKind, Dataset, Facts, GridStyle, Layer, Stretch, Style, VectorStyle

from .ramps import CLASSES

ELEVATION_WORDS = ("elev", "height", "dem", "dtm", "dsm", "depth", "bathy", "floor", "topo", "altitude")
MANY_PARTS = 200
QUALITY_WORDS = ("quality", "class", "mask")


def first_look(facts: Facts, number: int) -> Style | None:
    """Return a style by what the part is; `number` sets the colour of vector layers apart."""
    if facts.kind is DataKind.VECTOR:
        colour = CLASSES[number % len(CLASSES)]
        kind = facts.geometry_type or ""
        if "Line" in kind:
            return VectorStyle(fill=colour, line=colour, width=1.8)
        if "Point" in kind:
            return VectorStyle(fill=colour, line="#FFFDF8", width=1.4, size=9.0)
        return VectorStyle(fill=colour, line="#1D2A35", width=1.0)
    if facts.kind is DataKind.POINTCLOUD:
        return CloudStyle()
    if facts.kind is DataKind.RASTER and facts.grid:
        return _grid_look(facts)
    return None


def at_a_sight(dataset: Dataset) -> int:
    """Return of how many parts a first sight is taken; each takes its time where a database has thousands."""
    return 24 if len(dataset.parts) <= MANY_PARTS else 3


def first_layers(dataset: Dataset, part_name: str | None = None) -> list[Layer]:
    """Return what to draw for a first sight of a dataset, or of one part: of rasters the first one only, of many
    parts the first."""
    layers: list[Layer] = []
    for number, part in enumerate(dataset.parts):
        if len(layers) == at_a_sight(dataset):
            break
        style = first_look(part.facts, number)
        if style is not None and part_name in (None, part.facts.name):
            name = part.facts.name
            layers.append(Layer(f"glance-{number}", name, dataset.ref.with_part(name), part.facts.kind, style))
    return layers[:1] if dataset.kind in (DataKind.SCENE, DataKind.RASTER) and part_name is None else layers


def _grid_look(facts: Facts) -> GridStyle:
    assert facts.grid is not None
    bands, roles = facts.grid.bands, [band.role for band in facts.grid.bands]
    names = " ".join([facts.name, *(band.name for band in bands)]).lower()
    if "red" in roles and "green" in roles and "blue" in roles:
        as_stored = facts.grid.dtype == "uint8"
        stretch = Stretch("hand", 0, 255) if as_stored else Stretch()
        return GridStyle(tuple(roles.index(c) + 1 for c in ("red", "green", "blue")), stretch=stretch)
    if len(bands) == 1 and bands[0].classes:
        return GridStyle(resample="nearest", own_colours=True)
    if any(word in names for word in QUALITY_WORDS):
        return GridStyle(ramp="scar", stretch=Stretch("range"), resample="nearest")
    if len(bands) == 1 and any(word in names for word in ELEVATION_WORDS):
        return GridStyle(ramp="land", stretch=Stretch("percent", 1, 99), shade=0.75)
    return GridStyle(ramp="ink")
