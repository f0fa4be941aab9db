"""Strip logs as drawings and on paper: depths where they belong, patterns, fills, wraps, markers, templates, pages."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pypdfium2
import pytest

from brisk_atlas import cli, demo
from brisk_atlas.core.model import AtlasError, CannotRead, OpenOptions
from brisk_atlas.core.model.hole_choices import HoleMarker
from brisk_atlas.core.model.open_options import Columns
from brisk_atlas.core.strip.holes.draw_paper import write_pages
from brisk_atlas.core.strip.holes.drawing import BoxMark, ClipMark, LineMark, PhotoMark, TextMark
from brisk_atlas.core.strip.holes.find_holes import holes_of
from brisk_atlas.core.strip.holes.hole_set import HoleCurve
from brisk_atlas.core.strip.holes.log_drawing import HoleOnShow, head_height, log_drawing, width_of
from brisk_atlas.core.strip.holes.patterns import PATTERNS, patterns_of
from brisk_atlas.core.strip.holes.read_hole import read_hole
from brisk_atlas.core.strip.holes.template_file import read_template, templates_in, write_template
from brisk_atlas.core.strip.holes.tracks import (
    DepthScale,
    LogTemplate,
    Track,
    TrackCurve,
    TrackKind,
    default_template,
    with_curve,
)
from brisk_atlas.core.workspace import Workspace

COLLARS = demo.DATA / "boreholes" / "collars.csv"


@pytest.fixture(scope="module")
def holes():
    """What was read of the demo's holes, by name."""
    with Workspace() as workspace:
        (layer,) = workspace.open(COLLARS, OpenOptions(crs="EPSG:32727", columns=Columns("easting", "northing")))
        found = holes_of(workspace.cache, layer)
        yield {hole.name: read_hole(workspace.cache, hole) for hole in found.holes}


def marks(drawing, kind):
    return [mark for mark in drawing.marks if isinstance(mark, kind)]


def test_tracks_stand_beside_each_other_and_depths_where_they_belong(holes):
    data = holes["TG-1"]
    template = default_template(data)
    assert [track.kind for track in template.tracks[:5]] == [
        TrackKind.DEPTH, TrackKind.ROCKS, TrackKind.INTERVALS, TrackKind.PICTURES, TrackKind.CURVES]  # fmt: skip
    assert template.tracks[-1].kind is TrackKind.TEXT and template.tracks[5].logarithmic  # resistivity
    head = head_height(template)
    drawing = log_drawing([HoleOnShow(data)], template, (100.0, 200.0), head + 100.0)
    assert drawing.width == width_of(template)
    rocks = next(each for each in data.intervals if each.name == "rock")
    seen = [n for n in range(len(rocks.top)) if rocks.base[n] >= 100 and rocks.top[n] <= 200]
    boxes = [mark for mark in marks(drawing, BoxMark) if mark.pattern is not None]
    assert [box.y for box in boxes] == pytest.approx([head + rocks.top[n] - 100 for n in seen])  # 1 mm a metre
    assert [box.height for box in boxes] == pytest.approx([rocks.base[n] - rocks.top[n] for n in seen])
    (photo,) = marks(drawing, PhotoMark)
    assert (photo.y, photo.height) == pytest.approx((head + 55, 5)) and photo.ref.name == "tg-1_155-160m.jpg"
    depths = {mark.text: mark.y for mark in marks(drawing, TextMark) if mark.mono and mark.x < 12}
    assert depths["150"] == pytest.approx(head + 50 - 1.6)
    hung = log_drawing([HoleOnShow(data, shift=120.0)], template, (100.0, 200.0), head + 100.0)
    assert marks(hung, PhotoMark) == [] and len(hung.marks) > 50


def test_rocks_have_patterns_that_differ_and_stay_the_same_in_all_holes(holes):
    names = ["basalt flow", "scoria", "andesite", "lapilli tuff", "clay alteration", "dyke", "ash and soil", "Q", "R"]
    looks = patterns_of(names)
    assert len({pattern for pattern, _ in looks.values()}) == len(names)
    assert patterns_of(reversed(names[:7])) == {name: looks[name] for name in names[:7]}
    assert len(patterns_of(map(str, range(40)))) == 40 and len({p.strokes for p in PATTERNS.values()}) == len(PATTERNS)
    template = LogTemplate("t", (Track(TrackKind.ROCKS, "rock", 20.0),))
    both = log_drawing([HoleOnShow(holes[n]) for n in ("TG-1", "TG-5")], template, (0, 620), 300)
    by_fill = {}
    for box in marks(both, BoxMark):
        if box.pattern is not None:
            by_fill.setdefault(box.fill, set()).add(box.pattern)
    assert all(len(patterns) == 1 for patterns in by_fill.values())


def curves(holes, track, values=None, sight=(0, 100), px_mm=4.0):
    depth = np.linspace(0, 100, 5001)
    own = np.sin(depth) * 10 if values is None else values(depth)
    curve = HoleCurve("Q", "m", "", depth, own, "Other", "test")
    other = HoleCurve("P", "m", "", depth, own - 3, "Other", "test")
    data = replace(holes["TG-7"], curves=(curve, other))
    template = LogTemplate("t", (track,))
    drawing = log_drawing([HoleOnShow(data)], template, sight, head_height(template) + 100, px_mm=px_mm)
    return curve, [mark for mark in marks(drawing, LineMark) if mark.ink == "#010203"], drawing


def test_curves_lie_between_their_ends_and_thinning_loses_no_extreme(holes):
    track = Track(TrackKind.CURVES, "", 20.0, (TrackCurve("Q", "#010203", -20.0, 20.0),))
    curve, (whole,), _ = curves(holes, track, px_mm=1000.0)
    assert whole.points[:, 0] == pytest.approx(20 * (curve.values + 20) / 40)
    _, (thin,), _ = curves(holes, track, px_mm=2.0)
    assert len(thin.points) <= 402
    for end in (np.min, np.max):
        assert end(thin.points[:, 0]) == end(whole.points[:, 0])
    _, parts, _ = curves(holes, track, lambda d: np.where((d > 40) & (d < 50), np.nan, d / 10))
    assert len(parts) == 2 and parts[0].points[-1, 1] < parts[1].points[0, 1] - 9
    turned = replace(track, curves=(TrackCurve("Q", "#010203", 20.0, -20.0),))
    assert curves(holes, turned, px_mm=1000.0)[1][0].points[:, 0] == pytest.approx(20 - whole.points[:, 0])


def test_logarithmic_wrapped_and_filled_curves(holes):
    logarithmic = Track(TrackKind.CURVES, "", 30.0, (TrackCurve("Q", "#010203", 1.0, 1000.0),), logarithmic=True)
    _, (line,), _ = curves(holes, logarithmic, lambda d: 10 ** (3 * d / 100), px_mm=1000.0)
    assert line.points[:, 0] == pytest.approx(30 * np.linspace(0, 1, 5001), abs=1e-6)
    wrapped = Track(TrackKind.CURVES, "", 10.0, (TrackCurve("Q", "#010203", 0.0, 10.0),), wrap=True)
    _, parts, _ = curves(holes, wrapped, lambda d: d * 0.3)
    assert len(parts) == 3 and all(part.points[:, 0].min() >= 0 and part.points[:, 0].max() <= 10 for part in parts)
    two = (TrackCurve("P", "#020202", -20, 20), TrackCurve("Q", "#010203", -20.0, 20.0, "P"))
    filled = Track(TrackKind.CURVES, "", 20.0, two)
    _, _, drawing = curves(holes, filled)
    (area,) = [mark for mark in marks(drawing, LineMark) if mark.fill]
    across = area.points[:, 0]
    assert across.max() - across.min() == pytest.approx(11.5, abs=0.2)  # of -13 to 10 out of 40
    side = replace(filled, curves=(replace(two[1], fill="left"),))
    assert next(m for m in marks(curves(holes, side)[2], LineMark) if m.fill).points[-1, 0] == 0.0


def test_markers_are_joined_between_holes_beside_each_other(holes):
    template = LogTemplate("t", (Track(TrackKind.ROCKS, "rock", 20.0),))
    markers = [HoleMarker("top", "TG-1", 100.0), HoleMarker("top", "tg-2", 40.0), HoleMarker("base", "TG-2", 90.0)]
    shown = [HoleOnShow(holes["TG-1"]), HoleOnShow(holes["TG-2"])]
    drawing = log_drawing(shown, template, (0, 200), head_height(template) + 200, markers)
    lines = [mark.points.tolist() for mark in marks(drawing, LineMark) if mark.ink == "#7A2DBF"]
    head = head_height(template)
    assert [[20, head + 100], [25, head + 40]] in lines and len(lines) == 4
    assert all(mark.width >= 0 for mark in marks(drawing, ClipMark))


def test_curves_of_holes_beside_each_other_have_the_same_scale(holes):
    template = LogTemplate("t", (Track(TrackKind.CURVES, "", 26.0, (TrackCurve("GR"),)),))
    shown = [HoleOnShow(holes["TG-1"]), HoleOnShow(holes["TG-6"])]
    texts = [mark.text for mark in marks(log_drawing(shown, template, (0, 300), 200), TextMark)]
    assert texts.count("15") == texts.count("85") == 2
    alone = [mark.text for mark in marks(log_drawing(shown[1:], template, (0, 300), 200), TextMark)]
    assert "70" in alone and "85" not in alone


def test_a_curve_is_added_and_removed_and_templates_come_back(holes, tmp_path):
    data = holes["TG-1"]
    template = default_template(data)
    more = with_curve(template, data.curve("CALI"))
    assert more.tracks[-1].curves[0].name == "CALI" and with_curve(more, data.curve("CALI")) == template
    own = replace(template, name="for cores / gas", depth=DepthScale(vertical=True, feet=True))
    path = write_template(own, tmp_path)
    assert read_template(path) == own and templates_in(tmp_path) == (own,)
    (tmp_path / "x.log-template.json").write_text('{"name": 3}')
    with pytest.raises(CannotRead, match="no template of tracks"):
        read_template(tmp_path / "x.log-template.json")
    assert templates_in(tmp_path) == (own,) and templates_in(tmp_path / "none") == ()


def test_pages_are_at_a_true_scale_and_say_so(holes, tmp_path):
    data = holes["TG-7"]
    template = default_template(data)
    pages = write_pages([HoleOnShow(data)], template, tmp_path / "p.pdf", scale=500.0)
    document = pypdfium2.PdfDocument(tmp_path / "p.pdf")
    texts = [page.get_textpage().get_text_range() for page in document]
    assert pages == len(document) == 2 and "1:500" in texts[0] and "page 2 of 2" in texts[1]
    assert "TG-7" in texts[0] and "end of the hole" in texts[1] and "180 " not in texts[0]
    page = document[0].get_textpage()
    tops = {}
    for depth in ("20", "100"):
        at, _ = page.search(depth, match_whole_word=True).get_next()
        tops[depth] = page.get_charbox(at)[3]
    assert (tops["20"] - tops["100"]) / 72 * 25.4 == pytest.approx(80 * 1000 / 500, abs=0.3)  # millimetres on paper
    many = replace(template, tracks=template.tracks * 9)
    with pytest.raises(AtlasError, match="mm wide, and a page of A4 has 186 mm"):
        write_pages([HoleOnShow(data)], many, tmp_path / "w.pdf")
    assert not (tmp_path / "w.pdf").exists()


def test_the_command_writes_several_holes_beside_each_other(tmp_path, capsys):
    holes = ["--hole", "TG-2", "TG-5", "--curves", "GR", "--page", "A3", "--scale", "1000", "--vertical"]
    assert cli.main(["holes", "log", "--source", str(COLLARS), *holes, "--out", str(tmp_path / "p.pdf")]) == 0
    text = pypdfium2.PdfDocument(tmp_path / "p.pdf")[0].get_textpage().get_text_range()
    assert "TG-5" in text and "vertical, from the collar" in text and "GR, GAPI" in text
    assert cli.main(["holes", "log", "--source", str(COLLARS), "--page", "B7", "--out", str(tmp_path / "q.pdf")]) == 1
    assert "not known" in capsys.readouterr().err
