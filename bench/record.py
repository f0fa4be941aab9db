"""Reading, checking and tabling 10,000 ISO 19139 records against OWSLib parsing the same ones, one by one."""

from __future__ import annotations

import csv
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from . import data
from .case import Case, Measured, timed

COUNT, FEW = 10_000, 1_000
RUNS = 3
ELEMENTS = ("title", "abstract", "contacts.organisation", "contacts.email", "dates.day", "boxes", "systems.code",
            "lineage", "constraints.limits", "quality.value", "links.url", "steps.description")  # fmt: skip
HOSTILE = b'<?xml version="1.0"?><metadata>' + b"<a>" * 4_000_000


def shelf() -> Path:
    """Return a folder of 10,000 records of some 25 kB, each with several contacts, links, steps and results."""

    def make(path: Path) -> None:
        from brisk_atlas.core.record import STANDARDS, written
        from brisk_atlas.core.record.model import (
            Box,
            Constraint,
            Contact,
            DatedEvent,
            Format,
            Identifier,
            KeywordSet,
            Link,
            Measure,
            Period,
            ProcessStep,
            QualityResult,
            Record,
            RecordSource,
            System,
        )  # fmt: skip

        office = Contact("Ines Maro", "Tolvane Survey Office", "surveyor", "owner", "+000 20 9000", "", "Quay 1",
                         "Harrow Landing", "", "0001", "", "data@survey.tolvane.example")  # fmt: skip
        record = Record(
            title="TITLE-HERE", abstract="Lava of the eruption of Mount Serrick. " * 6, purpose="Planning.", status="completed",
            topics=("geoscientificInformation",), keywords=(KeywordSet("theme", ("lava", "ash", "vent", "fissure")),
                                                           KeywordSet("place", ("Tolvane Island", "Harrow Bay"))),
            languages=("eng",), charset="utf8", contacts=(office, office), dates=(DatedEvent("2031-06-24", "creation"),
                                                                                 DatedEvent("2031-07-30", "publication")),
            times=(Period("2031-04-18", "2031-06-24"),), maintenance="asNeeded", boxes=(Box(-20.95, -38.24, -20.83, -38.16),),
            systems=(System("32727", "EPSG"),), distances=(Measure(10.0, "m"),), scales=(5000,), representation=("vector",),
            constraints=(Constraint("legal", ("Free to use.",), ("otherRestrictions",), (), ("No limits.",)),),
            lineage="Mapped from the difference of two elevation grids. " * 4, identifiers=(Identifier("lava-2031", "tolvane"),),
            steps=tuple(ProcessStep(f"Step {i}: points were classified and gridded.", "", "2031-06-25") for i in range(4)),
            sources=(RecordSource("Elevation of 2029", "Elevation 2029", 5000, "2029-05-20"),),
            quality=tuple(QualityResult("absoluteExternalPositionalAccuracy", f"accuracy {i}", value="0.2", unit="m") for i in range(3)),
            formats=(Format("GeoPackage", "1.3"),), links=tuple(Link(f"https://data.survey.tolvane.example/{i}", f"link {i}") for i in range(4)),
            distributors=(office,), identifier="tolvane-lava", language="eng", record_charset="utf8", level="dataset",
            stamped="2031-07-30", record_contacts=(office,), standard_name="ISO 19115:2003/19139", standard_version="1.0",
        )  # fmt: skip
        text = written(STANDARDS["ISO 19139"], record, Path("made.xml")).text
        path.mkdir()
        for i in range(COUNT):
            (path / f"record_{i:05}.xml").write_text(text.replace("TITLE-HERE", f"Lava flow {i}"), "utf-8")

    return data.made("records-10000", make)


def run() -> Iterator[Case]:
    here = shelf()
    yield _tabled(here)
    yield _flat(here)
    yield _refused()


def _tabled(here: Path) -> Case:
    """Each side in a process of its own, in turn: its start is in the time."""
    ours, theirs = [], []
    for _ in range(RUNS):
        ours.append(_side("ours", here, COUNT))
        theirs.append(_side("theirs", here, COUNT))
    a, b = _median(ours), _median(theirs)
    said, asked = len(ELEMENTS), 9
    note = (
        f"ours: {said} elements of each, checked by the rules, with completeness, two processes (memory: the larger); "
        f"theirs: {asked} of them, not checked. On one core ours takes {_alone(here):.2f} times as long as two"
    )
    return Case("record", f"{COUNT:,} records read, checked and tabled", "OWSLib, one by one", a, b, 3.0, note)


def _flat(here: Path) -> Case:
    """Peak memory with ten times as many records; the ratio is that of the memory."""
    few, many = _side("ours", here, FEW), _side("ours", here, COUNT)
    return Case("record", "memory: a tenth of the records against all", "the same with 1,000 records",
                Measured(many.peak_mb, many.peak_mb), Measured(few.peak_mb, few.peak_mb), 0.8, "figures are MB, not seconds")  # fmt: skip


def _refused() -> Case:
    """Nesting without end, 12 MB of it: refused within a second (the peer is that second)."""
    from brisk_atlas.core.model import CannotRead
    from brisk_atlas.core.record import read_document

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "deep.xml"
        path.write_bytes(HOSTILE)

        def refuse() -> None:
            try:
                read_document(path)
            except CannotRead:
                return
            raise AssertionError("it was read")

        seconds = sorted(timed(refuse) for _ in range(RUNS))[RUNS // 2]
    return Case("record", "hostile nesting is refused", "one second", Measured(seconds, 0), Measured(1.0, 0), 1.0)


def _median(runs: list[Measured]) -> Measured:
    return sorted(runs, key=lambda m: m.seconds)[len(runs) // 2]


def _alone(here: Path) -> float:
    return _side("alone", here, COUNT).seconds / _side("ours", here, COUNT).seconds


def _side(which: str, here: Path, count: int) -> Measured:
    """Run one side in a child; returns its seconds and the most memory that it or its children held."""
    code = f"import bench.record as b, sys; b.child({which!r}, {str(here)!r}, {count})"
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    seconds, megabytes = out.stdout.split()[-2:]
    return Measured(float(seconds), float(megabytes))


def child(which: str, here: str, count: int) -> None:
    """Do one side's work and print seconds and memory. Runs in a process of its own."""
    import resource

    paths = sorted(Path(here).glob("*.xml"))[:count]
    with tempfile.TemporaryDirectory() as folder:
        work = {"ours": _ours, "alone": _ours_alone, "theirs": _theirs}[which]
        seconds = timed(lambda: work(paths, Path(folder) / "table.csv"))
    peaks = [resource.getrusage(who).ru_maxrss for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    print(seconds, max(peaks) / 1024)


def _ours(paths: list[Path], out: Path) -> None:
    from brisk_atlas.core.curate.many import RecordSource, table, write_csv

    write_csv(table((RecordSource(None, path) for path in paths), ELEMENTS), ELEMENTS, out)


def _ours_alone(paths: list[Path], out: Path) -> None:
    from brisk_atlas.core.curate.many import RecordSource, row_of, write_csv

    write_csv((row_of(RecordSource(None, path), ELEMENTS) for path in paths), ELEMENTS, out)


def _theirs(paths: list[Path], out: Path) -> None:
    from lxml import etree
    from owslib.iso import MD_Metadata

    with out.open("w", newline="") as file:
        table = csv.writer(file)
        for path in paths:
            record = MD_Metadata(etree.parse(path).getroot())
            about = record.identification[0]
            table.writerow(
                [
                    about.title,
                    about.abstract,
                    "; ".join(c.organization or "" for c in about.contact),
                    "; ".join(c.email or "" for c in about.contact),
                    "; ".join(d.date or "" for d in about.date),
                    about.bbox and (about.bbox.minx, about.bbox.miny, about.bbox.maxx, about.bbox.maxy),
                    record.referencesystem and record.referencesystem.code,
                    record.dataquality and record.dataquality.lineage,
                    "; ".join(about.uselimitation),
                ]
            )
