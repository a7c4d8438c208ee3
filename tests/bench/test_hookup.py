"""Hook-up and Send in the real window, against the stand-in process: ways in, wrong bikes, other layouts, backups, faults, jobs."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLineEdit

from crisp_hornet.demo import HERON
from crisp_hornet.documents.firmware import make_firmware
from crisp_hornet.documents.store import read_bike
from crisp_hornet.link.marker import MarkedRegister, Marker
from crisp_hornet.link.report import Outcome
from tests.amount import of
from tests.bench.driving import click, find, go, texts
from tests.bench.linking import beside, connect, send_and_wait, show_bike, work_the_lever
from tests.standins import StandInProcess

PHASE, BATTERY = "drive.phase_current_a", "drive.battery_current_a"


@pytest.fixture
def start_standin(tmp_path):
    started = []

    def start(*options):
        made = StandInProcess(tmp_path, *options)
        started.append(made)
        return made

    yield start
    for one in started:
        one.close()


def show(qtbot, window, view):
    go(qtbot, window, 2)
    click(qtbot, find(window, f"Hook-up {view.capitalize()}"))


@pytest.mark.long
@pytest.mark.parametrize("way", of(["ble"], ["tcp", "rtu+tcp"]))
def test_the_whole_path_again_over_the_network_and_by_radio(qtbot, bus, demo_window, start_standin, way):
    standin = start_standin("--tcp", "0", "--bridge", "0", "--bluetooth", bus)
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    port = next(one for one in standin.ports if one.startswith(f"{way}://"))
    if way == "ble":
        go(qtbot, window, 2)
        window.stations["hookup"].ports.offer_simulated(window.simulated)
        click(qtbot, find(window, "Look for controllers by Bluetooth"))
        qtbot.waitUntil(lambda: "Weir 60, -58 dBm" in texts(window))
    connect(qtbot, window, port)
    assert desk.held.tune.setting(BATTERY) == 30 and desk.held.last_port == port
    desk.draft.change(PHASE, 105.0)
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    assert standin.shows(PHASE) == ("105.0", "105.0")
    standin.do("after 0 unplug") if way != "ble" else None
    if way != "ble":
        desk.draft.change(PHASE, 95.0)
        assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.NOT_PROVED
        assert "is not known" in texts(window)


def test_another_bikes_controller_is_noticed_before_anything_is_written_and_can_be_adopted(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    other = desk.bike.controller.model_copy(update={"serial": "TW60-00001"})
    desk.active.set(desk.bike.model_copy(update={"controller": other}))
    backups = len(desk.garage.backups.of(desk.bike_id))
    connect(qtbot, window, standin.port)
    qtbot.waitUntil(lambda: "Another bike's controller" in texts(window))
    assert len(desk.garage.backups.of(desk.bike_id)) == backups
    go(qtbot, window, 5)
    qtbot.waitUntil(lambda: "Nothing is written to this controller" in texts(window))
    assert not window.act_button.isEnabled() and not window.stations["send"].confirmations
    go(qtbot, window, 2)
    click(qtbot, find(window, "Assign this controller to the bike"))
    qtbot.waitUntil(lambda: window.link.contact is not None and not window.link.contact.doubts)
    assert desk.bike.controller.serial == "TW60-00417"
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED


@pytest.mark.long
def test_a_bike_without_a_serial_number_remembers_it_once_it_has_shown_itself(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    desk.active.set(
        desk.bike.model_copy(update={"controller": desk.bike.controller.model_copy(update={"serial": None})})
    )
    connect(qtbot, window, standin.port)
    assert desk.bike.controller.serial is None
    go(qtbot, window, 5)
    work_the_lever(qtbot, window)
    assert desk.bike.controller.serial == "TW60-00417"


@pytest.mark.long
def test_a_controller_of_another_layout_greys_what_it_lacks_and_asks_for_its_label(qtbot, demo_window, start_standin):
    standin = start_standin("--controller", "Sluice 40")
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    go(qtbot, window, 4)
    weakening = window.stations["tune"].rulers["drive.field_weakening_a"]
    assert not weakening.isEnabled() and "does not weaken the field" in weakening.accessibleName()
    assert window.stations["tune"].rulers[PHASE].isEnabled()
    assert {PHASE, BATTERY} <= {edge.setting for edge in window.stations["tune"].chart.edges}
    assert "drive.field_weakening_a" not in {edge.setting for edge in window.stations["tune"].chart.edges}
    desk.draft.change("drive.power_w", 1500.0)
    desk.draft.change("battery_guard.fade_start_v", 52.0)
    go(qtbot, window, 5)
    page = window.stations["send"]
    qtbot.waitUntil(lambda: any(line.grey for line in page.change_list.lines))
    grey = next(line for line in page.change_list.lines if line.grey and "power" in line.label)
    assert "limits current only" in grey.note and "not on this controller" in grey.group
    assert not page.trial.isEnabled() and page.keep.isChecked()  # a guard eases: never on trial
    typed = find(window, "serial number on the label", QLineEdit)
    qtbot.keyClicks(typed, "TW60-00418")
    qtbot.keyClick(typed, Qt.Key.Key_Return)
    assert not window.link.contact.shown and "Not the connected controller" in texts(window)
    typed.clear()
    qtbot.keyClicks(typed, "TW60-00417")
    qtbot.keyClick(typed, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bool(window.link.contact.shown))
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    assert standin.shows("battery_guard.fade_start_v") == ("52.0", "52.0")


@pytest.mark.long
def test_backups_are_compared_exported_imported_and_put_back(qtbot, demo_window, standin, tmp_path):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    panel = window.stations["hookup"].backups
    panel.write(tmp_path / "b.json", window.link.contact.backup)
    desk.draft.change(PHASE, 105.0)
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    show(qtbot, window, "backups")
    qtbot.waitUntil(lambda: "phase current 90 A, now 105 A" in texts(panel))
    kept = len(desk.garage.backups.of(desk.bike_id))
    panel.read(tmp_path / "b.json")
    assert len(desk.garage.backups.of(desk.bike_id)) == kept + 1
    panel.read(HERON)
    assert "backup" in window.notice.text
    qtbot.waitUntil(lambda: "Restore" in texts(panel))
    click(qtbot, find(window, "Restore the backup of"))
    qtbot.waitUntil(lambda: window.current == "send" and "to restore the backup" in texts(window))
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    assert standin.shows(PHASE) == ("90.0", "90.0") and desk.draft.tune.setting(PHASE) == 105
    assert any(entry.title == "Backup restored with proof" for entry in desk.garage.book.of(desk.bike_id))


@pytest.mark.long
def test_a_draft_is_compared_with_an_earlier_tune(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    desk.draft.change("regen.phase_current_a", 25.0)
    go(qtbot, window, 5)
    page = window.stations["send"]
    qtbot.waitUntil(lambda: page._against.isVisible() and page._against.count() >= 2)
    page._against.setFocus()
    qtbot.keyClick(page._against, Qt.Key.Key_Down)
    page._against.activated.emit(1)
    qtbot.waitUntil(lambda: "against" in page.change_list.lines[0].note)
    assert [line.label for line in page.change_list.lines] == ["regen phase current"]


def test_a_fault_is_shown_explained_cleared_and_in_the_logbook(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    standin.do("fault 12")
    qtbot.waitUntil(lambda: "fault 12" in window.stations["hookup"].caption())
    show(qtbot, window, "faults")
    qtbot.waitUntil(lambda: "throttle signal out of range" in texts(window))
    assert "Measure the signal at the plug" in texts(window)
    click(qtbot, find(window, "Clear the fault"))
    qtbot.waitUntil(lambda: "has not shown" in window.notice.text)  # nothing is written before the bike is confirmed
    show_bike(qtbot, window, standin)
    click(qtbot, find(window, "Clear the fault"))
    qtbot.waitUntil(lambda: "No active fault" in texts(window))
    titles = [entry.title for entry in desk.garage.book.of(desk.bike_id)]
    assert "Fault 12: throttle signal out of range" in titles and any(
        one.startswith("Fault 12 is gone") for one in titles
    )


def test_live_values_that_stand_still_never_look_fresh(qtbot, demo_window, standin):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    values = window.stations["hookup"].live_values
    qtbot.waitUntil(lambda: "read 0." in values._age.text())
    standin.do("freeze 1")
    qtbot.waitUntil(lambda: values._age.text().startswith("stale"))
    assert "line-through" in values._values["pack_v"].styleSheet()
    standin.do("freeze 0")
    qtbot.waitUntil(lambda: values._age.text().startswith("read"))


@pytest.mark.long
def test_new_firmware_from_file_to_proof(qtbot, demo_window, standin, tmp_path):
    window = demo_window
    beside(window, standin)
    connect(qtbot, window, standin.port)
    for name, hardware in (("good", "weir-60-b"), ("other", "boat-9")):
        (tmp_path / name).write_bytes(make_firmware(hardware, "3.3.0", b"image" * 200))
    show(qtbot, window, "firmware")
    panel = window.stations["hookup"].firmware
    panel.read(tmp_path / "other")
    assert "This image is for boat-9" in texts(window) and not panel._go.isVisible()
    panel.read(HERON)
    assert "not a firmware container" in window.notice.text
    panel.read(tmp_path / "good")
    assert "has not shown" in texts(window) and not panel._go.isVisible()
    show_bike(qtbot, window, standin)
    qtbot.waitUntil(lambda: panel.confirm.isVisible())
    assert not panel._go.isEnabled()
    click(qtbot, panel.confirm)
    click(qtbot, find(window, "Install firmware"))
    qtbot.waitUntil(lambda: "lies in the second slot" in texts(window))
    standin.do("key-off")
    connect(qtbot, window, standin.port)
    qtbot.waitUntil(lambda: "fault 41" in window.stations["hookup"].caption())
    assert window.link.contact.identity.firmware == "3.3.0"


@pytest.mark.long
def test_stored_rides_are_fetched_into_the_garage(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    rides = len(desk.garage.rides.of(desk.bike_id))
    show(qtbot, window, "stored rides")
    click(qtbot, find(window, "List stored rides"))
    qtbot.waitUntil(lambda: "ride 2: 0.8 min" in texts(window))
    click(qtbot, find(window, "Fetch stored ride 2"))
    qtbot.waitUntil(lambda: len(desk.garage.rides.of(desk.bike_id)) == rides + 1)
    assert desk.ride.cleaned.name == "stored ride 2" and len(desk.ride.cleaned.time_s) == 90


@pytest.mark.long
def test_job_sheets_are_ticked_dated_changed_and_kept_per_bike(qtbot, demo_window):
    window, desk = demo_window, demo_window.desk
    show(qtbot, window, "job sheets")
    panel = window.stations["hookup"].jobs
    click(qtbot, find(window, "Lay out: Fit a pack"))
    qtbot.waitUntil(lambda: "Polarity measured at the plug" in texts(window))
    assert "A damaged lithium pack burns" in texts(window)
    click(qtbot, find(window, "Polarity measured at the plug"))
    qtbot.waitUntil(lambda: panel.jobs()[0].steps[4].done_at is not None)
    own = find(window, "a new step", QLineEdit)
    qtbot.keyClicks(own, "strap checked")
    qtbot.keyClick(own, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: panel.jobs()[0].steps[-1].text == "strap checked")
    click(qtbot, find(window, "Delete the step Fuse and BMS suit"))
    assert not any("Fuse and BMS" in step.text for step in panel.jobs()[0].steps)
    titles = [entry.title for entry in desk.garage.book.of(desk.bike_id)]
    assert "Job begun: Fit a pack" in titles and "Fit a pack: Polarity measured at the plug" in titles
    heron = desk.bike_id
    desk.open_bike(desk.bike.model_copy(update={"name": "Heron 2"}))
    panel.start("Fit a display")
    assert [job.title for job in desk.garage.jobs.of(heron)] == ["Fit a pack"]
    assert [job.title for job in panel.jobs()] == ["Fit a display"]
    qtbot.waitUntil(lambda: "Fit a display" in texts(window))
    click(qtbot, find(window, "Close the job"))
    assert panel.jobs() == []


def test_a_send_that_was_killed_is_recognised_at_the_next_contact(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    register = next(one for one in window.link.maps if one.name == "Weir 60").register(PHASE)
    marker = Marker(at="2026-10-12T10:00:00", product="Weir 60", serial="TW60-00417", keep=True,
                    registers=[MarkedRegister(name=PHASE, before=register.encode(70), after=register.encode(80))])  # fmt: skip
    window.link._worker._journal().begin(marker)  # as a process that was killed leaves it
    connect(qtbot, window, standin.port)
    assert "phase current reads 90 A, neither the old 70 A nor the new 80 A" in texts(window)
    assert any(entry.title == "An interrupted send was found" for entry in desk.garage.book.of(desk.bike_id))
    go(qtbot, window, 5)
    qtbot.waitUntil(lambda: "interrupted" in window.stations["send"].confirmations)
    assert send_and_wait(qtbot, window, keep=True).outcome is Outcome.PROVED
    assert window.link._worker._journal().found("TW60-00417") is None


def test_the_last_way_in_is_remembered_per_bike(qtbot, demo_window):
    desk = demo_window.desk
    desk.held.remember_port("tcp://bridge.local:502")
    go(qtbot, demo_window, 2)
    demo_window.stations["hookup"].ports.look()
    qtbot.waitUntil(lambda: "tcp://bridge.local:502   where this bike was last" in texts(demo_window))
    desk.open_bike(read_bike(HERON).model_copy(update={"name": "Other"}))
    assert desk.held.last_port == ""
