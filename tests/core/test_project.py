"""The work, its undo, and its file."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.model import (
    CannotRead,
    CannotWrite,
    CloudStyle,
    ColumnView,
    DataKind,
    Facts,
    GridStyle,
    OpenOptions,
    Quantity,
    Stretch,
    TableView,
    VectorStyle,
)
from brisk_atlas.core.workspace import Picks, Place, Work
from brisk_atlas.core.workspace.project_file import read, save
from made_files import at

VECTOR, GRID = Facts("v", DataKind.VECTOR, crs="EPSG:32727"), Facts("g", DataKind.RASTER, crs="EPSG:32727")


def filled(folder: Path) -> Work:
    work = Work()
    work.add(at(folder / "a.tif"), GRID, GridStyle((3, 2, 1), "tide", Stretch("hand", -5, 7.5), 0.5, "nearest"))
    work.add(at(folder / "b.gpkg"), VECTOR, VectorStyle(colour_by="year", hollow=True))
    work.add(at(folder / "c.laz"), Facts("c", DataKind.POINTCLOUD), CloudStyle("intensity", size=3.0))
    work.add(at(folder / "d.csv"), Facts("d", DataKind.TABLE), None)
    work.place = Place(1.5, 2.5, 3.5)
    return work


def test_grids_go_below_vectors_and_names_stay_apart(tmp_path):
    work = Work()
    for facts in (VECTOR, GRID, VECTOR, GRID):
        work.add(at(tmp_path / "x"), facts, None)
    assert [layer.name for layer in work.layers] == ["v 2", "v", "g 2", "g"]
    assert len({layer.id for layer in work.layers}) == 4 and work.subject.name == "g 2"
    assert work.state.crs == "EPSG:32727"


steps = st.lists(
    st.tuples(
        st.sampled_from(["add", "remove", "up", "down", "hide", "opacity", "curtain", "open"]), st.integers(0, 5)
    ),
    max_size=25,
)


def take(work: Work, step: str, number: int) -> None:
    layer = work.layers[number % len(work.layers)] if work.layers else None
    if step == "add" or layer is None:
        work.add(at(Path("/x")), VECTOR if number % 2 else GRID, VectorStyle() if number % 2 else GridStyle())
    elif step == "remove":
        work.remove(layer.id)
    elif step in ("up", "down"):
        work.move(layer.id, -1 if step == "up" else 1)
    elif step == "hide":
        work.change("hide", layer.id, visible=not layer.visible)
    elif step == "opacity":
        work.change("opacity", layer.id, opacity=number / 5)
    elif step == "curtain":
        work.compare((layer.id,), ())
    else:
        work.stop_comparing()


@settings(max_examples=60)
@given(steps)
def test_undoing_all_brings_back_every_state_and_redoing_too(taken):
    work = Work()
    states = [work.state]
    for step, number in taken:
        take(work, step, number)
        if work.state != states[-1]:
            states.append(work.state)
    for state in reversed(states[:-1]):
        work.undo()
        assert work.state == state
    assert not work.undo_text
    for state in states[1:]:
        work.redo()
        assert work.state == state
    ids = [layer.id for layer in work.layers]
    assert len(ids) == len(set(ids)) and (work.subject is not None) == bool(ids)


def test_a_new_step_forgets_what_was_undone(tmp_path):
    work = filled(tmp_path)
    work.undo()
    work.change("hide", work.layers[0].id, visible=False)
    assert not work.redo_text


def test_listeners_hear_what_changed(tmp_path):
    work, heard = filled(tmp_path), []
    work.listen(heard.append)
    first, second = work.layers[0], work.layers[1]
    work.choose(second.id)
    work.change("style", second.id, style=replace(second.style, size=9.0))
    work.pick(Picks(second.id, (1,)))
    work.compare((first.id,), (second.id,))
    work.remove(second.id)
    assert heard == ["subject", "layers", "picks", "comparison", "picks", "layers", "subject", "comparison"]
    assert work.state.comparison is None and work.picks is None  # they spoke of what is closed


def test_closing_the_last_layer_forgets_the_crs(tmp_path):
    work = Work()
    work.remove(work.add(at(tmp_path / "x"), GRID, GridStyle()).id)
    assert work.state.crs is None and work.subject is None
    work.add(at(tmp_path / "y"), Facts("y", DataKind.VECTOR, crs="EPSG:4326"), VectorStyle())
    assert work.state.crs == "EPSG:4326"


def test_saved_and_opened_it_is_the_same(tmp_path):
    work = filled(tmp_path)
    work.compare((work.layers[0].id,), (work.layers[1].id,))
    path = tmp_path / "w.brisk.json"
    assert work.changed
    save(work, path)
    assert not work.changed and work.file == path
    said = {work.layers[0].ref.whole: OpenOptions(crs="EPSG:32727")}
    save(work, path, said)
    assert read(path) == (work.state, work.place, said)


def test_a_quantity_is_stored_with_its_reference_and_read_from_the_name_of_a_part_too(tmp_path):
    work = filled(tmp_path)
    number, grid = next((i, layer) for i, layer in enumerate(work.layers) if layer.kind.has_cells)
    shown = grid.ref.with_part("thermal").with_quantity(Quantity.TEMPERATURE)
    work.change("show temperature", grid.id, ref=shown)
    path = tmp_path / "w.brisk.json"
    save(work, path)
    stored = json.loads(path.read_text())
    assert stored["layers"][number]["ref"]["quantity"] == "temperature"
    assert read(path)[0].layers[number].ref == shown
    del stored["layers"][number]["ref"]["quantity"]
    stored["layers"][number]["ref"]["part"] = "thermal as temperature"
    table = next(i for i, layer in enumerate(work.layers) if not layer.kind.has_place)
    stored["layers"][table]["ref"]["part"] = "roads as temperature"
    path.write_text(json.dumps(stored))
    layers = read(path)[0].layers
    assert layers[number].ref == shown and layers[table].ref.part == "roads as temperature"


def test_a_column_that_was_stored_as_kept_is_pinned(tmp_path):
    work = filled(tmp_path)
    table = work.layers[-1]
    work.change("pin", table.id, rows=TableView((ColumnView("name", pinned=True),)))
    path = tmp_path / "w.brisk.json"
    save(work, path)
    text = path.read_text()
    assert '"pinned": true' in text
    path.write_text(text.replace('"pinned"', '"kept"'))
    assert read(path)[0] == work.state


def test_a_moved_folder_takes_its_paths_along(tmp_path):
    (tmp_path / "one").mkdir()
    save(filled(tmp_path / "one"), tmp_path / "one" / "w.brisk.json")
    assert '"a.tif"' in (tmp_path / "one" / "w.brisk.json").read_text()
    (tmp_path / "one").rename(tmp_path / "two")
    state, _, _ = read(tmp_path / "two" / "w.brisk.json")
    assert {layer.ref.folder for layer in state.layers} == {tmp_path / "two"}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "not whole JSON"),
        ('{"brisk_atlas_project": 1, "layers": [', "not whole JSON"),
        ("[]", "not a project"),
        ('{"layers": []}', "not a project"),
        ('{"brisk_atlas_project": 9, "layers": []}', "a newer Brisk Atlas"),
        ('{"brisk_atlas_project": 1, "surprise": 2}', "not a project"),
        ('{"brisk_atlas_project": 1, "place": {"x": 0, "y": 0, "resolution": 0}}', "place.resolution"),
        ('{"brisk_atlas_project": 1, "layers": [{"id": "a", "name": "n", "path": "p", "part": "q", "kind": "spell"}]}', "kind"),
        ('{"brisk_atlas_project": 1, "layers": [{"id": "a", "name": "n", "path": "p", "part": "q", "kind": "vector", "style": {"glow": 1}}]}',
         "not a project"),
    ],
)  # fmt: skip
def test_a_damaged_or_foreign_file_is_refused_with_its_reason(tmp_path, text, words):
    path = tmp_path / "w.brisk.json"
    path.write_text(text)
    with pytest.raises(CannotRead, match=words) as caught:
        read(path)
    assert caught.value.remedy


def test_a_subject_or_curtain_that_names_no_layer_is_let_go(tmp_path):
    path = tmp_path / "w.brisk.json"
    save(filled(tmp_path), path)
    told = json.loads(path.read_text()) | {"subject": "ghost", "curtain": [["ghost"], []]}
    path.write_text(json.dumps(told))
    state, _, _ = read(path)
    assert state.comparison is None and state.subject == state.layers[0].id


def test_a_full_disk_leaves_the_old_project(tmp_path, monkeypatch):
    path = tmp_path / "w.brisk.json"
    save(filled(tmp_path), path)
    old = path.read_text()

    def full(descriptor):
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("brisk_atlas.core.system.atomic_write.os.fsync", full)
    with pytest.raises(CannotWrite, match="the disk is full"):
        save(Work(), path)
    assert path.read_text() == old and [p.name for p in tmp_path.iterdir()] == [path.name]


def test_the_shipped_project_opens_on_the_shipped_data(data):
    state, place, _ = read(data / "tolvane.brisk.json")
    assert len(state.layers) > 8 and place is not None and all(layer.ref.path.is_file() for layer in state.layers)


def test_changes_made_together_are_told_once_and_undone_one_by_one(tmp_path):
    work, heard = filled(tmp_path), []
    work.listen(heard.append)
    names = [layer.name for layer in work.layers]
    with work.together():
        for layer in work.layers:
            work.change("hide", layer.id, visible=False)
        assert heard == []
    assert heard == ["layers"]
    work.undo()
    assert [layer.visible for layer in work.layers].count(True) == 1
    assert [layer.name for layer in work.layers] == names
