"""Pictures of each main view from the demo data, at 1280x800: what the documentation shows."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Collection, Iterator, Sized
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TYPE_CHECKING

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.translation import ENGLISH

if TYPE_CHECKING:
    from crisp_hornet.bench.desk.desk import Desk
    from crisp_hornet.bench.link_worker import Link
    from crisp_hornet.bench.simulated import Simulated
    from crisp_hornet.bench.window import Window

SIZE = (1280, 800)
LONGEST_S = 40.0
PRACTICE, ASSIST = "practice", 2


def take_shots(folder: Path, only: Collection[str] = (), language: str = ENGLISH) -> Iterator[Path]:
    """Write the pictures into ``folder``, yielding each path; ``only`` those of these names, where there are any. Works with no display.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` if the folder cannot be written.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from crisp_hornet.bench.app import demo_bench, link_of, make_application, tear_down
    from crisp_hornet.bench.desk.desk import Desk
    from crisp_hornet.bench.language import speak
    from crisp_hornet.bench.window import Window

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DocumentError(
            str(folder), "", f"cannot be made: {(error.strerror or '').lower()}", "Choose another folder."
        ) from error
    app = make_application()
    speak(app, language)
    left = set(only)

    def wait(until: Callable[[], bool]) -> None:
        end = time.monotonic() + LONGEST_S
        while not until():
            if time.monotonic() > end:
                raise RuntimeError("The demo did not reach the state that the next picture shows.")
            app.processEvents()
        for _ in range(20):
            app.processEvents()

    with demo_bench() as (garage, simulated):
        desk, link = Desk(garage), link_of(garage)
        window = Window(desk, link, simulated=simulated)
        window.resize(*SIZE)
        window.show()
        for name in _script(_Walk(window, link, simulated, wait)):
            if only and name not in left:
                continue
            wait(lambda: True)
            path = folder / f"{name}.png"
            if not window.grab().save(str(path)):
                raise DocumentError(str(path), "", "cannot be written", "Choose a folder you may write to.")
            yield path
            left.discard(name)
            if only and not left:
                break
        tear_down(app, window)
    if not only or PRACTICE in left:
        yield _practice(folder, wait)


def _practice(folder: Path, wait: Callable[[Callable[[], bool]], None]) -> Path:
    """A job of practice: its window, and its sheet over it as it stands once it was handed over."""
    from PyQt6.QtGui import QPainter

    from crisp_hornet.bench.app import link_of, make_application, tear_down
    from crisp_hornet.bench.desk.desk import Desk
    from crisp_hornet.bench.practice.practising import Practising
    from crisp_hornet.bench.practice.room import practice_room
    from crisp_hornet.bench.window import Window
    from crisp_hornet.practice.jobs import shipped
    from crisp_hornet.practice.progress import Progress

    path = folder / f"{PRACTICE}.png"
    with (
        TemporaryDirectory(prefix="crisp-hornet-practice-") as place,
        practice_room(shipped()[1], Progress(Path(place)), seed=1) as (garage, room),
    ):
        practising = Practising(room)
        window = Window(Desk(garage), link_of(garage), simulated=room.simulated, practising=practising)
        window.resize(*SIZE)
        window.show()
        practising.open_hint()
        room.simulated.act("mend lever-magnet")
        practising.ride("yard")
        wait(lambda: not practising.busy)
        practising.hand_over(
            "The lever's magnet had slipped; it is set right, and the motor stops when you brake.", "ride"
        )
        wait(lambda: practising.judgement is not None)
        assert window.practice is not None and window.practice.sheet is not None
        window.show_station("rides")
        wait(lambda: True)
        picture = window.grab()
        sheet = window.practice.sheet.grab()
        with QPainter(picture) as painter:
            painter.drawPixmap(picture.width() - sheet.width() - 20, 60, sheet)
        saved = picture.save(str(path))
        tear_down(make_application(), window)
    if not saved:
        raise DocumentError(str(path), "", "cannot be written", "Choose a folder you may write to.")
    return path


def _has(ring: Sized, samples: int) -> bool:
    return len(ring) >= samples


@dataclass(frozen=True)
class _Walk:
    """What a walk through the job needs. ``wait`` lets the event loop run until something is so."""

    window: Window
    link: Link
    simulated: Simulated
    wait: Callable[[Callable[[], bool]], None]


def _script(walk: _Walk) -> Iterator[str]:
    """Walk through the job; each name yielded is a picture to take."""
    for part in (_build_and_hook_up, _calibrate, _tune, _send, _rides, _judge, _garages):
        yield from part(walk)


def _build_and_hook_up(walk: _Walk) -> Iterator[str]:
    walk.window.show_station("start")
    yield "start"
    walk.window.show_station("build")
    yield "build"
    walk.window.show_station("hookup")
    walk.link.connect_to(walk.simulated.port)
    walk.wait(lambda: walk.link.live is not None)
    yield "hook-up"


def _calibrate(walk: _Walk) -> Iterator[str]:
    from crisp_hornet.bench.stations.calibrate.calibrate_page import CalibratePage
    from crisp_hornet.bench.stations.calibrate.instruments import INSTRUMENTS

    walk.window.show_station("calibrate")
    page = walk.window.stations["calibrate"]
    assert isinstance(page, CalibratePage)
    page.confirm.setChecked(True)
    walk.simulated.act("brake 1")
    page.choose(next(instrument for instrument in INSTRUMENTS if instrument.kind == "throttle"))
    page.view.block("")
    page.view.start()
    for _ in range(4):
        for share in (1, 0):
            walk.simulated.act(f"throttle {share}")
            samples = len(page.ring) + 30
            walk.wait(partial(_has, page.ring, samples))
    page.view.finish()
    walk.simulated.act("brake 0")
    yield "calibrate"


def _tune(walk: _Walk) -> Iterator[str]:
    from crisp_hornet.bench.stations.tune.tune_page import TunePage

    window = walk.window
    window.show_station("tune")
    page = window.stations["tune"]
    assert isinstance(page, TunePage)
    walk.wait(lambda: page.chart.band is not None and page.chart.held is not None)
    yield "tune-pull"
    page.show_road()
    road = page.road
    walk.wait(lambda: road.along.along is not None and road.along.along.band is not None)
    yield "tune-ride"
    road.seeking.seek()
    walk.wait(lambda: road.wishes.found is not None and road.wishes.chart.map is not None)
    walk.wait(lambda: road.wishes.all_drawn)
    yield "tune-wishes"
    road.show_part(0)
    window.desk.draft.open(window.desk.draft.named()["Gentle levels"])
    page.show_page(ASSIST)
    page.own[ASSIST].refresh_slow()
    yield "tune-assist"
    window.desk.undo_stack.undo()
    page.show_pull()


def _send(walk: _Walk) -> Iterator[str]:
    from crisp_hornet.bench.stations.send.send_page import SendPage

    window, link = walk.window, walk.link
    window.show_station("send")
    page = window.stations["send"]
    assert isinstance(page, SendPage)
    walk.simulated.act("turn-back 1")
    walk.wait(lambda: link.contact is not None and bool(link.contact.shown))
    walk.simulated.act("turn-back 0")
    page.keep.setChecked(True)
    for box in page.confirmations.values():
        box.setChecked(True)
    walk.wait(lambda: window.settled and window.act_button.isEnabled())
    window.act_button.click()
    walk.wait(lambda: page.report is not None)
    yield "send-proved"


def _rides(walk: _Walk) -> Iterator[str]:
    from crisp_hornet.bench.stations.rides.rides_page import RidesPage

    page = walk.window.stations["rides"]
    assert isinstance(page, RidesPage)
    walk.window.show_station("rides")
    page.view.groups.choose(1)
    page.traces.show_between(280, 620)
    page.beside.pictures.pictures.choose(1)
    page.beside.pictures.across.setCurrentText("speed, wheel")
    page.beside.pictures.channel.setCurrentText("phase current")
    page.view.look_at("phase_a")
    yield "rides"


def _judge(walk: _Walk) -> Iterator[str]:
    from crisp_hornet.bench.stations.verdict.verdict_page import ESTIMATES, VerdictPage

    walk.window.show_station("verdict")
    page = walk.window.stations["verdict"]
    assert isinstance(page, VerdictPage)
    yield "verdict"
    page.pages.choose(ESTIMATES)
    walk.wait(lambda: bool(page.teaching.lessons))
    yield "verdict-estimates"
    walk.window.show_station("logbook")
    yield "logbook"


def _garages(walk: _Walk) -> Iterator[str]:
    """Several benches: which garage, a bike in another's hands, all bikes, and a bike that was changed here and elsewhere."""
    from crisp_hornet.bench.stations.logbook.logbook_page import FLEET, LogbookPage
    from crisp_hornet.bench.stations.start.start_page import StartPage

    window, desk = walk.window, walk.window.desk
    window.show_station("start")
    start = window.stations["start"]
    assert isinstance(start, StartPage)
    start.show_sharing()
    start.sharing.show_now(None)
    start.sharing.address.setText("postgresql://mill@shop/garage")
    yield "start-garage"
    start.show_doors()
    desk.shared = _Neighbour(next(one.id for one in desk.bikes() if one.id != desk.bike_id))
    desk.bike_changed.emit()
    window.show_station("build")
    yield "build-elsewhere"
    desk.shared = None
    desk.bike_changed.emit()
    book = window.stations["logbook"]
    assert isinstance(book, LogbookPage)
    window.show_station("logbook")
    with TemporaryDirectory(prefix="crisp-hornet-road-") as place:
        book.import_bike(_from_the_road(desk, Path(place)))
        walk.wait(book.together.isVisible)
        window.notice.clear()
        yield "logbook-together"
    book.together.hide()
    window.switch_theme()
    book.kinds.choose(book.kinds.known_as.index(FLEET))
    walk.wait(lambda: book.fleet.fleet is not None)
    yield "logbook-all-bikes"


class _Neighbour:
    """Another bench, which has a bike open."""

    def __init__(self, bike_id: int) -> None:
        self._bike_id = bike_id

    def of_bike(self, bike_id: int) -> str:
        return "Ada at the window bench" if bike_id == self._bike_id else ""

    def decide(self, sides: object) -> None:
        """Nothing to decide."""


def _from_the_road(desk: Desk, place: Path) -> Path:
    """The active bike as it comes home, changed there and, meanwhile, here."""
    from crisp_hornet.garage.archive import export_bike, import_bike
    from crisp_hornet.garage.garage import Garage

    off, home, road = place / "off.zip", place / "home.zip", Garage(place / "road")
    desk.draft.keep()
    export_bike(desk.garage, desk.bike_id, off)
    there = import_bike(road, off).number
    tune = road.glance.tune(there, "draft")
    assert tune is not None
    road.tunes.save_draft(there, tune.with_setting("drive.battery_current_a", 24.0))
    road.book.log(there, "note", "The long climb: warm, so less current")
    road.book.log(there, "note", "New chain at the hut")
    export_bike(road, there, home)
    road.close()
    desk.draft.change("drive.battery_current_a", 33.0)
    desk.draft.keep()
    desk.log("note", "More current for the market days")
    return home
