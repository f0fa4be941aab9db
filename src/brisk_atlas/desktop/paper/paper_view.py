"""A plate on paper: the page at the left, its settings at the right."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QPushButton, QScrollArea, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.paper.box import INCH_MM
from brisk_atlas.core.paper.layout import BlockKind, PagesByFeature, Paper, PaperBlock, PaperGrid, PaperSize
from brisk_atlas.core.workspace.plate_paper import first_paper, fitting_scale
from brisk_atlas.core.workspace.plates import Plate, PlateKind, PlateView

from ..frame_image import picture_of
from ..icons import icon
from ..later import Later
from ..plain_text import PlainLabel
from ..session import Session
from ..theme import LIGHT, Theme
from .block_form import BlockForm
from .page_form import PageForm
from .page_preview import PAD_PX, PagePreview
from .paper_output import PaperOutput

if TYPE_CHECKING:
    from brisk_atlas.core.system.jobs import Job

REST_MS = 150  # from the last change until the page is drawn
SIDE_PX, NUMBERS_PX = 288, 320
MOST_PX = 9_000  # of a preview, each way
ZOOM = 1.5
STEPS = (1.0, 2.0, 2.5, 5.0)
ADDED = {BlockKind.TEXT: tr("Text"), BlockKind.TITLE: tr("Title"), BlockKind.LEGEND: tr("Legend"),
         BlockKind.SCALE_BAR: tr("Scale bar"),
         BlockKind.NORTH: tr("North"), BlockKind.INSET: tr("Where it lies"), BlockKind.CREDITS: tr("Sources"),
         BlockKind.MAP: tr("Map")}  # fmt: skip
SIZES = {BlockKind.TEXT: (60.0, 12.0), BlockKind.TITLE: (120.0, 12.0), BlockKind.LEGEND: (50.0, 40.0),
         BlockKind.SCALE_BAR: (60.0, 10.0), BlockKind.NORTH: (14.0, 14.0), BlockKind.INSET: (40.0, 40.0),
         BlockKind.CREDITS: (120.0, 8.0), BlockKind.MAP: (100.0, 80.0)}  # fmt: skip


TOOLS = (("caret-left", tr("The page before")), ("caret-right", tr("The next page")), ("minus", tr("Smaller")),
         ("plus", tr("Larger")),
         ("arrows-in", tr("The whole page")),
         ("hand-grabbing", tr("Move the map in its frame; the wheel changes its scale")))  # fmt: skip


class DrawnPage(NamedTuple):
    """A page that was drawn, how many there are and what they are called, and what could not be drawn."""

    picture: QImage
    number: int
    names: tuple[str, ...]
    faults: tuple[str, ...]


class PaperView(QWidget):
    """Lays a plate out.

    Signals:
        left(): the plate itself is to be shown again.
    """

    left = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.plate_id = ""
        self._fields: dict[str, tuple[str, ...]] = {}
        self._drawing: Job | None = None
        self._running: list[Job] = []
        self._wanted = 0  # drawings, of which the last one counts
        self._zoom = 0.0  # pixels for a millimetre, 0 for as large as there is room
        self.page = PagePreview()
        self.area = QScrollArea()
        self.area.setObjectName("paper area")
        self.area.setWidget(self.page)
        self.area.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.form, self.block = PageForm(), BlockForm()
        self.back = QPushButton(tr("Back to the plate"))
        self.numbers = QComboBox()
        self.numbers.setAccessibleName(tr("Page"))
        self.numbers.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.numbers.setMaximumWidth(NUMBERS_PX)
        self.before, self.after, self.closer, self.farther = (QToolButton() for _ in range(4))
        self.whole, self.hand = QToolButton(), QToolButton()
        self._tools = (self.before, self.after, self.farther, self.closer, self.whole, self.hand)
        self.blocks = QComboBox()
        self.blocks.setAccessibleName(tr("Block"))
        self.add, self.remove = QPushButton(tr("Add")), QPushButton(tr("Remove"))
        self.anew = QPushButton(tr("Arrange anew"))
        self.anew.setToolTip(tr("All blocks where they were first"))
        self.output = PaperOutput(session, self)
        self.print, self.write = QPushButton(tr("Print…")), QPushButton(tr("Write…"))
        self.write.setObjectName("main")
        self.note = PlainLabel("")
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        self._rest = Later(self, REST_MS, self._draw)
        self._lay_out()
        self._connect()
        self.use_theme(LIGHT)

    def _lay_out(self) -> None:
        bar = QHBoxLayout()
        for button, (_, words) in zip(self._tools, TOOLS):
            button.setToolTip(words)
            button.setAccessibleName(words)
        self.hand.setCheckable(True)
        for widget in (self.back, self.before, self.numbers, self.after):
            bar.addWidget(widget)
        bar.addStretch(1)
        for widget in (self.hand, self.farther, self.closer, self.whole):
            bar.addWidget(widget)
        sheet = QWidget()
        column = QVBoxLayout(sheet)
        column.setContentsMargins(16, 10, 8, 10)
        column.addLayout(bar)
        column.addWidget(self.area, 1)
        column.addWidget(self.note)
        side = QWidget()
        side.setFixedWidth(SIDE_PX)
        column = QVBoxLayout(side)
        column.setContentsMargins(8, 10, 12, 10)
        column.setSpacing(8)
        column.addWidget(self.form)
        row = QHBoxLayout()
        row.addWidget(self.blocks, 1)
        row.addWidget(self.add)
        row.addWidget(self.remove)
        column.addLayout(row)
        column.addWidget(self.block)
        column.addStretch(1)
        row = QHBoxLayout()
        row.addWidget(self.anew)
        row.addStretch(1)
        row.addWidget(self.print)
        row.addWidget(self.write)
        column.addLayout(row)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(sheet, 1)
        scroll = QScrollArea()
        scroll.setWidget(side)
        scroll.setWidgetResizable(True)
        scroll.setFixedWidth(SIDE_PX + 14)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        whole.addWidget(scroll)

    def _connect(self) -> None:
        self.back.clicked.connect(lambda checked=False: self.left.emit())
        self.write.clicked.connect(
            lambda checked=False: self._put_out(lambda plate, paper: self.output.choose_file(plate))
        )
        self.print.clicked.connect(lambda checked=False: self._put_out(self.output.choose_printer))
        self.anew.clicked.connect(lambda checked=False: self._arrange_anew())
        self.numbers.activated.connect(lambda at: self._draw())
        self.before.clicked.connect(lambda checked=False: self._turn(-1))
        self.after.clicked.connect(lambda checked=False: self._turn(1))
        self.closer.clicked.connect(lambda checked=False: self._zoom_by(ZOOM))
        self.farther.clicked.connect(lambda checked=False: self._zoom_by(1 / ZOOM))
        self.whole.clicked.connect(lambda checked=False: self._zoom_by(0))
        self.hand.clicked.connect(self._take_hand)
        self.page.chosen.connect(self._show_block)
        self.page.changed.connect(lambda block: self._change_block(tr("move a block"), block))
        self.page.removal_wanted.connect(self._remove)
        self.page.map_moved.connect(self._move_map)
        self.page.map_zoomed.connect(self._step_scale)
        self.block.changed.connect(lambda block: self._change_block(tr("a block of the page"), block))
        self.blocks.activated.connect(lambda at: self.page.choose(self.blocks.itemData(at)))
        self.remove.clicked.connect(lambda checked=False: self._remove())
        menu = QMenu(self)
        for kind, words in ADDED.items():
            action = menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda checked=False, kind=kind: self._add(kind))
        self.add.setMenu(menu)
        self.form.sheet_wanted.connect(self._change_sheet)
        self.form.scale_wanted.connect(
            lambda scale: self._change(tr("scale"), lambda paper: paper._replace(scale=scale))
        )
        self.form.fit_wanted.connect(self._fit_scale)
        self.form.grid_wanted.connect(
            lambda kind: self._change(tr("grid of the page"), lambda paper: paper._replace(grid=PaperGrid(kind)))
        )
        self.form.dots_wanted.connect(
            lambda dots: self._change(tr("dots an inch"), lambda paper: paper._replace(dots=dots))
        )
        self.form.pages_wanted.connect(self._change_pages)
        self.session.work_changed.connect(self._work_changed)
        viewport = self.area.viewport()
        assert viewport is not None
        viewport.installEventFilter(self)

    # What is shown

    @property
    def plate(self) -> Plate | None:
        """The plate that is laid out."""
        found = self.session.work.state.album.item(self.plate_id)
        return found if isinstance(found, Plate) else None

    @property
    def paper(self) -> Paper | None:
        """How it is laid out."""
        plate = self.plate
        return plate.paper or first_paper(plate) if plate is not None else None

    @property
    def _view(self) -> PlateView | None:
        """The view of a plate that is a map."""
        plate = self.plate
        return plate.view if plate is not None and plate.kind is PlateKind.MAP else None

    @property
    def busy(self) -> bool:
        """Whether a page is drawn or written."""
        self._running = [job for job in self._running if job.state in ("waiting", "running")]
        return self._drawing is not None or self._rest.isActive() or bool(self._running) or self.output.busy

    def use_theme(self, theme: Theme) -> None:
        """Take over the colours of a theme."""
        self.page.theme = theme
        self.page.update()
        for button, (name, _) in zip(self._tools, TOOLS):
            button.setIcon(icon(name, theme.ink))

    def show_plate(self, plate_id: str) -> None:
        """Lay a plate out."""
        if plate_id != self.plate_id:
            self.plate_id, self._fields = plate_id, {}
            self.page.show_picture(QImage())
            self.page.block_id = None
            self.numbers.clear()
            self._find_fields()
        self._fill()

    def _find_fields(self) -> None:
        """Look which layers of the plate pages can be by, and what fields they have."""
        view = self._view
        if view is None:
            return

        def work(job: Job) -> dict[str, tuple[str, ...]]:
            from brisk_atlas.core.model import AtlasError

            found = {}
            for layer in view.layers:
                if layer.kind.has_shapes:
                    try:
                        facts = self.session.cache.part(layer.ref).facts
                    except (AtlasError, OSError):
                        continue
                    found[layer.id] = tuple(field.name for field in facts.fields)
            return found

        def done(found: dict[str, tuple[str, ...]]) -> None:
            if self._view is view:
                self._fields = found
                self._fill(draw=False)

        self._running.append(self.session.run(tr("Fields"), work, done, shown=False))

    def _work_changed(self, what: str) -> None:
        if what in ("album", "file") and self.isVisible():
            if self.plate is None:
                self.left.emit()
            else:
                self._fill()

    def _fill(self, *, draw: bool = True) -> None:
        """Show the layout of the plate, and have it drawn."""
        paper, view = self.paper, self._view
        if paper is None:
            return
        layers = [each for each in view.layers if each.id in self._fields] if view is not None else []
        self.form.show_paper(paper, layers, self._fields)
        self.form.map_rows.setVisible(view is not None)
        self.form.page_rows.setVisible(view is not None and paper.pages is not None)
        self.hand.setVisible(view is not None)
        self.page.show_paper(paper, self.page.block_id)
        self._fit_page()
        self._show_block(self.page.block_id)
        if draw:
            self._rest.start()

    def _show_block(self, block_id: str | None) -> None:
        paper = self.paper
        if paper is None:
            return
        self.blocks.clear()
        self.blocks.addItem(tr("no block chosen"), None)
        for each in paper.blocks:
            self.blocks.addItem(each.id, each.id)
        self.blocks.setCurrentIndex(max(0, self.blocks.findData(block_id)))
        block = paper.block(block_id) if block_id else None
        self.block.flush()
        self.block.setVisible(block is not None)
        self.remove.setEnabled(block is not None)
        if block is not None:
            self.block.show_block(block, paper)

    # The size on the screen

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.Resize and self._zoom == 0:
            self._fit_page()
            self._rest.start()
        return False

    def _fit_page(self) -> None:
        paper, viewport = self.paper, self.area.viewport()
        if paper is None or viewport is None:
            return
        width, height = paper.size
        room = viewport.width() - 2 * PAD_PX - 2, viewport.height() - 2 * PAD_PX - 2
        fitting = max(0.2, min(room[0] / width, room[1] / height))
        self.page.set_scale(min(self._zoom or fitting, MOST_PX / max(width, height)))

    def _zoom_by(self, factor: float) -> None:
        self._zoom = self.page.per_mm * factor
        self._fit_page()
        self._rest.start()

    def _take_hand(self, on: bool) -> None:
        self.page.moves_map = on
        if on and self.paper is not None:
            maps = self.paper.of_kind(BlockKind.MAP)
            if maps and self.page.block_id not in [each.id for each in maps]:
                self.page.choose(maps[0].id)
        self.page.setFocus()

    # Drawing

    def _turn(self, by: int) -> None:
        at = self.numbers.currentIndex() + by
        if 0 <= at < self.numbers.count():
            self.numbers.setCurrentIndex(at)
            self._draw()

    def _draw(self) -> None:
        """Draw the page; a drawing that is under way is dropped."""
        plate, paper = self.plate, self.paper
        if plate is None or paper is None or not self.isVisible():
            return
        if self._drawing is not None:
            self._drawing.cancel()
        self._wanted += 1
        number, wanted = max(0, self.numbers.currentIndex()), self._wanted
        dots = self.page.per_mm * self.devicePixelRatioF() * INCH_MM

        def work(job: Job) -> DrawnPage:
            from brisk_atlas.core.operations.paper_content import paper_content
            from brisk_atlas.core.paper.paper_page import draw_page
            from brisk_atlas.core.paper.pixel_surface import PixelSurface

            content = paper_content(self.session.workspace, plate._replace(paper=paper), job.check)
            at = min(number, len(content.pages) - 1)
            surface = PixelSurface(*paper.size, dots)
            faults = draw_page(surface, self.session.painter, content, at, job.check)
            names = tuple(page.name for page in content.pages)
            return DrawnPage(picture_of(surface.pages[0]), at, names, tuple(faults))

        def ended(job: Job) -> None:
            if wanted != self._wanted:
                return
            self._drawing = None
            if job.state == "done":
                self._show_page(job.result)
            elif job.state == "failed" and job.error is not None:
                self._say([str(job.error)])

        self._drawing = self.session.jobs.start(
            tr("Drawing a page"), work, lambda job: self.session.call_in_gui(ended, job), shown=False
        )

    def _show_page(self, drawn: DrawnPage) -> None:
        self.page.show_picture(drawn.picture)
        count = len(drawn.names)
        names = [f"{n + 1}  {name}" if name else f"{n + 1}" for n, name in enumerate(drawn.names)]
        if [self.numbers.itemText(n) for n in range(self.numbers.count())] != names:
            self.numbers.clear()
            self.numbers.addItems(names)
        self.numbers.setCurrentIndex(drawn.number)
        for widget in (self.before, self.numbers, self.after):
            widget.setVisible(count > 1)
        self.before.setEnabled(drawn.number > 0)
        self.after.setEnabled(drawn.number < count - 1)
        self._say(drawn.faults)

    def _say(self, faults: Sequence[str]) -> None:
        """State below the page what could not be drawn."""
        self.note.setText("\n".join(faults))
        self.note.setVisible(bool(faults))

    # Changes

    def _change(self, what: str, made: Callable[[Paper], Paper]) -> None:
        plate, paper = self.plate, self.paper
        if plate is None or paper is None:
            return
        now = made(paper)
        if now != paper:
            album = self.session.work.state.album
            self.session.work.change_album(tr("{what} on paper", what=what), album.changed(plate._replace(paper=now)))

    def _change_block(self, what: str, block: PaperBlock) -> None:
        self._change(what, lambda paper: paper.changed(block))

    def _change_sheet(self, sheet: PaperSize, wide: bool) -> None:
        plate, view = self.plate, self._view

        def made(paper: Paper) -> Paper:
            assert plate is not None
            fitted = view is not None and paper.scale == fitting_scale(paper, view)
            if wide == paper.wide:
                now = paper.on_sheet(sheet)
            else:
                anew = first_paper(plate, sheet, wide)
                now = paper._replace(sheet=sheet, wide=wide, blocks=anew.blocks).by_feature(paper.pages)
            return now._replace(scale=fitting_scale(now, view)) if fitted and view is not None else now

        self._change(tr("sheet"), made)

    def _arrange_anew(self) -> None:
        plate = self.plate
        if plate is not None:
            self._change(tr("arrangement"), lambda paper: paper._replace(
                blocks=first_paper(plate, paper.sheet, paper.wide).blocks).by_feature(paper.pages))  # fmt: skip

    def _fit_scale(self) -> None:
        view = self._view
        if view is not None:
            self._change(tr("scale"), lambda paper: paper._replace(scale=fitting_scale(paper, view), centre=None))

    def _step_scale(self, closer: int) -> None:
        """Go to the next round scale."""

        def made(paper: Paper) -> Paper:
            rounds = [step * 10.0**power for power in range(9) for step in STEPS]
            if closer > 0:
                scale = max((each for each in rounds if each < paper.scale * 0.999), default=paper.scale)
            else:
                scale = min((each for each in rounds if each > paper.scale * 1.001), default=paper.scale)
            return paper._replace(scale=scale)

        self._change(tr("scale"), made)

    def _move_map(self, dx: float, dy: float) -> None:
        """Move the map in its frame by millimetres."""
        view = self._view
        if view is None:
            return

        def made(paper: Paper) -> Paper:
            from brisk_atlas.core.paper.box import PX_MM, PageBox
            from brisk_atlas.core.paper.map_frame import view_on_paper

            centre = paper.centre or (view.x, view.y)
            seen = view_on_paper(PageBox(0, 0, 10, 10), view.crs, centre, paper.scale, view.turn)
            now = seen.panned(dx / PX_MM, dy / PX_MM)
            return paper._replace(centre=(now.x, now.y))

        self._change(tr("place of the map"), made)

    def _change_pages(self, pages: PagesByFeature | None) -> None:
        self._change(tr("pages"), lambda paper: paper.by_feature(pages))

    def _add(self, kind: BlockKind) -> None:
        def made(paper: Paper) -> Paper:
            width, height = SIZES[kind]
            across, down = paper.size
            text = tr("Text") if kind is BlockKind.TEXT else "{title}" if kind is BlockKind.TITLE else ""
            block = PaperBlock("", kind, (across - width) / 2, (down - height) / 2, width, height, text,
                               framed=kind in (BlockKind.MAP, BlockKind.INSET))  # fmt: skip
            return paper.with_block(block)

        self._change(tr("one more block"), made)
        paper = self.paper
        if paper is not None:
            self.page.choose(paper.blocks[-1].id)
            self.page.setFocus()

    def _remove(self) -> None:
        block_id = self.page.block_id
        if block_id is not None:
            self.page.choose(None)
            self._change(tr("one block less"), lambda paper: paper.without(block_id))

    def _put_out(self, choose: Callable[[Plate, Paper], None]) -> None:
        """Have the pages written or printed, with what is being typed."""
        self.block.flush()
        plate, paper = self.plate, self.paper
        if plate is not None and paper is not None:
            choose(plate, paper)
