"""One wire with frames of a maker's own: a question, its answer, and what comes unasked.

Such frames seldom carry a number, so a late answer could pass for the answer to the next question. Therefore, as with Modbus: nothing is
asked while an answer is out; after a time-out the late answer is waited for, and how long answers take here is learned from it; after any
trouble something of another kind is asked (who is there) until its own answer comes. ``troubles`` counts all that.
"""

from __future__ import annotations

import time
from collections.abc import Callable

from crisp_hornet.documents.acts import Ask
from crisp_hornet.documents.kinds import Frames
from crisp_hornet.link.errors import AnsweredNo, LineDead, LineGarbled
from crisp_hornet.link.lines.frames.codec import Codec, Frame
from crisp_hornet.link.transports import Transport

SILENT = "no answer came in time"
READ_BACK = "What it holds is read back before anything else is done."
AGAIN = "Check plug and power, then connect again."
LATE_TIMES, LEAST_LATE_S, MOST_LATE_S = 1.0, 0.6, 3.0  # how much longer a late answer is waited for
MOST_ANSWER_S = 5.0
SYNC_TRIES = 4
TRIES = 3
LONGEST_DRAIN_S = 1.0
MOST_PIECES = 256


class FramesWire:
    """Asks over any transport. ``heard``: which frames come unasked, ``sync``: a question that nothing else asks."""

    def __init__(
        self, transport: Transport, frames: Frames, answer_s: float, sync: Ask, heard: Ask | None = None
    ) -> None:
        self.transport, self.codec, self.answer_s = transport, Codec(frames), answer_s
        self._sync, self._heard = sync, heard
        self.troubles = 0
        self.last_heard: bytes | None = None  # what was in it
        self._came = b""
        self._frames: list[Frame] = []  # come and not yet looked at
        self._gone = False
        self._in_step = True
        self._last: tuple[int, bytes] | None = None  # the last question

    def ask(self, what: str, ask: Ask, data: bytes = b"", once: bool = False, moves: bool = False) -> bytes:
        """Ask, and give the answer's payload behind what it begins with. ``once``: never again by itself, because it changes something;
        ``moves``: what it asks for moves on by itself, so that it may be asked again and again.

        Raises :class:`~crisp_hornet.link.errors.LinkError`.
        """
        for tries_left in reversed(range(1 if once else TRIES)):
            try:
                return self._ask(what, ask, data, moves)
            except (LineDead, LineGarbled):
                if self._gone or not tries_left:
                    raise
        raise AssertionError("unreachable")

    def listen(self, what: str) -> bytes:
        """What the next unasked frame holds: one that comes from now on, not one that lay waiting."""
        self._drain(what)
        self.last_heard = None
        until = time.monotonic() + self.answer_s
        while self.last_heard is None:
            left = until - time.monotonic()
            if left <= 0:
                raise LineDead(what, "it sends none", "Check plug and power, then connect again.")
            self._pump(what, left)
        return self.last_heard

    def in_step(self) -> bool:
        """Ask what nothing else asks: whether its own answer comes, and nothing before it."""
        before = self.troubles
        try:
            self._ask("Asking once more", self._sync, b"", True)
        except AnsweredNo:
            pass
        except (LineDead, LineGarbled):
            if self._gone:
                raise
        return self.troubles == before

    def _ask(self, what: str, ask: Ask, data: bytes, moves: bool) -> bytes:
        if self._unasked(what):
            self._lost_step()
        question = (ask.command, ask.sent + data)
        if not self._in_step or (question == self._last and not moves):
            self._step_in(what)  # the same again: the first one's answer, come twice, must not pass for the second's
        self._last = question
        return self._answer_to(what, ask, data)

    def _answer_to(self, what: str, ask: Ask, data: bytes) -> bytes:
        """The answer to one question. A write is known to have been carried out by nothing less."""
        sent_at = time.monotonic()
        sent = self.codec.build(ask.command, ask.sent + data)
        self._send(what, sent)
        if self.codec.frames.echo:
            self._take_echo(what, sent)
            self._sort()  # the answer may have come along
        if ask.silent:
            return b""
        until = sent_at + self.answer_s
        while True:
            while self._frames:
                frame = self._frames.pop(0)
                if frame.command == ask.answered_by and frame.payload.startswith(ask.begins):
                    return frame.payload[len(ask.begins) :]
                self._refused(what, frame)
                self._lost_step()  # of an earlier question
            if (left := until - time.monotonic()) <= 0:
                break
            self._pump(what, left)
        self._lost_step()
        self._wait_for_the_late_one(what, sent_at)
        self._settle(what)
        raise LineDead(what, SILENT, AGAIN)

    def _refused(self, what: str, frame: Frame) -> None:
        refusal = self.codec.frames.refusal
        if refusal is None or frame.command != refusal.command:
            return
        code = frame.payload[0] if frame.payload else 0
        why = refusal.codes.get(str(code), f"it answered with refusal {code}")
        raise AnsweredNo(what, why, "Check wheel, throttle and value.", code)

    def _take_echo(self, what: str, sent: bytes) -> None:
        """What was sent comes back first; anything else in its place means that somebody spoke at the same time."""
        until = time.monotonic() + self.answer_s
        while len(self._came) < len(sent) and (left := until - time.monotonic()) > 0:
            self._came += self._receive(what, left)
        if not self._came.startswith(sent):
            self._lost_step()
            self._settle(what)
            raise LineGarbled(what, "what was sent did not come back as sent", READ_BACK)
        self._came = self._came[len(sent) :]

    # --- bytes --------------------------------------------------------------------------------------------------

    def _send(self, what: str, data: bytes) -> None:
        if self._gone:
            raise LineDead(what, "the connection was lost", "Connect again.")
        self._guarded(what, lambda: self.transport.send(data))

    def _receive(self, what: str, within_s: float) -> bytes:
        if self._gone:
            raise LineDead(what, "the connection was lost", "Connect again.")
        came = b""

        def receive() -> None:
            nonlocal came
            came = self.transport.receive(max(within_s, 0.0))

        self._guarded(what, receive)
        return came

    def _guarded(self, what: str, work: Callable[[], None]) -> None:
        try:
            work()
        except OSError as error:
            self.lose()
            raise LineDead(what, f"the port is gone ({error})", AGAIN) from None

    def _pump(self, what: str, within_s: float) -> bool:
        """Take what comes within a time apart into frames; unasked ones are put by. Whether anything came."""
        came = self._receive(what, within_s)
        self._came += came
        self._sort()
        return bool(came)

    def _sort(self) -> None:
        """What came, as frames."""
        while True:
            frame, used, faults = self.codec.take(self._came)
            self._came = self._came[used:]
            self.troubles += len(faults)
            if faults:
                self._in_step = False
            if frame is None:
                return
            heard = self._heard
            if heard is not None and frame.command == heard.command and frame.payload.startswith(heard.begins):
                self.last_heard = frame.payload[len(heard.begins) :]
            else:
                self._frames.append(frame)

    # --- in step ------------------------------------------------------------------------------------------------

    def _lost_step(self) -> None:
        self.troubles += 1
        self._in_step = False

    def _unasked(self, what: str) -> bool:
        """Whether something lies there that nobody waits for; it is thrown away."""
        self._drain(what)
        found = bool(self._frames)
        self._frames.clear()
        return found

    def _drain(self, what: str) -> None:
        """Take in what lies waiting."""
        for _ in range(MOST_PIECES):
            if not self._pump(what, 0.0):
                return

    def _step_in(self, what: str) -> None:
        """Ask who is there until its own answer comes: what was asked before is then answered or lost."""
        for _ in range(SYNC_TRIES):
            before = self.troubles
            try:
                self._answer_to(what, self._sync, b"")
            except AnsweredNo:
                pass
            if self.troubles == before:
                self._in_step = True
                return
            self._settle(what)
        raise LineGarbled(what, "its answers do not follow the questions", "Check the lead, then connect again.")

    def _wait_for_the_late_one(self, what: str, asked_at: float) -> None:
        """Listen on after a time-out, throw the late answer away, and from then on allow as much time as it took, and half more."""
        until = time.monotonic() + min(max(LATE_TIMES * self.answer_s, LEAST_LATE_S), MOST_LATE_S)
        while (left := until - time.monotonic()) > 0:
            self._pump(what, left)
            if self._frames:
                self._frames.clear()
                took = time.monotonic() - asked_at
                self.answer_s = min(max(self.answer_s, 1.5 * took + 0.1), MOST_ANSWER_S)
                return

    def _settle(self, what: str) -> None:
        """Stay silent until the line is quiet; unasked frames are no noise."""
        give_up = time.monotonic() + LONGEST_DRAIN_S
        quiet_since = time.monotonic()
        while time.monotonic() - quiet_since < self.transport.quiet_s and time.monotonic() < give_up:
            before = self.troubles
            self._pump(what, self.transport.quiet_s / 4)
            if self._frames or self.troubles != before:
                self._frames.clear()
                quiet_since = time.monotonic()
        self._came = b""

    def lose(self) -> None:
        """The transport is gone and stays gone."""
        self._gone = True
        self.transport.close()

    @property
    def gone(self) -> bool:
        """Whether it was lost."""
        return self._gone
