"""Commands for files, the work as a whole, and help."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..commands import Command
from ..learning import Learning

if TYPE_CHECKING:
    from ..do_palette import Choice
    from ..window import AtlasWindow


def file_commands(window: AtlasWindow) -> list[Command]:
    """Return the commands for files, the work as a whole, and help."""
    work, learning = window.session.work, Learning(window)
    window.choices = lambda words: _choices(window, words, learning)
    some = lambda: bool(work.layers)  # noqa: E731
    return [
        Command("do", "Do…", window.begin_do, "Ctrl+K", "Find any command by words", "magnifying-glass"),
        Command("open", "Open files…", window.choose_files, "Ctrl+O", "Open datasets from disk", "folder-open"),
        Command("open_project", "Open a project…", window.project.choose, "Ctrl+Shift+O", icon="folder-notch-open"),
        Command("save", "Save the project, or the record that is edited", window.save_here, "Ctrl+S",
                "Write what is open and how it looks to a project file; on the Record page, the record",
                "floppy-disk", lambda: some() or bool(window.unsaved_records)),
        Command("save_as", "Save the project as…", window.project.save_as, "Ctrl+Shift+S", icon="floppy-disk-back", enabled=some),
        Command("save_script", "Save what was done as a script…", window.project.save_script, icon="code",
                tip="What was computed and written in this run, as Python that does it again",
                enabled=lambda: window.session.has_done),
        Command("undo", "Undo", lambda: window.undoing.undo(), "Ctrl+Z", icon="arrow-counter-clockwise",
                enabled=lambda: bool(window.undoing.undo_text)),
        Command("redo", "Redo", lambda: window.undoing.redo(), "Ctrl+Shift+Z", icon="arrow-clockwise",
                enabled=lambda: bool(window.undoing.redo_text)),
        Command("theme", "Light or night", window.toggle_theme, "Ctrl+T", "Change between light and night colours", "moon"),
        Command("cancel_jobs", "Cancel all jobs", window.session.cancel_all, icon="x-circle",
                enabled=lambda: any(job.shown for job in window.session.jobs.open)),
        Command("settings", "Settings…", window.show_settings, "Ctrl+,", "Colours, size, memory, network, privacy", "gear"),
        Command("welcome", "Welcome and recent work", window.show_welcome, tip="Ways to begin, and what was worked on lately",
                icon="house"),
        Command("choose_folder", "Look into a folder…", lambda: _choose_folder(window), "Ctrl+Alt+O",
                "List the datasets of a folder on Find", "folder-open"),
        Command("open_demo", "Open the demo", window.project.open_demo, tip="Tolvane Island, before and after an eruption",
                icon="map-trifold"),
        Command("tour", "Take the tour", learning.begin_tour, tip="What the parts of the window are for, on the demo",
                icon="flag-banner"),
        Command("help", "Help", lambda: learning.open_help(), "F1",
                "The guide by task, searched by words", "question"),
        Command("keys", "Keys", learning.show_keys, "?", "All keys on one page", "keyboard"),
        Command("quit", "Quit", window.close, "Ctrl+Q"),
    ]  # fmt: skip


def _choices(window: AtlasWindow, words: str, learning: Learning) -> list[Choice]:
    from ..do_choices import choices_with

    return choices_with(window, words, learning.open_help)


def _choose_folder(window: AtlasWindow) -> None:
    from pathlib import Path

    from PyQt6.QtWidgets import QFileDialog

    find = window.find_page
    chosen = QFileDialog.getExistingDirectory(window, "Look into a folder", str(find.folder or Path.home()))
    if chosen:
        window.show_page("find")
        find.go_to(Path(chosen))
