"""The end of a window: it asks where something is under way, and lets that end."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QEventLoop, QTimer
from PyQt6.QtWidgets import QMessageBox, QWidget

from crisp_hornet.bench.language import tr

REOPEN = 64  # the exit code with which the window asks to be opened again, on another garage


def asked_by_box(window: QWidget, question: str) -> bool:
    """Ask the user a question; True for yes."""
    box = QMessageBox(QMessageBox.Icon.NoIcon, "Crisp Hornet", tr(question), parent=window)
    yes = box.addButton(tr("Stop and close"), QMessageBox.ButtonRole.AcceptRole)
    box.addButton(tr("Go on"), QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is yes


def wait_until(so: Callable[[], bool], longest_s: float) -> None:
    """Let the event loop run until something is so, or time is up."""
    loop, end, look = QEventLoop(), time.monotonic() + longest_s, QTimer()
    look.timeout.connect(lambda: loop.quit() if so() or time.monotonic() > end else None)
    look.start(20)
    if not so():
        loop.exec()
