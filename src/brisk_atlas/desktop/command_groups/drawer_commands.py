"""Commands of the drawers, the sheet and the relief."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from ..commands import Command
from ..drawers.drawer_titles import DRAWER_TITLES
from ..sheet.copies import COPIES
from .going import on_desk

if TYPE_CHECKING:
    from ..window import AtlasWindow

DRAWERS = (
    ("probe", "P", "info"),
    ("style", "S", "palette"),
    ("change", "D", "plus-minus"),
    ("statistics", "U", "chart-bar"),
    ("places", "W", "map-trifold"),
    ("sketch", "E", "pencil-line"),
    ("edit", "Shift+E", "note-pencil"),
)

SHEET_TOOLS = (
    ("fields", tr("Choose and order the sheet's fields…"), "Ctrl+Shift+F"),
    ("compute", tr("Add a computed field…"), "Ctrl+Shift+N"),
    ("join", tr("Join a table by a key…"), "Ctrl+J"),
    ("summary", tr("Summary row of the sheet"), "Ctrl+Shift+M"),
    ("on map", tr("Let the sheet's filters act on the map"), "Ctrl+Shift+A"),
    ("edit", tr("Edit values of the sheet"), "Ctrl+Shift+E"),
    ("replace", tr("Find and replace in the sheet…"), "Ctrl+H"),
    ("save", tr("Save edited values into their file"), ""),
    ("new file", tr("Save the rows as a new file…"), ""),
    ("export", tr("Export the sheet as seen…"), ""),
    ("window", tr("Sheet in a window of its own"), ""),
)


def drawer_commands(window: AtlasWindow) -> list[Command]:
    """Return the commands of the drawers, the sheet and the relief."""
    work = window.session.work
    some = lambda: bool(work.layers)  # noqa: E731
    drawers = [
        Command(name, tr("{name} drawer", name=DRAWER_TITLES[name]), on_desk(window, lambda d, name=name: d.side.toggle(name)), keys,  # type: ignore[misc]
                icon=mark, enabled=some, checked=lambda name=name: window.has_desk and window.desk.side.shows(window.desk.side.drawers[name]))  # type: ignore[misc]
        for name, keys, mark in DRAWERS
    ]  # fmt: skip

    def on_field() -> bool:
        return window.has_desk and window.desk.sheet.fields.can_act

    def on_drawn_field() -> bool:
        return window.has_desk and window.desk.sheet.fields.can_style

    def can_copy(kind: str) -> bool:
        shapes = kind not in ("geojson", "wkt") or (work.subject is not None and work.subject.kind.has_shapes)
        return window.has_desk and window.desk.sheet.grid.sheet is not None and shapes

    return [
        *drawers,
        Command("float_drawer", tr("Open drawer in a window of its own, or back"), on_desk(window, lambda d: d.turn_float(d.side.on_show)),
                "Ctrl+Alt+W", tr("For another screen; it is remembered"), "arrow-square-out",
                lambda: window.has_desk and bool(window.desk.side.on_show)),
        Command("float_relief", tr("Relief in a window of its own, or back"), on_desk(window, lambda d: d.turn_float("relief")),
                icon="arrow-square-out", enabled=lambda: window.has_desk and not window.desk.relief.isHidden()),
        Command("measure_change", tr("Measure the change between two grids"), on_desk(window, lambda d: d.measure_change()),
                tip=tr("Area and volume of B minus A"), enabled=some),
        Command("strip", tr("Strip"), on_desk(window, lambda d: d.toggle_strip()), "J",
                tr("What was measured along a line, or what grids are along one"), "chart-line", some,
                lambda: window.has_desk and window.desk.shows_strip),
        Command("strip_log", tr("Strip log of boreholes"), on_desk(window, lambda d: d.toggle_log()),
                tip=tr("Rock, photographs and logs down boreholes, beside the map"), icon="ruler", enabled=some,
                checked=lambda: window.has_desk and window.desk.shows_log),
        Command("strip_draw", tr("Draw a line for the strip"), on_desk(window, lambda d: d.strip.draw_wanted.emit()),
                icon="line-segments", enabled=lambda: window.has_desk and window.desk.shows_strip),
        Command("strip_all", tr("All of the line in the strip"), on_desk(window, lambda d: d.strip.canvas.show_all()),
                icon="corners-out", enabled=lambda: window.has_desk and window.desk.shows_strip and window.desk.strip.profile is not None),
        Command("sheet", tr("Sheet drawer"), on_desk(window, lambda d: d.toggle_sheet()), "T", tr("The rows of the subject"), "table",
                some, lambda: window.has_desk and not window.desk.bottom.isHidden()),
        *(
            Command(f"field_{name}", words, lambda run=run: run(window.desk.sheet.fields), icon=mark, enabled=rule)  # type: ignore[misc]
            for name, words, mark, run, rule in (
                ("sort_up", tr("Sort by this field, lowest first"), "sort-ascending", lambda f: f.sort(down=False), on_field),
                ("sort_down", tr("Sort by this field, highest first"), "sort-descending", lambda f: f.sort(down=True), on_field),
                ("known", tr("Show only rows where this field is known"), "funnel", lambda f: f.filter_by("known"), on_field),
                ("missing", tr("Show only rows where this field is missing"), "funnel", lambda f: f.filter_by("missing"), on_field),
                ("all", tr("Show all rows again, whatever this field is"), "funnel-simple", lambda f: f.filter_by(""), on_field),
                ("colour", tr("Colour the map by this field"), "palette", lambda f: f.colour_by(), on_drawn_field),
                ("label", tr("Label the map by this field"), "text-t", lambda f: f.label_by(), on_drawn_field),
                ("dates", tr("Go through the dates of this field on the map"), "calendar-blank", lambda f: f.turn_dates(),
                 lambda: on_field() and window.desk.sheet.fields.has_times),
                ("pin", tr("Pin or unpin this field at the left"), "push-pin-simple", lambda f: f.turn_pin(), on_field),
                ("hide", tr("Hide this field"), "eye-closed", lambda f: f.hide(), on_field),
                ("panel", tr("Filter and format this field…"), "sliders-horizontal", lambda f: f.open_panel(), on_field),
            )
        ),
        *(
            Command(f"copy_{kind}", words, on_desk(window, lambda d, kind=kind: d.sheet.tools.copy(kind)), icon="copy",  # type: ignore[misc]
                    enabled=lambda kind=kind: can_copy(kind))  # type: ignore[misc]
            for kind, words in COPIES
        ),
        *(
            Command(f"sheet_{name.replace(' ', '_')}", title, on_desk(window, lambda d, name=name: d.use_sheet(name)), keys,  # type: ignore[misc]
                    enabled=lambda: work.subject is not None and work.subject.kind.has_rows)
            for name, title, keys in SHEET_TOOLS
        ),
    ]  # fmt: skip
