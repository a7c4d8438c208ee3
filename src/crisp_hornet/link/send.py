"""Write a difference to the controller, read everything back, and prove it equal.

First everything is read again: if somebody else changed something meanwhile, nothing is written. Before every register
the gate must be open. Each write is read back on its own; at the first failure what was written is taken back as far
as the line allows, and the report says for each register what the controller holds, or that it is not known. At the end
the whole is read back in runs of another length than at first contact, so that no stale answer can pass for proof;
after keeping once more, because a controller that restarted in between would have kept the earlier values.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from enum import Enum

from crisp_hornet.documents.settings import choices
from crisp_hornet.link.contact import Contact, Raws, read_live, read_raws, readable
from crisp_hornet.link.difference import Change, said
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.gate import Gate, Stopped
from crisp_hornet.link.marker import Journal, Marker, NoJournal

PROOF_RUN = 7  # another length than the 40 of first contact
REST_TRIES = 5
SENSORS = ("throttle", "torque", "position", "direction")


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
    """How far something is: ``done`` of ``total`` steps, and the step in words."""

    done: int
    total: int
    text: str


@dataclass(frozen=True)
class Plan:
    """What to send: the changes in the order to write them, how long they are to last, and what was confirmed for sensors."""

    changes: list[Change]
    keep: bool
    wheel_up: bool = False


def trial_refusal(changes: list[Change]) -> str:
    """Why these changes cannot be tried until power-off, or "".

    A brown-out while riding throws a trial back to the kept values. That must be harmless at speed: the kept ones may only ask
    for less, and nothing may fall back that steers sensors, weakening or braking.
    """
    for change in changes:
        name, label = change.register.name, change.register.label
        if change.register.is_calibration:
            return f"{label} belongs to the sensors: it is kept, never tried"
        if name == "drive.field_weakening_a":
            return "field weakening that falls away at speed brakes hard: it is kept, never tried"
        if name.startswith("regen."):
            return f"{label}: braking that changes while you ride is not tried"
        if choices(name) or name.startswith("modes.") or name.endswith(".count"):
            return f"{label}: what a twist or a stroke does is not to change while you ride; it is kept, never tried"
        if change.register.needs_power_cycle:
            return f"{label} only counts after power-off: it is kept, never tried"
        if change.eases:
            return f"a brown-out while riding would bring the stronger {said(change.register, change.before)} of {label} back"
    return ""


def needs_inhibit(changes: list[Change]) -> bool:
    """Whether a change could make the bike jump: throttle, torque or position sensor, direction."""
    return any(
        change.register.name.startswith("throttle.")
        or (change.register.is_calibration and any(word in change.register.name for word in SENSORS))
        for change in changes
    )


def send(
    contact: Contact,
    plan: Plan,
    progress: Callable[[Progress], None],
    cancelled: Callable[[], bool],
    journal: Journal | None = None,
) -> Report:
    """Write the plan and prove it. Never raises for what the line or the controller does; see the report."""
    return _Send(contact, plan, progress, cancelled, journal or NoJournal()).run()


class _Send:
    def __init__(
        self,
        contact: Contact,
        plan: Plan,
        progress: Callable[[Progress], None],
        cancelled: Callable[[], bool],
        journal: Journal,
    ) -> None:
        self._contact, self._plan, self._changes = contact, plan, plan.changes
        self._progress, self._journal = progress, journal
        self._gate = Gate(contact, cancelled)
        self._registers = [one for one in readable(contact.map, contact.identity.firmware) if one.name in contact.raws]
        self._held = {change.register.name: Held.OLD for change in self._changes}
        self._strange: dict[str, float | None] = {}  # values read that are neither old nor new
        self._step = 0
        self._holding_off = False

    def run(self) -> Report:
        refusal = self._refusal()
        if refusal:
            return Report(Outcome.REFUSED, refusal, self._held)
        written: list[Change] = []
        self._journal.begin(Marker.of(self._contact, self._changes, self._plan.keep))
        try:
            self._hold_off()
            for change in self._changes:
                self._say(f"writing {change.in_words()}")
                self._gate.check()
                self._held[change.register.name] = Held.UNKNOWN
                written.append(change)
                self._write_and_read(change, change.raw_after)
                self._held[change.register.name] = Held.NEW
            self._say("reading everything back")
            compared = self._prove(PROOF_RUN)
            self._let_go()
        except Stopped as stopped:
            return self._undone(written, Outcome.STOPPED, str(stopped))
        except LinkError as error:
            return self._undone(written, Outcome.NOT_PROVED, str(error))
        self._contact.raws.update({change.register.name: change.raw_after for change in self._changes})
        report = self._kept(compared) if self._plan.keep else self._running(compared)
        self._close(report)
        return report

    def _running(self, compared: int) -> Report:
        proved = f"Proved equal: {compared} of {compared} read back as meant"
        return Report(Outcome.PROVED, f"{proved}, running until power-off.", self._held, False, compared)

    def _kept(self, compared: int) -> Report:
        self._say("keeping it over power-off")
        try:
            self._keep()
        except (LinkError, Stopped) as error:
            for change in self._changes:  # it may have restarted: what it said before no longer counts
                self._held[change.register.name] = self._look(change)
            why = f"{str(error).rstrip('.')}. The new values ran and read back as meant, but whether they outlast power-off is not known. "
            return Report(Outcome.NOT_PROVED, why + self._after_keeping(), self._held, False, compared)
        later = [change.register.label for change in self._changes if change.register.needs_power_cycle]
        after = (
            f" Switch it off and on: only then {', '.join(later)} count{'s' if len(later) == 1 else ''}."
            if later
            else ""
        )
        proved = f"Proved equal: {compared} of {compared} read back as meant, kept over power-off."
        return Report(Outcome.PROVED, proved + after, self._held, True, compared)

    def _after_keeping(self) -> str:
        """What the registers hold when keeping failed."""
        states = set(self._held.values())
        if states == {Held.NEW}:
            return "They run now; connect again after the next power-off and read what it holds."
        if states == {Held.OLD}:
            return "The controller holds what it held before: it restarted meanwhile."
        named = [
            self._unknown_in_words(one)
            if self._held[one.register.name] is Held.UNKNOWN
            else f"{one.register.label} {self._held[one.register.name].value}"
            for one in self._changes
        ]
        return f"Now: {'; '.join(named)}. Do not ride before it has been read again."

    def _say(self, text: str) -> None:
        self._progress(Progress(self._step, len(self._changes) + 2 + self._plan.keep, text))
        self._step += 1

    # --- before ---------------------------------------------------------------------------------------------

    def _refusal(self) -> str:
        """Why nothing is written at all, or "". Reads everything again: somebody else may have been at work."""
        if not self._plan.keep and (why := trial_refusal(self._changes)):
            return f"Not on trial: {why}. Nothing was written."
        if needs_inhibit(self._changes) and self._contact.map.inhibit is None and not self._plan.wheel_up:
            return (
                "This controller cannot hold the motor off while its sensors change. Lift the wheel, keep clear, and confirm it. "
                "Nothing was written."
            )
        self._say("reading what it holds now")
        try:
            now = read_raws(self._contact.line, self._contact.map, self._registers)
        except LinkError as error:
            return f"{str(error).rstrip('.')}. Nothing was written."
        others = [
            one for one in self._registers if one.access == "rw" and now[one.name] != self._contact.raws[one.name]
        ]
        if not others:
            return ""
        told = "; ".join(
            f"{one.label} {said(one, one.decode(self._contact.raws[one.name]))} to {said(one, one.decode(now[one.name]))}"
            for one in others[:4]
        )
        self._contact.raws.update(now)
        return (
            f"Somebody else changed the controller since it was read (a display, another program, a restart): {told}. Nothing "
            "was written; look at the difference again."
        )

    def _hold_off(self) -> None:
        """Keep the motor off while sensor registers change."""
        inhibit = self._contact.map.inhibit
        if inhibit is None or not needs_inhibit(self._changes):
            return
        self._gate.check()
        self._contact.line.write(inhibit.address, [inhibit.on])
        self._holding_off = True
        if read_live(self._contact).values[inhibit.state] != 1:
            raise LinkError("Holding the motor off", "the controller does not confirm it", "Nothing was written.")

    def _let_go(self) -> None:
        """Let the motor go again, once throttle and torque sensor read rest with the new values."""
        inhibit = self._contact.map.inhibit
        if inhibit is None or not self._holding_off:
            return
        self._say("waiting for throttle and torque sensor at rest")
        why = ""
        for _ in range(REST_TRIES):
            if not (why := self._gate.at_rest()):
                break
        if why:
            raise Stopped(f"The motor was held off, because {why}")
        self._contact.line.write(inhibit.address, [inhibit.off])
        self._holding_off = False

    # --- writing and proving --------------------------------------------------------------------------------

    def _write_and_read(self, change: Change, raw: int) -> None:
        register, what = change.register, f"Writing {change.register.label}"
        words = self._contact.map.words_of(register, raw)
        try:
            self._contact.line.write(register.address, words)
        except LinkError as error:  # the line knows addresses; a builder knows names
            raise LinkError(what, error.why, error.mend) from error
        if self._contact.line.read_settings(register.address, register.words) != words:
            raise LinkError(
                what,
                "it reads back differently from what was written",
                "Read the controller again before you ride.",
            )

    def _prove(self, longest: int) -> int:
        """Everything equal to what it should be. Raises :class:`LinkError` naming the first that is not."""
        expected: Raws = self._contact.raws | {change.register.name: change.raw_after for change in self._changes}
        found = read_raws(self._contact.line, self._contact.map, self._registers, longest)
        for one in self._registers:
            if one.access == "rw" and found[one.name] != expected[one.name]:
                raise LinkError(
                    "Proof", f"{one.label} reads back differently", "Something else may be changing the controller."
                )
        return len(self._registers)

    def _keep(self) -> None:
        self._gate.check()
        keep = self._contact.map.keep
        self._journal.keeping()
        lost: LinkError | None = None
        try:
            self._contact.line.write(keep.address, [keep.word])
        except LinkError as error:  # it may have been kept all the same: the live value tells
            lost = error
        if read_live(self._contact).values[keep.unkept] != 0:
            raise lost or LinkError(
                "Keeping", "the controller does not confirm it", "After power-off it may hold the earlier values."
            )
        self._prove(PROOF_RUN + 2)

    # --- when it fails --------------------------------------------------------------------------------------

    def _undone(self, written: list[Change], outcome: Outcome, why: str) -> Report:
        """Take back what was written, newest first, and say what each register holds now."""
        for change in reversed(written):
            name = change.register.name
            try:
                self._write_and_read(change, change.raw_before)
                self._held[name] = Held.OLD
            except LinkError:
                self._held[name] = self._look(change)
        still_off = self._release()
        report = Report(outcome, f"{why.rstrip('.')}. {self._state_in_words()}{still_off}", self._held)
        self._close(report)
        return report

    def _release(self) -> str:
        inhibit = self._contact.map.inhibit
        if not self._holding_off or inhibit is None:
            return ""
        try:
            self._contact.line.write(inhibit.address, [inhibit.off])
        except LinkError:
            return " The motor may still be held off: switch the controller off and on."
        return ""

    def _close(self, report: Report) -> None:
        """The marker goes when every register is known to be all old or all new; otherwise the next contact resolves it."""
        states = set(self._held.values())
        if report.outcome is Outcome.PROVED or states <= {Held.OLD}:
            self._journal.end()

    def _look(self, change: Change) -> Held:
        register = change.register
        try:
            raw = self._contact.map.raw_of(self._contact.line.read_settings(register.address, register.words))
        except LinkError:
            return Held.UNKNOWN
        self._contact.raws[register.name] = raw
        held = {change.raw_before: Held.OLD, change.raw_after: Held.NEW}.get(raw, Held.UNKNOWN)
        if held is Held.UNKNOWN:
            self._strange[register.name] = register.decode(raw)
        return held

    def _state_in_words(self) -> str:
        unknown = [change for change in self._changes if self._held[change.register.name] is Held.UNKNOWN]
        new = [change for change in self._changes if self._held[change.register.name] is Held.NEW]
        if not unknown and not new:
            return "The controller holds what it held before."
        parts = [self._unknown_in_words(change) for change in unknown]
        parts += [f"{c.register.label} holds the new {said(c.register, c.after)}" for c in new]
        text = "; ".join(parts)
        return (
            text[0].upper() + text[1:] + ". Do not ride before it has been read again. Nothing was kept: switched off "
            "and on, it holds the earlier values."
        )

    def _unknown_in_words(self, change: Change) -> str:
        register, name = change.register, change.register.name
        before, after = said(register, change.before), said(register, change.after)
        if name in self._strange:
            return f"{register.label} reads {said(register, self._strange[name])}, neither the old {before} nor the new {after}"
        return f"{register.label} is not known: {before} or {after}"
