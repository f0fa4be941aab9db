"""Groups in the stack: whatever is done to it, groups hang together, nothing is lost and undo brings all back."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_atlas.core.draw import View
from brisk_atlas.core.model import DataKind, DataRef, Layer, VectorStyle
from brisk_atlas.core.workspace import Work
from brisk_atlas.core.workspace.project_file import read, save
from brisk_atlas.core.workspace.undoable_work import WorkState


def work_of(count: int) -> Work:
    work = Work()
    ref = DataRef.parse("/nowhere/zones.gpkg").with_part("zones")
    layers = tuple(Layer(f"l{i}", f"l{i}", ref, DataKind.VECTOR, VectorStyle()) for i in range(count))
    work.load(WorkState(layers, "l0"), None, None)
    return work


def lines_of(work: Work) -> list[str]:
    """Return the stack as indented lines."""
    return ["  " * row.depth + row.id for row in work.rows]


def test_layers_are_grouped_where_the_topmost_stood_and_nested():
    work = work_of(5)
    outer = work.put_in_group({"l1", "l3"}, "survey")
    assert lines_of(work) == ["l0", outer.id, "  l1", "  l3", "l2", "l4"]
    inner = work.put_in_group({"l3"})
    assert lines_of(work) == ["l0", outer.id, "  l1", f"  {inner.id}", "    l3", "l2", "l4"]
    assert (outer.name, inner.name) == ("survey", "group")
    work.ungroup(outer.id)
    assert lines_of(work) == ["l0", "l1", inner.id, "  l3", "l2", "l4"]
    work.undo()
    assert lines_of(work)[1] == outer.id


def test_a_layer_walks_through_the_stack_into_and_out_of_groups():
    work = work_of(4)
    group = work.put_in_group({"l1", "l2"})
    seen = []
    for _ in range(6):
        work.move("l3", -1)
        seen.append(lines_of(work).index(next(line for line in lines_of(work) if line.endswith("l3"))))
    assert seen == [4, 3, 2, 1, 0, 0]  # to the end of the group, up in it, out above its head
    assert work.layer("l3").group is None
    visited = set()
    for _ in range(6):
        work.move("l3", 1)
        visited.add(work.layer("l3").group)
    assert visited == {None, group.id} and lines_of(work)[-1] == "l3"


def test_a_folded_group_is_stepped_over():
    work = work_of(3)
    group = work.put_in_group({"l1"})
    work.change_group("fold", group.id, folded=True)
    assert [row.hidden for row in work.rows] == [False, False, True, False]
    work.move("l2", -1)
    assert lines_of(work) == ["l0", "l2", group.id, "  l1"]
    work.move(group.id, -1)
    assert lines_of(work) == ["l0", group.id, "  l1", "l2"]


def test_a_group_shows_and_fades_what_lies_in_it():
    work = work_of(2)
    group = work.put_in_group({"l0"})
    work.change("fade", "l0", opacity=0.5)
    work.change_group("fade", group.id, opacity=0.5)
    assert [(la.id, la.visible, la.opacity) for la in work.drawn()] == [("l1", True, 1.0), ("l0", True, 0.25)]
    work.show_or_hide({group.id})
    assert not work.drawn()[1].visible and work.layer("l0").visible


def test_several_at_once_are_one_step_of_undo():
    work = work_of(4)
    work.choose_rows(["l1", "l3"])
    assert [la.id for la in work.chosen_layers] == ["l1", "l3"]
    work.remove(*(la.id for la in work.chosen_layers))
    assert lines_of(work) == ["l0", "l2"] and work.undo_text == "close 2 layers"
    work.undo()
    assert len(work.layers) == 4
    group = work.put_in_group(["l2", "l3"])
    work.choose_rows([group.id])
    assert [la.id for la in work.chosen_layers] == ["l2", "l3"]


def test_a_locked_layer_is_kept_from_changes():
    work, announced = work_of(2), []
    work.listen(announced.append)
    work.change("lock", "l0", locked=True)
    assert not work.change("style", "l0", style=VectorStyle(width=9)) and "locked" in announced
    assert work.layer("l0").style == VectorStyle()
    assert work.change("style", ["l0", "l1"], opacity=0.3)  # of several, the others change
    assert (work.layer("l0").opacity, work.layer("l1").opacity) == (1.0, 0.3)
    assert work.change("hide", "l0", visible=False) and work.change("unlock", "l0", locked=False)


@settings(max_examples=80, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 5), st.integers(0, 7), st.integers(0, 9)), max_size=14))
def test_whatever_is_done_groups_hang_together_and_undo_brings_all_back(steps):
    work = work_of(7)
    for what, a, b in steps:
        rows = work.rows
        one, other = rows[a % len(rows)].id, rows[b % len(rows)].id
        groups = [g.id for g in work.state.groups]
        if what == 0:
            work.put_in_group({one, other})
        elif what == 1:
            work.move(one, -1 if b % 2 else 1)
        elif what == 2 and groups:
            work.place_rows({one}, None if b % 3 == 0 else other, groups[b % len(groups)])
        elif what == 3:
            work.place_rows({one}, other, None)
        elif what == 4 and groups:
            work.ungroup(groups[a % len(groups)])
        elif groups:
            work.change_group("fold", groups[a % len(groups)], folded=bool(b % 2))
        ids = [row.id for row in work.rows]
        assert len(ids) == len(set(ids))  # the head of a group stands once: its layers lie side by side
        assert {la.id for la in work.layers} == {f"l{i}" for i in range(7)}
        assert {row.id for row in work.rows if row.is_group} == {g.id for g in work.state.groups}
    while work.undo_text:
        work.undo()
    assert [la.id for la in work.layers] == [f"l{i}" for i in range(7)] and not work.state.groups


def test_groups_notes_locks_and_scales_are_saved(tmp_path):
    work = work_of(3)
    group = work.put_in_group({"l1", "l2"}, "before")
    work.change("note", "l1", note="from the second boat", scales=(1_000.0, 50_000.0))
    work.change("scales", "l0", scales=(0.0, 5_000.0))
    work.change("scales", "l2", scales=(2_000.0, float("inf")))
    work.change("lock", "l1", locked=True)
    work.change_group("fold", group.id, folded=True, opacity=0.4)
    save(work, tmp_path / "w.brisk.json")
    assert "Infinity" not in (tmp_path / "w.brisk.json").read_text()
    state = read(tmp_path / "w.brisk.json")[0]
    assert state.groups == work.state.groups and state.layers == work.state.layers


@pytest.mark.parametrize(
    "resolution, crs, drawn",
    [(1.0, "EPSG:32727", True), (0.1, "EPSG:32727", False), (50.0, "EPSG:32727", False), (1e-5, "EPSG:4326", True)],
)
def test_a_layer_is_drawn_between_its_scales(resolution, crs, drawn):
    layer = Layer("l", "l", DataRef.parse("/x.gpkg"), DataKind.VECTOR, VectorStyle(), scales=(1_000.0, 100_000.0))
    assert View(0, 0, resolution, 100, 100, crs).shows_at(layer.scales) is drawn
