"""Writes that are killed at a random moment: afterwards there is the old file or the new one."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pyogrio
import rasterio
from lxml import etree

from brisk_atlas import demo
from brisk_atlas.core.cache import DataCache
from brisk_atlas.core.curate.saving import save as save_record
from brisk_atlas.core.handover import RasterOrder, VectorOrder, hand_over_raster, hand_over_vector
from brisk_atlas.core.handover.table import write_table
from brisk_atlas.core.model import DataKind, Edit, Layer, TableView
from brisk_atlas.core.record.document import read_document
from brisk_atlas.core.system.atomic_write import finish_moves
from brisk_atlas.core.table.editing import state_of
from brisk_atlas.core.table.write_back import save_edits
from brisk_atlas.core.workspace import Work
from brisk_atlas.core.workspace.project_file import save as save_project
from made_files import at

from .files import Report

LONGEST_S = 0.6
KINDS = ("out.tif", "out.gpkg", "out.geojson", "out.fgb", "out.shp", "out.csv", "out.parquet", "out.xlsx",
         "edited.gpkg", "edited.geojson", "edited.shp", "work.brisk.json", "record.xml")  # fmt: skip


def write(target: Path, version: int) -> None:
    """Write version 1 or 2 of a file, over the other one."""
    held = DataCache()
    survey = demo.DATA / "tolvane_survey.gpkg"
    if target.stem == "edited":
        dataset = held.dataset(at(target))
        part = "lava_flows" if target.suffix == ".gpkg" else dataset.parts[0].facts.name
        rows = len(held.table(at(target, part)))
        edit = Edit("year", tuple(range(rows)), (version,) * rows)
        look = TableView(edits=(edit,), edited_from=state_of(dataset.members))
        save_edits(held, Layer("l", part, at(target, part), DataKind.VECTOR, rows=look))
    elif target.suffix == ".tif":
        part = held.raster(at(demo.DATA / "elevation_2031.tif", "elevation_2031"))
        hand_over_raster(part, RasterOrder(target, (1,), resolution=10.0 * version))
    elif target.name.endswith(".brisk.json"):
        work = Work()
        for n in range(version * 300):
            facts = held.dataset(at(demo.DATA / "vents.kml")).parts[0].facts
            work.add(at(demo.DATA / "vents.kml"), facts, None, f"layer {n}")
        save_project(work, target)
    elif target.suffix == ".xml":
        document = read_document(demo.DATA / "elevation_2031.tif.xml")
        text = document.record.abstract
        save_record(document.edited(_with_abstract(document.record, text * 400 * version)), target, over=True)
    elif target.suffix in (".csv", ".parquet", ".xlsx"):
        table = pa.table({"x": np.full(4_000 * version, version)})
        write_table(table, target, {".csv": "CSV", ".parquet": "Parquet", ".xlsx": "XLSX"}[target.suffix])
    else:
        kinds = {".gpkg": "GeoPackage", ".geojson": "GeoJSON", ".fgb": "FlatGeobuf", ".shp": "Shapefile"}
        features = held.features(at(survey, "lava_flows"))
        rows = np.arange(len(features) if version == 2 else len(features) // 2)
        hand_over_vector(features, VectorOrder(target, kinds[target.suffix], "out", rows))


def _with_abstract(record, text):
    from dataclasses import replace

    return replace(record, abstract=text)


def sign(target: Path) -> str:
    """Return what tells the versions of a whole file apart, read with the general libraries. Raises for a half one."""
    if target.suffix == ".tif":
        with rasterio.open(target) as made:
            made.read()
            return str(made.width)
    if target.suffix == ".parquet":
        return str(pq.read_table(target).num_rows)
    if target.suffix == ".csv":
        return str(len(target.read_text().splitlines()))
    if target.suffix == ".xlsx":
        from openpyxl import load_workbook

        return str(load_workbook(target, read_only=True).worksheets[0].max_row)
    if target.suffix == ".json":
        return str(len(json.loads(target.read_text())["layers"]))
    if target.suffix == ".xml":
        return str(len(etree.tostring(etree.parse(target))) // 10_000)
    if target.suffix == ".gpkg":
        with closing(sqlite3.connect(target)) as db:  # undoes what a kill left half done, as any program does
            assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    layer = "lava_flows" if target.name == "edited.gpkg" else None
    _, table = pyogrio.read_arrow(target, layer=layer)
    years = set(table.column("year").to_pylist())
    if target.stem == "edited":
        assert len(years) == 1, years
        return str(years)
    if target.suffix == ".shp":
        records = int.from_bytes(target.with_suffix(".dbf").read_bytes()[4:8], "little")
        assert records == table.num_rows == (target.with_suffix(".shx").stat().st_size - 100) // 8
    return str(table.num_rows)


def attack_writes(folder: Path, seed: int, seconds: float) -> Report:
    """Kill writes of every kind at random moments for a while."""
    report, rng = Report(), random.Random(seed)
    end, number = time.monotonic() + seconds, 0
    whole: dict[str, set[str]] = {}
    while time.monotonic() < end:
        name = KINDS[number % len(KINDS)]
        room = folder / name.replace(".", "_")
        target = room / name
        if not room.exists():
            _begin(target)
            whole[name] = set()
            for version in (2, 1):
                write(target, version)
                whole[name].add(sign(target))
        child = subprocess.Popen(
            [sys.executable, "-m", "attack.kills", str(target)], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
            env={**os.environ, "PYTHONPATH": os.pathsep.join([str(Path(__file__).parents[1]), os.environ.get("PYTHONPATH", "")])},
        )  # fmt: skip
        assert child.stdout is not None
        child.stdout.readline()
        time.sleep(rng.uniform(0, LONGEST_S))
        child.send_signal(signal.SIGKILL)
        child.wait()
        report.tried += 1
        finish_moves(room)  # as the next write or opening does
        try:
            found = sign(target)
        except Exception as error:
            found = f"half: {type(error).__name__}: {error}"
        left = [p.name for p in room.iterdir() if p.name.startswith(".")]
        report.outcomes["whole" if found in whole[name] else "half"] += 1
        if found not in whole[name] or left:
            report.faults.append(f"kill {number} of {name}: {found} {left}")
            shutil.rmtree(room)
        number += 1
    return report


def _begin(target: Path) -> None:
    target.parent.mkdir(parents=True)
    if target.name == "edited.gpkg":
        shutil.copy(demo.DATA / "tolvane_survey.gpkg", target)
    elif target.stem == "edited":
        held = DataCache()
        features = held.features(at(demo.DATA / "tolvane_survey.gpkg", "lava_flows"))
        kinds = {".geojson": "GeoJSON", ".shp": "Shapefile"}
        hand_over_vector(features, VectorOrder(target, kinds[target.suffix], "edited"))


def main() -> None:
    target = Path(sys.argv[1])
    print("ready", flush=True)
    while True:
        for version in (1, 2):
            write(target, version)


if __name__ == "__main__":
    main()
