"""Pictures of each main view from the demo data, at 1280x800: what the documentation shows."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Sized
from functools import partial
from pathlib import Path

from crisp_hornet.documents.errors import DocumentError

SIZE = (1280, 800)
LONGEST_S = 15.0


def take_shots(folder: Path) -> Iterator[Path]:
    """Write the pictures into ``folder``, yielding each path. Works with no display.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` if the folder cannot be written.
    """
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from crisp_hornet.bench.app import demo_bench, link_of, make_application, tear_down
    from crisp_hornet.bench.desk.desk import Desk
    from crisp_hornet.bench.window import Window

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise DocumentError(
            str(folder), "", f"cannot be made: {(error.strerror or '').lower()}", "Choose another folder."
        ) from error
    app = make_application()

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
        act = _script(window, link, simulated, wait)
        for name in act:
            wait(lambda: True)
            path = folder / f"{name}.png"
            if not window.grab().save(str(path)):
                raise DocumentError(str(path), "", "cannot be written", "Choose a folder you may write to.")
            yield path
        tear_down(app, window)


def _has(ring: Sized, samples: int) -> bool:
    return len(ring) >= samples


def _script(
    window: object, link: object, simulated: object, wait: Callable[[Callable[[], bool]], None]
) -> Iterator[str]:
    """Walk through the job; each name yielded is a picture to take."""
    from crisp_hornet.bench.link_worker import Link
    from crisp_hornet.bench.simulated import Simulated
    from crisp_hornet.bench.stations.build.build_page import BuildPage
    from crisp_hornet.bench.stations.calibrate.calibrate_page import CalibratePage
    from crisp_hornet.bench.stations.calibrate.instruments import INSTRUMENTS
    from crisp_hornet.bench.stations.hookup.hookup_page import HookUpPage
    from crisp_hornet.bench.stations.rides.rides_page import RidesPage
    from crisp_hornet.bench.stations.send.send_page import SendPage
    from crisp_hornet.bench.stations.tune.tune_page import TunePage
    from crisp_hornet.bench.window import Window
    from crisp_hornet.demo import MESSY

    assert isinstance(window, Window) and isinstance(link, Link) and isinstance(simulated, Simulated)
    window.show_station("build")
    yield "build"
    build = window.stations["build"]
    assert isinstance(build, BuildPage)
    build.show_garage()
    window.show_station("hookup")
    link.connect_to(simulated.port)
    wait(lambda: link.live is not None)
    yield "hook-up"
    window.show_station("calibrate")
    calibrate = window.stations["calibrate"]
    assert isinstance(calibrate, CalibratePage)
    calibrate.confirm.setChecked(True)
    simulated.act("brake 1")
    calibrate.choose(next(one for one in INSTRUMENTS if one.kind == "throttle"))
    calibrate.view.block("")
    calibrate.view.start()
    for _ in range(4):
        for share in (1, 0):
            simulated.act(f"throttle {share}")
            samples = len(calibrate.ring) + 30
            wait(partial(_has, calibrate.ring, samples))
    calibrate.view.finish()
    simulated.act("brake 0")
    yield "calibrate"
    calibrate.show_view(1)
    yield "calibrate-scope"
    window.show_station("tune")
    tune = window.stations["tune"]
    assert isinstance(tune, TunePage)
    wait(lambda: tune.chart.band is not None and tune.chart.held is not None)
    yield "tune-pull"
    tune.show_road()
    wait(lambda: tune.road.cells.map is not None)
    yield "tune-road"
    tune.show_chain()
    yield "tune-chain"
    window.desk.draft.open(window.desk.draft.named()["Gentle levels"])
    for page, name in ((1, "tune-feel"), (2, "tune-assist"), (3, "tune-guards")):
        tune.show_page(page)
        tune.own[page].refresh_slow()
        yield name
    window.desk.undo_stack.undo()
    tune.show_pull()
    window.desk.draft.change("drive.battery_current_a", 44.0)
    window.switch_theme()
    wait(lambda: tune.chart.band is not None)
    yield "tune-pull-stop-dark"
    window.switch_theme()
    window.desk.undo_stack.undo()
    window.show_station("send")
    send = window.stations["send"]
    assert isinstance(send, SendPage)
    yield "send-review"
    simulated.act("turn-back 1")
    wait(lambda: link.contact is not None and bool(link.contact.shown))
    simulated.act("turn-back 0")
    send.keep.setChecked(True)
    for box in send.confirmations.values():
        box.setChecked(True)
    wait(lambda: window.settled and window.act_button.isEnabled())
    window.act_button.click()
    wait(lambda: send.report is not None)
    yield "send-proved"
    rides = window.stations["rides"]
    assert isinstance(rides, RidesPage)
    window.show_station("rides")
    rides.import_file(MESSY)
    wait(lambda: rides.mapping)
    yield "rides-columns"
    rides.panel.dropped.emit()
    rides.recording.programme.setCurrentIndex(1)
    rides.recording.refresh()
    rides.view.groups.choose(1)
    rides.traces.show_between(280, 620)
    rides.beside.pictures.choose(1)
    rides.beside.across.setCurrentText("speed, wheel")
    rides.beside.channel.setCurrentText("phase current")
    rides.view.look_at("phase_a")
    yield "rides"
    for name in ("verdict", "logbook"):
        window.show_station(name)
        yield name
    hookup = window.stations["hookup"]
    assert isinstance(hookup, HookUpPage)
    window.show_station("hookup")
    simulated.act("fault 12")
    wait(lambda: hookup.faults.standing is not None)
    hookup.show_view(1)
    yield "hook-up-fault"
    simulated.act("unplug")
    wait(lambda: link.contact is None)
    yield "hook-up-lost"
