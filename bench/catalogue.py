"""A catalogue site of 5,000 datasets against describing and writing them one by one with the libraries' own calls, its
second build after one change, and its search in a browser."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import statistics
import tempfile
from collections.abc import Iterator
from dataclasses import replace
from io import BytesIO
from pathlib import Path
from typing import Any

import numpy as np

from . import data
from .case import Case, Measured, timed

COUNT, PEER_COUNT = 5_000, 400
FACTOR, AGAIN_S, SEARCH_S = 3.0, 5.0, 0.05
RECORDS, SEARCHES = 10_000, ("lava", "ash 2031", "field 17", "plot 4242", "tolv")
FEATURES, CELLS = 60, 100
ELEMENTS = 160  # of a record in ISO 19139
TABLE = "<table>{% for row in rows %}<tr>{% for cell in row %}<td>{{ cell }}</td>{% endfor %}</tr>{% endfor %}</table>"
PAGE = f"<!DOCTYPE html><title>{{{{ title }}}}</title><h1>{{{{ title }}}}</h1><img src='picture.jpg'>{TABLE}"


def folder() -> Path:
    """Return a folder of datasets, three of four with features, the others grids, in forty folders."""

    def make(path: Path) -> None:
        import rasterio
        from rasterio.transform import from_origin

        random = np.random.default_rng(2031)
        turn = np.linspace(0, 2 * np.pi, 13)
        for number in range(COUNT):
            here = path / f"folder_{number % 40:02d}"
            here.mkdir(parents=True, exist_ok=True)
            x, y = 505_000 + random.random() * 9_000, 5_764_000 + random.random() * 9_000
            if number % 4 == 3:
                heights = (np.add.outer(np.arange(CELLS), np.arange(CELLS)) + random.random((CELLS, CELLS))).astype(
                    "f4"
                )
                with rasterio.open(here / f"heights_{number:04d}.tif", "w", driver="GTiff", width=CELLS, height=CELLS,
                                   count=1, dtype="float32", crs="EPSG:32727", transform=from_origin(x, y, 10, 10)) as out:  # fmt: skip
                    out.write(heights, 1)
                continue
            middles = np.column_stack([-20.95 + random.random(FEATURES) * 0.1, -38.25 + random.random(FEATURES) * 0.1])
            rings = middles[:, None] + 0.001 * np.column_stack([np.cos(turn), np.sin(turn)])
            features = [
                {"type": "Feature", "properties": {"plot": f"P{number}-{at}", "thickness_m": at / 7, "kind": "lava"},
                 "geometry": {"type": "Polygon", "coordinates": [ring.round(6).tolist()]}}
                for at, ring in enumerate(rings)
            ]  # fmt: skip
            text = json.dumps({"type": "FeatureCollection", "features": features})
            (here / f"areas_{number:04d}.geojson").write_text(text)

    return data.made("catalogue_folder_1", make)


def run() -> Iterator[Case]:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.operations import CatalogueSite
    from brisk_atlas.core.workspace import Workspace

    source = folder()
    with tempfile.TemporaryDirectory() as scratch:
        shelf, out = Path(scratch) / "shelf", Path(scratch) / "site"
        shutil.copytree(source, shelf)
        some = sorted(path for path in shelf.rglob("*") if path.is_file())[:PEER_COUNT]
        half = PEER_COUNT // 2  # before, and half after: a machine that others use has slow minutes
        theirs = timed(lambda: [describe(path, Path(scratch) / "peer" / path.stem) for path in some[:half]])
        with Workspace() as workspace:
            wish = CatalogueSite(DataRef.file(shelf), out, address="https://data.tolvane.example/")
            ours = timed(lambda: wish.run(workspace))
            theirs += timed(lambda: [describe(path, Path(scratch) / "peer" / path.stem) for path in some[half:]])
            again = []
            for turn in range(3):
                changed = some[turn]
                changed.write_bytes(changed.read_bytes() + b"\n")
                again.append(timed(lambda: wish.run(workspace)))
    yield Case(
        "catalogue", f"{COUNT:,} datasets as a site", "one by one with the libraries' own calls",
        Measured(ours, 0.0), Measured(theirs * COUNT / PEER_COUNT, 0.0), FACTOR, f"the peer did {PEER_COUNT} of them",
    )  # fmt: skip
    yield Case("catalogue", "the site once more, after one change", f"{AGAIN_S:g} s",
               Measured(statistics.median(again), 0.0), Measured(AGAIN_S, 0.0), 1.0)  # fmt: skip
    yield Case("catalogue", f"a search over {RECORDS:,} records in the browser", f"{SEARCH_S * 1000:g} ms",
               Measured(searched(), 0.0), Measured(SEARCH_S, 0.0), 1.0)  # fmt: skip


def describe(path: Path, out: Path) -> None:
    """Write what a site has of a dataset, each thing by the call of a library: a picture, files in other formats with
    checksums, records as long as those of ISO 19139 and 19115-3, DCAT with the same statements as Turtle, JSON-LD and
    RDF/XML, a STAC collection, and a page with rows."""
    import geopandas
    import jinja2
    import pystac
    import rasterio
    from lxml import etree
    from PIL import Image, ImageDraw
    from rasterio.warp import transform_bounds
    from rdflib import DCAT, DCTERMS, RDF, BNode, Graph, Literal, Namespace, URIRef

    out.mkdir(parents=True)
    rows: list[Any] = []
    picture = Image.new("RGB", (840, 480), "#FFFDF8")
    if path.suffix == ".tif":
        with rasterio.open(path) as grid:
            cells = grid.read(1)
            box = transform_bounds(grid.crs, "EPSG:4326", *grid.bounds)
        seen = Image.fromarray(((cells - cells.min()) / np.ptp(cells) * 255).astype("uint8")).resize((480, 480))
        picture.paste(seen.convert("RGB"), (180, 0))
        files = [shutil.copy(path, out / path.name)]
    else:
        frame = geopandas.read_file(path)
        box = tuple(frame.total_bounds)
        unit = max((box[2] - box[0]) / 840, (box[3] - box[1]) / 480)
        draw = ImageDraw.Draw(picture)
        for shape in frame.geometry:
            draw.polygon(
                [((x - box[0]) / unit, (box[3] - y) / unit) for x, y in shape.exterior.coords], "#1C7C7D", "#1D2A35"
            )
        frame.to_file(out / "a.gpkg", driver="GPKG")
        frame.to_csv(out / "a.csv")
        (out / "rows.js").write_text(f"rows({frame.to_json()})")
        rows = frame.drop(columns="geometry").values.tolist()
        files = [out / "a.gpkg", out / "a.csv", shutil.copy(path, out / path.name)]
    saved = BytesIO()
    picture.save(saved, "JPEG", quality=88)
    (out / "picture.jpg").write_bytes(saved.getvalue())
    SPDX = Namespace("http://spdx.org/rdf/terms#")  # noqa: N806
    graph = Graph()
    about = URIRef(f"https://data.tolvane.example/{path.stem}/")
    for predicate, value in ((RDF.type, DCAT.Dataset), (DCTERMS.title, Literal(path.stem)), (DCTERMS.description, Literal(path.stem)),
                             ):  # fmt: skip
        graph.add((about, predicate, value))
    place, system = BNode(), URIRef("http://www.opengis.net/def/crs/EPSG/0/4326")
    for subject, predicate, value in (
        (about, DCTERMS.identifier, Literal(str(about))), (about, DCAT.landingPage, about), (about, DCTERMS.spatial, place),
        (about, DCTERMS.conformsTo, system), (place, RDF.type, DCTERMS.Location), (place, DCAT.bbox, Literal(str(box))),
    ):  # fmt: skip
        graph.add((subject, predicate, value))
    for file in files:
        node, checksum, content = BNode(), BNode(), Path(file).read_bytes()
        graph.add((about, DCAT.distribution, node))
        for predicate, value in ((RDF.type, DCAT.Distribution), (DCAT.downloadURL, URIRef(about + Path(file).name)),
                                 (DCAT.accessURL, about), (DCAT.byteSize, Literal(len(content))),
                                 (DCAT.mediaType, URIRef("https://www.iana.org/assignments/media-types/text/csv")),
                                 (DCTERMS.title, Literal(Path(file).suffix)), (SPDX.checksum, checksum)):  # fmt: skip
            graph.add((node, predicate, value))
        graph.add((checksum, RDF.type, SPDX.Checksum))
        graph.add((checksum, SPDX.algorithm, SPDX.checksumAlgorithm_sha256))
        graph.add((checksum, SPDX.checksumValue, Literal(hashlib.sha256(content).hexdigest())))
    for name, form in (("record.ttl", "turtle"), ("record.jsonld", "json-ld"), ("record.rdf", "pretty-xml")):
        graph.serialize(out / name, format=form)
    for name in ("record.iso.xml", "record.iso19115-3.xml"):
        root = etree.Element("MD_Metadata")
        for number in range(ELEMENTS // 2):
            etree.SubElement(etree.SubElement(root, f"element{number}"), "CharacterString").text = path.stem
        (out / name).write_bytes(etree.tostring(root, pretty_print=True))
    extent = pystac.Extent(pystac.SpatialExtent([list(box)]), pystac.TemporalExtent([[None, None]]))
    collection = pystac.Collection(path.stem, path.stem, extent)
    for file in files:
        collection.add_asset(Path(file).suffix, pystac.Asset(f"./{Path(file).name}"))
    (out / "collection.json").write_text(json.dumps(collection.to_dict(include_self_link=False)))
    page = jinja2.Environment(autoescape=True).from_string(PAGE).render(title=path.stem, rows=rows)
    (out / "index.html").write_text(page)


def searched() -> float:
    """Return the median seconds of a search in a browser, the list of what is found and the map included."""
    import sys

    sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))
    from brisk_atlas.core.site import site_pages
    from brisk_atlas.core.site.search_index import search_script, search_tiers
    from brisk_atlas.core.site.site_entry import SiteEntry
    from browser import browser

    words = ("lava", "ash", "gas", "vent", "ridge", "bay", "survey", "laser", "grid", "road", "depth", "heat", "coast")
    entries = [
        SiteEntry(f"set-{n}", f"set {n}", "", f"Plot {n} of Tolvane", f"{words[n % 13]} {words[n % 11]} of the year {2000 + n % 40}. " * 3,
                  "polygon", keywords=(words[n % 7], words[n % 5]), fields=tuple(f"field_{n % 500}_{k}" for k in range(12)),
                  boxes=((-21 + n % 100 / 300, -38.5, -20.5, -38),))
        for n in range(RECORDS)
    ]  # fmt: skip
    with tempfile.TemporaryDirectory() as scratch, browser() as page:
        out = Path(scratch)
        (out / "assets").mkdir()
        for name, content in site_pages.assets().items():
            (out / name).write_bytes(content)
        (out / "search.js").write_bytes(
            search_script([replace(each, words=search_tiers(each, "")) for each in entries])
        )
        about = site_pages.SiteAbout("Tolvane")
        (out / "index.html").write_bytes(site_pages.home_page(about, entries, "2031-01-01", ""))
        page.get((out / "index.html").as_uri())
        return float(page.execute_async_script(
            "const end = arguments[1], times = [], ask = (words) => { const begun = performance.now(); at('words').value = words; "
            "search(); document.body.offsetHeight; times.push(performance.now() - begun); }; const look = () => { if (!index) "
            "return setTimeout(look, 50); for (let turn = 0; turn < 5; turn++) arguments[0].forEach(ask); "
            "times.sort((a, b) => a - b); end(times[times.length >> 1]); }; look();", SEARCHES)) / 1000  # fmt: skip
