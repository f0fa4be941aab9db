"""Tiles of pictures by an address with their level, column and row in it: `{z}`, `{x}` and `{y}`, or `{-y}` where rows
are counted from the south."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_atlas.core.model import CannotRead, DataRef, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace, world_grid

from .service import Contents, LayerAbout, Pictures, Service

LAST_LEVEL = 19  # that such services usually have; finer ones are enlarged
SUBDOMAINS = "abc"


@dataclass(frozen=True)
class TemplatePictures(Pictures):
    """Tiles over the world in EPSG:3857."""

    def address(self, place: TilePlace) -> str:
        level = self.grid.levels[place.level]
        filled = self.ref.address.replace("{z}", level.name).replace("{x}", str(place.column))
        filled = filled.replace("{y}", str(place.row)).replace("{-y}", str(level.rows - 1 - place.row))
        return filled.replace("{s}", SUBDOMAINS[(place.column + place.row) % len(SUBDOMAINS)])


def is_template(address: str) -> bool:
    """Return whether an address is one of tiles.

    >>> is_template("https://survey.tolvane.example/tiles/{z}/{x}/{y}.png")
    True
    """
    return all(mark in address for mark in ("{z}", "{x}")) and ("{y}" in address or "{-y}" in address)


class Xyz(Service):
    """One layer an address."""

    def contents(self, ref: DataRef) -> list[Contents]:
        return [Contents("tiles", _title(ref))]

    def pictures(self, ref: DataRef) -> Pictures:
        if not is_template(ref.address):
            raise CannotRead(ref, tr("its address has no {z}, {x} and {y}"), tr("Ask for the address of its tiles."))
        grid = world_grid(0, LAST_LEVEL)
        about = LayerAbout(
            "tiles", _title(ref), notes={"zoom levels": tr("0 to {last_level}, as is usual", last_level=LAST_LEVEL)}
        )
        half = -grid.left
        return TemplatePictures(ref, about, grid, Extent(-half, -half, half, half, grid.crs))


def _title(ref: DataRef) -> str:
    before = ref.address.partition("{z}")[0].rstrip("/").partition("://")[2]
    return before.rpartition("/")[2] or before or "tiles"


CONNECTOR = Xyz()
