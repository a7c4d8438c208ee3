"""Start the application: the user's own garage, or the demo with a stand-in beside."""

from __future__ import annotations

import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from PyQt6.QtCore import QEvent, QThreadPool, QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from crisp_hornet.bench import theme as themes
from crisp_hornet.bench.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.window import Window
from crisp_hornet.demo.garage import demo_garage
from crisp_hornet.documents.maps import shipped_maps
from crisp_hornet.garage.garage import Garage, GarageError, default_folder


def run_application(demo: bool) -> int:
    """Open the window and run until it closes; returns the exit code."""
    app = make_application()
    for number in (signal.SIGTERM, signal.SIGINT):
        # by way of the event loop: a quit before the loop has started would be lost
        signal.signal(number, lambda *_: QTimer.singleShot(0, app.quit))
    waker = QTimer()  # lets Python see signals while Qt waits
    waker.timeout.connect(lambda: None)
    waker.start(300)
    if demo:
        with demo_bench() as (garage, port):
            return _run(app, garage, port)
    try:
        garage = Garage(default_folder())
    except GarageError as error:
        QMessageBox.critical(None, "Crisp Hornet", str(error))
        return 1
    return _run(app, garage, "")


def make_application() -> QApplication:
    """The Qt application in the workshop's dress."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
    app.setApplicationName("Crisp Hornet")
    app.setStyle("Fusion")
    themes.load_fonts()
    themes.apply(app, themes.LIGHT)
    return app


@contextmanager
def demo_bench() -> Iterator[tuple[Garage, str]]:
    """A demo garage in a temporary folder and a running stand-in; both gone afterwards."""
    folder = Path(tempfile.mkdtemp(prefix="crisp-hornet-demo-"))
    garage = demo_garage(folder / "garage")
    try:
        with stand_in(folder) as port:
            yield garage, port
    finally:
        garage.close()
        shutil.rmtree(folder, ignore_errors=True)


@contextmanager
def stand_in(folder: Path) -> Iterator[str]:
    """A stand-in process; yields its port. It ends when its standard input closes, even if we are killed."""
    command = [sys.executable, "-m", "crisp_hornet", "standin", "--owned", "--link", str(folder / "simulated-heron")]
    process = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None and process.stdin is not None
    try:
        said = process.stdout.readline().split(maxsplit=1)
        if len(said) != 2 or said[0] != "ready":
            raise RuntimeError("The stand-in did not start; run `crisp-hornet standin` to see why.")
        yield said[1].strip()
    finally:
        process.terminate()
        process.wait(timeout=5)
        process.stdin.close()
        process.stdout.close()


def _run(app: QApplication, garage: Garage, port: str) -> int:
    desk, link = Desk(garage), Link(shipped_maps())
    window = Window(desk, link, simulated_port=port)
    window.show()
    code = app.exec()
    desk.keep_draft()
    tear_down(app, window)
    garage.close()
    return code


def tear_down(app: QApplication, window: Window) -> None:
    """Let a window go while Qt is still whole, instead of leaving it to the interpreter's end."""
    window.close()
    pool = QThreadPool.globalInstance()
    if pool is not None:  # what still runs beside finds its window gone otherwise
        pool.clear()
        pool.waitForDone(10_000)
    window.deleteLater()
    app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
