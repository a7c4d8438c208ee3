"""The panels of Hook-up and Send with nothing there, with wrong input, in the dark, in miles, and by keyboard alone."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from crisp_hornet.demo import HERON
from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.described import Lack
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.documents.store import write
from crisp_hornet.link.errors import PortFailed
from crisp_hornet.link.ports import Port
from tests.amount import of
from tests.bench.driving import click, find, go, press_keys, texts
from tests.bench.linking import beside, connect

VIEWS = {
    "faults": "Connect to read faults",
    "backups": "No backup yet",
    "firmware": "Connect to see which firmware runs",
    "stored rides": "Connect to see what the controller stored",
    "job sheets": "Open a bike first",
}


@pytest.mark.long
@pytest.mark.parametrize("view", VIEWS)
def test_an_empty_garage_says_on_each_panel_what_to_do(qtbot, empty_window, view):
    go(qtbot, empty_window, 2)
    click(qtbot, find(empty_window, f"Hook-up {view.capitalize()}"))
    qtbot.waitUntil(lambda: VIEWS[view] in texts(empty_window))


def test_an_empty_garage_has_nothing_to_calibrate_and_no_ports_to_press(qtbot, empty_window):
    go(qtbot, empty_window, 3)
    assert "Hook up the controller" in empty_window.stations["calibrate"].meaning()[1]
    click(qtbot, find(empty_window, "Calibrate Live scope"))
    go(qtbot, empty_window, 2)
    page = empty_window.stations["hookup"]
    page.ports._typed.setText("/dev/ttyUSB9")
    press_keys(qtbot, page.ports._typed, Qt.Key.Key_Return)
    assert not empty_window.link.busy


def test_bluetooth_results_and_failures_are_shown(qtbot, demo_window):
    panel = demo_window.stations["hookup"].ports
    go(qtbot, demo_window, 2)
    panel._take_heard([Port("ble://00:11:22:33:44:55", "Weir 60, -71 dBm")])
    qtbot.waitUntil(lambda: "Weir 60, -71 dBm" in texts(demo_window))
    panel._take_heard([])
    qtbot.waitUntil(lambda: "in range" in texts(demo_window))
    panel._take_silence(
        PortFailed("Bluetooth cannot be used", "this machine has no adapter", "Everything else works without it.")
    )
    qtbot.waitUntil(lambda: "Everything else works without it" in texts(demo_window))


@pytest.mark.long
def test_a_backup_of_another_type_is_never_put_back(qtbot, demo_window, standin, tmp_path):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    maker = {"vendor": "Tarnholm Mill Electrics", "product": "Sluice 40", "firmware": "2.1", "serial": "S1"}
    other = Backup(taken="2026-10-12T10:00:00", registers=[], **maker)
    write(tmp_path / "other.json", other)
    window.stations["hookup"].backups.read(tmp_path / "other.json")
    click(qtbot, find(window, "Hook-up Backups"))
    qtbot.waitUntil(lambda: "of another type" in texts(window))
    window.stations["send"].restore(other)
    go(qtbot, window, 5)
    qtbot.waitUntil(lambda: "This backup is of another type" in texts(window))
    assert window.stations["send"].target().changes == []
    click(qtbot, find(window, "Back to the draft"))
    assert window.stations["send"].backup is None


@pytest.mark.parametrize("fails", of([True], [False]))
def test_backed_up_is_only_said_of_what_was_saved(qtbot, demo_window, standin, monkeypatch, fails):
    """Whatever page is open when the controller answers, and where the garage cannot be written."""
    window = demo_window

    def full(*_):
        raise DocumentError("the garage", "", "cannot be written: the disk is full", "Free some space, then try again.")

    if fails:
        monkeypatch.setattr(window.desk.garage.backups, "keep", full)
    go(qtbot, window, 4)
    window.link.connect_to(standin.port)
    qtbot.waitUntil(lambda: window.link.live is not None)
    assert len(window.desk.story.backups()) == (0 if fails else 1)
    go(qtbot, window, 2)
    said = texts(window)
    assert ("not saved: export it" in said and "could not be saved" in said) is fails
    assert ("backed up" in said) is not fails


def test_the_watch_list_judges_what_the_controller_does_instead(demo_window):
    """The draft fades braking as the pack fills, but this controller cannot: the full pack is not guarded."""
    desk, sluice = demo_window.desk, shipped_map("Sluice 40")
    gone = [Lack(name=f"regen.fade_{end}_v", value=100.0, reason="It has no such fade.") for end in ("start", "end")]
    backup = Backup(taken="2026-10-12T10:00:00", vendor="v", product="p", firmware="1", serial="s", registers=[])
    for lacks, stopped in (([], False), (gone, True), ([], False)):
        desk.take_contact(desk.held.tune, backup, sluice.model_copy(update={"lacks": lacks}))
        assert ("regen-on-full-pack" in {one.id for one in desk.watch.warnings}) is stopped


def test_files_that_cannot_be_read_or_written_are_said(demo_window, tmp_path):
    page = demo_window.stations["hookup"]
    page.backups.read(tmp_path / "none.json")
    assert "no such file" in demo_window.notice.text
    page.firmware.read(tmp_path)
    assert "directory" in demo_window.notice.text
    page.backups.read(HERON)
    assert "expected 'crisp-hornet/backup'" in demo_window.notice.text
    demo_window.stations["calibrate"].scope_view.export(tmp_path / "no" / "scope.csv")
    assert "cannot be written" in demo_window.notice.text


@pytest.mark.long
def test_the_panels_follow_the_theme_and_the_units(qtbot, demo_window, standin):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    standin.do("fault 21")
    qtbot.waitUntil(lambda: window.stations["hookup"].faults.standing is not None)
    for number in ("hookup", "calibrate", "send"):
        go(qtbot, window, number)
        qtbot.keyClick(window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
        assert window.stations[number].theme is window.theme
    window.desk.switch_units()
    go(qtbot, window, 2)
    qtbot.waitUntil(lambda: "wheel, mph" in texts(window) and "motor, °F" in texts(window))


def test_from_port_to_job_sheet_by_keyboard_alone(qtbot, demo_window, standin):
    """Tab reaches every button; Space presses it."""
    window = demo_window
    beside(window, standin)
    go(qtbot, window, 2)

    def tab_to(name):
        for _ in range(120):
            focus = QApplication.focusWidget()
            if focus is not None and focus.accessibleName().startswith(name):
                return focus
            qtbot.keyClick(focus or window, Qt.Key.Key_Tab)
        raise AssertionError(f"Tab never reaches {name!r}")

    qtbot.keyClick(tab_to(f"Connect to {standin.port}"), Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: window.link.contact is not None)
    tab_to("Hook-up")  # pages are one stop: arrows choose
    for _ in range(5):
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Right)
    qtbot.keyClick(tab_to("Lay out: Fit a display"), Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: "The key wire carries pack voltage" in texts(window))
    qtbot.keyClick(tab_to("Pack off and unplugged"), Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: window.stations["hookup"].jobs.jobs()[0].steps[0].done_at is not None)
    qtbot.keyClick(tab_to("Disconnect the controller"), Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: window.link.contact is None)


def test_a_controller_description_that_cannot_be_used_is_told(qtbot, demo_window):
    demo_window.link.refused_maps[:] = ["own.toml: line 3, name: must be text. Mend it there."]
    demo_window.stations["hookup"]._show()
    go(qtbot, demo_window, 2)
    qtbot.waitUntil(lambda: "Not used: own.toml: line 3" in texts(demo_window))
