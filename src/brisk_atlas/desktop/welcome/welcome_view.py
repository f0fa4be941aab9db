"""The first thing that is seen: ways to begin, recent work, and what the four pages are for."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas import demo
from brisk_atlas.core.model import DataRef
from brisk_atlas.core.model.language import tr

from ..icons import icon
from ..page_titles import PAGE_TITLES
from ..plain_text import PlainLabel, plain_tip
from ..session import PROJECT_SUFFIX, Session
from ..theme import LIGHT, Theme
from .project_pictures import SIZE, picture_of

PICTURE = Path(__file__).parent / "tolvane.webp"  # of the demo
WIDEST_PX, MOST_RECENT, COLUMNS = 980, 8, 4
WAYS = (
    (
        "choose_folder",
        "folder-open",
        tr("Look into a folder"),
        tr("Lists its datasets with their facts. Nothing is changed."),
    ),
    ("open", "file-plus", tr("Open files"), tr("Or drop files and folders anywhere on the window.")),
    ("add_connection", "link", tr("Connect"), tr("To a database, a map or feature service, a catalogue, a bucket.")),
    ("open_project", "folder-notch-open", tr("Open a project"), tr("Layers, styles and views as they were saved.")),
)
PAGES = {
    "find": tr("what data is, before it is opened"),
    "desk": tr("layers on a map, compared, measured, in relief"),
    "record": tr("what its makers state, checked against the data"),
    "handover": tr("clean pieces, albums, pages, shared with others"),
}


class WelcomeView(QScrollArea):
    """Ways to begin, for who has nothing open.

    Signals:
        wanted(str): the id of a command.
        project_wanted(object): the path of a recent project.
        dataset_wanted(object): the reference of a dataset that was opened lately.
    """

    wanted = pyqtSignal(str)
    project_wanted = pyqtSignal(object)
    dataset_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._theme = LIGHT
        self._ways: list[tuple[QPushButton, str]] = []
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setObjectName("welcome")
        self.setAccessibleName(tr("Welcome"))
        inner = QWidget()
        around = QHBoxLayout(inner)
        around.setContentsMargins(24, 18, 24, 18)
        self.column = QWidget()
        self.column.setMaximumWidth(WIDEST_PX)
        around.addStretch(1)
        around.addWidget(self.column, 100)
        around.addStretch(1)
        self.setWidget(inner)
        rows = QVBoxLayout(self.column)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(10)
        rows.addWidget(_heading(tr("What data do you want to look at?")))
        rows.addLayout(self._begin())
        self.recent_heading = _heading(tr("Recent work"))
        self.recent = QWidget()
        self.recent_grid = QGridLayout(self.recent)
        self.recent_grid.setContentsMargins(0, 0, 0, 0)
        self.lately = QWidget()
        self.lately_row = QVBoxLayout(self.lately)
        self.lately_row.setContentsMargins(0, 0, 0, 0)
        for widget in (self.recent_heading, self.recent, self.lately):
            rows.addWidget(widget)
        rows.addWidget(_heading(tr("How the work goes")))
        rows.addLayout(self._pages())
        rows.addStretch(1)

    def _begin(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(12)
        self.demo = QToolButton()
        self.demo.setObjectName("card")
        self.demo.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        self.demo.setIcon(QIcon(str(PICTURE)))
        self.demo.setIconSize(QSize(300, 188))
        self.demo.setText(tr("Open the demo: Tolvane Island, 2029 and 2031"))
        self.demo.setToolTip(
            tr("A made-up island before and after an eruption: maps, surfaces, clouds, profiles, tables")
        )
        self.demo.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Expanding)
        self.demo.clicked.connect(lambda checked=False: self.wanted.emit("open_demo"))
        row.addWidget(self.demo)
        grid = QGridLayout()
        grid.setSpacing(12)
        for number, (command_id, _, title, words) in enumerate(WAYS):
            button = QPushButton(f"{title}\n{words}")
            button.setObjectName("card")
            button.setIconSize(QSize(22, 22))
            button.setMinimumHeight(46)
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
            button.clicked.connect(lambda checked=False, wanted=command_id: self.wanted.emit(wanted))
            self._ways.append((button, WAYS[number][1]))
            grid.addWidget(button, number, 0)
        row.addLayout(grid, 1)
        return row

    def _pages(self) -> QVBoxLayout:
        rows = QVBoxLayout()
        rows.setSpacing(4)
        for number, (page, title) in enumerate(PAGE_TITLES.items(), 1):
            line = QHBoxLayout()
            name = PlainLabel(title)
            name.setObjectName("heading")
            name.setFixedWidth(90)
            keys = PlainLabel(tr("Ctrl+{number}", number=number))
            keys.setObjectName("mono")
            keys.setFixedWidth(64)  # the font for numbers comes a moment later
            for widget in (name, keys, PlainLabel(PAGES[page])):
                line.addWidget(widget)
            line.addStretch(1)
            rows.addLayout(line)
        row = QHBoxLayout()
        row.setContentsMargins(0, 8, 0, 0)
        self.learn: dict[str, QPushButton] = {}
        for command_id, label in (("tour", tr("Take the tour")), ("help", tr("Help")), ("keys", tr("Keys"))):
            button = self.learn[command_id] = QPushButton(label)
            button.clicked.connect(lambda checked=False, wanted=command_id: self.wanted.emit(wanted))
            row.addWidget(button)
        row.addStretch(1)
        rows.addLayout(row)
        return rows

    def fill(self) -> None:
        """Show what was worked on lately: datasets at once, projects once it is known which are still there, as a place
        that does not answer must not hold up the window."""
        _empty(self.lately_row)
        refs = self.session.shelves.recent[:MOST_RECENT]
        for ref in refs:
            self.lately_row.addWidget(self._dataset(ref), 0, Qt.AlignmentFlag.AlignLeft)
        self.lately.setVisible(bool(refs))
        self._show_projects([])
        projects = [path for path in self.session.shelves.projects if path != demo.PROJECT]
        if projects:
            self.session.run(
                tr("Recent work"),
                lambda job: [path for path in projects if path.is_file()],
                self._show_projects,
                shown=False,
            )

    def _show_projects(self, projects: list[Path]) -> None:
        _empty(self.recent_grid)
        for number, path in enumerate(projects[:MOST_RECENT]):
            self.recent_grid.addWidget(self._project(path), number // COLUMNS, number % COLUMNS)
        self.recent_grid.setColumnStretch(COLUMNS, 1)
        self.recent.setVisible(bool(projects))
        self.recent_heading.setVisible(bool(projects or self.session.shelves.recent))

    def _project(self, path: Path) -> QToolButton:
        button = QToolButton()
        button.setObjectName("card")
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        found = picture_of(path)
        button.setIcon(icon("map-trifold", self._theme.quiet) if found.isNull() else QIcon(found))
        button.setIconSize(SIZE * 0.8)
        button.setText(path.name.removesuffix(PROJECT_SUFFIX).replace("&", "&&"))
        button.setToolTip(plain_tip(str(path)))
        button.clicked.connect(lambda checked=False: self.project_wanted.emit(path))
        return button

    def _dataset(self, ref: DataRef) -> QPushButton:
        button = QPushButton(f"{ref.name}   in {ref.folder or ref.whole.place}"[:110].replace("&", "&&"))
        button.setObjectName("line")
        button.setToolTip(plain_tip(str(ref)))
        button.clicked.connect(lambda checked=False: self.dataset_wanted.emit(ref))
        return button

    def use_theme(self, theme: Theme) -> None:
        """Take on the colours of a theme."""
        self._theme = theme
        for button, name in self._ways:
            button.setIcon(icon(name, theme.accent))


def _empty(layout: QLayout) -> None:
    """Remove the widgets of a layout."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.deleteLater()


def _heading(words: str) -> PlainLabel:
    label = PlainLabel(words)
    label.setObjectName("title")
    return label
