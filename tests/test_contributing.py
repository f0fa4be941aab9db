"""docs/contributing.md followed: a reader, a connector, a kind of layer, an operation, a standard and a pane are added."""

from __future__ import annotations

import io
import json
import re
import sys
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path
from types import ModuleType

import numpy as np
import pyarrow as pa
import pytest
from lxml import etree

import brisk_atlas
from brisk_atlas import cli
from brisk_atlas.core import kinds, operations, read
from brisk_atlas.core.connect import connector
from brisk_atlas.core.connect.connector import Item
from brisk_atlas.core.connect.copies import COPY_LIMIT, copy_target, store_copy
from brisk_atlas.core.connect.files import CONNECTOR as FILES
from brisk_atlas.core.draw import View
from brisk_atlas.core.draw.drawn import Drawn
from brisk_atlas.core.draw.layer_painter import PlainPainter
from brisk_atlas.core.kinds.kind import LayerKind
from brisk_atlas.core.model import CannotRead, DataKind, DataRef, Dataset, Extent, Facts, Field, Layer, VectorStyle
from brisk_atlas.core.operations.operation import Operation, Written, argument, silent
from brisk_atlas.core.read import registry
from brisk_atlas.core.read.answer import ParsedTable
from brisk_atlas.core.read.on_disk import on_disk
from brisk_atlas.core.record import Record, standards, written
from brisk_atlas.core.record.adapting import for_words
from brisk_atlas.core.record.binding import many, one, shape
from brisk_atlas.core.record.iso_values import OwnText
from brisk_atlas.core.record.model import KeywordSet
from brisk_atlas.core.record.xml_writer import Grammar
from brisk_atlas.core.workspace.workspace import Workspace
from made_files import at

ROOT = Path(__file__).parents[1]
PAGE = (ROOT / "docs" / "contributing.md").read_text()


def test_every_file_and_name_that_the_page_names_is_there():
    source = Path(brisk_atlas.__file__).parent
    for name in re.findall(r"`([a-z_]+/[\w/]+\.(?:py|md|toml))`", PAGE):
        assert any((base / name).exists() for base in (ROOT, source, source / "core", source / "core" / "record")), name
    text = "\n".join(path.read_text() for path in source.rglob("*.py"))
    for name in re.findall(r"`(?:[a-z_]+\.)*([A-Z]\w+)`", PAGE):
        assert re.search(rf"\b{name}\b", text), name


# A reader


def open_notes(ref: DataRef, options: object) -> Dataset:
    """Return a dataset of `depth: rock` lines."""
    lines = [line.partition(":") for line in ref.path.read_text().splitlines()]
    if not all(mark for _, mark, _ in lines):
        raise CannotRead(ref, "a line has no colon", "Ask for it again.")
    table = pa.table({"depth": [float(d) for d, _, _ in lines], "rock": [r.strip() for _, _, r in lines]})
    facts = Facts(ref.stem, DataKind.TABLE, len(lines), None, (Field("depth", "double"), Field("rock", "string")))
    return Dataset(format="rock notes", kind=DataKind.TABLE, parts=(ParsedTable(ref, facts, table),), **on_disk(ref))


def test_a_reader_of_another_package(tmp_path, monkeypatch):
    added = read.Reader("rock notes", (".rocks",), ("text",), open_notes)
    monkeypatch.setattr(registry, "readers", lambda: (added, *registry.BUILT_IN))
    path = tmp_path / "north.rocks"
    path.write_text("0: ash\n12.5: lava\n40: old lava\n")
    layer = Layer("n", "north", at(path, "north"), DataKind.TABLE)
    assert Workspace().sheet_of(layer).matching("rock LIKE '%lava'").tolist() == [1, 2]
    path.write_text("0 ash\n")
    with pytest.raises(CannotRead, match="no colon"):
        read.open(path)


# A connector


class Cellar:
    """A stand-in of a database whose tables are texts."""

    def __init__(self, tables: dict[str, str]) -> None:
        self.tables, self.fetched = tables, 0

    def _text(self, ref: DataRef) -> bytes:
        if ref.name not in self.tables:
            raise CannotRead(ref, "the cellar has no such table", "Look at its list.")
        return self.tables[ref.name].encode()

    def list(self, ref):
        return [
            Item(DataRef.parse(f"az://cellar/{n}"), n, False, len(t), 0.0, str(hash(t))) for n, t in self.tables.items()
        ]

    def stat(self, ref):
        return len(self._text(ref)), datetime.fromtimestamp(0, UTC)

    def fingerprint(self, ref):
        return str(hash(self._text(ref)))

    def head(self, ref, count):
        return self._text(ref)[:count]

    def localise(self, ref):
        self.fetched += 1
        target = copy_target(ref, self.fingerprint(ref))
        store_copy(ref, io.BytesIO(self._text(ref)), target, COPY_LIMIT, 0.0)
        return FILES.localise(DataRef.file(target))


def test_a_connector_to_another_kind_of_place(monkeypatch):
    home = ModuleType("brisk_atlas.core.connect.cellar")
    home.CONNECTOR = Cellar({"vents.csv": "name,depth\nnorth,12\nsouth,30\n"})
    monkeypatch.setitem(sys.modules, home.__name__, home)
    monkeypatch.setitem(connector.ADDRESSES, "az", "cellar")
    ref = DataRef.parse("az://cellar/vents.csv")
    assert [item.name for item in connector.connector_for(ref).list(ref)] == ["vents.csv"]
    dataset = read.open(ref)
    assert dataset.ref == ref and dataset.parts[0].rows().column("depth").to_pylist() == [12, 30]
    with pytest.raises(CannotRead, match="no such table"):
        read.open(DataRef.parse("az://cellar/lost.csv"))


# A kind of layer


class WashPainter(PlainPainter):
    def paint(self, cache, layer, image, view, check, so_far):
        image[:] = (0, 0, 128, 255)
        return Drawn()


class WashKind(LayerKind):
    """A colour over everything."""

    kind, style, painter = DataKind.DOCUMENT, VectorStyle, WashPainter()

    def first_style(self, facts, number):
        return VectorStyle()


def test_a_kind_of_layer(monkeypatch, cache):
    monkeypatch.setitem(kinds.KINDS, DataKind.DOCUMENT, WashKind())
    style = kinds.first_style(Facts("w", DataKind.DOCUMENT), 0)
    layer = Layer("w", "wash", DataRef.file("/nowhere"), DataKind.DOCUMENT, style)
    frame = kinds.painter_for(cache).frame([layer], View.fitting(Extent(0, 0, 1, 1, "EPSG:32727"), 8, 8))
    assert not frame.faults and np.array_equal(frame.image[4, 4], (0, 0, 128, 255))
    assert kinds.kind_of(DataKind.DOCUMENT).names(cache, layer) == []


# An operation


@dataclass(frozen=True)
class CountFeatures(Operation):
    """Write how many features or rows a dataset has."""

    source: Path = argument("the dataset")
    path: Path = argument("the file to write")
    thousands: bool = argument("write thousands apart", False)

    def run(self, workspace, progress=silent):
        progress(0.5, "counting")
        count = sum(part.facts.count or 0 for part in read.open(self.source).parts)
        self.path.write_text(f"{count:,}" if self.thousands else str(count))
        return Written((self.path,), f"{count:,} rows")


@pytest.fixture
def added_operation(monkeypatch):
    home = ModuleType("brisk_atlas.core.operations.count_features")
    home.CountFeatures = CountFeatures
    monkeypatch.setitem(sys.modules, home.__name__, home)
    monkeypatch.setitem(operations.COMMANDS, "count-features", ("count_features", "CountFeatures"))


def test_an_operation(added_operation, data, tmp_path, capsys):
    value = CountFeatures(data / "ash_samples.geojson", tmp_path / "n.txt", thousands=True)
    assert operations.from_json(json.loads(json.dumps(operations.to_json(value)))) == value
    source, path = str(data / "ash_samples.geojson"), str(tmp_path / "m.txt")
    assert cli.main(["count-features", "--source", source, "--path", path, "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["what"] == "74 rows" and Path(path).read_text() == "74"
    with pytest.raises(SystemExit):
        cli.main(["count-features", "--help"])
    assert "write thousands apart" in capsys.readouterr().out


# A standard


def test_a_metadata_standard(monkeypatch, tmp_path):
    home = ModuleType("brisk_atlas.core.record.standards.card")
    words, spaces = OwnText(), {"card": "http://survey.tolvane.example/card"}
    home.RECORD = shape(
        Record,
        one("title", "card:heading", words),
        one("abstract", "card:about", words),
        many("keywords", ".", shape(KeywordSet, many("words", "card:word", words)), most=1),
    )
    never = lambda element: False  # noqa: E731
    home.GRAMMAR = Grammar(spaces, lambda name: ("heading", "about", "word"), lambda name: (), never, never)
    home.new_root = lambda: etree.Element("{http://survey.tolvane.example/card}card", nsmap=spaces)
    monkeypatch.setitem(sys.modules, home.__name__, home)
    card = standards.Standard("Card", "card", "xml", ".card.xml", "dublin_core", for_words, "Card", "1")
    monkeypatch.setitem(standards.STANDARDS, "Card", card)
    monkeypatch.setattr("brisk_atlas.core.record.document.standard_of", lambda root: "Card")
    record = Record(title="Lava of 2031", abstract="Flows <mapped>", keywords=(KeywordSet(words=("lava", "ash")),))
    document = written(card, record, tmp_path / "lava.card.xml")
    assert b"<card:heading>Lava of 2031</card:heading>" in document.data and b"&lt;mapped&gt;" in document.data
    assert (document.record.title, document.record.keywords) == (record.title, record.keywords)
    later = document.edited(replace(document.record, title="Lava"))
    assert b"<card:heading>Lava</card:heading>" in later.data and b"<card:word>ash</card:word>" in later.data
    assert card.places("title") == ("card:heading",) and card.word("abstract") == "about"


# A pane


def test_a_pane(added_operation, qtbot, data, tmp_path, home):
    from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

    from brisk_atlas.desktop.session import Session

    class CountPane(QWidget):
        """Counts a dataset by an operation, and shows the answer."""

        def __init__(self, session, source):
            super().__init__()
            self.session, self.source = session, source
            self.button, self.answer = QPushButton("Count"), QLabel("")
            column = QVBoxLayout(self)
            column.addWidget(self.button)
            column.addWidget(self.answer)
            self.button.clicked.connect(self.count)

        def count(self):
            value = CountFeatures(self.source, tmp_path / "counted.txt")
            self.session.run_operation("Counting", value, lambda found: self.answer.setText(found.what))

    session = Session()
    pane = CountPane(session, data / "ash_samples.geojson")
    qtbot.addWidget(pane)
    pane.show()
    from PyQt6.QtCore import Qt

    qtbot.mouseClick(pane.button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: pane.answer.text() == "74 rows", timeout=60_000)
    session.close()
