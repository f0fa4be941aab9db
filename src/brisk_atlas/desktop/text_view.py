"""The text of a file, by lines, with numbers, colours and search; only what is seen is read."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QFontMetricsF,
    QGuiApplication,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QHBoxLayout, QLineEdit, QToolButton, QVBoxLayout, QWidget

from brisk_atlas.core.model.digit_groups import grouped
from brisk_atlas.core.model.language import tr

from .picture_painter import picture_painter
from .plain_text import PlainLabel
from .session import Session
from .theme import LIGHT, Theme, mono_font

if TYPE_CHECKING:
    from brisk_atlas.core.find import TextPages
    from brisk_atlas.core.model import DataRef
    from brisk_atlas.core.system.jobs import Job

PAD_PX = 6
_NUMBER = r"(?P<number>-?\b\d[\d.eE+-]*)"
_STRING = r"\"(?:[^\"\\]|\\.)*\""
_XML = re.compile(
    r"(?P<note><!--.*?-->)|(?P<word></?[\w:.-]+|/?>|\?>|<\?[\w-]+)|(?P<name>[\w:.-]+(?==))|(?P<text>\"[^\"]*\"|'[^']*')"
)
_JSON = re.compile(rf"(?P<name>{_STRING}(?=\s*:))|(?P<text>{_STRING})|(?P<word>\b(?:true|false|null)\b)|{_NUMBER}")
_KEYS = re.compile(
    rf"(?P<word>^\s*+(?:END_)?GROUP\b|^\s*+END\b)|(?P<name>^\s*+[\w ]++(?=\s*=))|(?P<text>\"[^\"]*\")|{_NUMBER}"
)
_ROWS = re.compile(r"(?P<text>\"[^\"]*\")|(?P<word>[,;\t|])|(?P<number>(?<![\w.])-?\d[\d.eE+-]*(?![\w]))")
_GRAMMARS = {
    **dict.fromkeys((".xml", ".kml", ".gml", ".gpx", ".rdf", ".vrt"), _XML),
    **dict.fromkeys(
        (".jsonld", ".json", ".geojson", ".geojsonl", ".geojsons", ".ndjson", ".jsonl", ".topojson"), _JSON
    ),
    **dict.fromkeys((".txt", ".met", ".prj"), _KEYS),
}


def grammar_of(suffix: str) -> re.Pattern[str]:
    """Return what tells the pieces of a line apart, by the file's suffix."""
    return _GRAMMARS.get(suffix, _ROWS)


class TextLines(QAbstractScrollArea):
    """The lines in view. A drag or Shift with the arrows chooses lines; Ctrl+C copies them."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("text lines")
        self.setAccessibleName(tr("Text of the file"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.theme: Theme = LIGHT
        self.pages: TextPages | None = None
        self.grammar = _ROWS
        self.wanted = ""
        self.found: int | None = None
        self._chosen: tuple[int, int] | None = None
        self.setFont(mono_font())
        self._metrics = QFontMetricsF(mono_font())

    @property
    def _tall(self) -> float:
        return self._metrics.height() + 2

    def show_pages(self, pages: TextPages | None, suffix: str) -> None:
        self.pages, self.found, self._chosen = pages, None, None
        self.grammar = grammar_of(suffix)
        bars = self.verticalScrollBar(), self.horizontalScrollBar()
        for bar in bars:
            assert bar is not None
            bar.setValue(0)
        self.fit()

    def fit(self) -> None:
        """Fit the scroll bars to as many lines as are known."""
        vertical, horizontal, viewport = self.verticalScrollBar(), self.horizontalScrollBar(), self.viewport()
        assert vertical is not None and horizontal is not None and viewport is not None
        lines = self.pages.known if self.pages is not None else 0
        page = max(1, int(viewport.height() / self._tall))
        vertical.setRange(0, max(0, lines - page))
        vertical.setPageStep(page)
        widest = max((len(text) for text in self.in_view()), default=0)
        wide = self._gutter() + self._metrics.horizontalAdvance("0") * widest + 2 * PAD_PX
        horizontal.setRange(0, max(0, int(wide - viewport.width())))
        horizontal.setPageStep(viewport.width())
        viewport.update()

    def _first(self) -> int:
        bar = self.verticalScrollBar()
        assert bar is not None
        return bar.value()

    def in_view(self) -> list[str]:
        viewport = self.viewport()
        assert viewport is not None
        count = int(viewport.height() / self._tall) + 2
        return self.pages.lines(self._first(), count) if self.pages is not None else []

    def _gutter(self) -> float:
        digits = len(grouped(max(1, self.pages.known if self.pages else 1)))
        return self._metrics.horizontalAdvance("0") * digits + 2 * PAD_PX

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.fit()

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()

    def go_to(self, line: int) -> None:
        """Show a line in the upper third."""
        bar, viewport = self.verticalScrollBar(), self.viewport()
        assert bar is not None and viewport is not None
        self.fit()
        bar.setValue(max(0, line - int(viewport.height() / self._tall / 3)))
        viewport.update()

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        viewport, across = self.viewport(), self.horizontalScrollBar()
        assert viewport is not None and across is not None
        painter = picture_painter(viewport)
        t = self.theme
        painter.fillRect(viewport.rect(), QColor(t.raised))
        painter.setFont(mono_font())
        first, gutter, step = self._first(), self._gutter(), self._metrics.horizontalAdvance("0")
        shift = gutter + PAD_PX - across.value()
        lines = self.in_view()
        painter.setClipRect(QRectF(gutter, 0, viewport.width() - gutter, viewport.height()))
        for i, text in enumerate(lines):
            top = i * self._tall
            if self._is_chosen(first + i):
                painter.fillRect(QRectF(gutter, top, viewport.width(), self._tall), QColor(t.wash))
            self._paint_found(painter, text, first + i, QPointF(shift, top), step)
            self._paint_line(painter, text, QPointF(shift, top + self._metrics.ascent() + 1), step)
        painter.setClipping(False)
        painter.fillRect(QRectF(0, 0, gutter, viewport.height()), QColor(t.paper))
        painter.setPen(QColor(t.quiet))
        for i in range(len(lines)):
            box = QRectF(0, i * self._tall, gutter - PAD_PX, self._tall)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, grouped(first + i + 1))

    def _paint_line(self, painter: QPainter, text: str, at: QPointF, step: float) -> None:
        """Draw a line a piece at a time, each in the colour of what it is."""
        text = text.replace("\t", "→   ") if self.grammar is _ROWS else text.replace("\t", "    ")
        t = self.theme
        colours = {"word": t.accent, "name": t.second, "text": t.good, "number": t.ink, "note": t.quiet}
        done = 0
        for match in self.grammar.finditer(text):
            self._piece(painter, text[done : match.start()], at, done, step, t.ink)
            kind = match.lastgroup or ""
            self._piece(painter, match.group(), at, match.start(), step, colours.get(kind, t.ink))
            done = match.end()
        self._piece(painter, text[done:], at, done, step, t.ink)

    @staticmethod
    def _piece(painter: QPainter, text: str, at: QPointF, column: int, step: float, colour: str) -> None:
        if text.strip():
            painter.setPen(QColor(colour))
            painter.drawText(QPointF(at.x() + column * step, at.y()), text)

    def _paint_found(self, painter: QPainter, text: str, line: int, at: QPointF, step: float) -> None:
        if not self.wanted:
            return
        lower, start = text.lower(), 0
        wash = QColor(self.theme.accent)
        wash.setAlpha(90 if line == self.found else 40)
        while (found := lower.find(self.wanted.lower(), start)) >= 0:
            painter.fillRect(QRectF(at.x() + found * step, at.y(), len(self.wanted) * step, self._tall), wash)
            start = found + len(self.wanted)

    # The hand

    def _is_chosen(self, line: int) -> bool:
        return self._chosen is not None and min(self._chosen) <= line <= max(self._chosen)

    def _line_at(self, at: QPointF) -> int:
        return self._first() + int(at.y() / self._tall)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        line = self._line_at(event.position())
        self._chosen = (line, line)
        self._redraw()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._chosen is not None:
            self._chosen = (self._chosen[0], self._line_at(event.position()))
            self._redraw()

    def _redraw(self) -> None:
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        bar = self.verticalScrollBar()
        assert bar is not None
        key = event.key()
        if (
            key == Qt.Key.Key_C
            and event.modifiers() & Qt.KeyboardModifier.ControlModifier
            and self._chosen
            and self.pages
        ):
            first, last = min(self._chosen), max(self._chosen)
            clipboard = QGuiApplication.clipboard()
            assert clipboard is not None
            clipboard.setText("\n".join(self.pages.lines(first, last - first + 1)))
        elif key in (Qt.Key.Key_Home, Qt.Key.Key_End):
            bar.setValue(bar.minimum() if key == Qt.Key.Key_Home else bar.maximum())
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            bar.setValue(bar.value() + (1 if key == Qt.Key.Key_PageDown else -1) * bar.pageStep())
        elif key in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            bar.setValue(bar.value() + (1 if key == Qt.Key.Key_Down else -1))
        else:
            super().keyPressEvent(event)


class TextView(QWidget):
    """The text of one file with a search above it."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.ref: DataRef | None = None
        self._job: Job | None = None
        self._search_job: Job | None = None
        self.lines = TextLines()
        self.line = QLineEdit()
        self.line.setObjectName("text search")
        self.line.setPlaceholderText(tr("Find in the text, then Enter for the next"))
        self.line.setClearButtonEnabled(True)
        self.next = QToolButton()
        self.next.setText(tr("Next"))
        self.message = PlainLabel()
        self.message.setObjectName("quiet")
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.next)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.addLayout(row)
        column.addWidget(self.lines, 1)
        column.addWidget(self.message)
        self.line.textChanged.connect(self._typed)
        self.line.returnPressed.connect(self.find_next)
        self.next.clicked.connect(self.find_next)

    @property
    def busy(self) -> bool:
        return any(job is not None and not job.finished for job in (self._job, self._search_job))

    def show_file(self, ref: DataRef | None) -> None:
        """Show a file's text; its first page comes at once, where its lines are a while later."""
        if ref == self.ref and ref is not None:
            return
        self.ref = ref
        for job in (self._job, self._search_job):
            if job:
                job.cancel()
        old, self.lines.pages = self.lines.pages, None
        if old is not None:
            old.close()
        self.lines.show_pages(None, "")
        self.message.setText("")
        if ref is None:
            return
        home = self.session.call_in_gui

        def work(job: Job) -> None:
            from brisk_atlas.core.find import TextPages

            pages = TextPages(ref)
            more = pages.go_on()
            home(lambda p: self._begun(ref, p), pages)
            while more:
                job.check()
                more = pages.go_on()
                home(lambda p: self._went_on(p), pages)

        self._job = self.session.run(tr("Reading {name}", name=ref.name), work, shown=False)

    def _begun(self, ref: DataRef, pages: TextPages) -> None:
        if ref != self.ref:
            pages.close()
            return
        self.lines.show_pages(pages, ref.suffix)
        self._say(pages)

    def _went_on(self, pages: TextPages) -> None:
        if pages is self.lines.pages:
            self.lines.fit()
            self._say(pages)

    def _say(self, pages: TextPages) -> None:
        more = "" if pages.complete else tr(" so far")
        self.message.setText(
            tr("{known:,} lines{more}, {encoding}", known=pages.known, more=more, encoding=pages.encoding)
        )

    def _typed(self, text: str) -> None:
        self.lines.wanted = text
        self.lines._redraw()

    def find_next(self) -> None:
        """Go to the next line that has the words in it; after the last comes the first."""
        pages, text = self.lines.pages, self.line.text()
        if pages is None or not text:
            return
        start = 0 if self.lines.found is None else self.lines.found + 1

        def done(line: int | None) -> None:
            if pages is not self.lines.pages:
                return
            self.lines.found = line
            if line is None:
                self.message.setText(tr("'{text}' is not in it", text=text))
            else:
                self.lines.go_to(line)
                self.message.setText(tr("line {line:,} of {known:,}", line=line + 1, known=pages.known))

        self._search_job = self.session.run(
            tr("Searching the text"), lambda job: pages.find(text, start, job.check), done
        )
