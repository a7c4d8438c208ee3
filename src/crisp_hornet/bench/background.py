"""Work off the interface thread: one job, a result or an error by signal, stale answers dropped."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

from crisp_hornet.bench.boundary import Unforeseen, unforeseen


class _Answer(QObject):
    done = pyqtSignal(int, object)
    failed = pyqtSignal(int, object)


class _Job(QRunnable):
    def __init__(
        self, number: int, work: Callable[[], Any], answer: _Answer, expected: tuple[type[Exception], ...]
    ) -> None:
        super().__init__()
        self._number, self._work, self._answer, self._expected = number, work, answer, expected

    def run(self) -> None:
        try:
            result = self._work()
        except self._expected as error:
            self._tell("failed", error)
        except Exception as error:  # noqa: BLE001 - told by the boundary; whoever waits must hear that it failed
            self._tell("failed", unforeseen("Work beside", error))
        else:
            self._tell("done", result)

    def _tell(self, how: str, what: object) -> None:
        """To whoever asked; nobody, where the window was closed meanwhile."""
        if sip.isdeleted(self._answer):
            return
        try:
            getattr(self._answer, how).emit(self._number, what)
        except RuntimeError:
            if not sip.isdeleted(self._answer):
                raise


class Background(QObject):
    """Runs one kind of work. Only the newest job's answer is delivered; ``cancel`` drops even that."""

    done = pyqtSignal(object)
    failed = pyqtSignal(object)

    def __init__(self, *expected: type[Exception]) -> None:
        super().__init__()
        self._expected = expected
        self._newest = 0
        self.running = False
        self._answer = _Answer()
        self._answer.done.connect(self._on_done)
        self._answer.failed.connect(self._on_failed)

    def start(self, work: Callable[[], Any]) -> None:
        """Run ``work`` on a thread of the pool."""
        self._newest += 1
        self.running = True
        pool = QThreadPool.globalInstance()
        assert pool is not None
        pool.start(_Job(self._newest, work, self._answer, self._expected))

    def cancel(self) -> None:
        """Forget the job that runs; its answer will be dropped."""
        self._newest += 1
        self.running = False

    def _on_done(self, number: int, result: object) -> None:
        if number == self._newest:
            self.running = False
            self.done.emit(result)

    def _on_failed(self, number: int, error: object) -> None:
        if number == self._newest:
            self.running = False
            self.failed.emit(error)
            if isinstance(error, Unforeseen):
                raise error  # to the boundary, which tells it wherever one looks
