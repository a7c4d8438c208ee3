"""The same contact by every way: serial, Modbus TCP, a bridge of serial frames, Bluetooth LE; and what each says when it cannot."""

import os

import pytest

from crisp_hornet.documents.maps import shipped_map, shipped_maps
from crisp_hornet.link.contact import read_live, readable, version_key
from crisp_hornet.link.doubts import Doubt, doubts
from crisp_hornet.link.errors import AnsweredNo, LineDead, PortFailed, WrongDevice
from crisp_hornet.link.finding import open_line
from crisp_hornet.link.lines.modbus import runs
from crisp_hornet.link.lines.modbus_wire import ModbusWire
from crisp_hornet.link.report import Outcome
from crisp_hornet.link.transports import transport_to
from crisp_hornet.link.transports.bluetooth import scan
from tests.amount import of
from tests.link.conftest import ANSWER_S, MAPS
from tests.link.sending import draft, send_all

WEIR, SLUICE = shipped_map("Weir 60"), shipped_map("Sluice 40")
RADIOS = [one.bluetooth for one in shipped_maps() if one.bluetooth is not None]


def the_whole_way(bench, standin, address):
    """Contact, backup, a kept send, its proof, and back again."""
    contact = bench.contact(standin, address)
    assert contact.identity.serial == "TW60-00417" and len(contact.raws) == len(contact.map.register_list)
    assert 55 < read_live(contact).values["pack_v"] < 67
    changes = draft(contact, drive__phase_current_a=100, battery_guard__fade_start_v=51)
    assert send_all(contact, changes).outcome is Outcome.PROVED
    assert standin.holds(kept=True)["drive.phase_current_a"] == 100
    assert send_all(contact, draft(contact, drive__phase_current_a=90)).outcome is Outcome.PROVED
    return contact


@pytest.mark.parametrize("way", [0, 1, 2], ids=["serial", "tcp", "bridge"])
def test_the_whole_way_over_wire_and_network(bench, way):
    standin = bench.stand_in(tcp=0, bridge=0)
    the_whole_way(bench, standin, standin.ports[way])


@pytest.mark.parametrize("way", of([2], [0, 1]))
def test_the_other_layout_over_wire_and_network(bench, way):
    standin = bench.stand_in("Sluice 40", tcp=0, bridge=0)
    contact = bench.contact(standin, standin.ports[way])
    assert contact.map.name == "Sluice 40" and contact.tune("now").drive.phase_current_a == 80
    assert send_all(contact, draft(contact, drive__phase_current_a=95.5)).outcome is Outcome.PROVED
    assert standin.holds(kept=True)["drive.phase_current_a"] == 95.5


def test_bluetooth_scans_connects_sends_and_is_told_when_it_drops(bus, bench, threaded):
    standin = bench.stand_in(bluetooth_bus=bus)
    found = scan(RADIOS, 0.6)
    assert [one.address for one in found] == [standin.ports[1]] and "Weir 60, -58 dBm" in found[0].description
    contact = the_whole_way(bench, standin, found[0].address)
    threaded.loop.call_soon_threadsafe(standin.standin._radio.device.drop)
    with pytest.raises(LineDead):
        for _ in range(5):
            contact.line.wire.read_settings(0x0100, 1)


def test_frames_go_by_radio_too(bus, bench):
    standin = bench.stand_in("Culvert 50", bluetooth_bus=bus)
    contact = bench.contact(standin, standin.ports[1])
    assert contact.map.values(contact.raws) == standin.holds() and read_live(contact).values["pack_v"] > 60
    report = send_all(contact, draft(contact, drive__battery_current_a=34))
    assert report.outcome is Outcome.PROVED and standin.holds(kept=True)["drive.battery_current_a"] == 34


def test_bluetooth_says_plainly_what_is_missing(bus, monkeypatch):
    with pytest.raises(PortFailed, match="service is not running"):  # the bus is there, nobody serves it
        scan(RADIOS, 0.3)
    monkeypatch.setenv("DBUS_SYSTEM_BUS_ADDRESS", "unix:path=/nonexistent/bus")
    with pytest.raises(PortFailed, match="service is not running"):
        scan(RADIOS, 0.3)


def test_an_adapter_that_is_switched_off_is_told(bus, bench):
    bench.stand_in(bluetooth_bus=bus).standin._radio.adapter.powered = False
    for act in (lambda: scan(RADIOS, 0.3), lambda: open_line("ble://00:C0:DE:00:00:02", MAPS, ANSWER_S)):
        with pytest.raises(PortFailed, match="no Bluetooth adapter, or it is switched off"):
            act()


@pytest.mark.long
def test_a_device_that_is_not_in_reach(bus, bench):
    bench.stand_in(bluetooth_bus=bus)
    with pytest.raises(PortFailed, match="no device of that address"):
        open_line("ble://00:11:22:33:44:55", MAPS, ANSWER_S)


@pytest.mark.parametrize(
    ("address", "why"),
    [
        ("/nowhere/port", "there is no such port"),
        ("tcp://127.0.0.1:1", "nothing listens there"),
        ("tcp://", "no network address"),
        ("rtu+tcp://127.0.0.1:99999", "no network address"),
        ("tcp://no.such.host.invalid:502", "host .* not found"),
    ],
)
def test_a_way_that_cannot_be_opened_says_why(address, why):
    with pytest.raises(PortFailed, match=why):
        open_line(address, MAPS, ANSWER_S)


def test_a_port_in_use_and_a_file_that_is_no_port(standin, contact, tmp_path):
    with pytest.raises(PortFailed, match="another program"):
        ModbusWire(transport_to(standin.port, WEIR.line)).open()
    (tmp_path / "file").write_text("x")
    with pytest.raises(PortFailed, match="not a serial port"):
        ModbusWire(transport_to(str(tmp_path / "file"), WEIR.line)).open()


def test_a_forbidden_port_names_the_group(monkeypatch, standin):
    import serial

    from crisp_hornet.link.transports import serial_port

    def forbidden(*args, **kwargs):
        raise serial.SerialException(13, "Permission denied")

    monkeypatch.setattr(serial_port.serial, "Serial", forbidden)
    assert "group 'dialout'" in serial_port._why_closed("/dev/ttyUSB0")[1]


def test_nobody_answers(bench):
    ours, theirs = os.openpty()
    with pytest.raises(LineDead, match="no answer came in time"):
        open_line(os.ttyname(theirs), MAPS, 0.03)
    for end in (ours, theirs):
        os.close(end)


def test_a_line_that_was_lost_stays_lost(bench):
    standin = bench.stand_in(tcp=0)
    contact = bench.contact(standin, standin.ports[1])
    standin.do("unplug")
    with pytest.raises(LineDead):
        contact.line.wire.read_settings(0x0100, 1)
    with pytest.raises(LineDead, match="lost"):  # the port still listens, but nothing goes on unnoticed
        contact.line.wire.read_settings(0x0100, 1)


def test_a_question_the_controller_refuses(contact):
    with pytest.raises(AnsweredNo, match="no such register"):
        contact.line.wire.read_settings(0x0900, 2)


def test_an_unknown_device_is_refused_before_anything_is_written(bench):
    standin = bench.stand_in(tcp=0)
    stranger = WEIR.model_copy(update={"identity": WEIR.identity.model_copy(update={"product": "Another"})})
    with pytest.raises(WrongDevice, match="Weir 60"):
        open_line(standin.ports[1], [stranger], ANSWER_S)
    assert bench.contact(standin).map.name == "Weir 60"


def test_wrong_bike_and_wrong_firmware_are_noticed(contact):
    identity = contact.identity
    assert doubts(identity, WEIR, identity.serial) == [] == doubts(identity, WEIR, None)
    (wrong,) = doubts(identity, WEIR, "TW60-00001")
    assert wrong.blocks and "TW60-00001" in wrong.text and "TW60-00417" in wrong.text

    def firmware(version):
        (found,) = doubts(type(identity)(identity.vendor, identity.product, version, identity.serial), WEIR, None)
        return found

    assert firmware("2.9.9") == Doubt("firmware-old", firmware("2.9.9").text, True)
    assert not firmware("3.10.0").blocks and version_key("3.10.1") > version_key("3.9")


def test_registers_of_a_later_firmware_are_not_asked_for():
    later = WEIR.register_list[0].model_copy(update={"since": "3.5"})
    newer = WEIR.model_copy(update={"register_list": [later, *WEIR.register_list[1:]]})
    assert len(readable(newer, "3.2.1")) == len(readable(newer, "3.10")) - 1


def test_runs_cover_every_word_once_and_cut_no_number():
    for controller in (WEIR, SLUICE):
        for longest in (2, 7, 40):
            covered = [
                at for first, count in runs(controller.register_list, longest) for at in range(first, first + count)
            ]
            wanted = [at for one in controller.register_list for at in range(one.address, one.address + one.words)]
            assert sorted(covered) == sorted(wanted) and len(set(covered)) == len(covered)
            starts = {first for first, _ in runs(controller.register_list, longest)}
            assert starts <= {one.address for one in controller.register_list}
