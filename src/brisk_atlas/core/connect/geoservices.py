"""Map and feature services of the open GeoServices REST Specification, version 1.0."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from brisk_atlas.core.model import CannotRead, Capability, DataRef, Extent, FeatureQuery, Field
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.place import is_geographic
from brisk_atlas.core.place.tile_grid import TilePlace, grid_over

from .connector import Item
from .fetching import fetch
from .ogcapi import json_in
from .ows import asking, crs_of
from .service import Check, Contents, FeatureSource, LayerAbout, Pictures, Service

FINEST_M, FINEST_DEGREES = 0.1, 1e-6
PAGE = 1000
MAX_PAGES = 10_000
MAPS, FEATURES = "MapServer", "FeatureServer"
ARROW = {
    "esriFieldTypeSmallInteger": "int32", "esriFieldTypeInteger": "int64", "esriFieldTypeBigInteger": "int64",
    "esriFieldTypeOID": "int64", "esriFieldTypeSingle": "double", "esriFieldTypeDouble": "double",
    "esriFieldTypeDate": "timestamp[ms, tz=UTC]",
}  # fmt: skip
SHAPES = {
    "esriGeometryPoint": "Point", "esriGeometryMultipoint": "MultiPoint", "esriGeometryPolyline": "LineString",
    "esriGeometryPolygon": "Polygon",
}  # fmt: skip


def answer_at(ref: DataRef, address: str, check: Check = lambda: None) -> dict[str, Any]:
    """Return the object that a question is answered with. Raises CannotRead for a complaint too."""
    found = json_in(ref, fetch(ref, address, accept="application/json", check=check).body)
    error = found.get("error")
    if isinstance(error, dict):
        words = str(error.get("message") or error.get("code") or "without a reason")[:300]
        raise CannotRead(ref, tr("the service refuses ({words})", words=words), tr("Check the address and the layer."))
    return found


@dataclass(frozen=True)
class ExportedPictures(Pictures):
    """Tiles that a map service draws of one layer. `wkid` is the number of their CRS."""

    wkid: int

    def address(self, place: TilePlace) -> str:
        box = self.grid.extent_of(place)
        settings = {
            "bbox": ",".join(map(repr, box.bounds)), "bboxSR": str(self.wkid), "imageSR": str(self.wkid),
            "size": f"{self.grid.tile[0]},{self.grid.tile[1]}", "layers": f"show:{self.ref.inner}",
            "transparent": "true", "format": "png32", "f": "image",
        }  # fmt: skip
        return asking(f"{self.ref.address}/export", settings)

    def question_at(self, place: TilePlace, column: float, row: float) -> tuple[str, ...]:
        box, resolution = self.grid.extent_of(place), self.grid.levels[place.level].resolution
        point = {"x": box.xmin + (column + 0.5) * resolution, "y": box.ymax - (row + 0.5) * resolution}
        settings = {
            "geometry": json.dumps(point), "geometryType": "esriGeometryPoint", "sr": str(self.wkid), "tolerance": "4",
            "mapExtent": ",".join(map(repr, box.bounds)), "imageDisplay": f"{self.grid.tile[0]},{self.grid.tile[1]},96",
            "layers": f"all:{self.ref.inner}", "returnGeometry": "false", "f": "json",
        }  # fmt: skip
        return (asking(f"{self.ref.address}/identify", settings),)


@dataclass(frozen=True)
class QueriedFeatures(FeatureSource):
    """Features of a layer by its queries. `wkid` is the number of their CRS, `page` how many come at once."""

    wkid: int
    page: int
    paged: bool

    def pages(self, query: FeatureQuery, check: Check = lambda: None) -> Iterator[bytes]:
        stated = {"where": "1=1", "outFields": "*", "outSR": str(self.wkid), "f": "json"}
        if query.extent is not None:
            stated |= {
                "geometry": ",".join(map(repr, query.extent.bounds)), "geometryType": "esriGeometryEnvelope",
                "inSR": str(self.wkid), "spatialRel": "esriSpatialRelIntersects",
            }  # fmt: skip
        start, left = 0, query.limit
        for _ in range(MAX_PAGES):
            count = self.page if left is None else min(self.page, left)
            paging = {"resultOffset": str(start), "resultRecordCount": str(count)} if self.paged else {}
            address = asking(f"{self.ref.address}/{self.ref.inner}/query", stated | paging)
            body = fetch(self.ref, address, accept="application/json", check=check).body
            found = json_in(self.ref, body)
            if isinstance(found.get("error"), dict):
                answer_at(self.ref, address)
            yield body
            features = found.get("features")
            came = len(features) if isinstance(features, list) else 0
            start, left = start + came, None if left is None else left - came
            if (
                not self.paged
                or not came
                or not found.get("exceededTransferLimit", came >= count)
                or (left is not None and left <= 0)
            ):
                return
        raise CannotRead(
            self.ref, tr("it has more than {max_pages:,} pages", max_pages=MAX_PAGES), tr("Come closer, or filter it.")
        )


class GeoServices(Service):
    """A catalogue of services, or the layers of one."""

    def contents(self, ref: DataRef) -> list[Contents]:
        if not _kind(ref):
            return [Contents(item.name, item.name) for item in self.list(ref)]
        layers = answer_at(ref, asking(ref.address, {"f": "json"})).get("layers") or []
        plain = [each for each in layers if isinstance(each, dict) and not each.get("subLayerIds")]
        return [Contents(str(each["id"]), str(each.get("name") or each["id"])) for each in plain if "id" in each]

    def _layer(self, ref: DataRef) -> tuple[dict[str, Any], LayerAbout, int, Extent]:
        about = answer_at(ref, asking(f"{ref.address}/{ref.inner}", {"f": "json"}))
        box = about.get("extent") or {}
        system = box.get("spatialReference") or {}
        wkid = system.get("latestWkid") or system.get("wkid")
        crs = crs_of(f"EPSG:{wkid}") if wkid else None
        try:
            extent = Extent.of([box[name] for name in ("xmin", "ymin", "xmax", "ymax")], crs)
        except (KeyError, TypeError, ValueError) as error:
            raise CannotRead(ref, tr("the service states no extent of it"), tr("Choose another layer.")) from error
        if crs is None or not extent.is_finite:
            raise CannotRead(ref, tr("the service offers it in no CRS that is known"), tr("Tell its owner."))
        name, credit = str(about.get("name") or ref.inner), str(about.get("copyrightText") or "")
        notes = {"service": "GeoServices REST"}
        words = LayerAbout(name, name, str(about.get("description") or ""), attribution=credit, notes=notes)
        return about, words, int(str(crs).rpartition(":")[2]), extent

    def pictures(self, ref: DataRef) -> Pictures | None:
        if _kind(ref) != MAPS:
            return None
        _, about, wkid, extent = self._layer(ref)
        finest = FINEST_DEGREES if is_geographic(extent.crs or "") else FINEST_M
        return ExportedPictures(DataRef(ref.kind, ref.place, ref.inner), about, grid_over(extent, finest), extent, wkid)

    def features(self, ref: DataRef) -> FeatureSource | None:
        if _kind(ref) != FEATURES:
            return None
        stated, about, wkid, extent = self._layer(ref)
        counting = asking(f"{ref.address}/{ref.inner}/query", {"where": "1=1", "returnCountOnly": "true", "f": "json"})
        count = answer_at(ref, counting).get("count")
        own = [each for each in stated.get("fields") or [] if isinstance(each, dict) and each.get("name")]
        abilities = stated.get("advancedQueryCapabilities") or {}
        most = stated.get("maxRecordCount")
        return QueriedFeatures(
            ref=DataRef(ref.kind, ref.place, ref.inner),
            about=about,
            fields=tuple(Field(str(each["name"]), ARROW.get(str(each.get("type")), "string")) for each in own),
            geometry_type=SHAPES.get(str(stated.get("geometryType")), "Unknown"),
            crs=extent.crs,
            extent=extent,
            count=count if isinstance(count, int) else None,
            able=Capability.EXTENT | Capability.LIMIT,
            wkid=wkid,
            page=min(PAGE, most) if isinstance(most, int) and most > 0 else PAGE,
            paged=bool(abilities.get("supportsPagination")),
        )

    def list(self, ref: DataRef) -> list[Item]:
        if _kind(ref):
            return super().list(ref)
        found = answer_at(ref, asking(ref.address, {"f": "json"}))
        base = ref.address.rstrip("/")
        root = base[: base.index("/services") + len("/services")] if "/services" in base else base
        items = []
        for folder in found.get("folders") or []:
            inner = DataRef.service(ref.protocol, f"{root}/{folder}")
            items.append(Item(inner, str(folder), True, 0, 0.0, ""))
        for each in found.get("services") or []:
            if isinstance(each, dict) and each.get("type") in (MAPS, FEATURES):
                inner = DataRef.service(ref.protocol, f"{root}/{each['name']}/{each['type']}")
                kind = "maps" if each["type"] == MAPS else "features"
                items.append(Item(inner, f"{each['name']} ({kind})", True, 0, 0.0, ""))
        return items


def _kind(ref: DataRef) -> str:
    """Return what kind of service an address is of, "" for a catalogue."""
    last = ref.address.partition("?")[0].rstrip("/").rpartition("/")[2]
    return last if last in (MAPS, FEATURES) else ""


CONNECTOR = GeoServices()
