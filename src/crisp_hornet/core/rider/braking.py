"""What the motor's braking feels like in the hand: deceleration by how far the lever, or the throttle the other way, is moved."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, regen_curve
from crisp_hornet.core.road.vehicle import effective_mass_kg, road_load_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

TRAVEL = np.linspace(0.0, 1.0, 41)
SWITCHES_AT = 0.1  # of the lever's travel: where its switch closes


@dataclass(frozen=True, eq=False)
class LeverFeel:
    """Over the lever's ``travel`` (n,), 0 to 1: deceleration by the motor (m/s², (n,), ≥ 0) at one speed; ``rolls_mps2``: what rolling and
    air take besides, ``lift_off_mps2``: what closing the throttle alone asks for."""

    travel: Array
    braking_mps2: Array
    rolls_mps2: float
    lift_off_mps2: float


def asked_share(tune: Tune, travel: Array) -> Array:
    """Share of all regen that is asked for at each travel of whatever commands it, never less than what closing the throttle asks for."""
    braking = tune.braking
    if braking.command == "none":
        asked = np.zeros_like(travel)
    elif braking.command == "lever switch":
        asked = np.where(travel >= SWITCHES_AT, 1.0, 0.0)
    else:
        asked = np.asarray(travel, float)
    return np.maximum(asked, braking.lift_off_share)


def lever_feel(bike: Bike, tune: Tune, conditions: Conditions, speed_kmh: float = 30.0) -> LeverFeel:
    """The feel at ``speed_kmh`` on the flat: the share asked for scales the regen phase current; battery, charge and voltage limit the
    rest, so that the last of a lever's travel may bring nothing more."""
    shares = np.append(asked_share(tune, TRAVEL), tune.braking.lift_off_share)
    asked_a = shares * tune.regen.phase_current_a
    curve = regen_curve(bike, tune, np.full(shares.shape, speed_kmh), conditions, current_a=asked_a)
    braking = np.where(shares > 0, -curve.wheel_force_n / effective_mass_kg(bike, curve.motor_turns), 0.0)
    rolls = float(road_load_n(bike, speed_kmh)) / float(np.max(effective_mass_kg(bike)))
    return LeverFeel(TRAVEL, braking[:-1], rolls, float(braking[-1]))
