"""Commands of layers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from ..commands import Command
from ..reading_again import read_again
from ..shared_scale import share_scale
from ..trust.trust_check import TrustCheck
from .going import on_desk, on_subject

if TYPE_CHECKING:
    from ..window import AtlasWindow


def layer_commands(window: AtlasWindow) -> list[Command]:
    """Return the commands of layers."""
    work, checking = window.session.work, TrustCheck(window)
    has_subject = lambda: work.subject is not None  # noqa: E731

    chosen = lambda: work.chosen  # noqa: E731
    some_drawn = lambda: any(la.style is not None for la in work.chosen_layers)  # noqa: E731
    a_group = lambda: next((i for i in work.chosen if work.group(i) is not None), None)  # noqa: E731

    on_class = lambda: window.has_desk and window.desk.spine.spot is not None  # noqa: E731

    def spot_class() -> tuple[str, str]:
        spot = window.desk.spine.spot
        return (spot[0], spot[1].text) if spot is not None else ("", "")

    def move(by: int) -> None:
        for row_id in chosen()[::-by]:
            work.move(row_id, by)

    def fold() -> None:
        group_id = a_group()
        if group_id is not None:
            window.desk.spine.turn_fold(group_id)

    def lock() -> None:
        layers = work.chosen_layers
        on = not layers[0].locked
        work.change(tr("lock") if on else tr("unlock"), [la.id for la in layers], locked=on)

    return [
        Command("show_hide", tr("Show or hide the chosen layers"), lambda: work.show_or_hide(chosen()), "H", icon="eye",
                enabled=lambda: some_drawn() or a_group() is not None),
        Command("layer_up", tr("Move the chosen layers up"), lambda: move(-1), "Ctrl+Up", tr("By one line of the stack, into and out of groups"),
                "arrow-up", has_subject),
        Command("layer_down", tr("Move the chosen layers down"), lambda: move(1), "Ctrl+Down",
                tr("By one line of the stack, into and out of groups"), "arrow-down", has_subject),
        Command("group_layers", tr("Group the chosen layers"), lambda: work.put_in_group(chosen()), "Ctrl+Alt+G", icon="folder-simple-plus",
                enabled=has_subject),
        Command("ungroup", tr("Take the group apart"), lambda: work.ungroup(a_group() or ""), "Ctrl+Alt+Shift+G",
                tr("What lay in it stays"), "folder-simple-minus", lambda: a_group() is not None),
        Command("fold_group", tr("Fold or unfold the group"), fold, tip=tr("Left and Right on its head"), icon="caret-down",
                enabled=lambda: a_group() is not None),
        Command("lock_layer", tr("Lock or unlock the chosen layers"), lock, "Ctrl+Alt+L", tr("A locked layer can't be changed"),
                "lock-simple", has_subject, lambda: bool(work.chosen_layers) and work.chosen_layers[0].locked),
        Command("flash", tr("Flash the chosen layers on the map"), on_desk(window, lambda d: d.map.flash({la.id for la in work.chosen_layers})),
                "Ctrl+Alt+H", icon="flashlight", enabled=some_drawn),
        Command("layer_form", tr("Name, note and scales of the subject…"), lambda: window.layer_dialogs.ask_form(window.desk.map.canvas.view), "Ctrl+Alt+I", icon="note",
                enabled=has_subject),
        Command("filter_stack", tr("Filter the stack by name"), on_desk(window, lambda d: d.stack.begin_filter()), "Ctrl+Alt+F",
                icon="funnel", enabled=has_subject),
        Command("relink", tr("Say where the subject's file lies now…"), window.layer_dialogs.ask_place, icon="link",
                tip=tr("And find what lay beside it, if it has moved too"),
                enabled=lambda: work.subject is not None and work.subject.ref.is_local),
        Command("reread", tr("Read the files of the chosen layers again"), lambda: read_again(window.session, work.chosen_layers), icon="arrows-clockwise",
                tip=tr("As they are on the disk now"), enabled=has_subject),
        Command("copy_style", tr("Copy the subject's style"), lambda: window.desk.style_form.copy(), "Ctrl+Shift+C", icon="copy",
                enabled=lambda: work.subject is not None and work.subject.style is not None),
        Command("paste_style", tr("Paste the style on the subject"), lambda: window.desk.style_form.paste(), "Ctrl+Shift+V",
                icon="clipboard",
                enabled=lambda: window.has_desk and work.subject is not None and window.desk.style_form.can_paste(work.subject)),
        Command("class_turn", tr("Switch this class on or off"), lambda: window.desk.spine.legend_edit.turn_class(*spot_class()), icon="eye-closed",
                enabled=lambda: on_class() and window.desk.spine.can_turn_class),
        Command("class_colour", tr("Colour of this class…"), lambda: window.desk.spine.edit_class("swatch"), icon="palette",
                tip=tr("Or click its picture in the legend"), enabled=on_class),
        Command("class_name", tr("Name of this class…"), lambda: window.desk.spine.edit_class("text"), icon="pencil-simple",
                tip=tr("Or double-click it in the legend"), enabled=on_class),
        Command("share_scale", tr("Share one colour scale"), lambda: share_scale(window.session, work.chosen_layers), icon="equals",
                tip=tr("Give the chosen layers the same ramp and limits; a later change of one changes all"),
                enabled=lambda: len(work.chosen_layers) > 1),
        Command("own_scale", tr("Stop sharing the colour scale"), lambda: work.change(tr("own colour scale"), chosen(), scale_group=None), icon="link-break",
                enabled=lambda: any(la.scale_group for la in work.chosen_layers)),
        Command("read_style", tr("Read a style from a file…"), window.style_files.ask_and_read, icon="file-arrow-down",
                tip=tr("SLD 1.0 or 1.1, with its rules and labels"), enabled=lambda: work.subject is not None and work.subject.style is not None),
        Command("write_style", tr("Write the subject's style to a file…"), window.style_files.ask_and_write, icon="file-arrow-up",
                tip=tr("SLD 1.1 with Symbology Encoding, for other programs and servers"),
                enabled=lambda: work.subject is not None and work.subject.style is not None),
        Command("solo", tr("Show only the chosen layers"), lambda: work.show_only({la.id for la in work.chosen_layers}), "Shift+H", icon="eye-slash",
                tip=tr("Hide all other layers"), enabled=some_drawn),
        Command("show_all", tr("Show all layers"), lambda: work.show_only({la.id for la in work.layers}), "Ctrl+Shift+H", icon="eye",
                enabled=lambda: any(not la.visible for la in work.layers)),
        Command("rename_layer", tr("Rename the layer or group"), on_desk(window, lambda d: d.spine.begin_rename()), icon="pencil-simple",
                enabled=has_subject),
        Command("duplicate_layer", tr("Duplicate the subject"), on_subject(window, work.duplicate), "Ctrl+Shift+D",
                tr("A second layer of the same data, with a look of its own"), "copy-simple", has_subject),
        Command("trust", tr("Check the subject's data"), checking.begin, "Ctrl+Alt+T",
                tr("Look for what is wrong or strange in it: geometry, values, holes, spikes, stripes"), "check-circle",
                lambda: work.subject is not None),
        Command("count_rows", tr("Count the rows of the subject"), window.layer_dialogs.count_rows, icon="list-numbers",
                tip=tr("Where its place only states an estimate"), enabled=lambda: work.subject is not None and work.subject.kind.has_rows),
        Command("layer_crs", tr("Set the subject's CRS…"), window.layer_dialogs.ask_crs, icon="globe-stand",
                tip=tr("Where the one that its file states is wrong; the file stays as it is"),
                enabled=lambda: work.subject is not None and work.subject.kind.has_place),
        Command("read_record", tr("Read the subject's record"), lambda: _read_subject(window),
                icon="article", enabled=has_subject),
        Command("show_source", tr("Show the subject's file on Find"), lambda: _show_source(window), icon="folder-open",
                enabled=lambda: work.subject is not None and work.subject.ref.is_local),
        Command("close_layer", tr("Close the chosen layers"), lambda: work.remove(*(la.id for la in work.chosen_layers)), "Delete",
                tr("Take them off the Desk; their files stay"), "x", has_subject),
    ]  # fmt: skip


def _read_subject(window: AtlasWindow) -> None:
    subject = window.session.work.subject
    if subject is not None:
        window.read_record(subject.ref.whole)


def _show_source(window: AtlasWindow) -> None:
    subject = window.session.work.subject
    if subject is not None and subject.ref.folder is not None:
        window.show_page("find")
        window.find_page.go_to(subject.ref.folder, choose=subject.ref.name)
