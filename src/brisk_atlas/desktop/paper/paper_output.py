"""The pages of a plate, written to files and printed."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QMarginsF, QPointF, QRectF, QSize, QSizeF, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QImage, QPageLayout, QPageSize, QPainter
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QFileDialog, QWidget

from brisk_atlas.core.model.language import tr, trn
from brisk_atlas.core.model.words import file_name_of
from brisk_atlas.core.system.scratch import ScratchFolder

from ..session import Session

if TYPE_CHECKING:
    from brisk_atlas.core.operations import Written
    from brisk_atlas.core.paper.layout import Paper
    from brisk_atlas.core.system.jobs import Job
    from brisk_atlas.core.workspace.plates import Plate

MOST_PX = 10_000  # of a printed page, each way: about 300 dots an inch of the longer side of A0
POINTS_PER_INCH = 72
TRUE = 0.995  # a share of the size from which on paper is as large as the page, but for the rounding of its sizes
FORMS = {
    tr("PDF (*.pdf)"): ".pdf",
    tr("SVG, a file for each page (*.svg)"): ".svg",
    tr("PNG, a file for each page (*.png)"): ".png",
}


class PaperOutput:
    """Writes and prints pages in the background; dialogs belong to `parent`."""

    def __init__(self, session: Session, parent: QWidget) -> None:
        self.session, self.parent = session, parent
        self._running: list[Job] = []

    @property
    def busy(self) -> bool:
        """Whether pages are written or printed."""
        self._running = [job for job in self._running if job.state in ("waiting", "running")]
        return bool(self._running)

    def choose_file(self, plate: Plate) -> None:
        """Ask for a file, and write the pages to it."""
        name = file_name_of(plate.title).strip("_").lower() or "map"
        file = self.session.work.file
        start = (file.parent if file is not None else Path.home()) / f"{name}.pdf"
        chosen, form = QFileDialog.getSaveFileName(self.parent, tr("Write the page"), str(start), ";;".join(FORMS))
        if chosen:
            path = Path(chosen)
            self.write_to(path if path.suffix else path.with_suffix(FORMS.get(form, ".pdf")), plate)

    def write_to(self, path: Path, plate: Plate) -> None:
        """Write the pages by the suffix of a path, and open them."""
        from brisk_atlas.core.operations import WritePaper

        def done(written: Written) -> None:
            faults = "; ".join(written.remarks)
            self.session.noticed.emit(
                "caution" if faults else "good", tr("Wrote {what} to {path}", what=written.what, path=path), faults
            )
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(written.paths[0])))

        self._running.append(
            self.session.run_operation(tr("Writing {name}", name=path.name), WritePaper(path, plate.id), done)
        )

    def choose_printer(self, plate: Plate, paper: Paper) -> None:
        """Ask for a printer, with the sheet that a plate is laid out on as its paper, and print the pages."""
        across, down = paper.size
        printer = QPrinter(QPrinter.PrinterMode.HighResolution)
        printer.setDocName(plate.title)
        sheet = QPageSize(QSizeF(min(across, down), max(across, down)), QPageSize.Unit.Millimeter)
        wide = QPageLayout.Orientation.Landscape if across > down else QPageLayout.Orientation.Portrait
        printer.setPageLayout(QPageLayout(sheet, wide, QMarginsF(0, 0, 0, 0)))
        printer.setFullPage(True)
        if QPrintDialog(printer, self.parent).exec():
            self.print_on(printer, plate)

    def print_on(self, printer: QPrinter, plate: Plate) -> None:
        """Print the pages that a printer asks for: at their true size, smaller where its paper is."""
        from brisk_atlas.core.operations import WritePaper

        folder = ScratchFolder()
        path = folder.path / "pages.pdf"
        dots, first, last = printer.resolution(), printer.fromPage(), printer.toPage()

        def draw(job: Job) -> list[PrintedPage]:
            with folder:
                document = QPdfDocument(None)
                document.load(str(path))
                numbers = range(document.pageCount())
                chosen = [n for n in numbers if not first or first <= n + 1 <= (last or first)]
                return [_drawn(document, number, dots) for number in chosen]

        def print_all(written: Written) -> None:
            def put(pages: list[PrintedPage]) -> None:
                share = _put(printer, pages)
                self._say(plate, len(pages), share, written.remarks)

            self._running.append(self.session.run(tr("Printing {title}", title=plate.title), draw, put))

        laid_out = self.session.run_operation(
            tr("Laying out {title}", title=plate.title), WritePaper(path, plate.id), print_all
        )
        self._running.append(laid_out)

    def _say(self, plate: Plate, count: int, share: float, remarks: Sequence[str]) -> None:
        if share == 0.0:
            self.session.noticed.emit(
                "fault", tr("{title} was not printed: the printer takes no pages", title=plate.title), ""
            )
            return
        smaller = (
            tr("The paper is smaller: printed at {share:.0%}, so that the scale is not true.", share=share)
            if share < TRUE
            else ""
        )
        words = trn("{title}: {count:,} page printed", "{title}: {count:,} pages printed", count, title=plate.title)
        faults = "; ".join((*([smaller] if smaller else ()), *remarks))
        self.session.noticed.emit("caution" if faults else "good", words, faults)


class PrintedPage(NamedTuple):
    """A page as a picture, and its size in inches."""

    picture: QImage
    size: QSizeF


def _drawn(document: QPdfDocument, number: int, dots: int) -> PrintedPage:
    size = document.pagePointSize(number) / POINTS_PER_INCH
    fine = min(dots, MOST_PX / max(size.width(), size.height()))
    picture = document.render(number, QSize(round(size.width() * fine), round(size.height() * fine)))
    paper = QImage(picture.size(), QImage.Format.Format_RGB32)
    paper.fill(Qt.GlobalColor.white)
    painter = QPainter(paper)
    painter.drawImage(0, 0, picture)
    painter.end()
    return PrintedPage(paper, size)


def _put(printer: QPrinter, pages: Sequence[PrintedPage]) -> float:
    """Put pages on the paper of a printer. Returns the share of their true size, 0 where it takes none."""
    painter = QPainter()
    if not pages or not painter.begin(printer):
        return 0.0
    paper, dots = printer.paperRect(QPrinter.Unit.Inch).size(), printer.resolution()
    share = min(1.0, *(paper.width() / page.size.width() for page in pages),
                *(paper.height() / page.size.height() for page in pages))  # fmt: skip
    share = share if share < TRUE else 1.0
    for number, page in enumerate(pages):
        if number:
            printer.newPage()
        painter.drawImage(QRectF(QPointF(0, 0), page.size * share * dots), page.picture, QRectF(page.picture.rect()))
    painter.end()
    return share
