"""Everything that is ever written to a controller: what each operation asks for, and how it is carried out.

A session admits or refuses them; no other code writes. Each gives its own reasons to refuse and its own questions, for what is known
of the contact; what holds for all of them (the right bike, shown to be so) is the session's.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import ClassVar, Protocol

from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.rules import Strength, Warning_
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.documents.acts import Act, Command
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.controller_map import ControllerMap
from crisp_hornet.documents.firmware import FirmwareImage
from crisp_hornet.documents.tune import Tune
from crisp_hornet.link.contact import Contact, read_live
from crisp_hornet.link.difference import Change
from crisp_hornet.link.errors import Cancelled, LinkError
from crisp_hornet.link.faults import clear_faults
from crisp_hornet.link.firmware_update import image_refusal, transfer
from crisp_hornet.link.gate import Gate, Stopped
from crisp_hornet.link.marker import Interrupted, Journal
from crisp_hornet.link.order import NoOrder, crossing_order, safe_order
from crisp_hornet.link.plan import Plan, needs_inhibit, trial_refusal
from crisp_hornet.link.report import Outcome, Progress, Report, refused
from crisp_hornet.link.send import send

SENSORS = "Sensors change: the motor stays disabled until throttle and torque sensor read rest with the new values."
NO_INHIBIT = (
    "Sensors change and this controller cannot disable its motor: lift the wheel, stay clear. Then, throttle closed, turn the key off "
    "and on before the wheel touches the ground."
)
OTHER_CONTROLLER = (
    "The backup was taken from another controller of this type. Its settings fit; whether they suit this bike is yours "
    "to say."
)
FACTORY = (
    "Everything is reset to the maker's settings at the next power cycle, sensor calibrations too: a wrong offset can make the bike jump. "
    "The backups stay and can be restored."
)
TRIAL_RUNS = "Values on trial run on the controller now: making this permanent makes them permanent too."


@dataclass(frozen=True)
class Question:
    """What must be confirmed, by its id, before an operation."""

    id: str
    text: str


class Known(Protocol):
    """What is known of the contact when an operation is admitted."""

    @property
    def map(self) -> ControllerMap:
        """Its description."""

    @property
    def interrupted(self) -> Interrupted | None:
        """What an interrupted send left."""

    @property
    def unkept(self) -> bool:
        """Whether something runs that power-off would take back."""


@dataclass(frozen=True)
class Hearing:
    """Who hears of the progress, who may stop it, and where the marker goes."""

    progress: Callable[[Progress], None]
    cancelled: Callable[[], bool]
    journal: Journal | None


@dataclass(frozen=True)
class Operation:
    """One thing that is written. ``settles``: it writes settings, so that doubts about them must be confirmed first."""

    settles: ClassVar[bool] = True

    def refusal(self, known: Known) -> str:
        """Why it is not done at all, or ""."""
        return ""

    def questions(self, known: Known) -> list[Question]:
        """What must be confirmed first."""
        return []

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        """Carry it out. Raises :class:`Stopped` before anything was written, :class:`LinkError` when that is not known."""
        raise NotImplementedError


def _sensor_questions(known: Known, changes: Sequence[Change]) -> list[Question]:
    if not needs_inhibit(list(changes)):
        return []
    return [Question("sensors", SENSORS if known.map.inhibit is not None else NO_INHIBIT)]


def _interrupted_questions(known: Known) -> list[Question]:
    left = known.interrupted
    return [Question("interrupted", left.text)] if left is not None and not left.settled else []


@dataclass(frozen=True)
class Watched:
    """For what the watch list is judged; without conditions at the usual charge."""

    bike: Bike
    conditions: Conditions | None = None
    speeds_kmh: tuple[float, ...] | None = None
    sensors: Mapping[str, str] = field(default_factory=dict)

    def warnings(self, controller_map: ControllerMap, tune: Tune, running: Tune | None) -> list[Warning_]:
        """The watch list of a tune as this controller would run it."""
        return watch_list(
            self.bike, controller_map.as_run(tune), running, self.conditions, self.speeds_kmh, self.sensors
        )


@dataclass(frozen=True)
class SendTune(Operation):
    """Send a tune. Without changes, what runs on trial is kept. ``warnings``: its watch list, where it is known already."""

    tune: Tune
    changes: tuple[Change, ...]
    keep: bool
    watched: Watched
    warnings: tuple[Warning_, ...] | None = None

    def judged(self, known: Known, running: Tune | None) -> SendTune:
        """The same with its watch list made anew."""
        return replace(self, warnings=tuple(self.watched.warnings(known.map, self.tune, running)))

    def refusal(self, known: Known) -> str:
        if not self.keep and (why := trial_refusal(list(self.changes), known.map.can_try)):
            return f"not on trial: {why}"
        stops = [warning for warning in self.warnings or () if warning.strength is Strength.STOP]
        return "; ".join(_line(stop) for stop in stops) + ". Nothing overrides a stop" if stops else ""

    def questions(self, known: Known) -> list[Question]:
        warns = [warning for warning in self.warnings or () if warning.strength is Strength.WARN]
        told = [Question(warn.id, f"{warn.text}. {warn.reason}") for warn in warns]
        return [*_interrupted_questions(known), *_sensor_questions(known, self.changes), *told]

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        conditions = self.watched.conditions
        rested_v = conditions.rested_v if conditions is not None else None
        return _in_order(contact, self.changes, self.keep, hearing, self.watched.bike, rested_v)


@dataclass(frozen=True)
class Restore(Operation):
    """Put a backup back. It ran before: the watch list does not stop the way back. ``bike``: for a safe order of writing."""

    changes: tuple[Change, ...]
    other_controller: bool
    bike: Bike | None = None

    def questions(self, known: Known) -> list[Question]:
        other = [Question("other-controller", OTHER_CONTROLLER)] if self.other_controller else []
        return [*_interrupted_questions(known), *_sensor_questions(known, self.changes), *other]

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        return _in_order(contact, self.changes, True, hearing, self.bike)


@dataclass(frozen=True)
class WriteCalibration(Operation):
    """Write what an instrument found, and keep it."""

    changes: tuple[Change, ...]

    def questions(self, known: Known) -> list[Question]:
        trial = [Question("trial-runs", TRIAL_RUNS)] if known.unkept else []
        lifted = [] if known.map.inhibit is not None else _sensor_questions(known, self.changes)
        return [*_interrupted_questions(known), *lifted, *trial]

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        plan = Plan(list(self.changes), True, True)
        return send(contact, plan, hearing.progress, hearing.cancelled, hearing.journal)


@dataclass(frozen=True)
class Zero(Operation):
    """Let the controller zero its current sensor."""

    def refusal(self, known: Known) -> str:
        return _no_command(known.map.commands.zero, "Zeroing", "Leave it, or enter it where it takes one")

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        Gate(contact, hearing.cancelled).check()
        contact.line.act(Act.ZERO)
        return Report(Outcome.PROVED, "The controller took the command. Record again to see whether its zero is right.")


@dataclass(frozen=True)
class Factory(Operation):
    """Let the controller go back to the maker's settings, calibrations included."""

    def refusal(self, known: Known) -> str:
        mend = "Restore an early backup instead"
        return _no_command(known.map.commands.factory, "The maker's settings", mend)

    def questions(self, known: Known) -> list[Question]:
        return [*_interrupted_questions(known), Question("factory", FACTORY)]

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        Gate(contact, hearing.cancelled).check()
        contact.line.act(Act.FACTORY)
        after = "Wheel lifted, switch it off and on, connect again, and read what it holds before you ride."
        return Report(Outcome.PROVED, f"The controller took the command. {after}")


@dataclass(frozen=True)
class Detect(Operation):
    """Let the controller turn the wheel and measure the motor, as long as it is asked again and again."""

    settles: ClassVar[bool] = False

    def refusal(self, known: Known) -> str:
        return _no_command(known.map.commands.detect, "Motor detection", "Enter the motor's figures on Build")

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        contact.line.act(Act.DETECT)
        return Report(Outcome.PROVED, "It runs.")


@dataclass(frozen=True)
class ClearFaults(Operation):
    """Clear the faults whose cause is gone."""

    settles: ClassVar[bool] = False

    def refusal(self, known: Known) -> str:
        mend = "Switch it off and on after mending the cause"
        return _no_command(known.map.commands.clear_faults, "Clearing faults", mend)

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        fault = clear_faults(contact)
        if fault is None:
            return Report(Outcome.PROVED, "Faults cleared; none is active.")
        return Report(Outcome.NOT_PROVED, f"Not cleared: the cause is still present. {fault.text}")


@dataclass(frozen=True)
class Release(Operation):
    """Give a motor free that was held off while sensors changed, once throttle and torque sensor read rest."""

    settles: ClassVar[bool] = False

    def refusal(self, known: Known) -> str:
        return "" if known.map.inhibit is not None else "This controller cannot hold its motor off"

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        inhibit, gate = contact.map.inhibit, Gate(contact, hearing.cancelled)
        assert inhibit is not None
        gate.check()
        if why := gate.at_rest():
            raise Stopped(why)
        contact.line.act(Act.ENABLE)
        time.sleep(contact.line.settle_s)
        if read_live(contact).values[inhibit.state] != 0:
            raise LinkError("Enabling the motor", "the controller does not confirm it", "Power it off and on.")
        return Report(Outcome.PROVED, "The motor is enabled.")


@dataclass(frozen=True)
class InstallFirmware(Operation):
    """New firmware into the second slot, checked, activated."""

    image: FirmwareImage

    def refusal(self, known: Known) -> str:
        return image_refusal(known.map, self.image)

    def run(self, contact: Contact, hearing: Hearing) -> Report:
        try:
            transfer(contact, self.image, hearing.progress, hearing.cancelled)
        except Cancelled as stopped:
            return Report(Outcome.STOPPED, str(stopped))
        what = f"{self.image.version} lies in the second slot and is activated"
        after = "Switch the controller off and on, connect again, then put the newest backup back."
        return Report(Outcome.PROVED, f"{what}. {after}")


def _in_order(
    contact: Contact,
    changes: Sequence[Change],
    keep: bool,
    hearing: Hearing,
    bike: Bike | None,
    rested_v: float | None = None,
) -> Report:
    """Send changes in an order that is safe in between; where what runs is no valid tune, what eases goes first."""
    running, left = contact.sound_tune("now"), list(changes)
    try:
        if running is None:
            order = sorted(left, key=Change.turn)
        else:
            order = safe_order(bike, running, left, rested_v) if bike is not None else crossing_order(running, left)
    except NoOrder as none:
        return refused(str(none))
    return send(contact, Plan(order, keep, True), hearing.progress, hearing.cancelled, hearing.journal)


def _no_command(command: Command | None, what: str, mend: str) -> str:
    return "" if command is not None else f"{what}: this controller has no such command. {mend}"


def _line(warning: Warning_) -> str:
    return f"{warning.strength.value} {warning.id}: {warning.text}. {warning.mend}"
