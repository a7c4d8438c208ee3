"""What whoever holds the simulated bike can do to it besides what :mod:`~crisp_hornet.standin.hands` knows: a small function an act.

Each gets the stand-in and the rest of its line, and answers a line or nothing; :class:`ValueError` says that it makes no sense.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from crisp_hornet.documents.register import Register
from crisp_hornet.standin.controller import SimulatedController
from crisp_hornet.standin.hands import Hands
from crisp_hornet.standin.physics import SimulatedBike
from crisp_hornet.standin.ports import PseudoTerminal, TcpPort
from crisp_hornet.standin.sensors import WIRES, departed, with_truth
from crisp_hornet.standin.trouble import Trouble
from crisp_hornet.standin.truth import departed_bike


class Bench(Protocol):
    """What an act can lay hands on: the stand-in."""

    terminal: PseudoTerminal
    tcp: list[TcpPort]
    trouble: Trouble
    controller: SimulatedController
    hands: Hands
    bike: SimulatedBike


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
    return f"ok {bench.terminal.plug()}"


@act("unplug")
def _unplug(bench: Bench, _rest: str) -> None:
    bench.terminal.unplug()
    for port in bench.tcp:
        port.drop()


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
    bench.hands.broken.discard(int(rest))


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
    state.charge, state.slow_v, state.bms_open, state.low_s = float(rest), 0.0, False, 0.0


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
