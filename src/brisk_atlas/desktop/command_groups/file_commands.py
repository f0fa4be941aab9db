"""Commands for files, the work as a whole, and help."""

from __future__ import annotations

from typing import TYPE_CHECKING

from brisk_atlas.core.model.language import tr

from ..commands import Command
from ..console.console import Console
from ..learning import Learning

if TYPE_CHECKING:
    from ..do_palette import Choice
    from ..window import AtlasWindow


def file_commands(window: AtlasWindow) -> list[Command]:
    """Return the commands for files, the work as a whole, and help."""
    work, learning, console = window.session.work, Learning(window), Console(window)
    window.choices = lambda words: _choices(window, words, learning)
    some = lambda: bool(work.layers)  # noqa: E731
    return [
        Command("do", tr("Do…"), window.begin_do, "Ctrl+K", tr("Find any command by words"), "magnifying-glass"),
        Command("open", tr("Open files…"), lambda: window.questions.choose_files(window.find_page.folder), "Ctrl+O", tr("Open datasets from disk"), "folder-open"),
        Command("open_project", tr("Open a project…"), window.project.choose, "Ctrl+Shift+O", icon="folder-notch-open"),
        Command("save", tr("Save the project, or the record that is edited"), window.save_here, "Ctrl+S",
                tr("Write what is open and how it looks to a project file; on the Record page, the record"),
                "floppy-disk", lambda: some() or bool(window.unsaved_records)),
        Command("save_as", tr("Save the project as…"), window.project.save_as, "Ctrl+Shift+S", icon="floppy-disk-back", enabled=some),
        Command("save_script", tr("Save what was done as a script…"), window.project.save_script, icon="code",
                tip=tr("What was computed and written in this run, as Python that does it again"),
                enabled=lambda: window.session.has_done),
        Command("console", tr("Console"), console.open, "Ctrl+Alt+Y",
                tr("Python with the open layers and all operations at hand, beside the window"), "terminal-window"),
        Command("undo", tr("Undo"), lambda: window.undoing.undo(), "Ctrl+Z", icon="arrow-counter-clockwise",
                enabled=lambda: bool(window.undoing.undo_text)),
        Command("redo", tr("Redo"), lambda: window.undoing.redo(), "Ctrl+Shift+Z", icon="arrow-clockwise",
                enabled=lambda: bool(window.undoing.redo_text)),
        Command("theme", tr("Light or night"), window.toggle_theme, "Ctrl+T", tr("Change between light and night colours"), "moon"),
        Command("cancel_jobs", tr("Cancel all jobs"), window.session.cancel_all, icon="x-circle",
                enabled=lambda: any(job.shown for job in window.session.jobs.open)),
        Command("settings", tr("Settings…"), window.show_settings, "Ctrl+,", tr("Colours, size, memory, network, privacy"), "gear"),
        Command("welcome", tr("Welcome and recent work"), window.show_welcome, tip=tr("Ways to begin, and what was worked on lately"),
                icon="house"),
        Command("choose_folder", tr("Look into a folder…"), lambda: _choose_folder(window), "Ctrl+Alt+O",
                tr("List the datasets of a folder on Find"), "folder-open"),
        Command("open_demo", tr("Open the demo"), window.project.open_demo, tip=tr("Tolvane Island, before and after an eruption"),
                icon="map-trifold"),
        Command("tour", tr("Take the tour"), learning.begin_tour, tip=tr("What the parts of the window are for, on the demo"),
                icon="flag-banner"),
        Command("help", tr("Help"), lambda: learning.open_help(), "F1",
                tr("The guide by task, searched by words"), "question"),
        Command("keys", tr("Keys"), learning.show_keys, "?", tr("All keys on one page"), "keyboard"),
        Command("quit", tr("Quit"), window.close, "Ctrl+Q"),
    ]  # fmt: skip


def _choices(window: AtlasWindow, words: str, learning: Learning) -> list[Choice]:
    from ..do_choices import choices_with

    return choices_with(window, words, learning.open_help)


def _choose_folder(window: AtlasWindow) -> None:
    from pathlib import Path

    from PyQt6.QtWidgets import QFileDialog

    find = window.find_page
    chosen = QFileDialog.getExistingDirectory(window, tr("Look into a folder"), str(find.folder or Path.home()))
    if chosen:
        window.show_page("find")
        find.go_to(Path(chosen))
