"""The one place that catches what nobody expected: a sentence for the user, the details into a log file, and the window lives.

Qt ends a process when an error leaves a slot or a painting. With :func:`guard` it comes here instead; jobs off the interface thread
turn theirs into :class:`Unforeseen` and answer with it.
"""

from __future__ import annotations

import faulthandler
import logging
import logging.handlers
import sys
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QT_VERSION_STR, QMessageLogContext, QObject, QtMsgType, pyqtSignal, qInstallMessageHandler

from crisp_hornet import __version__
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.errors import LinkError

LOG = logging.getLogger("crisp_hornet")
LOG_BYTES, LOG_FILES = 512 * 1024, 3
SAME_EVERY_S = 10.0  # a painting that fails does so many times a second


class Unforeseen(Exception):
    """Something failed in a way that nobody foresaw: said in one sentence, with the details in the log."""


def unforeseen(what: str, error: BaseException) -> Unforeseen:
    """What failed and how, as one sentence; the whole of it goes into the log."""
    LOG.error("%s failed", what, exc_info=error)
    kind, words = type(error).__name__, " ".join(str(error).split())[:160]
    return Unforeseen(f"{what} failed in a way that was not foreseen ({kind}{': ' if words else ''}{words}).")


def log_into(folder: Path, verbose: bool = False) -> Path | None:
    """Keep the log in a folder, a few files of bounded size; None where it cannot be written (then it goes nowhere). What Qt says goes
    there too. ``verbose``: more of it, and onto standard error."""
    file = folder / "crisp-hornet.log"
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        handler = logging.handlers.RotatingFileHandler(
            file, maxBytes=LOG_BYTES, backupCount=LOG_FILES, encoding="utf-8"
        )
    except OSError:
        return None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(threadName)s %(message)s"))
    for old in list(LOG.handlers):
        LOG.removeHandler(old)
        old.close()
    LOG.addHandler(handler)
    if verbose:
        LOG.addHandler(logging.StreamHandler())
    LOG.setLevel(logging.DEBUG if verbose else logging.INFO)
    LOG.propagate = False
    qInstallMessageHandler(_from_qt)
    LOG.info("Crisp Hornet %s, Python %s, Qt %s", __version__, sys.version.split()[0], QT_VERSION_STR)
    return file


@contextmanager
def faults_into(folder: Path) -> Iterator[None]:
    """Where every thread was if the process is ended by a fault, in a file beside the log; nowhere if it cannot be written."""
    try:
        file = (folder / "faults.log").open("a", encoding="utf-8")
    except OSError:
        yield
        return
    with file:
        faulthandler.enable(file)
        try:
            yield
        finally:
            faulthandler.disable()


_LEVELS = {
    QtMsgType.QtDebugMsg: logging.DEBUG,
    QtMsgType.QtInfoMsg: logging.INFO,
    QtMsgType.QtWarningMsg: logging.WARNING,
    QtMsgType.QtCriticalMsg: logging.ERROR,
    QtMsgType.QtFatalMsg: logging.CRITICAL,
}


def _from_qt(kind: QtMsgType, context: QMessageLogContext, text: str | None) -> None:
    LOG.log(_LEVELS.get(kind, logging.WARNING), "Qt: %s (%s:%s)", text, context.file, context.line)


class Boundary(QObject):
    """Hears of every error that left a slot, a painting or a thread; ``caught`` brings its sentence and details to the window."""

    caught = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self._told: dict[str, float] = {}
        self._lock = threading.Lock()

    def take(
        self, kind: type[BaseException], error: BaseException, trace: TracebackType | None, what: str = "A step"
    ) -> None:
        """One error. The same one again within a while is only logged the first time."""
        if isinstance(error, KeyboardInterrupt):
            raise error
        while trace is not None and trace.tb_next is not None:
            trace = trace.tb_next
        place = f"{kind.__name__} {trace.tb_frame.f_code.co_filename}:{trace.tb_lineno}" if trace else kind.__name__
        now = time.monotonic()
        with self._lock:
            fresh = now - self._told.get(place, -SAME_EVERY_S) >= SAME_EVERY_S
            if fresh:
                self._told[place] = now
        if fresh:
            known = isinstance(
                error, (Unforeseen, DocumentError, LinkError)
            )  # they say themselves what failed and what to do
            self.caught.emit(str(error if known else unforeseen(what, error)), "" if known else place)


@contextmanager
def guard(boundary: Boundary) -> Iterator[None]:
    """While it holds, errors that leave slots and threads come to the boundary instead of ending the process."""
    before, before_threads = sys.excepthook, threading.excepthook
    sys.excepthook = boundary.take

    def from_thread(told: threading.ExceptHookArgs) -> None:
        if told.exc_value is not None:
            boundary.take(told.exc_type, told.exc_value, told.exc_traceback, "Work beside")

    threading.excepthook = from_thread
    try:
        yield
    finally:
        sys.excepthook, threading.excepthook = before, before_threads
