"""A seeded campaign of faults against a send: after each, what the controller holds is known and said.

Each seed draws a send and a trouble: bytes lost, doubled, late or damaged, the line cut at some write, a restart between
writes or before keeping, a supply that falls, a register that will not hold, somebody else who writes too, a process that is killed.
"""

import random
from contextlib import suppress
from dataclasses import dataclass
from unittest import mock

from crisp_hornet.link.contact import make_contact
from crisp_hornet.link.difference import changes_to
from crisp_hornet.link.errors import LinkError
from crisp_hornet.link.finding import open_line
from crisp_hornet.link.lines import modbus_wire as link_line
from crisp_hornet.link.lines.canopen import wire as can_wire
from crisp_hornet.link.lines.frames import wire as frames_wire
from crisp_hornet.link.marker import FileJournal, resolve
from crisp_hornet.link.order import NoOrder, safe_order
from crisp_hornet.link.plan import Plan
from crisp_hornet.link.report import Held, Outcome
from crisp_hornet.link.send import send
from tests.link.conftest import MAPS
from tests.link.inprocess import BIKE, WEIR, InProcess

ANSWER_S, LATE_S, LONGEST_S = 0.06, 0.1, 0.2  # all is near; what answers late is drawn with the misbehaving controllers
PATIENT_S = 0.5  # where nothing is wrong any more, a machine that stalls must not count
SETTLE_S = 0.03  # it takes what is written at once; what settles late is drawn with the misbehaving controllers
TROUBLES = ("none", "noise", "cut", "restart", "supply", "stuck", "other writer", "kill", "noise and cut")
RANGES = {
    "drive.phase_current_a": (20, 180),
    "drive.battery_current_a": (5, 60),
    "drive.motor_rpm": (200, 650),
    "drive.power_w": (500, 3000),
    "drive.speed_taper_kmh": (0, 10),
    "regen.phase_current_a": (0, 60),
    "battery_guard.fade_start_v": (48, 56),
    "battery_guard.fade_end_v": (40, 47),
    "heat_guard.motor_fade_start_c": (80, 110),
}


class Killed(BaseException):
    """The process is gone at once: nothing is caught, nothing is tidied up."""


@dataclass
class Told:
    """What a seed did and how it ended; ``broken`` says which promise was broken, "" if none."""

    seed: int
    trouble: str
    outcome: str
    broken: str


@mock.patch.multiple(link_line, LEAST_LATE_S=LATE_S, MOST_ANSWER_S=LONGEST_S)
@mock.patch.multiple(frames_wire, LEAST_LATE_S=LATE_S, MOST_ANSWER_S=LONGEST_S)
@mock.patch.multiple(can_wire, LEAST_LATE_S=LATE_S, MOST_ANSWER_S=LONGEST_S)
def run_seed(seed, threaded, folder, described=WEIR):
    """One send under one trouble. Returns what it told."""
    rng = random.Random(seed)
    trouble = TROUBLES[seed % len(TROUBLES)]
    standin = InProcess(threaded, described)
    journal = FileJournal(folder / f"seed-{seed}")
    line, contact = undisturbed_contact(standin.port)
    try:
        names = rng.sample(sorted(RANGES), rng.randint(1, 5))
        wanted = {name: min(rng.uniform(*RANGES[name]), contact.map.register(name).max) for name in names}
        changes = changes_to(contact.map, contact.raws, wanted)
        with suppress(NoOrder):
            changes = safe_order(BIKE, contact.tune("now"), changes, 62.4)
        before = standin.holds()
        steps = start(standin, trouble, rng, changes)
        try:
            report = send(contact, Plan(changes, keep=True), steps, lambda: False, journal)
        except Killed:
            report = None
        broken = judge(report, contact, standin, changes, before) if report else ""
        line.close()
        broken = broken or next_contact(report, standin, journal, changes)
        return Told(seed, trouble, report.outcome.value if report else "killed", broken)
    finally:
        line.close()
        standin.close()


def undisturbed_contact(port, answer_s=ANSWER_S):
    """A contact where nothing is meant to go wrong; a machine that stalls may need a second go with these short times."""
    for tries_left in (2, 1, 0):
        line = None
        try:
            line = open_line(port, MAPS, answer_s)
            line.settle_s = SETTLE_S
            return line, make_contact(line, lambda text: None)[0]
        except LinkError:
            if line is not None:
                line.close()
            if not tries_left:
                raise
    raise AssertionError("unreachable")


def start(standin, trouble, rng, changes):
    """Set the trouble going; returns what hears of each step."""
    at = rng.randint(0, len(changes))
    if "noise" in trouble:
        standin.do(f"noise {rng.uniform(0.03, 0.3):.3f} {rng.randrange(10**6)}")
    if "cut" in trouble:
        standin.do(f"after {at} unplug")
    acts = {
        "restart": "key-off",
        "supply": "dip 40",
        "other writer": f"set {rng.choice(['drive.battery_current_a', 'regen.battery_current_a'])} {rng.randint(5, 30)}",
    }
    if trouble in acts:
        standin.do(f"after {at} {acts[trouble]}")
    if trouble == "stuck":
        one = rng.choice(changes)
        standin.do(f"stick {one.register.name} {rng.choice([one.before or one.register.min, one.register.min])}")
    left = [rng.randint(1, len(changes) + 2) if trouble == "kill" else -1]

    def hears(_progress):
        left[0] -= 1
        if left[0] == 0:
            raise Killed

    return hears


def judge(report, contact, standin, changes, before):
    """Whether what the report says is true of what the controller holds."""
    running, kept = standin.holds(), standin.holds(kept=True)
    ours = {change.register.name for change in changes}
    if report.outcome is Outcome.PROVED:
        wrong = [
            c.register.name for c in changes if running[c.register.name] != c.after or kept[c.register.name] != c.after
        ]
        return f"proved, but {wrong}" if wrong else ""
    if report.outcome is Outcome.REFUSED:
        wrong = [name for name in ours if running[name] != before[name] and "Somebody else" not in report.message]
        return f"refused, but {wrong} changed" if wrong else ""
    for change in changes:
        name, held = change.register.name, report.held[change.register.name]
        expected = {Held.OLD: change.before, Held.NEW: change.after}.get(held, running[name])
        if running[name] != expected:
            return f"said {name} {held.value}, it is {running[name]}"
        if held is Held.UNKNOWN and change.register.label.lower() not in report.message.lower():
            return f"{name} is not known and not named"
        neither = running[name] not in (change.before, change.after)
        if neither and change.register.label.lower() not in report.message.lower():
            return f"{name} is neither old nor new and not named"
    return ""


def next_contact(report, standin, journal, changes):
    """Mended and connected again: all old or all new, or the marker's finding names every register that is neither."""
    for act in ("noise 0", "dip 0", "loosen", "plug"):
        standin.do(act)
    standin.standin.trouble.due.clear()
    port = standin.standin._reached_by(standin.standin.terminal.plug_name)
    try:
        line, contact = undisturbed_contact(port, PATIENT_S)
    except LinkError as error:
        return f"it cannot be reached any more: {error}"
    line.close()
    now = standin.holds()
    if contact.map.values(contact.raws) != now:
        return "what is read is not what it holds"
    states = {
        "old" if now[c.register.name] == c.before else "new" if now[c.register.name] == c.after else "neither"
        for c in changes
    }
    marker = journal.found(contact.identity.serial)
    if marker is None:
        mixed = len(states) > 1 or "neither" in states
        told = report is not None and ("reads" in report.message or "Somebody else" in report.message)
        return f"a mixed state {states} and no marker" if mixed and not told else ""
    found = resolve(marker, contact)
    for change in changes:
        value, label = now[change.register.name], change.register.label
        place = found.old if value == change.before else found.new if value == change.after else found.neither
        if not any(label in one for one in place):
            return f"{label} holds {value}: the next contact does not say so"
    return ""
