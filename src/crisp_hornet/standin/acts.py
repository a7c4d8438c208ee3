"""What whoever holds the simulated bike can do to it besides what :mod:`~crisp_hornet.standin.hands` knows: a small function an act.

Each gets the stand-in and the rest of its line, and answers a line or nothing; :class:`ValueError` says that it makes no sense.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from crisp_hornet.documents import acts
from crisp_hornet.documents.register import Register
from crisp_hornet.standin import instruments
from crisp_hornet.standin import journal as happened
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.display import Display
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.journal import Journal
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.sensors import WIRES, departed, with_truth
from crisp_hornet.standin.trouble import Trouble
from crisp_hornet.standin.truth import departed_bike


class Bench(Protocol):
    """What an act can lay hands on: the stand-in."""

    trouble: Trouble
    controller: SimulatedController
    hands: Hands
    bike: SimulatedBike
    display: Display
    journal: Journal
    at_key_on: list[tuple[float, str]]

    def plug(self) -> str:
        """Plug the lead in; the port's name."""

    def unplug(self) -> None:
        """Pull it."""

    def display_writes(self) -> None:
        """Let the display send its figures."""

    def do(self, line: str) -> str:
        """Carry out one line."""


Act = Callable[[Bench, str], "str | None"]
ACTS: dict[str, Act] = {}


def act(*words: str) -> Callable[[Act], Act]:
    """Register what a word does."""

    def register(function: Act) -> Act:
        for word in words:
            ACTS[word] = function
        return function

    return register


# --- the line and its troubles ------------------------------------------------------------------------------


@act("plug")
def _plug(bench: Bench, _rest: str) -> str:
    return f"ok {bench.plug()}"


@act("unplug")
def _unplug(bench: Bench, _rest: str) -> None:
    bench.unplug()


@act("after")
def _after(bench: Bench, rest: str) -> None:
    writes, _, due = rest.partition(" ")
    bench.trouble.due.append((int(writes), due))


@act("cut-after-writes")
def _cut_after(bench: Bench, rest: str) -> None:
    bench.trouble.due.append((int(rest), "unplug"))


@act("noise")
def _noise(bench: Bench, rest: str) -> None:
    chance, _, seed = rest.partition(" ")
    before = bench.trouble
    bench.trouble = Trouble(float(chance), int(seed or 1), before.due, before.latency_s, before.double_s)


@act("latency")
def _latency(bench: Bench, rest: str) -> None:
    bench.trouble.latency_s = float(rest)


@act("doubles")
def _doubles(bench: Bench, rest: str) -> None:
    bench.trouble.double_s = float(rest) if float(rest) > 0 else None


# --- the controller -----------------------------------------------------------------------------------------


@act("key-off")
def _key_off(bench: Bench, _rest: str) -> None:
    bench.controller.power_cycle()


@act("key")
def _key(bench: Bench, rest: str) -> None:
    bench.controller.off = not int(rest)
    if not bench.controller.off:
        bench.controller.power_cycle()


@act("lag")
def _lag(bench: Bench, rest: str) -> None:
    bench.controller.lag_s = float(rest)


@act("ignore-keep")
def _ignore_keep(bench: Bench, rest: str) -> None:
    bench.controller.keeps = not int(rest)


@act("unkept-says")
def _unkept_says(bench: Bench, rest: str) -> None:
    bench.controller.says_unkept = None if rest == "true" else float(rest)


@act("inhibit")
def _inhibit(bench: Bench, rest: str) -> None:
    bench.controller.inhibited = bool(int(rest))


@act("inhibited")
def _inhibited(bench: Bench, _rest: str) -> str:
    return f"is {int(bench.controller.inhibited)}"


@act("serial")
def _serial(bench: Bench, rest: str) -> None:
    bench.controller.serial = rest


@act("fault")
def _fault(bench: Bench, rest: str) -> None:
    bench.controller.faults.append(int(rest))


@act("break")
def _break(bench: Bench, rest: str) -> None:
    bench.hands.broken.add(int(rest))


@act("mend")
def _mend(bench: Bench, rest: str) -> None:
    if rest.isdigit():
        bench.hands.broken.discard(int(rest))
        return
    mends = bench.bike.defects.mends
    if rest not in mends:
        raise ValueError(f"nothing called {rest!r} to mend")
    for one in mends[rest]:
        if (said := bench.do(one)).startswith("no "):
            raise ValueError(said[3:])
    bench.journal.add(happened.MEND, rest)


@act("dip")
def _dip(bench: Bench, rest: str) -> None:
    bench.controller.supply_dip_v = float(rest)


@act("freeze")
def _freeze(bench: Bench, rest: str) -> None:
    bench.controller.lying_still = bool(int(rest))


@act("set")
def _set(bench: Bench, rest: str) -> None:
    register, raw = _register_and_raw(bench, rest)
    bench.controller.put(register, raw)


@act("stick")
def _stick(bench: Bench, rest: str) -> None:
    register, raw = _register_and_raw(bench, rest)
    bench.controller.stuck[register.name] = raw


@act("loosen")
def _loosen(bench: Bench, _rest: str) -> None:
    bench.controller.stuck.clear()


@act("show")
def _show(bench: Bench, name: str) -> str:
    running, kept = bench.controller.values(), bench.controller.values(kept=True)
    if name not in running:
        raise ValueError(f"no setting {name}")
    return f"is {name} {running[name]} {kept[name]}"


def _register_and_raw(bench: Bench, rest: str) -> tuple[Register, int]:
    name, _, value = rest.partition(" ")
    register = bench.controller.map.register(name)
    if register is None:
        raise ValueError(f"no setting {name}")
    return register, register.encode(float(value))


@act("obey")
def _obey(bench: Bench, _rest: str) -> None:
    bench.controller.obey_sensors()


@act("keep")
def _keep(bench: Bench, _rest: str) -> None:
    bench.controller.kept = dict(bench.controller.running)


@act("zero")
def _zero(bench: Bench, _rest: str) -> None:
    bench.controller.act(acts.Act.ZERO)


@act("firmware")
def _firmware(bench: Bench, rest: str) -> None:
    bench.controller.firmware = rest


@act("display")
def _display(bench: Bench, rest: str) -> None:
    name, _, value = rest.partition(" ")
    if name == "after":
        bench.display.writes_after_s = float(value)
        return
    register, raw = _register_and_raw(bench, rest)
    bench.journal.add(happened.HAND, name, bench.display.figures.get(name), float(value))
    bench.display.figures[name] = register.decode(raw) or 0.0
    if bench.display.writes_after_s is None:
        bench.display_writes()


@act("page")
def _page(bench: Bench, _rest: str) -> str:
    return f"is {bench.display.page()}"


@act("key-on")
def _at_key_on(bench: Bench, rest: str) -> None:
    after_s, _, due = rest.partition(" ")
    bench.at_key_on.append((float(after_s), due))


@act("measure")
def _measure(bench: Bench, rest: str) -> str:
    return f"is {instruments.measure(bench.bike, bench.controller, rest):.4g}"


# --- what the bike truly is ------------------------------------------------------------------------------------


@act("truth")
def _truth(bench: Bench, rest: str) -> None:
    name, _, value = rest.partition(" ")
    bench.bike.truth = departed_bike(bench.bike.truth, name, float(value or "nan"))


@act("charge")
def _charge(bench: Bench, rest: str) -> None:
    if not 0 <= float(rest) <= 1:
        raise ValueError("charge takes 0 to 1")
    state = bench.bike.state
    state.charge, state.slow_v = float(rest), 0.0
    state.bms.close()


@act("defect")
def _defect(bench: Bench, rest: str) -> None:
    name, _, value = rest.partition(" ")
    bench.bike.defects.take(name, float(value or "nan"))


@act("lever-stuck")
def _lever_stuck(bench: Bench, rest: str) -> None:
    bench.bike.defects.take("lever_stuck", float(rest))


@act("brake-drag")
def _brake_drag(bench: Bench, rest: str) -> None:
    bench.bike.defects.take("brake_drag_n", float(rest))


@act("weak-group")
def _weak_group(bench: Bench, rest: str) -> None:
    capacity, _, resistance = rest.partition(" ")
    bench.bike.defects.take("weak_capacity", float(capacity))
    bench.bike.defects.take("weak_resistance", float(resistance or 1))


# --- sensors and heat ---------------------------------------------------------------------------------------


@act("cut")
def _cut(bench: Bench, rest: str) -> None:
    bench.controller.sensors.cut.add(_wire(rest))


@act("join")
def _join(bench: Bench, rest: str) -> None:
    bench.controller.sensors.cut.discard(_wire(rest))


def _wire(name: str) -> str:
    if name not in WIRES:
        raise ValueError(f"no wire {name!r}; there are: {', '.join(WIRES)}")
    return name


@act("roll")
def _roll(bench: Bench, rest: str) -> None:
    bench.controller.sensors.wheel_turns += float(rest)


@act("crank")
def _crank(bench: Bench, rest: str) -> None:
    bench.controller.sensors.crank_turns += float(rest)


@act("heat")
def _heat(bench: Bench, rest: str) -> None:
    bench.bike.state.winding_c = float(rest)


@act("sensor")
def _sensor(bench: Bench, rest: str) -> None:
    name, _, value = rest.partition(" ")
    bench.controller.sensors.truth = with_truth(bench.controller.sensors.truth, name, float(value))


@act("sensors")
def _sensors(bench: Bench, rest: str) -> None:
    bench.controller.sensors.truth = departed(int(rest))
