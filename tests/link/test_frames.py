"""Frames of a maker's own: built and taken apart against the stand-in, which shares no code with them; hostile bytes; pages."""

import random
import tomllib

import pytest
from crccheck.crc import ALLCRCCLASSES
from hypothesis import given, settings
from hypothesis import strategies as st

from crisp_hornet.documents.checksums import checksum_of
from crisp_hornet.documents.kinds import Checksum, Frames
from crisp_hornet.link.errors import AnsweredNo, LineDead, LinkError, WrongDevice
from crisp_hornet.link.finding import open_line
from crisp_hornet.link.lines.frames.codec import Codec
from crisp_hornet.link.lines.frames.pages import raw_in, with_raw
from crisp_hornet.link.report import Kept, Outcome
from crisp_hornet.standin.frames_peer import FramesPeer, _checksum
from tests.amount import some
from tests.link.sending import draft, send_all
from tests.link.virtual import CULVERT, VirtualController, Wire, in_virtual_time, open_on

ENVELOPES = {
    "length in front": """start = "C5 9A"
parts = ["start", "length", "address", "command", "payload", "checksum"]
address = 0x22
length = { counts = ["address", "command", "payload", "checksum"] }
checksum = { width = 16, poly = 0x1021, init = 0x1D0F, order = "little" }""",
    "escaped, with an end": """start = "3C"
end = "3E"
parts = ["start", "command", "payload", "checksum", "end"]
escape = { byte = 0x5C, of = "3C 3E", xor = 0x40 }
checksum = { kind = "xor", over = ["command", "payload"] }""",
    "length, escape and end": """start = "A0"
end = "0D 0A"
parts = ["start", "address", "command", "length", "payload", "checksum", "end"]
address = 7
answer_address = 9
byte_order = "little"
length = { type = "u16", counts = ["start", "payload"], plus = 3 }
escape = { byte = 0xA1, of = "A0", xor = 0x20 }
checksum = { kind = "sum", width = 16, negated = true, over = ["start", "command", "length", "payload"] }""",
    "no start": """parts = ["command", "length", "payload", "checksum"]
length = {}
[checksum]
width = 32
poly = 0x04C11DB7
init = 0xFFFFFFFF
reflect_in = true
reflect_out = true
xor_out = 0xFFFFFFFF
over = ["command", "length", "payload"]""",
}  # fmt: skip


def frames_of(text):
    return Frames.model_validate(tomllib.loads(text))


class Other(FramesPeer):
    """The stand-in's own framing, alone."""

    def __init__(self, frames):
        self._frames, self._waiting = frames, b""

    def take(self, data):
        self._waiting = data
        return self._question()


@pytest.mark.parametrize("name", ENVELOPES)
@settings(max_examples=some(60), derandomize=True, deadline=None)
@given(
    command=st.integers(0, 255),
    payload=st.binary(max_size=40),
    before=st.binary(max_size=6),
    after=st.binary(max_size=4),
)
def test_what_one_side_builds_the_other_takes_apart(name, command, payload, before, after):
    frames = frames_of(ENVELOPES[name])
    codec, other = Codec(frames), Other(frames)
    assert other.take(codec.build(command, payload)) == (command, payload)
    answer = other._frame(command, payload)
    assert codec.build(command, payload, answer=True) == answer
    start = bytes.fromhex(frames.start)
    found, used, _ = codec.take(before + answer + after)
    if start and not any(one in before for one in start):
        assert (found.command, found.payload, found.end) == (command, payload, used) and used == len(before + answer)
    pieces, waiting, came = [answer[k : k + 1] for k in range(len(answer))], b"", []
    for piece in pieces:  # byte by byte, as from a slow radio
        frame, used, faults = codec.take(waiting + piece)
        waiting = (waiting + piece)[used:]
        came += [frame] if frame else []
    assert [(one.command, one.payload) for one in came] == [(command, payload)] and not faults


@pytest.mark.parametrize("name", ENVELOPES)
def test_no_damage_passes_and_none_costs_the_next_frame(name):
    rng, codec = random.Random(3), Codec(frames_of(ENVELOPES[name]))
    other, lost, false = Other(codec.frames), 0, 0
    for _ in range(some(400, 130)):
        payload = rng.randbytes(rng.randint(0, 20))
        bad = bytearray(other._frame(0x41, payload))
        bad[rng.randrange(len(bad))] ^= 1 << rng.randrange(8)
        data, frames = bytes(bad) + other._frame(0x42, b"next"), []
        while True:
            frame, used, _ = codec.take(data)
            data = data[used:]
            if frame is None:
                break
            frames.append((frame.command, frame.payload))
        false += any(one not in ((0x42, b"next"), (0x41, payload)) for one in frames)
        lost += (0x42, b"next") not in frames  # a length that was made longer waits for more
    assert lost < some(400, 130) / 8 and false <= (
        0 if codec.frames.checksum.kind == "crc" else 6
    )  # sums see less than they should
    for _ in range(300):  # whatever comes, it is taken or dropped, and never more than all of it
        data = rng.randbytes(rng.randint(0, 200))
        _, used, faults = codec.take(data)
        assert 0 <= used <= len(data) and all(str(one).startswith("byte ") for one in faults)


def test_named_checksums_and_those_given_by_their_figures():
    rng = random.Random(5)
    for one in rng.sample([each for each in ALLCRCCLASSES if each().width() in (8, 16, 32)], 25):
        made = one()
        figures = Checksum(
            width=made.width(), poly=made.poly(), init=made.initvalue(), reflect_in=made.reflect_input(),
            reflect_out=made.reflect_output(), xor_out=made.xor_output(),
        )  # fmt: skip
        data = rng.randbytes(17)
        assert checksum_of(Checksum(name=one.__name__), data) == checksum_of(figures, data) == _checksum(figures, data)
    with pytest.raises(ValueError, match="no checksum"):
        checksum_of(Checksum(name="Crc16Nobody"), b"")


@settings(max_examples=some(80), derandomize=True, deadline=None)
@given(page=st.binary(min_size=22, max_size=22), data=st.data())
def test_a_number_in_a_page_leaves_the_rest_of_it(page, data):
    register = data.draw(st.sampled_from([one for one in CULVERT.register_list if one.block == "drive"]))
    raw = data.draw(st.integers(0, (1 << register.number_bits) - 1))
    changed = with_raw(page, register.at, register, "little", raw)
    assert raw_in(changed, register.at, register, "little") == raw
    assert with_raw(changed, register.at, register, "little", raw_in(page, register.at, register, "little")) == page


def test_the_whole_way_over_wire_and_bridge(bench):
    standin = bench.stand_in("Culvert 50", bridge=0)
    for port, current in zip(standin.ports, (36.3, 28), strict=True):
        contact = bench.contact(standin, port)
        assert contact.identity.serial == "TW60-00417" and contact.map.values(contact.raws) == standin.holds()
        changes = draft(
            contact, drive__battery_current_a=current, drive__motor_rpm=20 * current, battery_guard__fade_start_v=51
        )
        assert sorted(contact.line.together([one.register for one in changes])) in ([1, 2], [1, 1, 1], [2])
        report = send_all(contact, changes)
        assert report.outcome is Outcome.PROVED and report.kept is Kept.SEEN
        assert standin.holds(kept=True)["drive.battery_current_a"] == int(2 * current) / 2
        contact.line.close()


def test_it_refuses_in_words_and_answers_nothing_that_was_not_asked(bench):
    standin = bench.stand_in("Culvert 50")
    contact = bench.contact(standin)
    standin.standin.hands.throttle = 0.4
    with pytest.raises(AnsweredNo, match="it is busy"):
        contact.line.write([(contact.map.register("drive.motor_rpm"), 500)])
    standin.standin.hands.throttle = 0.0
    standin.do("set drive.motor_rpm 480")  # somebody at the display
    with pytest.raises(LinkError, match="changed since it was read"):
        contact.line.write([(contact.map.register("drive.phase_current_a"), 150)])
    with pytest.raises(LinkError, match="changed since it was read"):  # nor the next time, until it is read
        contact.line.write([(contact.map.register("drive.phase_current_a"), 150)])
    assert standin.holds()["drive.phase_current_a"] == 90 and standin.holds()["drive.motor_rpm"] == 480
    contact.line.read(contact.map.register_list)
    standin.do("set info.hours 41.6")  # a counter that runs on is nobody's writing
    contact.line.write([(contact.map.register("calibration.throttle_rest_v"), 44)])
    assert standin.holds()["calibration.throttle_rest_v"] == 0.88
    standin.do("unplug")
    with pytest.raises(LineDead):
        contact.line.read_live()


def test_another_product_in_the_same_frames_is_not_taken(bench):
    standin = bench.stand_in("Culvert 50")
    stranger = CULVERT.model_copy(update={"identity": CULVERT.identity.model_copy(update={"product": "Culvert 70"})})
    with pytest.raises(WrongDevice, match="Culvert 50"):
        open_line(standin.port, [stranger], 1.0)


def spoken(**frames):
    """The same controller that says its live values unasked, or on a wire that echoes."""
    data = CULVERT.model_dump(by_alias=True)
    data["frames"] |= frames.pop("frames", {})
    data["telemetry"] |= frames.pop("telemetry", {})
    return type(CULVERT).model_validate(data | frames)


@pytest.mark.parametrize(
    "described",
    [
        spoken(frames={"echo": True}),
        spoken(telemetry={"ask": None, "heard": {"command": 0x55, "starts": "01"}}),
        spoken(keep={"at_once": True}),
    ],
    ids=["echo", "unasked", "keeps at once"],
)  # fmt: skip
def test_other_ways_of_speaking(threaded, described):
    from tests.link.inprocess import InProcess

    standin = InProcess(threaded, described)
    try:
        line = open_line(standin.port, [described], 1.0)
        from crisp_hornet.link.contact import make_contact

        contact, _ = make_contact(line, lambda text: None)
        changes = draft(contact, drive__battery_current_a=34)
        if described.keep.at_once:
            assert "stores what is written at once" in send_all(contact, changes, keep=False).message
        report = send_all(contact, changes)
        assert report.outcome is Outcome.PROVED, report.message
        assert report.kept is (Kept.SAID if described.keep.at_once else Kept.SEEN)
        assert ("stores what is written at once" in report.message) == described.keep.at_once
        assert standin.holds(kept=True)["drive.battery_current_a"] == 34
        line.close()
    finally:
        standin.close()


def test_an_answer_that_comes_twice_or_late_is_no_other_page(monkeypatch):
    clock = in_virtual_time(monkeypatch)
    one, rng = VirtualController(clock, CULVERT), random.Random(4)
    wire = Wire(clock, {1: one}, spoil=lambda n, q, answer: [(rng.choice((0.0, 0.0, 1.3)), answer), (0.002, answer)])
    session = open_on(monkeypatch, wire, [CULVERT])
    assert session.contact.map.values(session.contact.raws) == one.holds() and session.contact.line.troubles > 0
