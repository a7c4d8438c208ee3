"""Write a difference to the controller, read everything back, and prove it equal.

Before every register the bike must stand still with the throttle closed. Each write is read back on its own; at
the first failure what was written is taken back as far as the line allows, and the report says for each
register what the controller holds, or that it is not known. At the end the whole settings block is read back in
runs of another length than at first contact, so that no stale answer can pass for proof.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import Enum

from crisp_hornet.link.contact import Contact, read_live, runs
from crisp_hornet.link.difference import Change, shown
from crisp_hornet.link.errors import LinkError

STILL_KMH = 0.5
CLOSED_THROTTLE = 0.03
PROOF_RUN = 7  # another length than the 40 of first contact


class Held(Enum):
    """What a register is known to hold."""

    OLD = "as before"
    NEW = "the new value"
    UNKNOWN = "not known"


class Outcome(Enum):
    """How a send ended."""

    PROVED = "proved"
    REFUSED = "refused"
    NOT_PROVED = "not proved"
    STOPPED = "stopped"


@dataclass
class Report:
    """How a send ended, in plain words, and what each changed register holds."""

    outcome: Outcome
    message: str
    held: dict[str, Held] = field(default_factory=dict)
    kept: bool = False
    compared: int = 0


@dataclass
class Progress:
    """How far a send is: ``done`` of ``total`` steps, and the step in words."""

    done: int
    total: int
    text: str


class _Stopped(Exception):
    """Standstill lost, or the user stopped: said in the text."""


def send(
    contact: Contact,
    changes: list[Change],
    keep: bool,
    progress: Callable[[Progress], None],
    cancelled: Callable[[], bool],
) -> Report:
    """Write ``changes`` and prove them. Never raises for what the line or the controller does; see the report."""
    return _Send(contact, changes, keep, progress, cancelled).run()


class _Send:
    def __init__(
        self,
        contact: Contact,
        changes: list[Change],
        keep: bool,
        progress: Callable[[Progress], None],
        cancelled: Callable[[], bool],
    ) -> None:
        self._contact, self._changes, self._keep = contact, changes, keep
        self._progress, self._cancelled = progress, cancelled
        self._held = {change.register.name: Held.OLD for change in changes}
        self._strange: dict[str, float | None] = {}  # values read that are neither old nor new
        self._step = 0

    def run(self) -> Report:
        written: list[Change] = []
        try:
            for change in self._changes:
                self._say(f"writing {change.in_words()}")
                self._check_standstill()
                self._held[change.register.name] = Held.UNKNOWN
                written.append(change)
                self._write_and_read(change, change.word_after)
                self._held[change.register.name] = Held.NEW
            self._say("reading everything back")
            compared = self._prove()
        except _Stopped as stopped:
            return self._undone(written, Outcome.STOPPED, str(stopped))
        except LinkError as error:
            return self._undone(written, Outcome.NOT_PROVED, str(error))
        for change in self._changes:
            self._contact.words[change.register.address] = change.word_after
        proved = f"Proved equal: {compared} of {compared} settings read back as meant"
        if not self._keep:
            return Report(Outcome.PROVED, f"{proved}, running until power-off.", self._held, False, compared)
        self._say("keeping it over power-off")
        try:
            self._keep_and_check()
        except (LinkError, _Stopped) as error:
            return Report(
                Outcome.NOT_PROVED,
                f"{str(error).rstrip('.')}. The new values run and read back as meant, but "
                "whether they outlast power-off is not known.",
                self._held,
                False,
                compared,
            )
        return Report(Outcome.PROVED, f"{proved}, kept over power-off.", self._held, True, compared)

    def _say(self, text: str) -> None:
        self._progress(Progress(self._step, len(self._changes) + 1 + self._keep, text))
        self._step += 1

    def _check_standstill(self) -> None:
        if self._cancelled():
            raise _Stopped("You stopped it")
        live = read_live(self._contact).values
        if live.get("wheel_speed_kmh", 0.0) > STILL_KMH or abs(live.get("motor_rpm", 0.0)) > 3:
            raise _Stopped("The wheel turns; a controller is only written to at standstill")
        if live.get("throttle", 0.0) > CLOSED_THROTTLE:
            raise _Stopped("The throttle is open; close it")

    def _write_and_read(self, change: Change, word: int) -> None:
        address, what = change.register.address, f"Writing {change.register.label}"
        try:
            self._contact.line.write(address, word)
        except LinkError as error:  # the line knows addresses; a builder knows names
            raise LinkError(what, error.why, error.mend) from error
        if self._contact.line.read_settings(address, 1) != [word]:
            raise LinkError(
                what,
                "it reads back differently from what was written",
                "Read the controller again before you ride.",
            )

    def _prove(self) -> int:
        expected = dict(self._contact.words)
        expected.update({change.register.address: change.word_after for change in self._changes})
        for first, count in runs(list(expected), PROOF_RUN):
            for offset, word in enumerate(self._contact.line.read_settings(first, count)):
                if word != expected[first + offset]:
                    name = next(one.label for one in self._contact.map.register_list if one.address == first + offset)
                    raise LinkError(
                        "Proof", f"{name} reads back differently", "Something else may be changing the controller."
                    )
        return len(expected)

    def _keep_and_check(self) -> None:
        self._check_standstill()
        keep = self._contact.map.keep
        self._contact.line.write(keep.address, keep.word)
        if read_live(self._contact).values[keep.unkept] != 0:
            raise LinkError(
                "Keeping", "the controller does not confirm it", "After power-off it may hold the earlier values."
            )

    def _undone(self, written: list[Change], outcome: Outcome, why: str) -> Report:
        """Take back what was written, newest first, and say what each register holds now."""
        for change in reversed(written):
            name, address = change.register.name, change.register.address
            try:
                self._write_and_read(change, change.word_before)
                self._held[name] = Held.OLD
            except LinkError:
                self._held[name] = self._look(address, change)
        return Report(outcome, f"{why.rstrip('.')}. {self._state_in_words()}", self._held)

    def _look(self, address: int, change: Change) -> Held:
        try:
            word = self._contact.line.read_settings(address, 1)[0]
        except LinkError:
            return Held.UNKNOWN
        self._contact.words[address] = word
        held = {change.word_before: Held.OLD, change.word_after: Held.NEW}.get(word, Held.UNKNOWN)
        if held is Held.UNKNOWN:
            self._strange[change.register.name] = change.register.decode(word)
        return held

    def _state_in_words(self) -> str:
        unknown = [change for change in self._changes if self._held[change.register.name] is Held.UNKNOWN]
        new = [change for change in self._changes if self._held[change.register.name] is Held.NEW]
        if not unknown and not new:
            return "The controller holds what it held before."
        parts = [self._unknown_in_words(change) for change in unknown]
        parts += [f"{c.register.label} holds the new {shown(c.after, c.register.unit)}" for c in new]
        text = "; ".join(parts)
        return (
            text[0].upper() + text[1:] + ". Do not ride before it has been read again. Nothing was kept: switched off "
            "and on, it holds the earlier values."
        )

    def _unknown_in_words(self, change: Change) -> str:
        register, name = change.register, change.register.name
        before, after = shown(change.before, register.unit), shown(change.after, register.unit)
        if name in self._strange:
            return f"{register.label} reads {shown(self._strange[name], register.unit)}, neither the old {before} nor the new {after}"
        return f"{register.label} is not known: {before} or {after}"
