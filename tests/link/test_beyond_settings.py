"""Backups put back, faults, squeezing, stored rides, new firmware."""

import random

import pytest

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.firmware import make_firmware, parse_firmware
from crisp_hornet.link.contact import Live, backup_of, make_contact
from crisp_hornet.link.difference import changes_to
from crisp_hornet.link.errors import Cancelled, LinkError, WrongDevice
from crisp_hornet.link.faults import clear_faults, standing_fault
from crisp_hornet.link.firmware_update import transfer
from crisp_hornet.link.report import Outcome
from crisp_hornet.link.squeeze import Squeeze, can_show
from crisp_hornet.link.stored_logs import fetch_log, list_logs
from crisp_hornet.link.way_back import compare, way_back
from tests.link.conftest import MAPS
from tests.link.sending import draft, send_all


def test_a_backup_holds_every_readable_register_and_comes_back_without_calibrations(standin, contact):
    backup = backup_of(contact)
    assert {one.name for one in backup.registers} == {one.name for one in contact.map.register_list}
    wanted = {"drive.phase_current_a": 120.0, "calibration.throttle_rest_v": 0.9}
    assert send_all(contact, changes_to(contact.map, contact.raws, wanted)).outcome is Outcome.PROVED
    found = way_back(backup, contact.identity, contact.map, contact.raws)
    assert [one.register.name for one in found.changes] == ["drive.phase_current_a"]
    assert found.left_alone == ["throttle at rest 0.9 V to 0.85 V"] and not found.other_controller
    assert send_all(contact, found.changes).outcome is Outcome.PROVED
    assert standin.holds(kept=True)["calibration.throttle_rest_v"] == 0.9
    nameless = backup.model_copy(update={"serial": ""})  # who has no number is nobody else
    assert not way_back(nameless, contact.identity, contact.map, contact.raws).other_controller
    with_them = way_back(backup, contact.identity, contact.map, contact.raws, calibration=True)
    assert send_all(contact, with_them.changes).outcome is Outcome.PROVED
    assert compare(backup, backup_of(contact)) == []


def test_a_backup_goes_onto_a_same_type_controller_but_never_silently_onto_another(bench, contact):
    backup = backup_of(contact)
    elsewhere = bench.contact(bench.stand_in("Sluice 40"))
    with pytest.raises(WrongDevice, match="another type"):
        way_back(backup, elsewhere.identity, elsewhere.map, elsewhere.raws)
    same_type = type(contact.identity)("Tarnholm Weir Works", "Weir 60", "3.2.1", "TW60-00999")
    assert way_back(backup, same_type, contact.map, contact.raws).other_controller


def test_a_fault_is_explained_and_cleared_only_when_its_cause_is_gone(standin, contact):
    assert standing_fault(contact) is None
    standin.do("fault 12")
    fault = standing_fault(contact)
    assert (
        fault.name == "throttle signal out of range" and fault.causes and "plug" in fault.check and "12" in fault.text
    )
    standin.do("break 12")
    assert clear_faults(contact).code == 12
    standin.do("mend 12")
    assert clear_faults(contact) is None
    standin.do("fault 99")
    assert "not described" in standing_fault(contact).text


def test_a_lever_worked_twice_or_a_wheel_turned_back_shows_the_bike():
    def readings(**channels):
        return [Live(0.0, dict(zip(channels, values, strict=True))) for values in zip(*channels.values(), strict=True)]

    twice = Squeeze()
    seen = [twice.take(live) for live in readings(brake=[0, 1, 1, 0, 0, 1, 0])]
    assert seen == [False] * 5 + [True, True] and "twice" in twice.by
    held = Squeeze()
    assert not any(
        held.take(live) for live in readings(brake=[1, 1, 0, 0, 1, 1, 1])
    )  # it was already pulled: that is once
    back = Squeeze()
    assert [back.take(live) for live in readings(motor_rpm=[0, 3, -2, -9])] == [False, False, False, True]
    assert [can_show(one) for one in MAPS if one.name == "Weir 60"] == [["brake", "back"]]
    assert [can_show(one) for one in MAPS if one.name == "Sluice 40"] == [[]]


def test_stored_rides_are_listed_and_fetched_whole(bench, contact):
    logs = list_logs(contact)
    assert [one.rows for one in logs] == [240, 90] and logs[0].seconds == 120
    told = []
    ride = fetch_log(contact, logs[0], lambda done, total: told.append((done, total)), lambda: False)
    assert told[-1] == (240, 240) and set(ride) == {"time_s", "wheel_speed_kmh", "pack_v", "battery_a", "motor_c"}
    assert len(ride["time_s"]) == 240 and ride["time_s"][-1] == 119.5
    assert max(ride["wheel_speed_kmh"]) == pytest.approx(24, abs=0.1) and ride["motor_c"][-1] == pytest.approx(44)
    with pytest.raises(Cancelled):
        fetch_log(contact, logs[0], lambda done, total: None, lambda: True)
    other = bench.contact(bench.stand_in("Sluice 40"))
    with pytest.raises(LinkError, match="stores none"):
        list_logs(other)


def image(version="3.3.0", hardware="weir-60-b", size=900):
    return parse_firmware(make_firmware(hardware, version, random.Random(4).randbytes(size)), "image")


@pytest.mark.parametrize("size", [899, 902, 1001])
def test_an_image_of_any_length_starts(standin, contact, size):
    transfer(contact, image(size=size), lambda step: None, lambda: False)
    standin.do("key-off")
    assert make_contact(contact.line, lambda text: None)[0].identity.firmware == "3.3.0"


def test_new_firmware_starts_after_a_power_cycle_and_the_backup_comes_back(standin, contact):
    wanted = {"drive.phase_current_a": 120.0, "calibration.throttle_rest_v": 0.9}
    assert send_all(contact, changes_to(contact.map, contact.raws, wanted)).outcome is Outcome.PROVED
    backup, told = backup_of(contact), []
    transfer(contact, image(), told.append, lambda: False)
    assert told[-1].done == told[-1].total > 5
    standin.do("key-off")
    again, _ = make_contact(contact.line, lambda text: None)
    assert again.identity.firmware == "3.3.0" and standing_fault(again).code == 41
    found = way_back(backup, again.identity, again.map, again.raws, calibration=True)
    assert send_all(again, found.changes).outcome is Outcome.PROVED
    assert clear_faults(again) is None
    assert compare(backup, backup_of(again)) == []


def test_an_interrupted_transfer_leaves_the_firmware_it_has(standin, contact):
    asked = iter([False] * 4 + [True])
    with pytest.raises(Cancelled, match="goes on with the firmware it has"):
        transfer(contact, image(), lambda step: None, lambda: next(asked))
    standin.do("key-off")
    again, _ = make_contact(contact.line, lambda text: None)
    assert again.identity.firmware == "3.2.1" and standing_fault(again) is None
    transfer(again, image(), lambda step: None, lambda: False)  # and it can be begun anew


def test_firmware_that_does_not_fit_is_refused_before_anything_is_written(bench, standin, contact):
    with pytest.raises(LinkError, match="image is for boat-9"):
        transfer(contact, image(hardware="boat-9"), lambda step: None, lambda: False)
    other = bench.contact(bench.stand_in("Sluice 40"))
    with pytest.raises(LinkError, match="no second slot"):
        transfer(other, image(), lambda step: None, lambda: False)
    standin.do("dip 18")
    with pytest.raises(Cancelled, match="new firmware needs 48 V"):
        transfer(contact, image(), lambda step: None, lambda: False)


def test_a_container_that_is_damaged_or_none_is_told():
    good = make_firmware("weir-60-b", "3.3.0", b"abc" * 70)
    assert parse_firmware(good, "f").version == "3.3.0"
    for at in (0, 5, 40, 100, len(good) - 3):
        spoilt = bytearray(good)
        spoilt[at] ^= 0x41
        try:
            assert (parse_firmware(bytes(spoilt), "f").hardware, at) != ("weir-60-b", 100)
        except DocumentError as error:
            assert "f" in str(error)
    for piece in (good[:50], good[:-9], good + b"more", b""):
        with pytest.raises(DocumentError):
            parse_firmware(piece, "f")


def test_a_send_after_a_send_starts_from_what_is_there(contact):
    assert send_all(contact, draft(contact, drive__phase_current_a=100)).outcome is Outcome.PROVED
    assert [one.before for one in draft(contact, drive__phase_current_a=110)] == [100]
