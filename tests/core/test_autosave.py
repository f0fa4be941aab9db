"""Unsaved work is stored with the steps that led to it, as far as there is room, and read again as far as it is whole."""

from __future__ import annotations

import pytest

from brisk_atlas import demo
from brisk_atlas.core.workspace import Workspace, autosave
from brisk_atlas.core.workspace.autosave import discard, own_autosave, past_of, store


@pytest.fixture
def work(tmp_path, monkeypatch):
    monkeypatch.setenv("BRISK_ATLAS_HOME", str(tmp_path))
    with Workspace() as workspace:
        workspace.open(demo.DATA / "vents.kml")
        yield workspace.work


def change(work, *opacities):
    for opacity in opacities:
        work.change(f"opacity {opacity}", work.layers[0].id, opacity=opacity)


def test_steps_are_read_again_in_their_order_and_only_the_latest(work, monkeypatch):
    monkeypatch.setattr(autosave, "STEPS", 3)
    change(work, 0.9, 0.8, 0.7, 0.6)
    store(work.state, work.place, {}, None, work.past)
    found = past_of(own_autosave())
    assert [what for what, _ in found] == ["opacity 0.8", "opacity 0.7", "opacity 0.6"]
    assert [state.layers[0].opacity for _, state in found] == [0.9, 0.8, 0.7]
    discard(own_autosave())
    assert past_of(own_autosave()) == [] and not own_autosave().exists()


def test_no_more_is_stored_than_there_is_room_for(work, monkeypatch):
    change(work, 0.9, 0.8)
    monkeypatch.setattr(autosave, "LARGEST_PAST", 100)
    store(work.state, work.place, {}, None, work.past)
    assert past_of(own_autosave()) == [] and own_autosave().exists()


@pytest.mark.parametrize("damage", ["01.brisk.json", "steps.json"])
def test_damaged_steps_end_what_can_be_taken_back(work, damage):
    change(work, 0.9, 0.8, 0.7)
    store(work.state, work.place, {}, None, work.past)
    file = own_autosave().with_name(own_autosave().name + ".undo") / damage
    file.write_text("{")
    assert [what for what, _ in past_of(own_autosave())] == (["opacity 0.7"] if damage.startswith("01") else [])
