"""Web Coverage Services 2.0 (OGC 09-110r4, with the scaling extension 12-039): numbers of any rectangle."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from lxml import etree

from brisk_atlas.core.model import Band, CannotRead, DataRef, Extent
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place.tile_grid import TilePlace

from .coverage_grid import UNLIKE, grid_of_cells
from .fetching import fetch
from .ows import asking, capabilities, capabilities_state, check_xml, crs_of, northing_first
from .service import Contents, Coverage, LayerAbout, Service

VERSION = "2.0.1"
TIFF = "image/tiff"


@dataclass(frozen=True)
class ScaledCoverage(Coverage):
    """Tiles as GetCoverage gives them: the part of a rectangle that has data, scaled to the cells of a level. `axes`
    are what the service calls the axes of x and of y."""

    axes: tuple[str, str]

    def address(self, place: TilePlace) -> str:
        level, box = self.grid.levels[place.level], self.grid.extent_of(place)
        here = box.intersection(self.extent) or box
        columns = max(1, round(here.width / level.resolution))
        rows = max(1, round(here.height / level.resolution))
        x, y = self.axes
        settings = {
            "service": "WCS", "version": VERSION, "request": "GetCoverage", "coverageId": self.about.name,
            "format": TIFF, "scalesize": f"{x}({columns}),{y}({rows})",
        }  # fmt: skip
        address = asking(self.ref.address, settings)
        return f"{address}&subset={x}({here.xmin!r},{here.xmax!r})&subset={y}({here.ymin!r},{here.ymax!r})"


class Wcs(Service):
    """Coverages on grids of two dimensions."""

    def contents(self, ref: DataRef) -> list[Contents]:
        state = capabilities_state(ref, "WCS")
        return [each._replace(state=state) for each in capabilities(ref, "WCS", _coverages)]

    def coverage(self, ref: DataRef) -> Coverage:
        address = asking(
            ref.address, {"service": "WCS", "version": VERSION, "request": "DescribeCoverage", "coverageId": ref.inner}
        )
        body = fetch(ref, address, accept="text/xml").body
        check_xml(ref, body)
        try:
            return _described(DataRef(ref.kind, ref.place, ref.inner), etree.fromstring(body, _parser()))
        except etree.XMLSyntaxError as error:
            raise CannotRead(
                ref, tr("its description is broken ({error})", error=error), tr("Tell the service's owner.")
            ) from error
        except (AttributeError, KeyError, ValueError, IndexError, TypeError) as error:
            raise CannotRead(
                ref, tr("its description can't be followed ({error})", error=error), tr("Ask for another format.")
            ) from error


def _parser() -> etree.XMLParser:
    return etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)


def _coverages(version: str, body: bytes) -> list[Contents]:
    root = etree.fromstring(body, _parser())
    found = []
    for each in root.iter("{*}CoverageSummary"):
        name = each.findtext("{*}CoverageId")
        if name:
            found.append(Contents(name.strip(), (each.findtext("{*}Title") or name).strip()))
    return found


def _described(ref: DataRef, root: Any) -> ScaledCoverage:
    """Return the coverage that a description states."""
    envelope = next(root.iter("{*}Envelope"))
    name = envelope.get("srsName", "")
    crs = crs_of(name)
    if crs is None:
        raise CannotRead(
            ref, tr("its CRS '{name}' is not known", name=name), tr("Ask its owner for one by its EPSG code.")
        )
    labels = envelope.get("axisLabels", "").split()
    low, high = (
        [float(n) for n in envelope.findtext(f"{{*}}{corner}").split()] for corner in ("lowerCorner", "upperCorner")
    )
    if len(low) != 2 or len(labels) != 2:
        raise CannotRead(ref, tr("it has {count} dimensions, not two", count=len(low)), tr("Choose another coverage."))
    x, y = (1, 0) if northing_first(name) else (0, 1)
    extent = Extent(low[x], low[y], high[x], high[y], crs)
    limits = next(root.iter("{*}GridEnvelope"))
    first, last = ([int(n) for n in limits.findtext(f"{{*}}{end}").split()] for end in ("low", "high"))
    counts = [b - a + 1 for a, b in zip(first, last)]
    grid = next(limits.iterancestors("{*}RectifiedGrid"))
    vectors = [[float(n) for n in each.text.split()] for each in grid.findall("{*}offsetVector")]
    columns, rows = counts if vectors[0][x] else counts[::-1]
    resolution = extent.width / columns
    if abs(extent.height / rows - resolution) > UNLIKE * resolution:
        raise CannotRead(ref, tr("its cells are not square, which is not read yet"), tr("Ask for another format."))
    bands, nothing = [], None
    for number, each in enumerate(root.iter("{*}field"), 1):
        unit = next(each.iter("{*}uom"), None)
        unit_code = unit.get("code", "") if unit is not None else ""
        bands.append(Band(number, each.get("name") or f"band {number}", unit="" if unit_code == "1" else unit_code))
        nil = next(each.iter("{*}nilValue"), None)
        nothing = float(nil.text) if nil is not None and nothing is None else nothing
    if not bands:
        raise CannotRead(ref, tr("its description names no bands"), tr("Tell the service's owner."))
    title = root.findtext(".//{*}CoverageDescription/{*}name") or ref.inner
    about = LayerAbout(ref.inner, title, notes={"service": f"WCS {VERSION}"})
    return ScaledCoverage(
        ref=ref, about=about, grid=grid_of_cells(extent, resolution, columns, rows), extent=extent, bands=tuple(bands),
        dtype="as its service stores it", size=(columns, rows), nodata=nothing, axes=(labels[x], labels[y]),
    )  # fmt: skip


CONNECTOR = Wcs()
