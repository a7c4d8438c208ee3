"""A node on a CAN bus: objects, PDOs, emergencies, stored rides in blocks; aborts, toggled bits, wrong nodes, a bus that is gone."""

import threading
import time

import can
import pytest

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.link.contact import make_contact, read_live
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled, PortFailed, WrongDevice
from crisp_hornet.link.faults import clear_faults
from crisp_hornet.link.finding import open_line
from crisp_hornet.link.lines.canopen import open_bus
from crisp_hornet.link.lines.canopen.wire import CanWire
from crisp_hornet.link.operations import Factory
from crisp_hornet.link.report import Kept, Outcome
from crisp_hornet.link.stored_logs import fetch_log, list_logs
from crisp_hornet.standin.can_node import CanNode
from tests.link.inprocess import InProcess
from tests.link.sending import draft, send_all
from tests.link.virtual import CanBus, VirtualController, in_virtual_time, open_on

PENSTOCK = shipped_map("Penstock 120")
PHASE = PENSTOCK.register("drive.phase_current_a")


def changed(**sections):
    return type(PENSTOCK).model_validate(PENSTOCK.model_dump(by_alias=True) | sections)


@pytest.fixture
def adapter(threaded):
    """A node behind an adapter on a serial port."""
    made = []

    def make(described=PENSTOCK):
        made.append(InProcess(threaded, described))
        return made[-1]

    yield make
    for one in made:
        one.close()


def connect(standin, described=PENSTOCK):
    line = open_line(f"can://slcan{standin.standin.terminal.plug_name}", [described], 1.0)
    return make_contact(line, lambda text: None)[0]


def test_the_whole_way_over_an_adapter(adapter):
    standin = adapter()
    contact = connect(standin)
    assert contact.identity.product == "Penstock 120" and contact.identity.serial == "6000417"
    assert contact.map.values(contact.raws) == standin.holds()
    assert {pdo.identifier for pdo in contact.line._pdos} == {0x18C, 0x28C, 0x38C, 0x48C}
    report = send_all(contact, draft(contact, drive__battery_current_a=36.3, heat_guard__motor_fade_start_c=99.5))
    assert report.outcome is Outcome.PROVED and report.kept is Kept.SEEN
    assert standin.holds(kept=True)["drive.battery_current_a"] == 36.3
    standin.standin.hands.throttle = 0.5
    with pytest.raises(AnsweredNo, match="busy"):
        contact.line.write([(PHASE, 100_000)])
    with pytest.raises(AnsweredNo, match="does not take"):
        contact.line.wire.download("x", (0x1010, 3), b"none")
    standin.standin.hands.throttle = 0.0
    contact.line.act(Act.FACTORY)
    standin.do("key-off")
    assert standin.holds()["drive.battery_current_a"] == 30
    contact.line.close()


def test_live_values_come_by_pdo_at_more_than_fifty_a_second(adapter):
    contact, count = connect(adapter()), 0
    asked = contact.line.wire._client
    asked.send_request = None  # nothing is asked for
    until = time.monotonic() + 0.5
    while time.monotonic() < until:
        live = read_live(contact).values
        count += 1
    assert (
        live["pack_v"] == pytest.approx(63.7, abs=0.3) and count > 12
    )  # a loaded machine gets less than the 50 aimed at
    contact.line.close()


def test_emergencies_are_faults_with_a_history(adapter):
    standin = adapter()
    standin.do("fault 16912")  # 0x4210, before anybody listened
    early = connect(standin)
    assert read_live(early).values["fault"] == 0x4210 and early.map.fault_of(0x4210).name == "power stage too warm"
    standin.do("fault 29456")
    for _ in range(20):
        read_live(early)
    told = early.line.history()
    assert [one.code for one in told[:2]] == [0x7310, 0x4210] and told[0].at_s is not None
    assert clear_faults(early) is None and read_live(early).values["fault"] == 0
    early.line.close()


def test_without_a_fault_object_the_emergencies_tell(adapter):
    channels = [one for one in PENSTOCK.model_dump(by_alias=True)["telemetry"]["channel"] if one["name"] != "fault"]
    described = changed(telemetry={"channel": [*channels, {"name": "fault"}]})
    standin = adapter(PENSTOCK)
    contact = connect(standin, described)
    standin.do("fault 12832")
    for _ in range(20):
        live = read_live(contact).values
    assert live["fault"] == 0x3220
    contact.line.close()


def test_pdos_are_mapped_where_the_description_lets_us(adapter):
    described = changed(canopen=PENSTOCK.canopen.model_dump() | {"map_pdos": True, "pdos": [1, 3]})
    contact = connect(adapter(), described)
    carried = [place for pdo in contact.line._pdos for place, _, _ in pdo.places]
    assert len(carried) >= 7 and len(contact.line._pdos) == 2
    assert read_live(contact).values["torque_v"] == pytest.approx(0.75, abs=0.1)  # in none of them: asked for by itself
    contact.line.close()


def test_stored_rides_come_in_blocks(adapter):
    contact = connect(adapter())
    rides = list_logs(contact)
    assert [one.rows for one in rides] == [240, 90]
    found = fetch_log(contact, rides[0], lambda *_: None, lambda: False)
    assert len(found["time_s"]) == 240 and max(found["wheel_speed_kmh"]) == pytest.approx(24, abs=0.1)
    contact.line.close()


def test_another_node_or_maker_is_not_taken(adapter):
    standin = adapter()
    port = standin.port
    stranger = changed(canopen=PENSTOCK.canopen.model_dump() | {"product_code": 0x79})
    with pytest.raises(WrongDevice, match="Penstock 120"):
        open_line(port, [changed(canopen=stranger.canopen.model_dump(), identity={"vendor": "x", "product": "y"})], 0.3)
    with pytest.raises(LineDead, match="node 9"):
        open_line(port, [changed(line=PENSTOCK.line.model_dump() | {"device": 9})], 0.1)


@pytest.mark.parametrize("port", ["can://", "can://nothing/can0", "can://socketcan/none7", "can://slcan/dev/none"])
def test_what_cannot_be_opened_says_why(port):
    with pytest.raises(PortFailed) as told:
        open_bus(port, 500_000)
    assert len(str(told.value)) < 400 and str(told.value).count("\n") == 0


def test_the_maker_s_settings_are_refused_unless_asked_for(monkeypatch):
    clock = in_virtual_time(monkeypatch)
    one = VirtualController(clock, PENSTOCK)
    session = open_on(monkeypatch, CanBus(clock, {1: one}), [PENSTOCK])
    one.it.put(PHASE, 70_000)
    one.it.kept = dict(one.it.running)
    refused = session.perform(Factory())
    assert (
        refused.outcome is Outcome.REFUSED and "--confirm factory" in refused.message and one.it.kept == one.it.running
    )
    assert session.perform(Factory(), {"factory"}).outcome is Outcome.PROVED
    one.it.power_cycle()
    assert one.holds()["drive.phase_current_a"] == 90


class Scripted:
    """A bus on which the test answers: ``answer(data)`` gives the messages to a request."""

    def __init__(self, answer):
        self.answer, self.waits = answer, []

    def send(self, msg, timeout=None):
        self.waits += [
            can.Message(arbitration_id=0x58C, data=one, is_extended_id=False) for one in self.answer(bytes(msg.data))
        ]

    def recv(self, timeout=None):
        return self.waits.pop(0) if self.waits else None

    def shutdown(self):
        pass


def scripted(monkeypatch, answer):
    clock = in_virtual_time(monkeypatch)
    bus = Scripted(answer)
    receive = bus.recv
    bus.recv = lambda timeout=None: receive(timeout) or clock.sleep(timeout or 0.0)
    return CanWire("test", bus, 12, 0.5)


@pytest.fixture
def node(monkeypatch):
    return VirtualController(in_virtual_time(monkeypatch), PENSTOCK).node


def test_a_toggled_bit_a_wrong_object_or_a_cut_message_is_no_answer(monkeypatch, node):
    def untrue(change):
        def answer(request):
            return [change(data) for _, data in node.take(0x60C, request)]

        return scripted(monkeypatch, answer)

    wrong = untrue(lambda data: bytes([data[0] ^ 0x10]) + data[1:] if data[0] & 0xE0 == 0 else data)
    with pytest.raises(LineGarbled, match="Toggle"):
        wrong.upload("name", (0x1008, 0))
    other = untrue(lambda data: data[:3] + bytes([data[3] ^ 1]) + data[4:] if data[0] == 0x43 and data[3] else data)
    with pytest.raises(LineDead, match="no answer came in time"):
        other.upload("vendor", (0x1018, 1))
    acknowledged = untrue(lambda data: b"\x60\x00\x21\x09" + data[4:] if data[0] == 0x60 else data)
    with pytest.raises(LineDead):  # an acknowledgement of something else is none
        acknowledged.download("x", (0x2100, 1), (95_000).to_bytes(4, "little"))
    short = untrue(lambda data: data[:5])
    with pytest.raises((LineDead, LineGarbled)):
        short.upload("x", (0x2100, 1))


def test_a_bus_that_is_gone_stays_gone(monkeypatch):
    def fail(_request):
        raise can.CanOperationError("bus off")

    wire = scripted(monkeypatch, fail)
    with pytest.raises(LineDead, match="bus off"):
        wire.upload("x", (0x2100, 1))
    with pytest.raises(LineDead, match="lost"):
        wire.upload("x", (0x2100, 1))


def test_over_the_library_s_virtual_bus(threaded):
    """Two ends in one process, as on a bench without hardware."""
    standin = InProcess(threaded, PENSTOCK)
    node, bus, ends = (
        CanNode(standin.standin.controller),
        can.Bus(interface="virtual", channel="bench"),
        threading.Event(),
    )

    def serve():
        while not ends.is_set():
            message = bus.recv(0.002)
            said = node.take(message.arbitration_id, bytes(message.data)) if message is not None else []
            for identifier, data in [*said, *node.due(time.monotonic())]:
                bus.send(can.Message(arbitration_id=identifier, data=data, is_extended_id=False))

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    try:
        contact, _ = make_contact(open_line("can://virtual/bench", [PENSTOCK], 1.0), lambda text: None)
        assert send_all(contact, draft(contact, drive__phase_current_a=101)).outcome is Outcome.PROVED
        contact.line.close()
    finally:
        ends.set()
        thread.join(5)
        bus.shutdown()
        standin.close()


def test_a_node_that_is_stopped_says_why_no_live_values_come(adapter):
    standin = adapter()
    contact = connect(standin)
    contact.line.wire.command(2)  # NMT: stop
    with pytest.raises(LineDead, match="stopped"):
        for _ in range(3):
            read_live(contact)
    contact.line.close()
