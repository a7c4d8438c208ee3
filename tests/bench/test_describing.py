"""A description made on Hook-up: registers found by reading, named, checked, saved, and connected to by it."""

import pytest

from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.link.describing import look
from crisp_hornet.link.errors import Cancelled, PortFailed
from tests.bench.driving import find, go, press
from tests.link.inprocess import WEIR, InProcess

NAMES = ("drive.phase_current_a", "drive.battery_current_a", "drive.motor_rpm")
LIVE = ("wheel_speed_kmh", "throttle", "pack_v", "unkept", "heartbeat")


@pytest.fixture
def weir(threaded):
    made = InProcess(threaded, WEIR, tcp=0)
    yield made
    made.close()


def name_row(rows, address, live, name, scale, most):
    _found, what, step, _least, top = next(
        one for one in rows._fields if (one[0].address, one[0].live) == (address, live)
    )
    what.setCurrentIndex(what.findData(name))
    assert what.currentData() == name
    step.setText(f"{scale:g}")
    top.setText(f"{most:g}")


def test_from_a_range_of_registers_to_a_controller_that_is_connected(qtbot, demo_window, weir):
    window = demo_window
    go(qtbot, window, "hookup")
    page = window.stations["hookup"]
    page.show_view(7)
    panel = page.describe
    panel.port.setText(weir.ports[1])
    panel.settings_from.setText("0x0100")
    panel.settings_count.setText("24")
    panel.live_count.setText("20")
    press(qtbot, window, "Read the registers")
    qtbot.waitUntil(lambda: "registers answer" in panel._words.text())
    assert "Tarnholm Weir Works Weir 60" in panel._words.text()
    weir.do("set drive.phase_current_a 77")  # at the display: it stands first when read again
    press(qtbot, window, "Read the registers")
    phase = WEIR.register("drive.phase_current_a")
    qtbot.waitUntil(
        lambda: (
            panel.rows._fields and panel.rows._fields[0][0].address == phase.address and "answer" in panel._words.text()
        )
    )
    panel.keep_at.setText(f"{WEIR.keep.address:#06x}")
    panel.keep_word.setText(f"{WEIR.keep.word:#06x}")
    press(qtbot, window, "Check the description")
    assert "names no live value" in panel._words.text()
    for name in NAMES:
        one = WEIR.register(name)
        name_row(panel.rows, one.address, False, name, one.scale, one.max)
    for one in WEIR.channels:
        if one.name in LIVE:
            name_row(panel.rows, WEIR.telemetry.address + one.at, True, one.name, one.scale, 0)
    panel.name.setText("My own")
    press(qtbot, window, "Save the description")
    saved = read_map(window.desk.folder / "controllers" / "my-own.toml")
    assert {one.name for one in saved.register_list} == set(NAMES) and {one.name for one in saved.channels} == set(LIVE)
    page.connect_to(weir.port)
    qtbot.waitUntil(lambda: window.link.contact is not None, timeout=20_000)
    made = window.link.contact
    assert made.map.name == "My own" and made.tune.drive.phase_current_a == 77 and made.unkept
    press(qtbot, window, "Read the registers")
    assert "Disconnect first" in panel._words.text()
    window.link.disconnect_now()


def test_reading_finds_exactly_what_is_there_and_can_be_stopped(weir):
    sluice = shipped_map("Sluice 40")
    identity, found = look(
        weir.ports[1], 115200, 1, [(0x00F0, 40, False), (0, 30, True)], lambda _text: None, lambda: False
    )
    holding = {at for one in WEIR.register_list for at in range(one.address, one.address + one.words)}
    assert identity.product == "Weir 60" != sluice.name
    assert {one.address for one in found if not one.live} == {at for at in range(0x00F0, 0x0118) if at in holding}
    words = {one.address: weir.standin.controller.raw(one.name) for one in WEIR.register_list if one.words == 1}
    assert all(one.word == words.get(one.address, one.word) for one in found if not one.live)
    with pytest.raises(Cancelled):
        look(weir.ports[1], 115200, 1, [(0, 200, False)], lambda _text: None, lambda: True)
    with pytest.raises(PortFailed):
        look("tcp://127.0.0.1:1", 115200, 1, [(0, 4, False)], lambda _text: None, lambda: False)


def test_what_is_no_address_is_said(qtbot, demo_window):
    page = demo_window.stations["hookup"]
    go(qtbot, demo_window, "hookup")
    page.show_view(7)
    for text in ("", "x1", "70000"):
        page.describe.settings_from.setText(text)
        page.describe.read()
        assert "settings from" in page.describe._words.text()
    assert find(demo_window, "Save the description").isEnabled()
