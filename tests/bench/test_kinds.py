"""Each kind of line through the real window: connected, backed up, sent with proof, kept over a power cycle, cut and resumed, put back."""

import numpy as np
import pytest

from crisp_hornet.link.report import Kept, Outcome
from tests.amount import some
from tests.bench.driving import click, find, go, press, texts
from tests.bench.linking import beside, connect, send_and_wait, show_bike
from tests.standins import StandInProcess

PHASE, BATTERY = "drive.phase_current_a", "drive.battery_current_a"
FAULTS = {"Culvert 50": (5, "winding too warm"), "Penstock 120": (0x4210, "power stage too warm")}


@pytest.mark.long
@pytest.mark.realtime
@pytest.mark.parametrize("name", list(FAULTS)[: some(len(FAULTS), 1)])
def test_a_day_with_a_controller_of_this_kind(qtbot, tmp_path, own_demo_garage, open_window, name):
    process = StandInProcess(tmp_path, "--controller", name)
    try:
        window = open_window(own_demo_garage, process.port)
        beside(window, process)
        desk, link = window.desk, window.link
        hookup, send = window.stations["hookup"], window.stations["send"]

        connect(qtbot, window, process.port)
        if link.contact.is_another:  # its number is not the one that the bike remembers
            press(qtbot, window, "Assign this controller to the bike")
            qtbot.waitUntil(lambda: link.contact is not None and not link.contact.is_another)
        assert link.contact.identity.product == name and len(desk.story.backups()) == 1
        assert desk.held.tune.setting(PHASE) == float(process.shows(PHASE)[0])
        first = desk.story.backups()[0][1]

        # the difference, sent with proof, and proved again by a power cycle
        desk.draft.set(desk.held.tune)
        desk.draft.change(BATTERY, 26.0)
        desk.draft.change(PHASE, 84.0)
        report = send_and_wait(qtbot, window, keep=True)
        assert report.outcome is Outcome.PROVED and report.kept is Kept.SEEN
        assert process.shows(PHASE) == ("84.0", "84.0")
        press(qtbot, window, "Prove it by a power cycle")
        process.do("key 0")
        qtbot.waitUntil(lambda: link.contact is None)
        process.do("key 1")
        qtbot.waitUntil(lambda: send.report is not None and send.report.kept is Kept.POWER_CYCLED)

        # a fault that stands, explained, and cleared
        code, words = FAULTS[name]
        go(qtbot, window, "hookup")
        hookup.show_view(1)
        process.do(f"fault {code}")
        qtbot.waitUntil(lambda: words in texts(window))
        show_bike(qtbot, window, process)
        press(qtbot, window, "Clear the fault")
        qtbot.waitUntil(lambda: hookup.faults.standing is None)
        if name == "Penstock 120":
            qtbot.waitUntil(lambda: f"0x{code:04X}, {words}, since connecting" in texts(window))

        # the live scope follows the throttle
        go(qtbot, window, "calibrate")
        calibrate = window.stations["calibrate"]
        click(qtbot, find(window, "Calibrate Live scope"))
        process.do("throttle 0.6")
        qtbot.waitUntil(lambda: len(calibrate.ring) > 20 and np.nanmax(calibrate.ring.since(0.0)[1]["throttle_v"]) > 2)
        assert "throttle_v" in calibrate.scope_view.scope.channels
        process.do("throttle 0")

        # live values, recorded
        go(qtbot, window, "rides")
        rides = window.stations["rides"]
        process.do("throttle 0.3")
        kept = len(desk.garage.rides.of(desk.bike_id))
        rides.recording.waits.setChecked(False)
        rides.recording.start()
        qtbot.waitUntil(lambda: rides.recording.recorder.rows >= 30)
        process.do("throttle 0")
        rides.recording.stop()
        qtbot.waitUntil(lambda: len(desk.garage.rides.of(desk.bike_id)) == kept + 1)

        # a cut line is told, and taken up again where the same controller answers
        go(qtbot, window, "hookup")
        process.do("unplug")
        qtbot.waitUntil(lambda: link.contact is None and "Connection lost" in texts(window))
        process.do("plug")
        qtbot.waitUntil(lambda: link.contact is not None and link.live is not None)

        # the first backup is put back
        qtbot.waitUntil(lambda: link.live.values["wheel_speed_kmh"] == 0)
        send.restore(first)
        report = send_and_wait(qtbot, window, keep=True)
        assert report.outcome is Outcome.PROVED and process.shows(PHASE) == ("90.0", "90.0")
    finally:
        process.close()
