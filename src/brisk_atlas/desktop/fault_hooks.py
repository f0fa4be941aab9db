"""Where exceptions that nobody caught lead: into the log and a notice, and the window lives on."""

from __future__ import annotations

import logging
import sys
import threading
import traceback
from types import TracebackType

from PyQt6.QtCore import QMessageLogContext, QObject, QtMsgType, pyqtSignal, qInstallMessageHandler

from brisk_atlas.core.model.language import tr

log = logging.getLogger(__name__)
LEVELS = {
    QtMsgType.QtDebugMsg: logging.DEBUG,
    QtMsgType.QtInfoMsg: logging.INFO,
    QtMsgType.QtWarningMsg: logging.WARNING,
    QtMsgType.QtCriticalMsg: logging.ERROR,
    QtMsgType.QtFatalMsg: logging.CRITICAL,
}


class FaultHooks(QObject):
    """Takes the place of Python's and Qt's own hooks from `install` to `remove`.

    Signals:
        raised(str, str): what went wrong in a sentence, and the trace.
    """

    raised = pyqtSignal(str, str)

    def install(self) -> None:
        sys.excepthook = self._exception
        threading.excepthook = self._in_thread
        qInstallMessageHandler(self._qt_message)

    def remove(self) -> None:
        sys.excepthook = sys.__excepthook__
        threading.excepthook = threading.__excepthook__
        qInstallMessageHandler(None)

    def _exception(self, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        details = "".join(traceback.format_exception(kind, error, trace))
        log.error("not caught: %s", details)
        words = tr(
            "Something went wrong: {name__}: {error}. Your work is still here; it is in the log.",
            name__=kind.__name__,
            error=error,
        )
        self.raised.emit(words, details)

    def _in_thread(self, found: threading.ExceptHookArgs) -> None:
        if found.exc_value is not None:
            self._exception(found.exc_type, found.exc_value, found.exc_traceback)

    @staticmethod
    def _qt_message(kind: QtMsgType, context: QMessageLogContext, text: str | None) -> None:
        log.log(LEVELS.get(kind, logging.WARNING), "%s", text)
