"""The least limits of the whole chain: tune, controller rating, and whatever else limits."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.bike import Bike, Limited
from crisp_hornet.documents.tune import Tune


@dataclass(frozen=True)
class Effective:
    """One effective limit and who sets it. ``None`` means nobody limits."""

    value: float | None
    owner: str


@dataclass(frozen=True)
class Limits:
    """All effective limits when driving, with their owners."""

    phase_current_a: Effective
    battery_current_a: Effective
    power_w: Effective
    motor_rpm: Effective
    speed_kmh: Effective


def effective_limits(bike: Bike, tune: Tune) -> Limits:
    """The least of tune, controller, motor and chain for each quantity; a device that replaces a figure takes the place of the tune and
    of what lies before it, but never of the controller's rating."""
    drive, controller = tune.drive, bike.controller
    return Limits(
        phase_current_a=_least(
            [*_through(bike, "phase_current_a", drive.phase_current_a), ("controller", controller.max_phase_current_a)]
        ),
        battery_current_a=_least(
            [
                *_through(bike, "battery_current_a", drive.battery_current_a),
                ("controller", controller.max_battery_current_a),
            ]
        ),
        power_w=_least(_through(bike, "power_w", drive.power_w)),
        motor_rpm=_least([("tune", drive.motor_rpm), ("motor", bike.motor.max_rpm)]),
        speed_kmh=_least(_through(bike, "speed_kmh", drive.speed_kmh)),
    )


def _through(bike: Bike, key: Limited, tuned: float | None) -> list[tuple[str, float | None]]:
    """Who says what of a figure along the chain, from the last that replaces it on."""
    said: list[tuple[str, float | None]] = [("tune", tuned)]
    for link in bike.chain:
        value = getattr(link, key)
        if value is not None:
            said = [*([] if key in link.replaces else said), (link.name, value)]
    return said


def fade(value: Array | float, start: float, end: float) -> Array:
    """1 up to ``start``, falling linearly to 0 at ``end``; a fade of no width (under 1e-9) is a step."""
    value = np.asarray(value, float)
    if abs(end - start) < 1e-9:
        return np.where(value < end, 1.0, 0.0)
    return np.clip((end - value) / (end - start), 0.0, 1.0)


def _least(named: Iterable[tuple[str, float | None]]) -> Effective:
    given = [(value, owner) for owner, value in named if value is not None]
    if not given:
        return Effective(None, "nobody")
    value, owner = min(given, key=lambda pair: pair[0])
    return Effective(value, owner)
