"""What the names of a job's checks stand for, each read off a trial."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from itertools import pairwise

from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.job import Check
from crisp_hornet.practice import way
from crisp_hornet.practice.jobs import bike_of
from crisp_hornet.practice.laying_out import map_of
from crisp_hornet.practice.riding import Seen
from crisp_hornet.practice.trial import SETTLES_S, Trial, stand
from crisp_hornet.standin.workshop import Workshop

Value = float | str | bool | list[str]
CALIBRATION = "calibration."


def value_of(trial: Trial, name: str) -> Value:
    """What a name of a check stands for. Raises :class:`DocumentError` for one that there is not."""
    kind, _, rest = name.partition(".")
    reader = READERS.get(kind)
    try:
        if reader is None:
            raise KeyError(kind)
        return reader(trial, rest)
    except (KeyError, AttributeError):
        raise DocumentError(trial.job.name, name, "nothing of this name can be told", "Correct the check.") from None


def holds(trial: Trial, check: Check) -> bool:
    """Whether a check is so."""
    found = value_of(trial, check.of)
    if check.is_ is not None:
        asked = check.is_
        if isinstance(asked, str) and asked in trial.drawn.figures:
            asked = trial.drawn.figures[asked]
        return _is(found, asked)
    least, most = trial.drawn.value(check.least, trial.job), trial.drawn.value(check.most, trial.job)
    figure = float(found) if not isinstance(found, (str, list)) else math.nan
    return (least is None or figure >= least) and (most is None or figure <= most)


def _is(found: Value, asked: Value) -> bool:
    if isinstance(asked, list):
        said = str(found).lower() if not isinstance(found, list) else " ".join(found).lower()
        return all(str(one).lower() in said for one in asked)
    if isinstance(asked, (bool, str)):
        return found == asked
    return isinstance(found, (int, float)) and math.isclose(float(found), float(asked), rel_tol=1e-6, abs_tol=1e-6)


# --- readers, by the first word of a check's name -----------------------------------------------------------------


def _road(trial: Trial, rest: str) -> Value:
    name, _, what = rest.rpartition(".")
    if name not in trial.job.roads:
        raise KeyError(name)
    return _seen(trial.road(name), what)


def _seen(seen: Seen, what: str) -> float:
    found: float = getattr(seen, what)
    return float(found)


def _true(trial: Trial, what: str) -> Value:
    """The worst over all roads."""
    seen = [_seen(trial.road(name), what) for name in trial.job.roads]
    return min(seen) if what.endswith("_min") else max(seen)


def _register(trial: Trial, rest: str) -> Value:
    kind, _, name = rest.partition(".")
    if kind == "kept":
        found = trial.kept(name)
    elif kind == "running":
        found = trial.copy().controller.values()[name]
    elif kind == "two_mornings":  # the most that it holds a minute after each of two power-ons
        shop = trial.copy()
        shop.controller.power_cycle()
        stand(shop, SETTLES_S)
        found = shop.controller.values()[name]
    else:
        raise KeyError(kind)
    return math.inf if found is None else found


def _changed(trial: Trial, kind: str) -> Value:
    """How many settings differ from the backup from before, or from what the bike came with."""
    names = [one.name for one in map_of(trial.job).register_list]
    if kind == "calibration":
        return float(sum(trial.kept(n) != trial.kept(n, trial.before) for n in names if n.startswith(CALIBRATION)))
    if kind == "from_held":
        before = trial.held.values(calibration=False)
        return float(sum(trial.kept(name) != value for name, value in before.items() if name in names))
    if kind == "tune":
        return float(sum(trial.kept(n) != trial.kept(n, trial.before) for n in names if not n.startswith(CALIBRATION)))
    if kind.startswith("group."):
        group = kind.removeprefix("group.")
        return float(sum(trial.kept(n) != trial.kept(n, trial.before) for n in names if n.startswith(group)))
    return abs((trial.kept(kind) or 0.0) - (trial.kept(kind, trial.before) or 0.0))


def _shown(trial: Trial, what: str) -> Value:
    """What the controller shows of what is so."""
    shop = trial.copy()
    hands, controller = shop.hands, shop.controller
    if what in ("throttle_rest", "throttle_full"):
        hands.throttle = 1.0 if what.endswith("full") else 0.0
        stand(shop, 0.05)
        return controller.felt.throttle
    if what in ("human_nm_rest", "human_nm_of_40"):
        hands.human_nm = 40.0 if what.endswith("40") else 0.0
        stand(shop, 0.05)
        return controller.felt.human_nm
    if what in ("brake_free", "brake_pulled"):
        hands.brake = 1.0 if what.endswith("pulled") else 0.0
        return float(controller.live()["brake"])
    if what == "speed_share":
        controller.live()
        return shop.bike.shown.m_per_turn / shop.bike.truth.rolled_m
    if what == "ripple":
        wrong_deg = math.degrees(shop.bike.position_error_rad)
        return controller.sensors.ripple(controller.sensors.truth.position_offset_deg + wrong_deg)
    if what == "cut_s":
        return _cut_s(shop)
    if what == "battery_rest_a":
        return float(sum(controller.live()["battery_a"] for _ in range(50)) / 50 - shop.bike.state.battery_a)
    if what == "motor_c_off":
        return _motor_c_off(shop)
    raise KeyError(what)


def _motor_c_off(shop: Workshop) -> float:
    """By how much the motor's temperature is shown wrong at 100 °C."""
    shop.controller.live()
    return abs(shop.bike.read_motor_c(100.0) - 100.0)


def _cut_s(shop: Workshop) -> float:
    """How long after the lever is pulled the motor still pulls, on the stand."""
    shop.hands.throttle = 0.4
    for _ in range(250):
        shop.step(0.004)
    shop.hands.brake = 1.0
    for step in range(250):
        shop.step(0.004)
        if shop.bike.state.iq < 0.5:
            return step * 0.004
    return math.inf


def _off(trial: Trial, what: str) -> Value:
    """By how much a figure that is set differs from what is true: absolute for offsets and volts, as a share for the others."""
    sensors, departures = trial.handed.state["sensors"], trial.handed.state["departures"]
    bike = bike_of(trial.job)
    document = trial.handed.document or bike
    if what in ("position_offset_deg", "throttle_rest_v", "throttle_full_v", "torque_rest_v"):
        return abs((trial.kept(CALIBRATION + what) or 0.0) - float(sensors[what]))
    shares: dict[str, tuple[float, float]] = {
        "magnets": (trial.kept("calibration.magnets_per_turn") or 0.0, sensors["wheel_magnets"]),
        "beta": (trial.kept("calibration.motor_sensor_beta") or 0.0, sensors["ntc_beta"]),
        "torque_nm_per_v": (trial.kept("calibration.torque_nm_per_v") or 0.0, sensors["torque_nm_per_v"]),
        "circumference": (
            trial.kept("calibration.wheel_circumference_m") or 0.0,
            bike.drivetrain.wheel_circumference_m * departures["wheel"],
        ),
        "resistance": (document.battery.resistance_ohm, bike.battery.resistance_ohm * departures["pack_resistance"]),
        "capacity": (document.battery.capacity_ah, bike.battery.capacity_ah * departures["pack_capacity"]),
        "crr": (document.chassis.crr, bike.chassis.crr * departures["rolling"]),
        "flux": (document.motor.flux_linkage_wb, bike.motor.flux_linkage_wb * departures["flux"]),
        "rider_kg": (document.chassis.rider_kg, trial.drawn.figures.get("rider_kg", bike.chassis.rider_kg)),
    }
    found, true = shares[what]
    return float(abs(found / true - 1))


def _document(trial: Trial, path: str) -> Value:
    document = trial.handed.document or bike_of(trial.job)
    found = document.value(path)
    return math.inf if found is None else float(found)


def _chain(trial: Trial, what: str) -> Value:
    """The least figure of that kind among the other devices that are entered on the bike."""
    document = trial.handed.document or bike_of(trial.job)
    figures = [getattr(one, what) for one in document.chain]
    return min((float(one) for one in figures if one is not None), default=math.inf)


def _levels(trial: Trial, what: str) -> Value:
    """The smallest or the largest step from an assist level to the next, as a factor."""
    count = int(trial.kept("assist.levels.count") or 0)
    strengths = [trial.kept(f"assist.levels.{at}.multiplier") or 0.0 for at in range(1, count + 1)]
    steps = [other / one for one, other in pairwise(strengths) if one > 0]
    return {"smallest_step": min, "largest_step": max}[what](steps)


def _state(trial: Trial, what: str) -> Value:
    if what == "cut_wires":
        return list(trial.handed.state["cut"])
    if what == "display":
        return json.dumps(trial.handed.state["display"]["figures"])
    name = what.removeprefix("display.")
    if name != what:
        return float(trial.handed.state["display"]["figures"][name])
    return float(trial.handed.state["defects"][what])


def _report(trial: Trial, _rest: str) -> Value:
    return trial.handed.sentence


def _journal(trial: Trial, what: str) -> Value:
    return way.WAY[what](trial)


def _rule(trial: Trial, name: str) -> Value:
    """Whether a warning of the watch list stands for what the controller now holds, on the bike as it stands on Build."""
    from crisp_hornet.core.rules.watch import watch_list
    from crisp_hornet.link.contact import tune_of

    controller_map = map_of(trial.job)
    raws = {one: int(raw) for one, raw in trial.handed.state["kept"].items()}
    tune = tune_of(controller_map, raws, "handed over")
    return any(one.id == name for one in watch_list(trial.handed.document or bike_of(trial.job), tune))


READERS: dict[str, Callable[[Trial, str], Value]] = {
    "road": _road, "true": _true, "register": _register, "changed": _changed, "shown": _shown, "off": _off, "document": _document,
    "state": _state, "chain": _chain, "levels": _levels, "report": _report, "journal": _journal, "rule": _rule,
}  # fmt: skip
