"""The bike on the road: resistance, effective mass, front-wheel lift and grip.

Source: longitudinal dynamics of two-wheelers, V. Cossalter, *Motorcycle Dynamics*, rolling, air and slope
resistance and load transfer; rider and bike as one rigid mass.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike

from crisp_hornet.core.arrays import Array, Figure
from crisp_hornet.core.drive.motor import wheel_radius_m
from crisp_hornet.documents.bike import Bike

G_MPS2 = 9.80665
AIR_KGPM3 = 1.2
WET = 0.6  # of the dry grip of a tyre, on wet asphalt (Cossalter, ch. 2: 0.4 to 0.5 against 0.7 to 0.8)


def centre_of_gravity(bike: Bike) -> tuple[float, float]:
    """(metres in front of the rear axle, metres above the ground): from the listed masses where there are any."""
    masses = bike.chassis.masses
    if not masses:
        return bike.chassis.cg_from_rear_m, bike.chassis.cg_height_m
    total = sum(mass.kg for mass in masses)
    return sum(mass.kg * mass.x_m for mass in masses) / total, sum(mass.kg * mass.z_m for mass in masses) / total


def road_load_n(bike: Bike, speed_kmh: ArrayLike, grade: float = 0.0, headwind_kmh: float = 0.0) -> Array:
    """Force (N) to hold a road speed (km/h, any shape) on ``grade`` (rise over run, 0.12 is 12 %)."""
    theta = math.atan(grade)
    weight = bike.mass_kg * G_MPS2
    wind = (np.asarray(speed_kmh, float) + headwind_kmh) / 3.6
    rolling = weight * (bike.chassis.crr * math.cos(theta) + math.sin(theta))
    return rolling + 0.5 * AIR_KGPM3 * bike.chassis.cda_m2 * wind * np.abs(wind)


def effective_mass_kg(bike: Bike, ratio: Figure | None = None) -> Figure:
    """Mass that resists acceleration while driving, turning wheels and rotor included (kg), shape of ``ratio``: that of the gear in use,
    where the bike has gears."""
    turns = bike.drivetrain.ratio if ratio is None else ratio
    turning = bike.chassis.wheel_inertia_kgm2 + bike.motor.rotor_inertia_kgm2 * turns**2
    return bike.mass_kg + turning / wheel_radius_m(bike) ** 2


def coasting_mass_kg(bike: Bike) -> float:
    """Mass that resists slowing down while nothing drives (kg): a freewheel leaves the rotor out."""
    return float(effective_mass_kg(bike, 0.0 if bike.drivetrain.freewheel else None))


def lift_force_n(bike: Bike, grade: float = 0.0) -> float:
    """Driving force (N) at which the front wheel leaves the ground; infinite with front drive."""
    if bike.chassis.driven_wheel == "front":
        return math.inf
    weight = bike.mass_kg * G_MPS2 * math.cos(math.atan(grade))
    from_rear_m, height_m = centre_of_gravity(bike)
    return weight * from_rear_m / height_m


def grip_force_n(bike: Bike, grade: float = 0.0, braking: bool = False, wet: bool = False) -> float:
    """Force (N) at which the driven tyre slips, load transfer included: driving, or ``braking`` with the motor alone.

    Moments about the centre of gravity: the force F at the road moves ``F·h/L`` from the front wheel to the rear when it drives, and the
    other way when it brakes, on any slope; ``F = μ·N`` is solved for F.
    """
    chassis = bike.chassis
    grip = chassis.tyre_grip * (WET if wet else 1.0)
    weight = bike.mass_kg * G_MPS2 * math.cos(math.atan(grade))
    from_rear, transfer = (distance / chassis.wheelbase_m for distance in centre_of_gravity(bike))
    front = chassis.driven_wheel == "front"
    gains = grip * transfer * (1 if front == braking else -1)
    if gains >= 1:
        return math.inf  # the tyre loads itself faster than it is asked to hold
    return grip * weight * (from_rear if front else 1 - from_rear) / (1 - gains)
