"""Misbehaving controllers drawn by seed, in virtual time: whatever they do, no state is claimed that they do not hold.

Each seed draws a trouble, an operation, and when it strikes. Afterwards the truth inside the controller is laid against every claim of
the report: what is proved, kept, as before, new, not written, and whether the motor is left disabled unsaid. Then the trouble is taken
away, and the next contact must know the rest. What says "not kept" after writes and "kept" after keeping, and keeps nothing, is beyond
telling without a power cycle: it is not drawn (docs/reliability.md).
"""

import random
from dataclasses import dataclass, replace

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.link.difference import changes_to, difference
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.marker import FileJournal
from crisp_hornet.link.operations import Release, Restore, SendTune, Watched, WriteCalibration
from crisp_hornet.link.report import Held, Kept, Outcome
from tests.link.virtual import BIKE, WEIR, VirtualController, in_virtual_time, open_on, wire_for

TROUBLES = (
    "none", "latency", "lag", "late", "lost", "doubled", "swapped", "cut", "restart", "stuck", "other writer", "supply",
    "ignores keep", "says kept", "says unkept", "another controller", "stuck inhibit", "throttle", "stopped", "deaf reader",
    "disk full", "bug", "killed", "latency and lost", "lag and doubled", "late and stopped", "lag and cut",
)  # fmt: skip
OF_A_KIND = {"frames": ("damaged", "cut off"), "canopen": ("toggled", "aborts", "foreign answers")}
DOORS = ("send", "trial", "restore", "calibrate", "keep")
RANGES = {
    "drive.phase_current_a": (60, 95),
    "drive.battery_current_a": (20, 34),
    "drive.motor_rpm": (500, 600),
    "battery_guard.fade_start_v": (49, 52),
    "heat_guard.motor_fade_start_c": (90, 108),
}
CALIBRATIONS = {
    "calibration.throttle_rest_v": (0.80, 0.95), "calibration.torque_nm_per_v": (70, 90), "calibration.position_offset_deg": (10, 40),
}  # fmt: skip
QUESTIONS = {"frames": 25, "canopen": 250}  # about as many as a send asks
SPOILS = tuple(one for each in OF_A_KIND.values() for one in each)
HOLD = {"interrupted", "sensors", "trial-runs", "other-controller"}


class Killed(BaseException):
    """The process is gone at once."""


@dataclass
class Told:
    seed: int
    trouble: str
    door: str
    outcome: str
    broken: str


class Spoiler:
    """What happens to answers on their way back, and what else happens at its moment."""

    def __init__(self, trouble, rng, wire, one, after):
        self.trouble, self.rng, self.wire, self.one, self.after = trouble, rng, wire, one, after
        self.latency_s = rng.uniform(0.2, 2.2) if "latency" in trouble else 0.0
        self.asked = 0
        self.held = self.other = None
        self.stopped = self.killed = self.deaf = self.full = self.bug = False
        self.struck = False
        if "lag" in trouble:
            one.it.lag_s = rng.uniform(0.02, 0.28)
        if trouble in ("ignores keep", "says kept"):
            one.it.keeps = False
        if trouble in ("says kept", "says unkept"):
            one.it.says_unkept = float(trouble == "says unkept")
        if trouble == "stuck inhibit":
            one.it.inhibited = True

    def spoil(self, _number, _question, answer):
        rng = self.rng
        delay = self.latency_s
        if "lost" in self.trouble and rng.random() < 0.08:
            return []
        if "late" in self.trouble and "latency" not in self.trouble and rng.random() < 0.1:
            delay += rng.uniform(0.05, 1.9)
        if "doubled" in self.trouble and rng.random() < 0.3:
            return [(delay, answer), (delay + rng.uniform(0.001, 0.05), answer)]
        if answer and self.trouble in SPOILS and rng.random() < 0.12:
            return [(delay, damaged(self.trouble, rng, answer))]
        if "swapped" in self.trouble and rng.random() < 0.1:
            held, self.held = self.held, answer
            return [(delay, held)] if held is not None else []
        return [(delay, answer)]

    def before(self, _number, _question):
        self.asked += 1
        if self.asked != self.after or self.struck:
            return
        self.struck = True
        it, rng = self.one.it, self.rng
        if "cut" in self.trouble:
            self.wire.alive = False
        elif self.trouble == "restart":
            it.power_cycle()
        elif self.trouble == "stuck":
            name = rng.choice(sorted(RANGES))
            register = it.map.register(name)
            it.stuck[name] = register.encode(register.min + register.scale * 3)
        elif self.trouble == "other writer":
            register = it.map.register(rng.choice(sorted(RANGES)))
            it.put(register, register.encode(rng.uniform(*RANGES[register.name])))
        elif self.trouble == "supply":
            it.supply_dip_v = 40.0
        elif self.trouble == "another controller":
            self.other = VirtualController(self.wire.clock, self.one.it.map, serial="TW60-00999")
            self.wire.controllers = {1: self.other}
        elif self.trouble == "throttle":
            self.one.hands.throttle = 0.5
        elif "stopped" in self.trouble:
            self.stopped = True
        elif self.trouble == "killed":
            self.killed = True
        elif self.trouble == "bug":
            self.bug = True
        elif self.trouble == "deaf reader":
            self.deaf = True
        elif self.trouble == "disk full":
            self.full = True

    def hears(self, _progress):
        if self.killed:
            raise Killed
        if self.deaf:
            raise BrokenPipeError
        if self.bug:
            raise RuntimeError("nobody foresaw this")


class FullDisk(FileJournal):
    """A journal whose disk may be full."""

    def __init__(self, folder):
        super().__init__(folder)
        self.spoiler = None

    def _write(self):
        if self.spoiler is not None and self.spoiler.full:
            raise DocumentError("marker", "", "no space left on device", "Free some space.")
        super()._write()


def troubles_of(described):
    """The troubles of all kinds of line, and those that only this one knows."""
    return TROUBLES + OF_A_KIND.get(described.line.kind, ())


def damaged(trouble, rng, answer):
    """One answer with what can happen to bytes, or to the messages of a bus."""
    if trouble == "damaged":
        at = rng.randrange(len(answer))
        return answer[:at] + bytes([answer[at] ^ 1 << rng.randrange(8)]) + answer[at + 1 :]
    if trouble == "cut off":
        return answer[: rng.randrange(len(answer))]
    (identifier, data), *more = answer
    if trouble == "aborts":  # whatever was done all the same
        return [(identifier, b"\x80" + data[1:4] + (0x0800_0000).to_bytes(4, "little"))]
    changed = bytes([data[0] ^ 0x10]) + data[1:] if trouble == "toggled" else data[:3] + bytes([data[3] ^ 3]) + data[4:]
    return [(identifier, changed), *more]


def operation_of(door, rng, session):
    """The operation, and what it is to change."""
    contact = session.contact
    if door == "calibrate":
        known = [name for name in sorted(CALIBRATIONS) if contact.map.register(name) is not None]
        names = rng.sample(known, rng.randint(1, len(known)))
        changes = changes_to(contact.map, contact.raws, {name: rng.uniform(*CALIBRATIONS[name]) for name in names})
        return WriteCalibration(tuple(changes)), changes
    names = ["drive.battery_current_a"] if door in ("trial", "keep") else rng.sample(sorted(RANGES), rng.randint(1, 4))
    wanted = {name: rng.uniform(*RANGES[name]) for name in names}
    if door in ("trial", "keep"):
        wanted["drive.battery_current_a"] = rng.uniform(30.5, 34)  # a trial only raises
    changes = changes_to(contact.map, contact.raws, wanted)
    if door == "restore":
        return Restore(tuple(changes), False, None), changes
    tune = contact.tune("drawn").with_settings({change.register.name: change.after for change in changes})
    return SendTune(tune, tuple(difference(contact.map, contact.raws, tune)), door != "trial", Watched(BIKE)), changes


def run_liar(seed, monkeypatch, folder, described=WEIR):
    """One operation on one misbehaving controller. Returns what it told, and which promise was broken."""
    rng = random.Random(seed)
    troubles = troubles_of(described)
    trouble, door = troubles[seed % len(troubles)], DOORS[(seed // len(troubles)) % len(DOORS)]
    clock = in_virtual_time(monkeypatch)
    one = VirtualController(clock, described)
    wire = wire_for(clock, described, {1: one})
    journal = FullDisk(folder / f"seed-{seed}")
    spoiler = Spoiler(trouble, rng, wire, one, rng.randint(1, QUESTIONS.get(described.line.kind, 60)))
    early = rng.random() < 0.5 and trouble in (
        "latency",
        "lag",
        "late",
        "lost",
        "doubled",
        "swapped",
        "latency and lost",
        "lag and doubled",
    )
    if early:
        wire.spoil = spoiler.spoil
    try:
        session = open_on(monkeypatch, wire, [one.it.map], journal=journal)
    except LinkError as error:
        return Told(seed, trouble, door, "no contact", "" if early else f"no contact without trouble: {error}")
    if session.made.backup.values(True) != one.holds():
        return Told(seed, trouble, door, "contact", "the backup is not what it holds")
    return Told(seed, trouble, door, *judged(door, rng, session, spoiler, journal, monkeypatch))


def judged(door, rng, session, spoiler, journal, monkeypatch):
    wire, one = spoiler.wire, spoiler.one
    if door == "keep":  # something runs that is not kept, from before
        first, _ = operation_of("trial", rng, session)
        session.perform(first, HOLD)
    operation, changes = operation_of("send" if door == "keep" else door, rng, session)
    if door == "keep":
        operation, changes = replace(operation, changes=(), tune=session.contact.tune("same")), []
    ids = HOLD | {question.id for question in session.made.questions(operation)}
    before, kept_before = one.holds(), one.holds(kept=True)
    wire.spoil, wire.before, journal.spoiler = spoiler.spoil, spoiler.before, spoiler
    confirmed = ids | {one_.id for one_ in watch_of(session, operation)}
    report = None
    try:
        report = session.perform(operation, confirmed, spoiler.hears, lambda: spoiler.stopped)
        outcome = report.outcome.value
    except (Killed, RuntimeError) as error:
        outcome = type(error).__name__
    wire.clock.sleep(1.0)
    broken = claims(report, one, changes, before, kept_before, spoiler) if report else ""
    return outcome, broken or next_contact(report, wire, one, changes, before, journal, spoiler, monkeypatch)


def watch_of(session, operation):
    if not isinstance(operation, SendTune):
        return ()
    return operation.judged(session.made, session.contact.tune("now")).warnings


def claims(report, one, changes, before, kept_before, spoiler):
    """Which claim of the report is false of the controller it was made about, "" if none."""
    running, kept, swapped = (
        one.holds(),
        one.holds(kept=True),
        spoiler.trouble == "another controller" and spoiler.struck,
    )
    foreign = spoiler.trouble in ("other writer", "restart") and spoiler.struck
    names = {change.register.name for change in changes}
    just_now = (
        spoiler.trouble == "restart" and spoiler.asked - spoiler.after < 2
    )  # after the last reading: nothing could tell
    if report.outcome is Outcome.PROVED and not swapped and not just_now:
        wrong = [c.register.name for c in changes if running[c.register.name] != c.after]
        wrong += [name for name in running if name not in names and running[name] != before[name] and not foreign]
        if wrong:
            return f"proved, but {wrong}"
        if report.kept is Kept.SEEN and (
            lost := [n for n in running if kept[n] != running[n] and (n in names or not foreign)]
        ):
            return f"kept, but {lost} are not"
        if ", permanent" in report.message and report.kept is not Kept.SEEN:
            return "says kept without having seen it"
    if "Nothing was stored" in report.message and kept != kept_before:
        return "nothing was kept, but it was"
    if "Nothing was written" in report.message and not foreign and (running != before or kept != kept_before):
        return "nothing was written, but it was"
    if "holds what it held before" in report.message and not foreign and not swapped and running != before:
        return f"as before, but {[name for name in running if running[name] != before[name]]}"
    for change in changes if report.outcome is not Outcome.REFUSED and not swapped and not just_now else ():
        name, held = change.register.name, report.held.get(change.register.name)
        if (held is Held.OLD and running[name] != change.before) or (
            held is Held.NEW and running[name] != change.after
        ):
            return f"said {name} {held.value}, it is {running[name]} ({change.before} to {change.after})"
    stuck_from_before = spoiler.trouble == "stuck inhibit"
    if (
        one.it.inhibited
        and not report.held_off
        and not stuck_from_before
        and not (foreign and spoiler.trouble == "restart")
    ):
        return "the motor is left disabled unsaid"
    return ""


def next_contact(report, wire, one, changes, before, journal, spoiler, monkeypatch):
    """Without the trouble: what is read is what it holds, and a state in between is known by marker, report or the unkept flag."""
    one.it.lag_s, one.it.supply_dip_v, one.hands.throttle = 0.0, 0.0, 0.0
    one.it.stuck.clear()
    wire.spoil, wire.before, wire.controllers = (
        (lambda _n, _q, answer: [(0.0, answer)]),
        (lambda _n, _q: None),
        {1: one},
    )
    wire.clock.sleep(5.0)
    wire.waits = []
    spoiler.full = False
    try:
        session = open_on(monkeypatch, wire, [one.it.map], journal=journal)
    except LinkError as error:
        return f"it cannot be reached any more: {error}"
    now = one.holds()
    if session.contact.map.values(session.contact.raws) != now:
        return "what is read is not what it holds"
    if one.it.inhibited != session.made.held_off:
        return "the next contact does not say that the motor is disabled"
    if one.it.inhibited:
        freed = session.perform(Release())
        if freed.outcome is not Outcome.PROVED or one.it.inhibited:
            return f"it cannot be enabled: {freed.message}"
    left = session.made.interrupted
    states = {
        "old" if now[c.register.name] == c.before else "new" if now[c.register.name] == c.after else "else"
        for c in changes
    }
    if left is None and (len(states) > 1 or "else" in states):
        told = report is not None and any(
            word in report.message
            for word in ("reads", "Settings changed", "page changed", "not known", "Now:", "Another")
        )
        return "" if told else f"a mixed state {states}, and nothing tells it"
    if left is not None:
        for change in changes:
            value, label = now[change.register.name], change.register.label
            place = left.old if value == change.before else left.new if value == change.after else left.neither
            if not any(label in text for text in place):
                return f"{label} holds {value}: the next contact does not say so"
    return ""
