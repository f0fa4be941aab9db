"""`brisk-atlas console`: Python with open layers and all operations at hand; the window's console runs it too."""

from __future__ import annotations

import argparse
import os
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from brisk_atlas.core.model import AtlasError
from brisk_atlas.core.model.language import tr
from brisk_atlas.core.operations.console_names import LateOperations, names_with, show_elsewhere, show_in_window

if TYPE_CHECKING:
    from IPython.core.interactiveshell import InteractiveShell


def parser() -> argparse.ArgumentParser:
    """Return the parser of its arguments."""
    asked = argparse.ArgumentParser(
        prog="brisk-atlas console",
        description=tr("Python with a workspace and all operations at hand, by their names."),
    )
    asked.add_argument("project", nargs="?", type=Path, help=tr("a project whose layers the workspace has"))
    asked.add_argument("--connection", type=Path, help=argparse.SUPPRESS)  # the file by which a window reaches it
    return asked


def main(arguments: Sequence[str]) -> int:
    """Run the command until it is left; returns its exit code."""
    from brisk_atlas.core.system.folders import state_folder

    asked = parser().parse_args(arguments)
    # Its history is ours, and what other programs set up for theirs is not run.
    os.environ["IPYTHONDIR"] = str(state_folder("console"))
    try:
        names = names_with(asked.project, show_elsewhere if asked.connection is None else show_in_window)
    except AtlasError as error:
        print(" ".join(str(error).split()), file=sys.stderr)
        return 1
    if asked.connection is not None:
        _serve(asked.connection, names)
        return 0
    from IPython.terminal.ipapp import TerminalIPythonApp

    app = TerminalIPythonApp.instance(display_banner=False)
    app.initialize([])
    _set_up(app.shell, names)
    print(_greeting(asked.project))
    app.start()
    return 0


def _set_up(shell: InteractiveShell, names: dict[str, Any]) -> None:
    """Put the names into a shell, and have faults of data reported in their own words, without where in our code."""

    def report(
        shell: InteractiveShell, kind: type, fault: Exception, trace: object, tb_offset: object = None
    ) -> list[str]:
        print(fault, file=sys.stderr)
        return [str(fault)]

    shell.set_custom_exc((AtlasError,), report)
    shell.push(names)
    operations = LateOperations(shell.user_ns)
    shell.events.register("pre_run_cell", lambda cell: operations.load(cell.raw_cell))
    operations.load_all()


def _greeting(project: Path | None) -> str:
    layers = tr("`workspace.work.layers` are the layers of {project}.\n", project=project.name) if project else ""
    return tr("Python with all operations, such as Export or GridChange; `show(path)` opens data.\n") + layers


def _serve(connection: Path, names: dict[str, Any]) -> None:
    from ipykernel.kernelapp import IPKernelApp

    app = IPKernelApp.instance()
    app.initialize(["-f", str(connection), "--InteractiveShell.colors=nocolor"])  # the window has its own
    _set_up(app.shell, names)
    app.start()
