"""Write a difference to the controller, read everything back, and prove it equal.

First it is asked again who answers, and everything is read again: if it is another controller, or somebody else changed
something meanwhile, nothing is written. Before every register the gate must be open. Each write is read back on its own; at the
first failure, whatever it is, what was written is taken back as far as the line allows, and the report says for each register
what the controller holds, or that it is not known. At the end the whole is read back in runs of another length than at first
contact, twice and a settling time apart, so that neither a stale answer nor a register that lags can pass for proof; after
keeping once more, because a controller that restarted in between would have kept the earlier values.

That it is kept is only claimed where the controller was seen to say "not kept" after the writes and "kept" after keeping.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from itertools import chain, islice

from crisp_hornet.documents.acts import Act
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.register import Register
from crisp_hornet.link.contact import Contact, read_live, read_raws, readable
from crisp_hornet.link.difference import Change, said
from crisp_hornet.link.errors import LinkError, WrongDevice
from crisp_hornet.link.gate import Gate, Stopped
from crisp_hornet.link.line import Raws
from crisp_hornet.link.marker import Journal, Marker, NoJournal
from crisp_hornet.link.plan import Plan, needs_inhibit, trial_refusal
from crisp_hornet.link.report import Held, Kept, Outcome, Progress, Report, refused

PROOF_RUN = 7  # another length than the 40 of first contact
STEADY_TRIES = 4
REST_TRIES = 5
UNDO_TRIES = 2
POLLS = 6  # looks within a settling time
LEFT_OFF = " The motor is still disabled: {why}. Enable it on Hook-up, or with faults --release, once throttle and pedals are at rest."


def send(
    contact: Contact,
    plan: Plan,
    progress: Callable[[Progress], None],
    cancelled: Callable[[], bool],
    journal: Journal | None = None,
) -> Report:
    """Write the plan and prove it. What the line, the controller or the disk do ends in the report. For anything else that
    fails, what was written is taken back first. Sessions call this: they know whether it may be done at all."""
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
        self._gate = Gate(contact, cancelled, cures_throttle=plan.cures_throttle)
        self._registers = [one for one in readable(contact.map, contact.identity.firmware) if one.name in contact.raws]
        self._held = {change.register.name: Held.OLD for change in self._changes}
        self._written: list[list[Change]] = []  # as they went into writes
        self._strange: dict[str, float | None] = {}  # values read that are neither old nor new
        self._step = 0
        self._holding_off = False
        self._keeping = False  # from here on the keep command may have been given

    def run(self) -> Report:
        refusal = self._refusal()
        if refusal:
            return Report(Outcome.REFUSED, refusal, self._held)
        try:
            self._journal.begin(Marker.of(self._contact, self._changes, self._plan.keep, self._keeps_at_once))
        except (DocumentError, OSError) as error:
            return Report(
                Outcome.REFUSED,
                f"No marker could be left on the disk: {_flat(error)}. Nothing was written.",
                self._held,
            )
        try:
            report = self._run()
        except Stopped as stopped:
            return self._undone(Outcome.STOPPED, str(stopped))
        except (LinkError, DocumentError, OSError) as error:
            return self._failed(_flat(error))
        except Exception:  # whatever it is: a bike must not be left half written
            self._failed("something unforeseen happened")
            raise
        self._close(report)
        return report

    def _run(self) -> Report:
        self._hold_off()
        for changes in self._groups():
            self._say(f"writing {', '.join(change.in_words() for change in changes)}")
            self._gate.check()
            self._same_controller()
            self._held.update({change.register.name: Held.UNKNOWN for change in changes})
            self._written.append(changes)
            self._write_and_read([(change.register, change.raw_after) for change in changes])
            self._held.update({change.register.name: Held.NEW for change in changes})
        self._say("reading everything back")
        self._same_controller()
        compared = self._prove(PROOF_RUN)
        self._let_go()
        self._contact.raws.update({change.register.name: change.raw_after for change in self._changes})
        return self._keep(compared) if self._plan.keep else self._running(compared)

    def _groups(self) -> list[list[Change]]:
        """The changes in their order, those together that this line writes at once."""
        counts = iter(self._changes)
        registers = [change.register for change in self._changes]
        return [list(islice(counts, count)) for count in self._contact.line.together(registers)]

    def _failed(self, why: str) -> Report:
        return self._after_keeping(why) if self._keeping else self._undone(Outcome.NOT_PROVED, why)

    def _running(self, compared: int) -> Report:
        proved = f"Proved: {compared} of {compared} read back as sent"
        return Report(Outcome.PROVED, f"{proved}, active until power-off.", self._held, Kept.NO, compared)

    def _say(self, text: str) -> None:
        try:
            self._progress(Progress(self._step, len(self._changes) + 2 + self._plan.keep, text))
        except OSError:
            self._progress = _nobody  # whoever listened is gone; what was begun is ended all the same
        self._step += 1

    # --- before ---------------------------------------------------------------------------------------------

    def _refusal(self) -> str:
        """Why nothing is written at all, or "". Asks who is there and reads everything again: somebody else may have been at work."""
        if not self._plan.keep and (why := trial_refusal(self._changes, self._contact.map.can_try)):
            return f"Not on trial: {why}. Nothing was written."
        if needs_inhibit(self._changes) and self._contact.map.inhibit is None and not self._plan.wheel_up:
            return (
                "This controller cannot disable its motor while its sensors change. Lift the wheel, keep clear, and confirm it. "
                "Nothing was written."
            )
        self._say("reading what it holds now")
        try:
            self._same_controller()
            now = read_raws(self._contact.line, self._registers)
        except LinkError as error:
            return f"{_flat(error)}. Nothing was written."
        others = [
            register
            for register in self._registers
            if register.access == "rw" and now[register.name] != self._contact.raws[register.name]
        ]
        if not others:
            return ""
        told = "; ".join(
            f"{other.label} {said(other, other.decode(self._contact.raws[other.name]))} to {said(other, other.decode(now[other.name]))}"
            for other in others[:4]
        )
        self._contact.raws.update(now)
        return (
            f"Settings changed since they were read (display, other program, restart): {told}. Nothing "
            "was written; look at the difference again."
        )

    def _same_controller(self) -> None:
        """Raises :class:`LinkError` where another controller answers than at first contact."""
        same_controller(self._contact)

    def _hold_off(self) -> None:
        """Keep the motor off while sensor registers change."""
        inhibit = self._contact.map.inhibit
        if inhibit is None or not needs_inhibit(self._changes):
            return
        self._gate.check(before_held_off=True)
        self._holding_off = True
        self._contact.line.act(Act.HOLD_OFF)
        if not self._comes_true(lambda live: live[inhibit.state] == 1):
            raise LinkError("Holding the motor off", "the controller does not confirm it", "No setting was written.")

    def _let_go(self) -> None:
        """Let the motor go again, once throttle and torque sensor read rest with the new values."""
        if not self._holding_off:
            return
        self._say("waiting for throttle and torque sensor at rest")
        why = ""
        for _ in range(REST_TRIES):
            if not (why := self._gate.at_rest()):
                break
        if why:
            raise Stopped(f"The motor was disabled, because {why}")
        self._enable()

    def _enable(self) -> None:
        """Give the motor free, and see it. Raises :class:`LinkError`."""
        inhibit = self._contact.map.inhibit
        assert inhibit is not None
        self._contact.line.act(Act.ENABLE)
        if not self._comes_true(lambda live: live[inhibit.state] == 0):
            raise LinkError("Enabling the motor", "the controller does not confirm it", "Power it off and on.")
        self._same_controller()  # another one that answers now was never held off
        self._holding_off = False

    def _comes_true(self, fits: Callable[[dict[str, float]], bool]) -> bool:
        """Whether the live values say so within a settling time."""
        for looks_left in reversed(range(POLLS)):
            if fits(read_live(self._contact).values):
                return True
            if looks_left:
                time.sleep(self._contact.line.settle_s / POLLS)
        return False

    # --- writing and proving --------------------------------------------------------------------------------

    def _write_and_read(self, values: list[tuple[Register, int]]) -> None:
        line, what = self._contact.line, f"Writing {', '.join(one.label for one, _ in values)}"
        try:
            line.write(values)
        except LinkError as error:  # the line knows places; a builder knows names
            raise LinkError(what, error.why, error.mend) from error
        wanted = {register.name: raw for register, raw in values}
        for looks_left in reversed(range(POLLS)):
            if line.read([register for register, _ in values]) == wanted:
                return
            if looks_left:
                time.sleep(line.settle_s / POLLS)
        raise LinkError(
            what,
            "it reads back differently from what was written",
            "Read the controller again before you ride.",
        )

    def _steady(self, longest: int) -> Raws:
        """What everything holds, once two readings a settling time apart agree. Raises :class:`LinkError`."""
        line = self._contact.line
        found = read_raws(line, self._registers, longest)
        for _ in range(STEADY_TRIES):
            time.sleep(line.settle_s)
            again = read_raws(line, self._registers, longest + 2, backwards=True)
            if all(
                again[register.name] == found[register.name] for register in self._registers if register.access == "rw"
            ):
                return again
            found = again
        raise LinkError("Proof", "what it holds goes on changing", "Something else may be changing the controller.")

    def _prove(self, longest: int) -> int:
        """Everything equal to what it should be. Raises :class:`LinkError` naming the first that is not."""
        expected: Raws = self._contact.raws | {change.register.name: change.raw_after for change in self._changes}
        found = self._steady(longest)
        for register in self._registers:
            if register.access == "rw" and found[register.name] != expected[register.name]:
                raise LinkError(
                    "Proof",
                    f"{register.label} reads back differently",
                    "Something else may be changing the controller.",
                )
        return len(self._registers)

    # --- keeping --------------------------------------------------------------------------------------------

    def _keep(self, compared: int) -> Report:
        if self._keeps_at_once:  # what was written is stored already, says the description; only a power cycle shows it
            return self._kept(compared, Kept.SAID)
        self._say("making it permanent")
        unkept = self._contact.map.unkept
        self._gate.check()
        self._same_controller()
        rose = unkept is not None and self._comes_true(lambda live: live[unkept] == 1)
        self._journal.keeping()
        self._gate.check()  # the last moment to be stopped
        self._keeping = True
        lost: LinkError | None = None
        try:
            self._contact.line.act(Act.KEEP)
        except LinkError as error:  # it may have been kept all the same: the live value tells
            lost = error
        if unkept is None:
            if lost is not None:
                raise lost
        elif not self._comes_true(lambda live: live[unkept] == 0):
            raise lost or LinkError(
                "Keeping", "the controller does not confirm it", "After power-off it may hold the earlier values."
            )
        self._same_controller()
        self._prove(PROOF_RUN + 2)
        return self._kept(compared, Kept.SEEN if rose and lost is None else Kept.SAID)

    @property
    def _keeps_at_once(self) -> bool:
        keep = self._contact.map.keep
        return keep is not None and keep.at_once

    def _kept(self, compared: int, kept: Kept) -> Report:
        later = [change.register.label for change in self._changes if change.register.needs_power_cycle]
        counts = f"{', '.join(later)} count{'s' if len(later) == 1 else ''}"
        after = f" Switch it off and on: only then {counts}." if later else ""
        proved = f"Proved: {compared} of {compared} read back as sent"
        words = ", permanent." if kept is Kept.SEEN else f". Permanent {self._as_far_as()}: prove it by a power cycle."
        return Report(Outcome.PROVED, proved + words + after, self._held, kept, compared)

    def _as_far_as(self) -> str:
        """By what it is believed to be permanent, where that was not seen."""
        if self._keeps_at_once:
            return "as far as its description says: this controller stores what is written at once"
        if self._contact.map.unkept is None:
            return "as far as the controller answered: it does not report what is stored"
        return "as far as the controller reports, which it reported before too"

    def _after_keeping(self, why: str) -> Report:
        """Keeping failed: it may have restarted, and what it said before no longer counts."""
        if self._other_answers():
            return self._lost_sight(why)
        for change in self._changes:
            self._held[change.register.name] = self._look(change)
        why = f"{why}. The new values were active and read back as sent, but they may be lost at power-off. "
        report = Report(Outcome.NOT_PROVED, why + self._found_after_keeping() + self._release(), self._held)
        report.held_off = self._holding_off
        self._close(report)
        return report

    def _found_after_keeping(self) -> str:
        states = set(self._held.values())
        if states == {Held.NEW}:
            return "They are active now; connect again after a power cycle and read what the controller holds."
        if states == {Held.OLD}:
            return "The controller holds what it held before: it restarted meanwhile."
        named = [
            self._unknown_in_words(change)
            if self._held[change.register.name] is Held.UNKNOWN
            else f"{change.register.label} {self._held[change.register.name].value}"
            for change in self._changes
        ]
        return f"Now: {'; '.join(named)}. Do not ride until the controller has been read again."

    # --- when it fails --------------------------------------------------------------------------------------

    def _undone(self, outcome: Outcome, why: str) -> Report:
        """Take back what was written, newest first, and say what each register holds once that has settled."""
        if other := self._other_answers():
            return self._lost_sight(why if other in why else f"{why}. {other}")
        self._hold_off_again()
        for changes in reversed(self._written):
            held = Held.OLD if self._taken_back(changes) else Held.UNKNOWN
            self._held.update({change.register.name: held for change in changes})
        if self._written:
            self._look_again()
        report = Report(outcome, f"{why.rstrip('.')}. {self._state_in_words()}{self._release()}", self._held)
        report.held_off = self._holding_off
        self._close(report)
        return report

    def _other_answers(self) -> str:
        """Whether another controller answers now, in words: then nothing more is written, least of all what belongs to this one."""
        try:
            self._same_controller()
        except WrongDevice as error:
            return _flat(error)
        except LinkError:
            pass  # nobody answers: the attempts to take it back will tell
        return ""

    def _lost_sight(self, why: str) -> Report:
        """The controller that was written to is not there any more."""
        for change in chain.from_iterable(self._written):
            self._held[change.register.name] = Held.UNKNOWN
        still_off = " Its motor may still be disabled: power it off and on." if self._holding_off else ""
        report = Report(Outcome.NOT_PROVED, f"{why.rstrip('.')}. {self._state_in_words()}{still_off}", self._held)
        report.held_off = self._holding_off
        self._close(report)
        return report

    def _hold_off_again(self) -> None:
        """Sensors that go back need the motor off as much as sensors that change."""
        inhibit = self._contact.map.inhibit
        if inhibit is not None and self._written and needs_inhibit(self._changes) and not self._holding_off:
            self._holding_off = True
            try:
                self._contact.line.act(Act.HOLD_OFF)
            except LinkError:
                pass  # the values go back all the same; whether it is held off is asked when it is given free

    def _taken_back(self, changes: list[Change]) -> bool:
        for _ in range(UNDO_TRIES):
            try:
                self._write_and_read([(change.register, change.raw_before) for change in changes])
            except LinkError:
                continue
            return True
        return False

    def _look_again(self) -> None:
        """What the written registers hold for good: a write that shows late must not pass for one that was taken back."""
        try:
            self._steady(PROOF_RUN + 4)
        except LinkError:
            pass  # each is looked at by itself, and what cannot be read is not known
        for change in chain.from_iterable(self._written):
            self._held[change.register.name] = self._look(change)

    def _release(self) -> str:
        """Give the motor free: where all is as before, or throttle and torque sensor read rest with what is not. What is to be said where
        that fails, or must not be."""
        if not self._holding_off:
            return ""
        as_before = set(self._held.values()) <= {Held.OLD}
        try:
            why = "" if as_before else self._gate.at_rest()
            if not why:
                self._enable()
                return ""
        except (LinkError, Stopped) as error:
            why = _flat(error)
        return LEFT_OFF.format(why=why)

    def _close(self, report: Report) -> None:
        """The marker goes when every register is known to be all old or all new, and the motor is free; otherwise the next contact
        resolves it."""
        if report.held_off or not (report.outcome is Outcome.PROVED or set(self._held.values()) <= {Held.OLD}):
            return
        try:
            self._journal.end()
        except OSError as error:
            report.message += (
                f" Its marker could not be taken off the disk ({_flat(error)}): the next connection will ask about it."
            )

    def _look(self, change: Change) -> Held:
        register = change.register
        try:
            raw = read_raws(self._contact.line, [register])[register.name]
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
        kept = "Nothing was stored: a power cycle restores the old values."
        if self._keeping:
            kept = "Whether it was stored is not known."
        if self._keeps_at_once:
            kept = "This controller stores what is written at once."
        return f"{text[0].upper()}{text[1:]}. Do not ride until the controller has been read again. {kept}"

    def _unknown_in_words(self, change: Change) -> str:
        register, name = change.register, change.register.name
        before, after = said(register, change.before), said(register, change.after)
        if name in self._strange:
            return f"{register.label} reads {said(register, self._strange[name])}, neither the old {before} nor the new {after}"
        return f"{register.label} is not known: {before} or {after}"


def same_controller(contact: Contact) -> None:
    """Ask again who answers. Raises :class:`LinkError` where it is not who it was at first contact."""
    now = contact.line.identify()
    if now != contact.identity:
        raise WrongDevice(
            "Another controller answers now",
            f"{now.product} {now.serial}, firmware {now.firmware}, where {contact.identity.product} {contact.identity.serial}, firmware "
            f"{contact.identity.firmware}, was",
            "Connect again.",
        )


def _nobody(_progress: Progress) -> None:
    """Nobody listens."""


def _flat(error: Exception) -> str:
    return " ".join(str(error).split()).rstrip(".")


__all__ = ["Held", "Kept", "Outcome", "Plan", "Progress", "Report", "needs_inhibit", "refused", "send", "trial_refusal"]
