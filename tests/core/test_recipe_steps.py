"""Each step of a recipe against another library or brute force."""

from __future__ import annotations

import dataclasses
import threading
import time
import warnings

import geopandas
import numpy as np
import pandas
import pyarrow as pa
import pyproj
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from brisk_atlas.core.handover import wkb_moves
from brisk_atlas.core.handover.checkpoints import stored_flow
from brisk_atlas.core.handover.flows import BATCH, BATCH_BYTES, RowFlow
from brisk_atlas.core.handover.geometry_column import shapes_of
from brisk_atlas.core.handover.recipe import RecipeStep
from brisk_atlas.core.handover.step import BadStep
from brisk_atlas.core.handover.steps import STEPS
from brisk_atlas.core.handover.steps.coordinates import transformations
from brisk_atlas.core.handover.wkb_moves import moved_wkb
from brisk_atlas.core.model import AtlasError, BadExpression, Extent
from flows import GEOMETRY, UTM, Tried, rows_of, same_area

E0, N0 = 500_000.0, 5_700_000.0


def made(word, **settings):
    return RecipeStep(word, settings).made({})


def squares(rng, count, size=40.0, room=400.0):
    x, y = rng.uniform(E0, E0 + room, count), rng.uniform(N0, N0 + room, count)
    return shapely.box(x, y, x + rng.uniform(5, size, count), y + rng.uniform(5, size, count))


def frame(flow):
    table = flow.whole()
    shapes = shapely.from_wkb(table.column(GEOMETRY).to_numpy(zero_copy_only=False))
    return geopandas.GeoDataFrame(table.drop_columns([GEOMETRY]).to_pandas(), geometry=list(shapes), crs=flow.crs)


def test_rows_are_chosen_and_the_others_are_rejected_with_a_reason():
    flow = rows_of(None, n=[1, 2, None, 4, 5, 6], t=["a", None, "c", "ä", "e", "f"])
    tried = Tried(made("where", where="n > 2 AND t <> 'e'"), flow)
    assert tried.column("n") == [4, 6] and tried.rejected_count == 4
    assert {reason for _, reason in tried.rejected} == {"does not meet the condition"}
    windowed = Tried(made("where", where="n = max(n) OVER ()"), flow)  # over all batches
    assert windowed.column("n") == [6]
    with pytest.raises(BadExpression, match="no field m"):
        Tried(made("where", where="m > 2"), flow)


def test_a_condition_may_measure_geometry():
    rng = np.random.default_rng(1)
    shapes = squares(rng, 50)
    tried = Tried(made("where", where="area_plane() > 300"), rows_of(shapes))
    assert tried.column("n") == np.flatnonzero(shapely.area(shapes) > 300).tolist()


def test_duplicates_sorting_and_the_first_rows():
    flow = rows_of(None, a=[2, 1, 2, None, None, 1], b=["x", "y", "x", "z", "z", "w"])
    tried = Tried(made("drop-duplicates"), flow)
    assert tried.column("b") == ["x", "y", "z", "w"] and tried.rejected_count == 2
    assert Tried(made("drop-duplicates", fields=["a"], last=True), flow).column("b") == ["x", "z", "w"]
    assert Tried(made("sort", by=["-a", "b"]), flow).column("a") == [2, 2, 1, 1, None, None]
    assert Tried(made("sort", by=["-a", "b"]), flow).column("b") == ["x", "x", "w", "y", "z", "z"]
    assert Tried(made("first-rows", count=4), flow).table.num_rows == 4
    same = rows_of(shapely.points([[0, 0], [0, 0], [1, 1]]), n=[1, 1, 1])
    assert Tried(made("drop-duplicates"), same).table.num_rows == 2


def test_fields_are_chosen_ordered_renamed_and_retyped():
    flow = rows_of(None, year=["2029", "x", None], a=[1.0, 2.5, None], when=["2031-06-24", "2031-02-30", None])
    tried = Tried(made("fields", fields=["a=size", "year:integer", "when=day:date"]), flow)
    assert tried.table.column_names == ["size", "year", "day"]
    assert tried.column("year") == [2029, None, None] and str(tried.column("day")[0]) == "2031-06-24"
    assert any("year" in text for text in tried.warnings)
    with pytest.raises(BadStep, match="are no integer"):
        assert Tried(made("fields", fields=["year:integer"], strict=True), flow).table
    with pytest.raises(BadStep, match="two fields"):
        Tried(made("fields", fields=["a=year", "year"]), flow)


def test_a_computed_field_is_added_or_replaced_and_looks_at_all_rows():
    flow = rows_of(None, a=[1, 2, 3, 4, 5])
    assert Tried(made("compute", field="b", expression="a * 2.5"), flow).column("b") == [2.5, 5.0, 7.5, 10.0, 12.5]
    assert Tried(made("compute", field="a", expression="a + 1", type="text"), flow).column("a")[0] == "2"
    assert Tried(made("compute", field="s", expression="sum(a) OVER ()"), flow).column("s") == [15] * 5
    shaped = rows_of([shapely.box(0, 0, 2, 3)] * 5, a=[1, 2, 3, 4, 5])
    tried = Tried(made("compute", field="p", expression="area_plane()", unit="m²"), shaped)
    assert tried.column("p") == [6.0] * 5 and tried.flow.units == (("p", "m²"),)
    assert tried.table.column_names == ["a", "p", GEOMETRY]


def test_joins_take_the_first_partner_and_say_what_has_none():
    flow = rows_of(None, key=[1, 2, None, 4], v=["a", "b", "c", "d"])
    other = rows_of(None, key=["2", "2", "1", "9"], w=[20, 21, 10, 90], v=["x", "y", "z", "q"], pieces=2)
    tried = Tried(made("join", other="o", key="key"), flow, o=other)
    assert tried.table.to_pydict() == {"key": [1, 2, None, 4], "v": ["a", "b", "c", "d"], "w": [10, 20, None, None],
                                       "o.v": ["z", "x", None, None]}  # fmt: skip
    assert any("2 rows have no partner" in text for text in tried.warnings)
    inner = Tried(made("join", other="o", key="key", only_matched=True, fields=["w"]), flow, o=other)
    assert inner.column("w") == [10, 20] and inner.rejected_count == 2


def test_a_join_by_place_is_that_of_geopandas():
    rng = np.random.default_rng(2)
    flow = rows_of(squares(rng, 60, 10), n=np.arange(60))
    other = rows_of(squares(rng, 12, 150), m=np.arange(12) * 10)
    tried = Tried(made("join-by-place", other="o"), flow, o=other)
    theirs = geopandas.sjoin(frame(flow), frame(other), how="left").groupby("n")["m"].min()
    ours = pandas.Series(tried.column("m"), dtype=float)
    assert np.array_equal(ours.to_numpy(), theirs.to_numpy(float), equal_nan=True)


def test_merged_rows_get_common_fields_types_and_crs():
    a = rows_of(shapely.points([[E0, N0]]), n=[1], t=["x"], pieces=1)
    degrees = pyproj.Transformer.from_crs(UTM, 4326, always_xy=True).transform(E0 + 5, N0)
    b = rows_of(shapely.points([degrees]), crs="EPSG:4326", n=[2.5], u=[True], pieces=1)
    tried = Tried(made("merge", others=["b"], source_field="from"), a, b=b)
    assert (
        tried.column("n") == [1.0, 2.5] and tried.column("u") == [None, True] and tried.column("from") == ["layer", "b"]
    )
    assert np.allclose(shapely.get_coordinates(tried.shapes), [[E0, N0], [E0 + 5, N0]])
    mixed = Tried(made("merge", others=["c"]), rows_of(None, n=[1]), c=rows_of(None, n=["one"]))
    assert mixed.column("n") == ["1", "one"] and "it becomes text" in mixed.warnings[0]


@pytest.mark.parametrize("outside", [False, True])
def test_clipping_is_that_of_geopandas(outside):
    rng = np.random.default_rng(3)
    flow, blade = rows_of(squares(rng, 80)), rows_of(squares(rng, 6, 150))
    tried = Tried(made("clip", polygons="b", outside=outside), flow, b=blade)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        theirs = geopandas.overlay(frame(flow), frame(blade).dissolve(), "difference" if outside else "intersection")
    assert sorted(tried.column("n")) == sorted(theirs.iloc[:, 0].tolist())
    assert same_area(tried.shapes, theirs.geometry.to_numpy()) and tried.rejected_count == 80 - len(theirs)
    whole = Tried(made("clip", polygons="b", outside=outside, cut=False), flow, b=blade)
    assert set(whole.column("n")) == set(tried.column("n"))


@pytest.mark.parametrize("cut", [True, False])
def test_each_thread_clips_by_a_geometry_of_its_own(cut, monkeypatch):
    used: dict[int, set[int]] = {}
    original = shapely.intersects

    def seen(blade, shapes):
        used.setdefault(id(blade), set()).add(threading.get_ident())
        time.sleep(0.01)
        return original(blade, shapes)

    monkeypatch.setattr(shapely, "intersects", seen)
    ring = shapely.Point(500_500, 5_700_500).buffer(300, quad_segs=2000)
    flow = rows_of(
        shapely.points(np.random.default_rng(3).uniform(0, 1000, (400, 2)) + (500_000, 5_700_000)), pieces=40
    )
    found = Tried(made("clip", polygons="ring", cut=cut), flow, ring=rows_of([ring], name="ring"))
    assert found.table.num_rows == original(ring, shapes_of(flow.whole())).sum()
    assert len({thread for threads in used.values() for thread in threads}) > 1
    assert all(len(threads) == 1 for threads in used.values())


def test_an_extent_cuts_or_leaves_whole_and_minds_its_crs():
    rng = np.random.default_rng(4)
    flow = rows_of(squares(rng, 80))
    extent = Extent(E0 + 100, N0 + 100, E0 + 200, N0 + 200, UTM)
    tried = Tried(made("extent", extent=extent), flow)
    assert same_area(tried.shapes, geopandas.clip(frame(flow), extent.bounds).geometry.to_numpy())
    whole = Tried(made("extent", extent=extent, cut=False), flow)
    assert sorted(whole.column("n")) == sorted(tried.column("n")) and whole.shapes[0].area >= tried.shapes[0].area
    far = Extent(-21.0, -38.0, -20.9, -37.9, "EPSG:4326")
    assert Tried(made("extent", extent=far), flow).table.num_rows == 0


@pytest.mark.parametrize(("how", "theirs"), [("intersect", "intersection"), ("difference", "difference"), ("union", "union"), ("identity", "identity")])  # fmt: skip
def test_overlays_are_those_of_geopandas(how, theirs):
    rng = np.random.default_rng(5)
    flow, other = rows_of(squares(rng, 25), n=np.arange(25)), rows_of(squares(rng, 20), m=np.arange(20))
    tried = Tried(made("overlay", other="o", how=how), flow, o=other)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        expected = geopandas.overlay(frame(flow), frame(other), theirs)

    def keyed(pairs, shapes):
        found = {}
        for key, shape in zip(pairs, shapes):
            found[key] = found.get(key, 0.0) + shape.area
        return {key: round(area, 5) for key, area in found.items() if area > 1e-7}

    none = [None] * tried.table.num_rows
    ours = keyed(zip(tried.column("n"), tried.column("m") if how != "difference" else none), tried.shapes)
    columns = [expected[c] if c in expected else pandas.Series([None] * len(expected)) for c in ("n", "m")]
    want = keyed(zip(*([None if pandas.isna(v) else int(v) for v in c] for c in columns)), expected.geometry)
    assert ours == want


def test_dissolved_features_are_those_of_geopandas_with_sums():
    rng = np.random.default_rng(6)
    flow = rows_of(squares(rng, 40), g=rng.integers(0, 5, 40), v=rng.normal(size=40))
    tried = Tried(made("dissolve", by=["g"], add=["count", "sum:v", "maximum:v"]), flow)
    theirs = frame(flow).dissolve("g", aggfunc={"v": ["count", "sum", "max"]})
    order = np.argsort(tried.column("g"))
    assert np.allclose(np.array(tried.column("sum_v"))[order], theirs[("v", "sum")])
    assert np.array(tried.column("count"))[order].tolist() == theirs[("v", "count")].tolist()
    assert np.allclose(shapely.area(tried.shapes)[order], theirs.geometry.area)
    assert Tried(made("dissolve"), flow).column("count") == [40]


def test_buffers_in_the_plane_and_in_metres_on_the_ellipsoid():
    flow = rows_of(shapely.points([[E0, N0], [E0 + 50, N0]]), n=[1, 2])
    tried = Tried(made("buffer", distance=10.0, segments=64), flow)
    assert np.allclose(shapely.area(tried.shapes), np.pi * 100, rtol=1e-3)
    place = rows_of(shapely.points([[-20.9, -38.2]]), crs="EPSG:4326", n=[1], pieces=1)
    ring = shapely.get_coordinates(Tried(made("buffer", distance=1000.0), place).shapes)
    away = pyproj.Geod(ellps="WGS84").inv([-20.9] * len(ring), [-38.2] * len(ring), *ring.T)[2]
    assert np.allclose(away, 1000.0, atol=0.01)
    assert Tried(made("buffer", distance=-100.0), rows_of([shapely.box(0, 0, 9, 9)])).rejected_count == 1


def test_repaired_geometry_is_valid_and_covers_the_same():
    bow = shapely.Polygon([(0, 0), (4, 4), (4, 0), (0, 4)])
    flow = rows_of([bow, shapely.box(5, 5, 6, 6), None, shapely.Polygon([(0, 0), (1, 0), (2, 0), (0, 0)])])
    tried = Tried(made("repair"), flow)
    assert shapely.is_valid(tried.shapes[[0, 1]]).all() and tried.shapes[0].area == pytest.approx(8.0)
    assert tried.column("n") == [0, 1, 2] and tried.rejected_count == 1 and "Self-intersection" in tried.warnings[0]


def test_simplified_polygons_share_their_borders():
    rng = np.random.default_rng(7)
    wiggle = np.column_stack([np.linspace(0, 100, 400), 50 + rng.normal(0, 0.4, 400)])
    south = shapely.Polygon([(0, 0), (100, 0), *map(tuple, wiggle[::-1])])
    north = shapely.Polygon([*map(tuple, wiggle), (100, 100), (0, 100)])
    tried = Tried(made("simplify", tolerance=2.0), rows_of([south, north]))
    a, b = tried.shapes
    assert shapely.get_num_coordinates(a) < 200 and shapely.intersection(a, b).area < 1e-9
    assert shapely.union(a, b).area == pytest.approx(10_000.0)
    alone = Tried(made("simplify", tolerance=2.0, shared_borders=False), rows_of([south, north]))
    assert (
        shapely.get_num_coordinates(alone.shapes).tolist()
        == shapely.get_num_coordinates(shapely.simplify([south, north], 2.0)).tolist()
    )


def test_single_parts_measures_and_snapping():
    several = rows_of([shapely.MultiPoint([(0, 0), (1, 1)]), shapely.Point(2, 2), None], n=[1, 2, 3])
    tried = Tried(made("single-parts"), several)
    assert tried.column("n") == [1, 1, 2, 3] and tried.shapes[3] is None
    box = rows_of([shapely.box(E0, N0, E0 + 100, N0 + 50)], n=[1], pieces=1)
    measured = Tried(made("measures", measures=["area", "length", "plane area", "centroid", "vertices"]), box)
    area, perimeter = pyproj.Geod(ellps="WGS84").geometry_area_perimeter(
        shapely.transform(shapely.box(E0, N0, E0 + 100, N0 + 50), lambda xy: np.column_stack(
            pyproj.Transformer.from_crs(UTM, 4326, always_xy=True).transform(*xy.T))))  # fmt: skip
    assert measured.column("area_m2")[0] == pytest.approx(abs(area), rel=1e-6)
    assert measured.column("length_m")[0] == pytest.approx(perimeter, rel=1e-6)
    assert measured.column("centroid_x") == [E0 + 50] and measured.column("vertices") == [5]
    snapped = Tried(made("snap", size=10.0), rows_of([shapely.Point(12, 17), shapely.box(1, 1, 3, 3)]))
    assert snapped.shapes[0] == shapely.Point(10, 20) and snapped.rejected_count == 1


def test_reprojected_coordinates_are_those_of_proj_and_z_and_m_stay():
    rng = np.random.default_rng(8)
    flat = [*squares(rng, 20), shapely.MultiLineString([[(E0, N0), (E0 + 9, N0)], [(E0, N0 + 3), (E0 + 4, N0)]]), None]
    tried = Tried(made("reproject", crs="EPSG:4326"), rows_of(flat))
    expected = geopandas.GeoSeries(flat, crs=UTM).to_crs(4326)
    assert np.allclose(shapely.get_coordinates(tried.shapes), shapely.get_coordinates(expected.to_numpy()), atol=1e-12)
    assert tried.shapes[-1] is None and tried.flow.crs == "EPSG:4326"
    measured = rows_of(
        shapely.from_wkt([f"LINESTRING ZM ({E0} {N0} 12 7, {E0 + 5} {N0} 13 8)", f"POINT M ({E0} {N0} 3)"]), n=[1, 2]
    )
    table = Tried(made("reproject", crs="EPSG:4326"), measured).shapes
    assert shapely.get_coordinates(table[0], include_z=True, include_m=True)[:, 2:].tolist() == [[12, 7], [13, 8]]
    assert shapely.get_m(table[1]) == 3
    half = "+proj=ortho +lat_0=-38 +lon_0=-21 +type=crs"  # which shows one half of the globe
    lost = Tried(made("reproject", crs=half), rows_of(shapely.points([[159.0, 38.0], [-20.0, -38.0]]), crs="EPSG:4326"))
    assert lost.table.num_rows == 1 and lost.rejected_count == 1


def test_a_transformation_is_chosen_by_name_and_states_its_accuracy():
    known = transformations("EPSG:4230", "EPSG:4326")  # an older datum, moved in several ways
    assert len(known) > 1
    flow = rows_of(shapely.points([[10.0, 50.0]]), crs="EPSG:4230", n=[1], pieces=1)
    places = []
    for about, transformer in known[:2]:
        tried = Tried(made("reproject", crs="EPSG:4326", transformation=about.name), flow)
        places.append(shapely.get_coordinates(tried.shapes)[0])
        assert np.allclose(places[-1], transformer.transform(10.0, 50.0)[:2])
        assert about.accuracy_m is None or any(f"to {about.accuracy_m:g} m" in text for text in tried.warnings)
    assert np.abs(places[0] - places[1]).max() > 1e-6
    with pytest.raises(AtlasError, match="no transformation here is called"):
        Tried(made("reproject", crs="EPSG:4326", transformation="by ferry"), flow)


def test_points_from_fields_and_fields_from_points():
    flow = rows_of(None, x=["10.5", "x", None, "200"], y=[1.0, 2.0, 3.0, 95.0], h=[5, 6, 7, 8])
    tried = Tried(made("points-from-table", x="x", y="y", z="h"), flow)
    assert shapely.get_coordinates(tried.shapes, include_z=True).tolist() == [[10.5, 1.0, 5.0]]
    assert tried.rejected_count == 3 and tried.flow.crs == "EPSG:4326"
    back = Tried(made("table-from-points", x="lon", y="lat", z="up"), tried.flow)
    assert (back.column("lon"), back.column("lat"), back.column("up")) == ([10.5], [1.0], [5.0])
    assert not back.flow.has_shapes


geometries = st.lists(
    st.one_of(
        st.builds(shapely.Point, st.floats(-170, 170), st.floats(-80, 80)),
        st.builds(lambda x, y, z: shapely.Point(x, y, z), st.floats(-170, 170), st.floats(-80, 80), st.floats(-10, 10)),
        st.builds(lambda x, y: shapely.box(x, y, x + 1, y + 1), st.floats(-170, 170), st.floats(-80, 80)),
        st.builds(lambda x, y: shapely.MultiPoint([(x, y), (y, x / 3)]), st.floats(-80, 80), st.floats(-80, 80)),
        st.just(shapely.Point()), st.just(shapely.Polygon()), st.just(shapely.GeometryCollection()),
        st.just(shapely.GeometryCollection([shapely.Point(1, 2), shapely.LineString([(0, 0), (1, 1)])])), st.none(),
    ),
    max_size=12,
)  # fmt: skip


@given(geometries, st.integers(0, 3), st.sampled_from([0, wkb_moves.COMPILED_FROM]))
def test_coordinates_move_where_they_stand_as_in_objects(shapes, offset, compiled_from):
    wkb = pa.array(shapely.to_wkb(np.array([None] * offset + shapes, object), flavor="iso"), pa.binary()).slice(offset)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(wkb_moves, "COMPILED_FROM", compiled_from)
        moved, lost = moved_wkb(pa.chunked_array([wkb]), lambda xy: xy * 2.0 + 1.0)
    ours = shapely.from_wkb(moved.to_numpy(zero_copy_only=False))
    theirs = shapely.transform(
        np.array(shapes, object), lambda xyz: np.column_stack([xyz[:, :2] * 2 + 1, xyz[:, 2:]]), include_z=True
    )
    assert shapely.to_wkt(ours).tolist() == shapely.to_wkt(theirs).tolist() and not lost.any()


def test_every_step_has_words_and_refuses_a_setting_that_there_is_not():
    for word, kind in STEPS.items():
        assert kind.word == word and kind.label and kind.group and (kind.__doc__ or "").strip()
        assert all(each.metadata.get("help") for each in dataclasses.fields(kind))
        with pytest.raises(BadStep, match="no setting strange"):
            RecipeStep(word, {"strange": 1}).made({})
    with pytest.raises(BadStep, match="where: is not given"):
        made("where")


def test_stored_rows_come_back_in_batches_however_they_came(tmp_path):
    plain = pa.schema([("number", pa.int64()), ("text", pa.string())])

    def rows(first, count, letters=4):
        numbers = range(first, first + count)
        return pa.table({"number": [*numbers], "text": [f"{n:0{letters}}" for n in numbers]}, schema=plain)

    long = rows(0, 40, 300_000)  # 12 MB, more than a batch
    sizes = 1, 0, 40_000, 7, 500, 32_768
    starts = np.cumsum([len(long), *sizes]).tolist()
    came = [
        long,
        *(rows(start, size) for start, size in zip(starts, sizes)),
        *(rows(80_000 + n, 1) for n in range(300)),
    ]
    flow = RowFlow("rows", plain, lambda: iter(came))
    stored = stored_flow(flow, tmp_path / "rows")
    back = [*stored.batches()]
    assert pa.concat_tables(back).equals(pa.concat_tables(came)) and stored.count == sum(map(len, came))
    assert max(map(len, back)) <= BATCH and max(each.nbytes for each in back) <= 1.1 * BATCH_BYTES
    assert len(back) < 10  # not one for each that came
    nothing = stored_flow(RowFlow("none", plain, lambda: iter(())), tmp_path / "none")
    assert [(each.num_rows, each.schema) for each in nothing.batches()] == [(0, plain)]
