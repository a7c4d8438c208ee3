"""Wheel force measured on a ride, to lay over the predicted pull curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, wheel_radius_m
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.gear import gear_known, ratio_along
from crisp_hornet.documents.bike import Bike

FULL_THROTTLE = 0.95


@dataclass(frozen=True, eq=False)
class MeasuredPull:
    """Points (k,) of a ride: indicated speed, wheel force by the motor's currents, full throttle or not, and the gear in use (motor turns
    a wheel turn); ``told_by`` which current; ``pack_v`` at each point, NaN where it was not logged."""

    time_s: Array
    speed_kmh: Array
    force_n: Array
    full_throttle: NDArray[np.bool_]
    ratio: Array
    told_by: str
    pack_v: Array


def measured_pull(ride: Ride, bike: Bike) -> MeasuredPull | None:
    """Measured wheel force for each sample that drives, or None if the ride cannot say.

    From the phase current where it was logged (torque constant of the bike document), else from pack volts and
    amps through the same power balance the prediction uses. With gears the motor's own speed must be there: it tells the gear.
    """
    if not ride.has("wheel_speed_kmh") or not (ride.has("phase_a") or (ride.has("pack_v") and ride.has("battery_a"))):
        return None
    if not gear_known(ride, bike):
        return None
    speed = ride.get("wheel_speed_kmh")
    force = force_by_currents(ride, bike, MotorModel.of(bike))
    with np.errstate(invalid="ignore"):
        drives = np.isfinite(force) & (force > 0) & (speed > 0.5)
        full = ride.get("throttle") >= FULL_THROTTLE
    ratio = ratio_along(ride, bike)[drives]
    told_by = "phase_a" if ride.has("phase_a") else "battery_a"
    return MeasuredPull(
        ride.time_s[drives], speed[drives], force[drives], full[drives], ratio, told_by, ride.get("pack_v")[drives]
    )


def force_by_currents(ride: Ride, bike: Bike, motor: MotorModel) -> Array:
    """Wheel force (N, (n,)) by the phase current, or by volts and amps where it was not logged; below 0 where the motor brakes."""
    ratio = ratio_along(ride, bike)
    omega = electrical_speed(bike, ride.get("wheel_speed_kmh")) / bike.drivetrain.ratio * ratio
    if ride.has("phase_a"):
        i_d, iq = dq_currents(motor, ride)
    else:
        spare = (ride.get("pack_v") * ride.get("battery_a") - bike.controller.idle_w) / 1.5
        emf = omega * motor.psi
        i_d = np.zeros_like(spare)  # volts and amps alone do not tell the d-current
        iq = 2 * spare / (emf + np.sqrt(np.maximum(emf**2 + 4 * motor.r_ohm * spare, 1e-12)))
    gain = ratio * bike.drivetrain.efficiency / wheel_radius_m(bike)
    force: Array = (motor.torque_nm(i_d, iq) - motor.drag_nm(omega)) * gain
    return force


def dq_currents(motor: MotorModel, ride: Ride) -> tuple[Array, Array]:
    """(id, iq) of a logged phase current: with the d-current where it was logged, else at most torque per ampere."""
    phase = ride.get("phase_a")
    if ride.has("d_axis_a"):
        i_d = np.nan_to_num(ride.get("d_axis_a"))
        return i_d, np.sign(phase) * np.sqrt(np.maximum(phase**2 - i_d**2, 0.0))
    i_d, i_q = motor.mtpa_at_amplitude(np.abs(phase))
    return i_d, np.sign(phase) * i_q
