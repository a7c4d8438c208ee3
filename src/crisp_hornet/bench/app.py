"""Start the application: the user's own garage, or the demo with a stand-in beside."""

from __future__ import annotations

import shutil
import signal
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import platformdirs
from PyQt6.QtCore import QEvent, Qt, QThreadPool, QTimer
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication, QMessageBox

from crisp_hornet.bench import theme as themes
from crisp_hornet.bench.boundary import Boundary, faults_into, guard, log_into
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.ending import REOPEN
from crisp_hornet.bench.helping.helping import LANGUAGE
from crisp_hornet.bench.language import language_of, speak, tr
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.opening import open_file
from crisp_hornet.bench.place import keep, take_up
from crisp_hornet.bench.scale import of_desktop, set_scale
from crisp_hornet.bench.sharing import share
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.standins import stand_in
from crisp_hornet.bench.window import Window
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage.garage import CONTROLLERS, SENDING, Garage, chosen, folder_of, is_shared
from crisp_hornet.garage.opening import GarageError

MOTIONS = (
    Qt.UIEffect.UI_AnimateMenu, Qt.UIEffect.UI_FadeMenu, Qt.UIEffect.UI_AnimateCombo, Qt.UIEffect.UI_AnimateTooltip,
    Qt.UIEffect.UI_FadeTooltip, Qt.UIEffect.UI_AnimateToolBox,
)  # fmt: skip
ICON = Path(__file__).parents[1] / "system" / "files" / "crisp-hornet.svg"

if TYPE_CHECKING:
    from crisp_hornet.bench.practice.practising import Practising
    from crisp_hornet.documents.controller_map import ControllerMap
    from crisp_hornet.link.marker import FileJournal
    from crisp_hornet.practice.jobs import JobFile


def run_application(demo: bool, verbose: bool = False, file: Path | None = None, garage: str | None = None) -> int:
    """Open the window, with a ``file`` in it if one is given, and run until it closes; returns the exit code. ``garage``: the folder or
    the address of one that is not the user's own."""
    app = make_application()
    ends_on_signals(app)
    if demo:
        with demo_bench() as (own, simulated):
            return run_window(app, own, simulated, own.folder / "logs", verbose)
    logs = Path(platformdirs.user_log_dir("crisp-hornet"))
    while True:
        where = chosen(garage)
        try:
            own = Garage(folder_of(where))
        except (GarageError, OSError) as error:
            speak(app, language_of(None))
            QMessageBox.critical(None, "Crisp Hornet", tr(str(error)))
            return 1
        address = where if where and is_shared(where) else None
        code = run_window(app, own, Simulated(), logs, verbose, file, address=address, own=True)
        if code != REOPEN:
            return code
        file = None  # another garage was chosen: the window opens on that one


def run_practice(file: JobFile, folder: Path, seed: int | None, guided: bool, anew: bool, verbose: bool) -> int:
    """Open the window on a job of practice and run until it closes; returns the exit code. What stands in the way is
    shown."""
    from crisp_hornet.bench.practice.practising import Practising
    from crisp_hornet.bench.practice.room import practice_room
    from crisp_hornet.practice.progress import Progress

    app = make_application()
    ends_on_signals(app)
    try:
        with practice_room(file, Progress(folder), seed, guided, anew) as (garage, room):
            practising = Practising(room)
            return run_window(app, garage, room.simulated, room.folder / "logs", verbose, practising=practising)
    except (DocumentError, GarageError) as error:
        # it was perhaps begun from the start page: nobody reads what is printed
        QMessageBox.critical(None, "Crisp Hornet", tr(str(error)))
        return 1


def ends_on_signals(app: QApplication) -> None:
    """SIGTERM and SIGINT close the application."""
    for number in (signal.SIGTERM, signal.SIGINT):
        # by way of the event loop: a quit before the loop has started would be lost
        signal.signal(number, lambda *_: QTimer.singleShot(0, app.quit))
    waker = QTimer(app)  # lets Python see signals while Qt waits
    waker.timeout.connect(lambda: None)
    waker.start(300)


def make_application() -> QApplication:
    """The Qt application in the workshop's dress."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(sys.argv[:1])
    app.setApplicationName("Crisp Hornet")
    app.setDesktopFileName("crisp-hornet")
    app.setWindowIcon(QIcon(str(ICON)))
    app.setStyle("Fusion")
    for effect in MOTIONS:  # nothing moves by itself: only what is measured or drawn by hand
        app.setEffectEnabled(effect, False)
    if not app.property("scale"):
        set_scale(app, of_desktop(app.font()))
    themes.load_fonts()
    app.setFont(themes.real_font())
    return app


@contextmanager
def demo_bench() -> Iterator[tuple[Garage, Simulated]]:
    """A demo garage in a temporary folder and a running stand-in for each of its bikes; all gone afterwards."""
    from crisp_hornet.demo import THISTLE, THISTLE_TRUTHS
    from crisp_hornet.demo.garage import demo_garage

    truths = [part for thistle_truth in THISTLE_TRUTHS for part in ("--fault", f"truth {thistle_truth}")]
    of_thistle = ("--bike", str(THISTLE), "--controller", "Weir 90", *truths)
    folder = Path(tempfile.mkdtemp(prefix="crisp-hornet-demo-"))
    garage = demo_garage(folder / "garage")
    try:
        with (
            stand_in(folder / "simulated-heron") as first,
            stand_in(folder / "simulated-thistle", *of_thistle) as second,
        ):
            heron, thistle = first(), second()
            yield garage, Simulated(heron.ports, heron.act, {thistle.port: thistle.act})
    finally:
        garage.close()
        shutil.rmtree(folder, ignore_errors=True)


def run_window(
    app: QApplication,
    garage: Garage,
    simulated: Simulated,
    logs: Path,
    verbose: bool,
    file: Path | None = None,
    practising: Practising | None = None,
    address: str | None = None,
    own: bool = False,
) -> int:
    """Open the window on a garage and run until it closes; returns the exit code. ``address``: of the one it is shared with; ``own``: it is
    the user's, and copied by itself where that was asked for."""
    boundary = Boundary()
    log_file = log_into(logs, verbose)
    with faults_into(logs), guard(boundary):
        desk, link = Desk(garage), link_of(garage)
        QTimer.singleShot(0, desk.finish_erasing)  # what it may have to say is heard then
        speak(app, language_of(desk.remembered(LANGUAGE)))
        kept = desk.scale
        if kept is not None:
            set_scale(app, kept)
        window = Window(desk, link, simulated=simulated, practising=practising)
        window.log_file = log_file
        boundary.caught.connect(window.tell_unforeseen)
        take_up(window)
        window.show()
        if own:
            window.at_end.append(desk.copies.finish)
            desk.copies.begin()
        if address is not None:
            share(window, address)
        if window.practice is not None:
            window.practice.show_job()
        if file is not None:
            QTimer.singleShot(0, lambda: open_file(window, file))
        code = app.exec()
        keep(window)
        window.finish()
        tear_down(app, window)
        garage.close()
    return code


def link_of(garage: Garage) -> Link:
    """The link with the controllers that ship and those of the garage, and with its marker of an interrupted send."""

    def descriptions() -> tuple[list[ControllerMap], list[str]]:
        from crisp_hornet.documents.maps import all_maps

        return all_maps(garage.folder / CONTROLLERS)

    def journal() -> FileJournal:
        from crisp_hornet.link.marker import FileJournal

        return FileJournal(garage.folder / SENDING)

    return Link(descriptions, journal)


def tear_down(app: QApplication, window: Window) -> None:
    """Let a window go while Qt is still whole, instead of leaving it to the interpreter's end."""
    window.close()
    pool = QThreadPool.globalInstance()
    if pool is not None:  # what still runs beside finds its window gone otherwise, and so does what it has to say
        pool.clear()
        pool.waitForDone(10_000)
        app.sendPostedEvents(None, QEvent.Type.MetaCall)
    window.deleteLater()
    app.sendPostedEvents(None, QEvent.Type.DeferredDelete)
