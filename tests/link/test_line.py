"""The line against a scripted peer that answers late, twice, damaged, or for another question."""

import os
import random
import threading
import tty

import pytest
from pymodbus.framer import FramerRTU

from crisp_hornet.documents.kinds import Line
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled
from crisp_hornet.link.lines.modbus_wire import ModbusWire
from crisp_hornet.link.transports import transport_to


def framed(*payload):
    frame = bytes(payload)
    return frame + FramerRTU.compute_CRC(frame).to_bytes(2, "big")


def holding(*words):
    return framed(1, 3, 2 * len(words), *[byte for word in words for byte in divmod(word, 256)])


ONE = b"\x01\x2b\x0e\x04"
NAMES = b"".join(bytes([at, 1]) + b"x" for at in range(3))


class ScriptedPeer:
    """Answers each question with the next answer of its script; ``None`` is silence. Who it is it says whenever it is asked: that is
    how the line finds into step again."""

    def __init__(self, *script):
        self._ours, self._theirs = os.openpty()
        tty.setraw(self._theirs)
        self.port = os.ttyname(self._theirs)
        self.questions = []
        self._script = list(script)
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def _run(self):
        while True:
            try:
                question = os.read(self._ours, 256)
            except OSError:
                return
            if not question:
                return
            if question.startswith(ONE):
                os.write(self._ours, framed(*ONE, 1, 0, 0, 3, *NAMES))
                continue
            self.questions.append(question)
            answer = self._script.pop(0) if self._script else None
            if answer:
                os.write(self._ours, answer)

    def close(self):
        """With the line closed before: then the thread reads the end and goes, before its number is given to another."""
        os.close(self._theirs)
        self._thread.join()
        os.close(self._ours)


@pytest.fixture
def line_to():
    opened = []

    def connect(*script):
        peer = ScriptedPeer(*script)
        line = ModbusWire(transport_to(peer.port, Line(), answer_s=0.5))
        line.open()
        opened.append((line, peer))
        return line, peer

    yield connect
    for line, peer in opened:
        line.close()
        peer.close()


def test_a_good_answer_is_taken_at_once(line_to):
    line, peer = line_to(holding(7, 0xFFFF))
    assert line.read_settings(0x100, 2) == [7, 0xFFFF] and len(peer.questions) == 1


HALF, NOISE, BAD = b"\x01\x03\x04\x00\x07\x00", b"\xff" * 9, holding(7, 8)[:-1] + b"\x00"
SPOILT = {"silence": None, "half": HALF, "noise": NOISE, "checksum": BAD, "short": holding(7), "long": holding(7, 8, 9)}


@pytest.mark.parametrize("first", SPOILT.values(), ids=SPOILT)
def test_a_question_that_changes_nothing_is_asked_again(line_to, first):
    line, peer = line_to(first, holding(7, 8))
    assert line.read_settings(0x100, 2) == [7, 8] and len(peer.questions) == 2


def test_it_gives_up_after_three_and_says_why(line_to):
    line, peer = line_to(None, None, None, holding(1))
    with pytest.raises(LineDead, match="no answer came in time"):
        line.read_settings(0x100, 1)
    assert len(peer.questions) == 3
    assert line.read_settings(0x100, 1) == [1]  # and can go on afterwards


def test_an_answer_of_another_length_is_never_taken(line_to):
    line, _ = line_to(holding(1), holding(1), holding(1))
    with pytest.raises(LineGarbled, match="another length"):
        line.read_settings(0x100, 2)


def test_what_comes_too_late_is_thrown_away_before_the_next_question(line_to):
    """An answer and its double: the second must not pass for the answer to the next question."""
    line, _ = line_to(holding(11) + holding(22), holding(33))
    assert line.read_settings(0x100, 1) == [11]
    assert line.read_settings(0x101, 1) == [33]


@pytest.mark.parametrize(
    "answer", [None, framed(1, 6, 1, 1, 0, 9), framed(1, 6, 1, 0, 0, 8)], ids=["silence", "other address", "other word"]
)
def test_a_write_is_never_repeated_blindly(line_to, answer):
    line, peer = line_to(answer, framed(1, 6, 1, 0, 0, 9))
    with pytest.raises((LineDead, LineGarbled)):
        line.write(0x0100, [9])
    assert len(peer.questions) == 1


REFUSALS = {1: "does not know this question", 2: "no such register", 3: "does not take this value", 4: "could not do so",
            6: "the wheel turns", 11: "gateway", 12: "exception 12"}  # fmt: skip


@pytest.mark.parametrize(("code", "words"), REFUSALS.items())
def test_each_refusal_is_said_in_words(line_to, code, words):
    line, peer = line_to(framed(1, 0x83, code))
    with pytest.raises(AnsweredNo, match=words) as refused:
        line.read_settings(0x100, 1)
    assert refused.value.code == code and len(peer.questions) == 1  # a refusal is an answer: no second try


def test_whatever_the_noise_a_wrong_word_never_comes_out():
    """Seeded: flipped bits, cut and doubled frames. Either the true words or an error, never others."""
    rng = random.Random(17)
    truth = [0x1234, 0x00FF, 0x8001]
    right = 0
    for _ in range(6):
        script = []
        for _ in range(3):
            frame = bytearray(holding(*truth))
            kind = rng.choice(["sound", "flip", "cut", "double", "lead"])
            if kind == "flip":
                frame[rng.randrange(len(frame))] ^= 1 << rng.randrange(8)
            script.append(
                {
                    "cut": bytes(frame[: rng.randrange(len(frame))]),
                    "double": bytes(frame * 2),
                    "lead": b"\x55" + bytes(frame),
                }.get(kind, bytes(frame))
            )
        peer = ScriptedPeer(*script)
        with ModbusWire(transport_to(peer.port, Line(), answer_s=0.04)) as line:
            try:
                assert line.read_settings(0x100, 3) == truth
                right += 1
            except (LineDead, LineGarbled, AnsweredNo):
                pass
        peer.close()
    assert right >= 4
