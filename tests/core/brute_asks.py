"""Random asks, and their answers by trying every setting of a grid: with single pull curves and the watch list, no search."""

import itertools
import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.goal.seek import Answer, Seeker
from crisp_hornet.core.heat.nodes import HeldHeat, losses
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.road.performance import front_wheel_keeps, launch, steady_ride, steady_speed_kmh
from crisp_hornet.core.rules import Strength
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.documents.goals import FREE, Goals
from tests.bikes import a_bike, a_tune

LESS = {"launch", "power"}


def a_random_ask(seed):
    """(bike, tune, goals) of a seed: surface or interior magnets, gears now and then; figures about what the settings can do."""
    rng = np.random.default_rng([seed, 18])
    ld = float(10 ** rng.uniform(-4.1, -3.7))
    gears = [3.5, 5.0] if rng.random() < 0.15 else None
    bike = a_bike(
        motor__ld_h=ld, motor__lq_h=ld * float(rng.choice([1.0, 1.0, 1.5])), motor__flux_linkage_wb=float(rng.uniform(0.015, 0.024)),
        controller__max_phase_current_a=float(rng.uniform(110, 200)), battery__resistance_ohm=float(rng.uniform(0.05, 0.12)),
        chassis__cargo_kg=float(rng.uniform(0, 60)), battery__bms_discharge_a=float(rng.uniform(35, 70)),
    )  # fmt: skip
    if gears:
        bike = bike.model_copy(
            update={"drivetrain": bike.drivetrain.model_copy(update={"gears": [1.0, 1.4], "freewheel": True})}
        )
    tune = a_tune(
        drive__phase_current_a=float(rng.uniform(40, 100)), drive__battery_current_a=float(rng.uniform(12, 35))
    )
    free = (
        [FREE[0], FREE[1]] if rng.random() < 0.7 else list(FREE) if rng.random() < 0.6 else [FREE[int(rng.integers(2))]]
    )
    aim = tune.with_settings({path: float(rng.uniform(0.25, 0.9)) * _most(bike, path) for path in free})
    full = rested_or_typical_v(bike.battery, 1.0)
    asked = []
    for what in rng.permutation(["climb", "top", "launch", "front_wheel", "sag", "minutes", "power"])[
        : int(rng.integers(1, 5))
    ]:
        goal = _blank(str(what), rng)
        value = reached(bike, aim, goal, full)
        harder = float(rng.choice([0.9, 0.96, 1.0, 1.08, 1.25], p=[0.3, 0.25, 0.15, 0.15, 0.15]))
        key = _key(goal)
        if not math.isfinite(value) or value <= 0:
            value = {
                "climb": 12.0,
                "top": 30.0,
                "launch": 12.0,
                "front_wheel": 0.4,
                "sag": 50.0,
                "minutes": 3.0,
                "power": 900.0,
            }[str(what)]
        figure = (
            value / harder
            if what in LESS
            else value * (1 + (harder - 1) * (0.2 if what in ("sag", "front_wheel") else 1))
        )
        asked.append(goal | {key: float(min(figure, 0.99) if what == "front_wheel" else figure)})
    return (
        bike,
        tune,
        Goals.model_validate(
            {"format": "crisp-hornet/goals", "version": 1, "name": "ask", "free": free, "goals": asked}
        ),
    )


def _most(bike, path):
    controller = bike.controller
    return (
        controller.max_battery_current_a
        if path == FREE[1]
        else controller.max_phase_current_a * (0.4 if path == FREE[2] else 1)
    )


def _blank(what, rng):
    if what == "climb":
        return {"what": what, "grade": float(rng.choice([0.03, 0.06, 0.1])), "least_kmh": 1.0}
    if what == "launch":
        return {"what": what, "to_kmh": float(rng.uniform(15, 30)), "most_s": 1.0}
    if what == "power":
        return {"what": what, "most_w": 1.0}
    if what == "sag":
        return {"what": what, "rested_v": float(rng.uniform(52, 62)), "least_v": 1.0}
    if what == "minutes":
        return {
            "what": what,
            "grade": float(rng.choice([0.0, 0.04])),
            "kmh": float(rng.uniform(12, 25)),
            "least_min": 1.0,
        }
    return {"what": what, "least_share" if what == "front_wheel" else "least_kmh": 0.5}


def _key(goal):
    return next(key for key in goal if key.startswith(("least", "most")))


def reached(bike, tune, goal, full_v, count=121):
    """The figure of a wish, from a single curve."""
    goal = goal if isinstance(goal, dict) else goal.model_dump()
    volts = goal["rested_v"] if goal["what"] == "sag" else full_v
    curve = pull_curve(bike, tune, np.linspace(0, fastest_kmh(bike), count), Conditions(volts))
    match goal["what"]:
        case "climb":
            return steady_speed_kmh(curve, goal["grade"])
        case "top":
            return steady_speed_kmh(curve, 0.0)
        case "launch":
            return launch(curve, goal["to_kmh"]).time_s
        case "front_wheel":
            return front_wheel_keeps(curve)
        case "power":
            return float((curve.wheel_w).max())
        case "sag":
            return float(curve.pack_v.min())
    if (
        steady_speed_kmh(curve, goal["grade"]) < goal["kmh"] * 0.998
    ):  # pull and load part so slowly that the speeds of a curve tell
        return 0.0
    longest = 0.0
    for one in bike.in_each_gear() if bike.drivetrain.gears else [bike]:
        amps = steady_ride(one, goal["kmh"], full_v, goal["grade"]).phase_current_a
        if math.isfinite(amps):
            heat = HeldHeat(one, losses(one, amps, goal["kmh"]))
            guard = tune.heat_guard
            first = min(
                heat.seconds_until_winding(guard.motor_fade_start_c),
                heat.seconds_until_controller(guard.controller_fade_start_c),
            )
            longest = max(longest, float(first) / 60)
    return longest


def meets(bike, tune, goals, full_v, slight=0.0, count=121):
    """Whether a tune meets every wish, to a share ``slight`` of its figure."""
    for goal in goals.goals:
        figure, value = getattr(goal, _key(goal.model_dump())), reached(bike, tune, goal, full_v, count)
        if value > figure * (1 + slight) if goal.what in LESS else value < figure * (1 - slight):
            return False
    return True


def keeps_to_the_list(bike, tune, had):
    """No stop, and no warning beside those in ``had``."""
    return not any(
        one.strength is Strength.STOP or (one.strength is Strength.WARN and one.id not in had)
        for one in watch_list(bike, tune)
    )


def by_force(bike, tune, goals, places):
    """The least strain over a grid of so many places an axis; None where none of it will do."""
    controller, full = bike.controller, rested_or_typical_v(bike.battery, 1.0)
    rating = {
        path: controller.max_battery_current_a if path == FREE[1] else controller.max_phase_current_a for path in FREE
    }
    had = {one.id for one in watch_list(bike, tune) if one.strength is Strength.WARN}
    shares = np.linspace(0, 1, places)
    tried = sorted(itertools.product(shares, repeat=len(goals.free)), key=lambda point: sum(one * one for one in point))
    for point in tried:
        one = tune.with_settings(
            {path: float(share * rating[path]) for path, share in zip(goals.free, point, strict=True)}
        )
        if meets(bike, one, goals, full) and keeps_to_the_list(bike, one, had):
            return sum((one.setting(path) / rating[path]) ** 2 for path in FREE)
    return None


@dataclass
class Judged:
    """An answer, what trying all came to, and what is wrong with the answer."""

    answer: Answer
    best: float | None
    faults: list[str]


def judged(seed, places=(257, 33, 13)):
    """The answer to a random ask, against every setting of a grid of so many places an axis, for one, two or three axes."""
    bike, tune, goals = a_random_ask(seed)
    answer = Seeker(bike, tune, goals).answer()
    best = by_force(bike, tune, goals, places[len(goals.free) - 1])
    had = {one.id for one in watch_list(bike, tune) if one.strength is Strength.WARN}
    faults = []
    if answer.found:
        if not meets(bike, answer.tune, goals, rested_or_typical_v(bike.battery, 1.0), 0.002, 361):
            faults.append("misses a wish")
        if not keeps_to_the_list(bike, answer.tune, had):
            faults.append("against the watch list")
        if best is not None and answer.strain > 1.02 * best:
            faults.append(f"strain {answer.strain:.4f}, {best:.4f} would do")
    elif best is not None:
        faults.append("there are settings")
    elif not answer.conflict and not answer.against:
        faults.append("names no reason")
    return Judged(answer, best, faults)
