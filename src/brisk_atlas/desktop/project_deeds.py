"""Opening and saving projects: what is unsaved is asked about, what is saved leaves a picture for the recent work."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr

from .closing import may_close_work
from .session import PROJECT_SUFFIX, Session

FORM = tr("Projects (*{project_suffix})", project_suffix=PROJECT_SUFFIX)


class ProjectDeeds:
    """What a window does with projects. `flush` has what is being typed in the work; `picture` is what its map shows,
    None where it shows nothing."""

    def __init__(
        self, session: Session, parent: QWidget, flush: Callable[[], None], picture: Callable[[], QPixmap | None]
    ) -> None:
        self.session, self._parent, self._flush, self._picture = session, parent, flush, picture

    def choose(self) -> None:
        """Ask for a project and open it."""
        chosen, _ = QFileDialog.getOpenFileName(self._parent, tr("Open a project"), str(Path.home()), FORM)
        if chosen:
            self.open(Path(chosen))

    def open(self, path: Path, then: Callable[[], object] = lambda: None) -> None:
        """Open a project, once unsaved work is answered for."""
        if self.may_leave():
            self.session.open_project(path, then)

    def open_demo(self, then: Callable[[], object] = lambda: None) -> None:
        """Open the project that ships with the application."""
        from brisk_atlas import demo

        self.open(demo.PROJECT, then)

    def may_leave(self) -> bool:
        """Return whether the work may give way to other work or close, once unsaved changes are answered for."""
        self._flush()
        work = self.session.work
        return not (work.changed and work.layers and self._parent.isVisible()) or may_close_work(
            self._parent, self.save
        )

    def save(self) -> bool:
        """Save the project; returns whether it was."""
        file = self.session.work.file
        return self.save_to(file) if file else self.save_as()

    def save_script(self) -> None:
        """Ask for a file, and write what was done in this run as a script that does it again."""
        file = self.session.work.file
        start = (file.parent if file is not None else Path.home()) / "what_was_done.py"
        chosen, _ = QFileDialog.getSaveFileName(self._parent, tr("Save what was done"), str(start), tr("Python (*.py)"))
        if not chosen:
            return
        path = Path(chosen) if Path(chosen).suffix else Path(chosen).with_suffix(".py")

        def done(files: list[Path]) -> None:
            beside = (
                tr(", with {listed} beside it", listed=", ".join(each.name for each in files[1:])) if files[1:] else ""
            )
            self.session.noticed.emit("good", tr("Written: {path}{beside}", path=path, beside=beside), "")

        self.session.write_script(path, done)

    def save_as(self) -> bool:
        """Ask for a file and save the project there; returns whether it was."""
        start = str(self.session.work.file or Path.home() / f"work{PROJECT_SUFFIX}")
        chosen, _ = QFileDialog.getSaveFileName(self._parent, tr("Save the project"), start, FORM)
        return bool(chosen) and self.save_to(Path(chosen))

    def save_to(self, path: Path) -> bool:
        """Save the project to a file; returns whether it was."""
        self._flush()
        saved = self.session.save_project(path)
        shown = self._picture() if saved else None
        if shown is not None:
            from .welcome.project_pictures import store_picture

            store_picture(path, shown)
        return saved
