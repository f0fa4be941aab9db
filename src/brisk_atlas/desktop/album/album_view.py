"""The Album half of Hand over: plates and passages in order at the left, the current one at the right."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QSettings, QSize, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QIcon, QImage, QPixmap
from PyQt6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from brisk_atlas.core.model.language import tr
from brisk_atlas.core.workspace.plates import Album, AlbumItem, Passage, Plate, PlateKind, PlateSource

from ..deletable_list import DeletableList
from ..paper.paper_view import PaperView
from ..plain_text import PlainLabel
from ..session import Session
from ..side_by_side import put_side_by_side
from ..theme import Theme
from .caption_edit import CaptionEdit
from .picture_view import PictureView
from .plate_pictures import stored_file
from .plate_redrawer import PlateRedrawer
from .plate_rows import PlateRows
from .plate_taker import NAMES
from .spelling_marks import SpellingSettings

if TYPE_CHECKING:
    from brisk_atlas.core.model import Facts
    from brisk_atlas.core.operations import Written
    from brisk_atlas.core.system.jobs import Job

THUMB = QSize(112, 70)
ITEM_ID = Qt.ItemDataRole.UserRole
EMPTY = tr(
    "An album says what was seen, in pictures with a few words, in an order. Whoever gets it needs a browser alone: "
    "maps come closer under the hand, A and B are divided by a curtain, a click says what lies there.\n\n"
    "1  On the Desk, press F9: what the pane with the keyboard shows becomes a plate. On Record it is the record.\n"
    "2  Give each plate a caption, put them in order, add text between.\n"
    "3  Write it: a page with everything in one file, a folder for a web server, PDF or slides."
)
FORMS = {
    tr("Web page, all in one file (*.html)"): ".html", tr("PDF (*.pdf)"): ".pdf",
        tr("Slides, OpenDocument (*.odp)"): ".odp",
    tr("Slides, Office Open XML (*.pptx)"): ".pptx",
    tr("Pictures with captions (*.zip)"): ".zip", tr("Folder for a web server (*)"): "",
}  # fmt: skip
NOTHING, ITEM = range(2)


class AlbumView(QWidget):
    """The album of the project.

    Signals:
        show_wanted(object): a plate whose view the Desk is to show.
    """

    show_wanted = pyqtSignal(object)

    def __init__(self, session: Session, settings: QSettings) -> None:
        super().__init__()
        self.session = session
        self._filling = False
        self._thumbs: dict[bytes, QIcon] = {}
        self._running: list[Job] = []
        self.redrawer = PlateRedrawer(session, self._run)
        self._captioned = ""  # the id of the item whose text is shown
        self.title, self.summary = QLineEdit(), QLineEdit()
        self.title.setObjectName("album title")
        self.title.setAccessibleName(tr("Title of the album"))
        self.title.setPlaceholderText(tr("Title of the album"))
        self.summary.setPlaceholderText(tr("What it is about, in a sentence"))
        self.summary.setAccessibleName(tr("What the album is about"))
        self.list = DeletableList()
        self.list.setObjectName("album items")
        self.list.setAccessibleName(tr("Plates and texts"))
        self.list.setIconSize(THUMB)
        self.list.setWordWrap(True)
        self.up, self.down, self.remove = (QPushButton(words) for words in (tr("Up"), tr("Down"), tr("Remove")))
        self.text, self.picture = QPushButton(tr("Add text")), QPushButton(tr("Add a picture…"))
        self.write = QPushButton(tr("Write…"))
        self.write.setObjectName("main")
        self.item_title = QLineEdit()
        self.item_title.setObjectName("plate title")
        self.item_title.setAccessibleName(tr("Title of the plate"))
        self.item_title.setPlaceholderText(tr("Title"))
        self.facts = PlainLabel("")
        self.facts.setObjectName("quiet")
        self.facts.setWordWrap(True)
        self.shown = PictureView()
        self.rows = PlateRows()
        self.caption = CaptionEdit(tr("Caption"), SpellingSettings(session, settings, self._names))
        self.alt = QLineEdit()
        self.alt.setPlaceholderText(tr("What it shows, for those who don't see it"))
        self.alt.setAccessibleName(tr("Alternative text"))
        self.joined = QCheckBox(tr("Together with the next"))
        self.joined.setToolTip(tr("Two plates are shown as before and after, more as a series"))
        self.show_it, self.again = QPushButton(tr("Show on the Desk")), QPushButton(tr("Draw again"))
        self.on_paper = QPushButton(tr("On paper…"))
        self.on_paper.setToolTip(tr("Lay it out on a page at a true scale, for PDF, SVG or PNG"))
        self.paper_view = PaperView(session)
        self._lays_out = False  # whether the plate is shown on paper
        self.over_time = QPushButton(tr("Time series…"))
        self.over_time.setToolTip(tr("On the page a click on a feature shows its values over time"))
        self.empty = PlainLabel(EMPTY)
        self._lay_out()
        self._connect()
        self.fill()

    def _lay_out(self) -> None:
        self.right = QStackedWidget()
        nothing = QWidget()
        column = QVBoxLayout(nothing)
        column.setContentsMargins(24, 24, 24, 24)
        self.empty.setWordWrap(True)
        self.empty.setMaximumWidth(640)
        column.addWidget(self.empty)
        column.addStretch(1)
        item = QWidget()
        column = QVBoxLayout(item)
        column.setContentsMargins(16, 10, 12, 10)
        column.setSpacing(8)
        column.addWidget(self.item_title)
        column.addWidget(self.facts)
        column.addWidget(self.shown, 5)
        column.addWidget(self.rows, 5)
        column.addWidget(self.caption, 2)
        column.addWidget(self.alt)
        low = QHBoxLayout()
        for widget in (self.show_it, self.on_paper, self.again, self.over_time, self.joined):
            low.addWidget(widget)
        low.addStretch(1)
        column.addLayout(low)
        self.right.addWidget(nothing)
        self.right.addWidget(item)
        left = QWidget()
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 10, 8, 10)
        column.setSpacing(8)
        column.addWidget(self.title)
        column.addWidget(self.summary)
        column.addWidget(self.list, 1)
        for widgets in ((self.text, self.picture), (self.up, self.down, self.remove)):
            row = QHBoxLayout()
            for widget in widgets:
                row.addWidget(widget)
            row.addStretch(1)
            if self.up in widgets:
                row.addWidget(self.write)
            column.addLayout(row)
        self.plates = QWidget()
        put_side_by_side(self.plates, left, self.right)
        self.whole = QStackedWidget()
        self.whole.addWidget(self.plates)
        self.whole.addWidget(self.paper_view)
        around = QVBoxLayout(self)
        around.setContentsMargins(0, 0, 0, 0)
        around.addWidget(self.whole)

    def _connect(self) -> None:
        def on_album(what: str, made: Callable[[Album], Album]) -> None:
            self.session.work.change_album(what, made(self.album))

        self.title.editingFinished.connect(
            lambda: on_album(tr("title of the album"), lambda a: a._replace(title=self.title.text().strip()))
        )
        self.summary.editingFinished.connect(
            lambda: on_album(tr("summary of the album"), lambda a: a._replace(summary=self.summary.text().strip()))
        )
        self.item_title.editingFinished.connect(lambda: self._change(tr("title"), title=self.item_title.text().strip()))
        self.alt.editingFinished.connect(lambda: self._change(tr("alternative text"), alt=self.alt.text().strip()))
        self.caption.edited.connect(self._write_caption)
        self.joined.clicked.connect(lambda on: self._change(tr("together with the next"), joined=on))
        self.list.currentRowChanged.connect(lambda row: self._show_item())
        self.list.delete_pressed.connect(self._remove)
        self.list.itemDoubleClicked.connect(lambda item: self._show())
        self.up.clicked.connect(lambda checked=False: self._move(-1))
        self.down.clicked.connect(lambda checked=False: self._move(1))
        self.remove.clicked.connect(lambda checked=False: self._remove())
        self.text.clicked.connect(lambda checked=False: self.add_text())
        self.picture.clicked.connect(lambda checked=False: self._choose_picture())
        self.show_it.clicked.connect(lambda checked=False: self._show())
        self.again.clicked.connect(lambda checked=False: self.draw_again())
        self.on_paper.clicked.connect(lambda checked=False: self.lay_out())
        self.paper_view.left.connect(lambda: self.lay_out(False))
        self.over_time.clicked.connect(lambda checked=False: self.ask_series())
        self.write.clicked.connect(lambda checked=False: self._choose_page())
        self.session.work_changed.connect(lambda what: self.fill() if what in ("album", "file") else None)

    @property
    def album(self) -> Album:
        """The album of the project."""
        return self.session.work.state.album

    @property
    def busy(self) -> bool:
        """Whether something is drawn or written."""
        self._running = [job for job in self._running if job.state in ("waiting", "running")]
        return bool(self._running) or self.paper_view.busy or self.caption.spelling.busy

    def _names(self) -> list[str]:
        """Return the names in the work, which are right whether a dictionary has them or not."""
        return [*(layer.name for layer in self.session.work.layers), *(each.title for each in self.album.items)]

    def flush(self) -> None:
        """Have what is being typed in the work at once."""
        self.caption.flush()
        self.paper_view.block.flush()

    def lay_out(self, on: bool = True) -> None:
        """Show plates on paper, or as they were captured."""
        self._lays_out = on
        self._show_item()
        (self.paper_view.page if on else self.list).setFocus()

    def use_theme(self, theme: Theme) -> None:
        """Take over the colours of a theme."""
        self.paper_view.use_theme(theme)
        self.shown.theme = theme
        self.shown.update()

    @property
    def current(self) -> AlbumItem | None:
        """What is chosen in the list."""
        item = self.list.currentItem()
        return self.album.item(item.data(ITEM_ID)) if item is not None else None

    # The list

    def fill(self) -> None:
        """Show the album of the work."""
        before, album = self.current, self.album
        row = self.list.currentRow()
        self._filling = True
        self.list.clear()
        for number, each in enumerate(album.items):
            is_joined = isinstance(each, Plate) and each.joined and number + 1 < len(album.items)
            title = each.title or (tr("Text") if isinstance(each, Passage) else tr("Untitled"))
            item = QListWidgetItem(tr("{title} ↕ with the next", title=title) if is_joined else title)
            item.setData(ITEM_ID, each.id)
            if isinstance(each, Plate) and each.picture in self._thumbs:
                item.setIcon(self._thumbs[each.picture])
            self.list.addItem(item)
        ids = [each.id for each in album.items]
        row = ids.index(before.id) if before is not None and before.id in ids else min(max(row, 0), len(ids) - 1)
        self.list.setCurrentRow(row)
        self._filling = False
        for line, text in ((self.title, album.title), (self.summary, album.summary)):
            if line.text() != text:
                line.setText(text)
        self.write.setEnabled(bool(album.items))
        self._draw_thumbs()
        self._show_item()

    def _draw_thumbs(self) -> None:
        """Have small pictures of plates that have none yet, read in the background."""
        shown = {each.picture for each in self.album.plates if each.picture}
        self._thumbs = {picture: icon for picture, icon in self._thumbs.items() if picture in shown}
        missing = [picture for picture in shown if picture not in self._thumbs]
        if not missing:
            return

        def work(job: Job) -> dict[bytes, QImage]:
            found = {}
            for picture in missing:
                job.check()
                found[picture] = QImage.fromData(picture).scaled(
                    THUMB * 2, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            return found

        def done(found: dict[bytes, QImage]) -> None:
            self._thumbs |= {picture: QIcon(QPixmap.fromImage(image)) for picture, image in found.items()}
            for row in range(self.list.count()):
                item = self.list.item(row)
                plate = self.album.item(item.data(ITEM_ID)) if item is not None else None
                if item is not None and isinstance(plate, Plate) and plate.picture in self._thumbs:
                    item.setIcon(self._thumbs[plate.picture])

        self._run(tr("Small pictures"), work, done, shown=False)

    def _show_pictures(self, plate: Plate) -> None:
        """Show the pictures of a plate, read in the background."""

        def work(job: Job) -> list[QImage]:
            return [QImage.fromData(each) for each in (plate.picture, plate.other) if each]

        def done(pictures: list[QImage]) -> None:
            if self._captioned == plate.id:
                self.shown.show_pictures(pictures)

        self._run(tr("Picture"), work, done, shown=False)

    def choose(self, item_id: str) -> None:
        """Make an item the current one."""
        self.list.setCurrentRow([each.id for each in self.album.items].index(item_id))

    def _show_item(self) -> None:
        if self._filling:
            return
        self.caption.flush()  # of the item that was shown
        item, plate = self.current, self.current if isinstance(self.current, Plate) else None
        on_paper = self._lays_out and plate is not None and (plate.view is not None or bool(plate.picture))
        self.right.setCurrentIndex(ITEM if item is not None else NOTHING)
        self.whole.setCurrentWidget(self.paper_view if on_paper else self.plates)
        if on_paper and plate is not None:
            self.paper_view.show_plate(plate.id)
        at = self.list.currentRow()
        self.up.setEnabled(at > 0)
        self.down.setEnabled(0 <= at < self.list.count() - 1)
        self.remove.setEnabled(item is not None)
        self._captioned = item.id if item is not None else ""
        if item is None:
            return
        self.item_title.setText(item.title)
        self.caption.show_text(item.text if isinstance(item, Passage) else item.caption)
        buttons = self.show_it, self.on_paper, self.again, self.over_time, self.joined
        for widget in (self.shown, self.rows, self.alt, self.facts, *buttons):
            widget.setVisible(plate is not None)
        if plate is None:
            return
        self.shown.setVisible(bool(plate.picture))
        self.rows.setVisible(plate.table is not None)
        self.rows.show_table(plate.table)
        self._show_pictures(plate)
        self.alt.setText(plate.alt)
        self.joined.setChecked(plate.joined)
        self.joined.setEnabled(bool(plate.picture))
        self.on_paper.setEnabled(bool(plate.picture))
        self.show_it.setEnabled(plate.view is not None)
        for button in (self.again, self.over_time):
            button.setEnabled(plate.view is not None and plate.kind is PlateKind.MAP)
        self._show_facts(plate)

    def _show_facts(self, plate: Plate) -> None:
        view, words = plate.view, [NAMES.get(plate.kind, tr("Picture"))]
        if plate.table is not None:
            words.append(tr("{count:,} of {total:,} rows", count=len(plate.table.rows), total=plate.table.total))
        words += [tr("{value} over time", value=plate.series.value)] if plate.series is not None else []
        words += [view.crs] if view is not None and view.crs and plate.kind is PlateKind.MAP else []
        words += [tr("captured {replace} UTC", replace=plate.captured.replace("T", " ")[:16])] if plate.captured else []
        line = " · ".join(words)
        self.facts.setText(line)

        def done(changed: dict[str, list[PlateSource]]) -> None:
            if self.current is plate and plate.id in changed:
                names = ", ".join(each.name for each in changed[plate.id])
                self.facts.setText(tr("{line} · changed since: {names}", line=line, names=names))

        self.redrawer.find_changed([plate], done)

    # Changes

    def _change(self, what: str, **values: object) -> None:
        item = self.current
        if item is not None and not self._filling:
            self.session.work.change_album(what, self.album.changed(item._replace(**values)))  # type: ignore[arg-type]

    def _write_caption(self, markdown: str) -> None:
        item = self.album.item(self._captioned)
        if isinstance(item, Passage):
            self.session.work.change_album(tr("text"), self.album.changed(item._replace(text=markdown)))
        elif item is not None:
            self.session.work.change_album(tr("caption"), self.album.changed(item._replace(caption=markdown)))

    def _move(self, by: int) -> None:
        if self.current is not None:
            self.session.work.change_album(tr("order of the album"), self.album.moved(self.current.id, by))

    def _remove(self) -> None:
        if self.current is not None:
            self.session.work.change_album(
                tr("remove {title}", title=self.current.title), self.album.without(self.current.id)
            )

    def _add(self, what: str, item: AlbumItem) -> None:
        made = item._replace(id=self.album.free_id())
        after = self.current.id if self.current is not None else None
        self.session.work.change_album(what, self.album.with_item(made, after))
        self.choose(made.id)

    def add_text(self) -> None:
        """Have a passage behind the current item, and write it."""
        self._add(tr("add text"), Passage("", ""))
        self.item_title.setFocus()

    def _choose_picture(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(
            self, tr("A picture"), "", tr("Pictures (*.png *.jpg *.jpeg *.webp *.tif)")
        )
        if chosen:
            self.add_picture(Path(chosen))

    def add_picture(self, path: Path) -> None:
        """Have a picture from elsewhere behind the current item."""

        def work(job: Job) -> bytes:
            from brisk_atlas.core.model import CannotRead

            try:
                return stored_file(path.read_bytes())
            except OSError as error:
                raise CannotRead(
                    path, tr("it is no picture that can be read ({error})", error=error), tr("Choose another.")
                ) from error

        def done(data: bytes) -> None:
            self._add(tr("add a picture"), Plate("", path.stem, PlateKind.OUTSIDE, picture=data))

        self._run(tr("Reading {name}", name=path.name), work, done)

    def _show(self) -> None:
        if isinstance(self.current, Plate) and self.current.view is not None:
            self.show_wanted.emit(self.current)

    def ask_series(self) -> None:
        """Ask which values over time the features of the current plate have on the page."""
        from .series_form import SeriesForm

        plate = self.current
        if not isinstance(plate, Plate) or plate.view is None:
            return
        view = plate.view

        def work(job: Job) -> dict[str, Facts]:
            from brisk_atlas.core.operations.album_series import layers_for_series

            return {
                layer.id: self.session.cache.part(layer.ref).facts
                for found in layers_for_series(view)
                for layer in found
            }

        def done(facts: dict[str, Facts]) -> None:
            form = SeriesForm(view, facts, plate.series, self)
            if form.exec() and self.current is not None and self.current.id == plate.id:
                self._change(tr("time series"), series=form.series)

        self._run(tr("Fields"), work, done, False)

    def draw_again(self) -> None:
        """Draw the current plate as its data is now."""
        if isinstance(self.current, Plate):
            self.redrawer.draw_again([self.current])

    def draw_all_again(self) -> None:
        """Draw all plates as their data is now."""
        self.redrawer.draw_again(self.album.plates)

    def _run(self, title: str, work: Callable[[Job], Any], done: Callable[[Any], None], shown: bool = True) -> None:
        self._running.append(self.session.run(title, work, done, shown=shown))

    # Writing

    def _choose_page(self) -> None:
        self.caption.flush()
        name = "".join(c if c.isalnum() else "_" for c in self.album.title).strip("_").lower() or "album"
        start = (self.session.work.file.parent if self.session.work.file is not None else Path.home()) / f"{name}.html"
        chosen, form = QFileDialog.getSaveFileName(self, tr("Write the album"), str(start), ";;".join(FORMS))
        if chosen:
            path = Path(chosen)
            self.write_to(path if path.suffix else path.with_suffix(FORMS.get(form, ".html")))

    def write_to(self, path: Path) -> None:
        """Write the album: as a page or PDF by its suffix, or as a folder; and open it."""
        from brisk_atlas.core.operations import WriteAlbum

        def done(written: Written) -> None:
            self.session.noticed.emit("good", tr("Wrote {what} to {path}", what=written.what, path=path), "")
            shown = path / "index.html" if path.is_dir() else path
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(shown)))

        self._running.append(self.session.run_operation(tr("Writing {name}", name=path.name), WriteAlbum(path), done))
