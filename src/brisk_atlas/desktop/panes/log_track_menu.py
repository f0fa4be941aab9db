"""The menu of tracks: their order and looks, and templates of them."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from brisk_atlas.core.model.digit_groups import typed_number
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.strip.holes.template_file import templates_in, write_template
from brisk_atlas.core.strip.holes.tracks import LogTemplate, Track, TrackKind, default_template
from brisk_atlas.core.system.folders import config_folder

if TYPE_CHECKING:
    from brisk_atlas.core.strip.holes.read_hole import HoleData

NARROWER, WIDER, NARROWEST_MM, WIDEST_MM = 0.75, 4 / 3, 8.0, 160.0
PLAIN_KINDS = (TrackKind.DEPTH, TrackKind.PICTURES, TrackKind.TEXT)
FOLDER = "log_templates"


class ShowsTracks(Protocol):
    """What shows tracks: the pane of the strip log."""

    template: LogTemplate | None

    @property
    def first(self) -> HoleData | None: ...
    def use_template(self, template: LogTemplate) -> None: ...


def name_of(track: Track) -> str:
    """Return what a track is called in menus."""
    if track.kind is TrackKind.CURVES:
        return ", ".join(curve.name for curve in track.curves)
    return track.name.replace("_", " ") or str(track.kind)


def fill_track_menu(menu: QMenu, pane: ShowsTracks) -> None:
    """Fill a menu with the tracks, each with what can be done with it, and with templates."""
    menu.clear()
    template = pane.template
    if template is None:
        return
    for number, track in enumerate(template.tracks):
        below = menu.addMenu(name_of(track))
        assert below is not None
        _fill_track(below, pane, template, number, track)
    menu.addSeparator()
    for kind in PLAIN_KINDS:
        if kind is TrackKind.DEPTH or not any(track.kind is kind for track in template.tracks):
            track = Track(kind, "", 48.0 if kind is TrackKind.TEXT else 26.0 if kind is TrackKind.PICTURES else 12.0)
            menu.addAction(
                tr("Add {kind}", kind=kind),
                partial(pane.use_template, replace(template, tracks=(*template.tracks, track))),
            )
    menu.addSeparator()
    menu.addAction(tr("Store as a template…"), lambda: store_template(menu, template))
    if pane.first is not None:
        menu.addAction(tr("As it comes"), partial(pane.use_template, default_template(pane.first)))
    for stored in templates_in(config_folder() / FOLDER):
        menu.addAction(tr("Template {name}", name=stored.name), partial(pane.use_template, stored))


def _fill_track(menu: QMenu, pane: ShowsTracks, template: LogTemplate, number: int, track: Track) -> None:
    def changed(new: Track | None) -> LogTemplate:
        tracks = [*template.tracks]
        tracks[number : number + 1] = [new] if new is not None else []
        return replace(template, tracks=tuple(tracks))

    def moved(by: int) -> LogTemplate:
        tracks = [*template.tracks]
        tracks.insert(number + by, tracks.pop(number))
        return replace(template, tracks=tuple(tracks))

    if number > 0:
        menu.addAction(tr("To the left"), partial(pane.use_template, moved(-1)))
    if number < len(template.tracks) - 1:
        menu.addAction(tr("To the right"), partial(pane.use_template, moved(1)))
    for words, factor in ((tr("Wider"), WIDER), (tr("Narrower"), NARROWER)):
        width = min(max(track.width * factor, NARROWEST_MM), WIDEST_MM)
        menu.addAction(words, partial(pane.use_template, changed(replace(track, width=width))))
    if track.kind is TrackKind.CURVES:
        _fill_curves(menu, pane, template, number, track, changed)
    menu.addSeparator()
    menu.addAction(tr("Remove"), partial(pane.use_template, changed(None)))


def _fill_curves(menu: QMenu, pane: ShowsTracks, template: LogTemplate, number: int, track: Track, changed) -> None:  # type: ignore[no-untyped-def]
    """Add what can be done with the curves of a track."""
    menu.addSeparator()
    for words, on, new in (
        (tr("Logarithmic"), track.logarithmic, replace(track, logarithmic=not track.logarithmic)),
        (tr("Wrap what leaves the track"), track.wrap, replace(track, wrap=not track.wrap)),
    ):
        action = menu.addAction(words, partial(pane.use_template, changed(new)))
        assert action is not None
        action.setCheckable(True)
        action.setChecked(on)
    before = template.tracks[number - 1] if number else None
    if before is not None and before.kind is TrackKind.CURVES:
        joined = replace(before, curves=(*before.curves, *track.curves))
        tracks = (*template.tracks[: number - 1], joined, *template.tracks[number + 1 :])
        menu.addAction(
            tr("Into the track of {name_of}", name_of=name_of(before)),
            partial(pane.use_template, replace(template, tracks=tracks)),
        )
    for n, curve in enumerate(track.curves):
        below = menu.addMenu(f"{curve.name}…") if len(track.curves) > 1 else menu
        assert below is not None

        def with_curve(n: int = n, **values: object) -> LogTemplate:
            curves = tuple(replace(c, **values) if m == n else c for m, c in enumerate(track.curves))  # type: ignore[arg-type]
            found: LogTemplate = changed(replace(track, curves=curves))
            return found

        fills = [(tr("Fill none"), ""), (tr("Fill to the left"), "left"), (tr("Fill to the right"), "right")]
        fills += [(tr("Fill to {name}", name=other.name), other.name) for other in track.curves if other is not curve]
        for words, fill in fills:
            action = below.addAction(words, lambda n=n, fill=fill: pane.use_template(with_curve(n, fill=fill)))
            assert action is not None
            action.setCheckable(True)
            action.setChecked(curve.fill == fill)
        below.addAction(tr("Values at the sides…"), lambda n=n: _ask_ends(menu, pane, track, n, with_curve))


def _ask_ends(parent: QWidget, pane: ShowsTracks, track: Track, number: int, with_curve) -> None:  # type: ignore[no-untyped-def]
    """Ask for the values at the left and the right side of a track, and use them."""
    from brisk_atlas.core.strip.holes.tracks import ends_of

    curve = pane.first.curve(track.curves[number].name) if pane.first is not None else None
    now = ends_of(curve, track.curves[number], logarithmic=track.logarithmic) if curve is not None else (0.0, 1.0)
    words = tr("From the left to the right side, such as 0 to 150; the larger first turns it round")
    text, chosen = QInputDialog.getText(parent, tr("Values at the sides"), words, text=f"{now[0]:g} to {now[1]:g}")
    try:
        low, high = (float(typed_number(part)) for part in text.split("to"))
    except ValueError:
        return
    if chosen and low != high and not (track.logarithmic and min(low, high) <= 0):
        pane.use_template(with_curve(number, low=low, high=high))


def store_template(parent: QWidget, template: LogTemplate) -> None:
    """Ask for a name and store the tracks under it."""
    name, chosen = QInputDialog.getText(parent, tr("Store as a template"), tr("Name"), text=template.name)
    if chosen and name.strip():
        write_template(replace(template, name=name.strip()), config_folder() / FOLDER)
