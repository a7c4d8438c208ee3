"""The fastest a motor can turn by its own power, and the back-EMF it then has: a wheel off the ground gets there at once.

Back-EMF, peak line to line: ``√3·omega·psi``. No controller drives a motor beyond the speed at which the back-EMF of the weakened magnets
meets the full pack, ``omega = k·E/√3/(psi − ld·i)``; a limit of the motor speed holds it below. Cold magnets are the strongest.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from crisp_hornet.core.drive.motor import MAGNET_PER_K
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

COLD_C = 0.0
TOP_KMH = 500.0  # no setting of a speed goes beyond
WEAKENED = 1.8  # times the no-load speed: hardly a tune weakens further


@dataclass(frozen=True)
class LiftedWheel:
    """Motor speed (rpm) with the wheel off the ground at full throttle, and the back-EMF (V) there."""

    rpm: float
    emf_v: float


def cold_flux_wb(bike: Bike) -> float:
    """Flux linkage (Wb) of magnets in frost."""
    return bike.motor.flux_linkage_wb * (1 + MAGNET_PER_K * (COLD_C - 25.0))


def back_emf_v(bike: Bike, omega: float) -> float:
    """Peak line-to-line back-EMF (V) of cold magnets at an electrical speed (rad/s)."""
    return math.sqrt(3) * omega * cold_flux_wb(bike)


def no_load_rpm(bike: Bike, weakening_a: float) -> float:
    """Motor speed (rpm) at which a full pack drives it no faster; infinite where the magnets are weakened away.

    Warm magnets are weaker and turn faster, but their back-EMF is no higher: figures at 25 °C.
    """
    flux = bike.motor.flux_linkage_wb - bike.motor.ld_h * weakening_a
    if flux <= 0:
        return math.inf
    omega = full_v(bike.battery) * bike.controller.modulation_limit / math.sqrt(3) / flux
    return omega / bike.motor.pole_pairs * 60 / (2 * math.pi)


def lifted_wheel(bike: Bike, tune: Tune) -> LiftedWheel:
    """How fast the motor turns with the wheel off the ground and a full pack: the lesser of no-load speed and the tune's limit."""
    rpm = min(no_load_rpm(bike, tune.drive.field_weakening_a), tune.drive.motor_rpm)
    return LiftedWheel(rpm, back_emf_v(bike, rpm / 60 * 2 * math.pi * bike.motor.pole_pairs))


def fastest_kmh(bike: Bike) -> float:
    """A round road speed (km/h) a little beyond what the motor may turn, or weakening could make of a full pack, in the fastest gear: where
    axes and rulers of a bike end. It depends on the bike alone."""
    drivetrain = bike.drivetrain
    rpm = min(bike.motor.max_rpm, WEAKENED * no_load_rpm(bike, 0.0))
    turns_per_s = rpm / 60 / min(drivetrain.gears or [drivetrain.ratio])
    return min(float(math.ceil(turns_per_s * drivetrain.wheel_circumference_m * 3.6 / 5) * 5), TOP_KMH)
