"""The motor as a ride shows it: its constant, its winding, and how much of the pack's power reaches the road.

In steady state ``V·I = idle + 1.5·R·(id² + iq²) + 1.5·ω·(psi + (ld − lq)·id)·iq`` (P. C. Krause et al., *Analysis of Electric Machinery*):
linear in ``psi``, in the winding's resistance at 25 °C and in the idle draw, so that pulls at different speeds tell them apart. What the
power stage and reluctance take is the document's. What a current sensor's gain is usually off by is in the intervals; magnets are as warm
as they were on the ride. The power at the road is what the known mass gained, against the pack's: all that is lost on the way is in it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K, MotorModel, electrical_speed
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.estimate import Estimate, around, clustered_fit, refused, told_well
from crisp_hornet.core.evidence.pull_seen import BLOCK_S, FULL_PULL_S, FullPull, full_pull
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even
from crisp_hornet.core.ride.measured_pull import dq_currents
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

CHANNELS = (
    "wheel_speed_kmh",
    "motor_rpm",
    "pack_v",
    "battery_a",
    "phase_a",
    "d_axis_a",
    "motor_c",
    "throttle",
    "brake",
    "human_nm",
    "altitude_m",
)
LEAST_A, SLOW_SHARE, SLOW_A, LEAST_S = 4.0, 0.1, 2.0, 40.0
WIDEST_FLUX, WIDEST_OHM, MASS = 0.3, 0.6, 0.02
MODEL = 0.002  # share by which noise in the currents pulls the fit to one side
GAIN = 0.004  # share by which a current sensor's gain is usually off, one standard deviation
GAINS = (math.sqrt(2) * GAIN, math.sqrt(5) * GAIN)  # power over current, and over its square
USUAL_WINDING_C = 40.0
ROOM = 0.85  # of the voltage: below this no controller weakens


@dataclass(frozen=True)
class MotorSeen:
    """``flux_linkage_wb`` as warm as it was; ``winding_ohm``: a phase to the star point at 25 °C; ``efficiency``: power at the road over
    power from the pack at full throttle, ``efficiency_told`` what was predicted at the same speeds (NaN without a prediction)."""

    flux_linkage_wb: Estimate
    winding_ohm: Estimate
    efficiency: Estimate
    efficiency_told: float = math.nan


def motor_seen(
    ride: Ride, bike: Bike, curve: PullCurve | None = None, stretch: float = 1.0, pull: FullPull | None = None
) -> MotorSeen:
    """The motor's figures; ``curve`` is the prediction for the ride's start, ``stretch`` metres really rolled for a metre that is shown,
    ``pull`` its full pull, if it is there already."""
    smooth = even(ride, CHANNELS)
    flux, ohm = _electrical(smooth, bike)
    efficiency, told = _efficiency(smooth, bike, curve, stretch, pull)
    return MotorSeen(flux, ohm, efficiency, told)


def _electrical(ride: Ride, bike: Bike) -> tuple[Estimate, Estimate]:
    needed = ("pack_v", "battery_a", "phase_a")
    if not all(ride.has(name) for name in needed):
        why = "pack voltage, battery and phase current are needed"
        return refused(why, "Wb"), refused(why, "Ω")
    omega = _omega(ride, bike)
    if omega is None:
        why = "the motor's speed is needed: with gears, or without a wheel speed, it must be logged"
        return refused(why, "Wb"), refused(why, "Ω")
    warm = ride.has("motor_c")
    motor = MotorModel.of(bike)
    if not motor.surface and not ride.has("d_axis_a"):
        why = "the d-current is needed: the phase current alone does not tell the reluctance torque"
        return refused(why, "Wb"), refused(why, "Ω")
    i_d, i_q = dq_currents(motor, ride)
    square = i_d**2 + i_q**2
    winding_c = ride.get("motor_c") if warm else np.full(len(ride), USUAL_WINDING_C)
    copper = 1.5 * (1 + COPPER_PER_K * (winding_c - 25.0)) * square
    speed_power = 1.5 * omega * i_q * (motor.flux(i_q) / motor.psi)
    known = 1.5 * motor.controller_ohm * square + 1.5 * omega * motor.saliency_h * i_d * i_q
    drawn = ride.get("pack_v") * ride.get("battery_a")
    rows = _steady(ride.get("phase_a")) & np.isfinite(speed_power + copper + known + drawn)
    if not ride.has("d_axis_a"):  # where the voltage runs out it may be weakened, and nobody wrote that down
        room = (ROOM * bike.controller.modulation_limit / math.sqrt(3)) ** 2
        rows &= motor.voltage_squared(omega, i_d, i_q) < room * ride.get("pack_v") ** 2
    if rows.sum() * STEP_S < LEAST_S:
        why = say("less than {least} with a steady current and all that is needed", least=quantity(LEAST_S, "s", ".0f"))
        return refused(why, "Wb"), refused(why, "Ω")
    columns = np.column_stack([speed_power[rows], copper[rows], np.ones(int(rows.sum()))])
    fit = clustered_fit(columns, (drawn - known)[rows], np.floor(ride.time_s[rows] / BLOCK_S))
    if fit is None:
        why = "currents and speeds hardly differ: pull from a standstill to the top, gently and hard"
        return refused(why, "Wb"), refused(why, "Ω")
    flux, ohm = (
        around(value, math.hypot(fit.error(at), MODEL * value, GAINS[at] * value), fit.freedom, unit)
        for at, (value, unit) in enumerate(zip(fit.values[:2].tolist(), ("Wb", "Ω"), strict=True))
    )
    if not warm:
        ohm = refused("the winding's temperature is needed: warm copper resists more", "Ω")
    return told_well(flux, WIDEST_FLUX, "flux linkage is known"), told_well(
        ohm, WIDEST_OHM, "winding resistance is known"
    )


def _omega(ride: Ride, bike: Bike) -> Array | None:
    """Electrical speed (rad/s) by the motor's own speed, or by the wheel's, which is shown with the document's circumference."""
    if ride.has("motor_rpm"):
        return bike.motor.pole_pairs * ride.get("motor_rpm") * 2 * math.pi / 60
    if ride.has("wheel_speed_kmh") and not bike.drivetrain.gears:
        return electrical_speed(bike, ride.get("wheel_speed_kmh"))
    return None


def _steady(phase: Array) -> np.ndarray:
    """Where the current flows and hardly changes: elsewhere the product of means is not the mean of products."""
    change = np.maximum(np.abs(np.diff(phase, prepend=np.nan)), np.abs(np.diff(phase, append=np.nan)))
    with np.errstate(invalid="ignore"):
        found: np.ndarray = (np.abs(phase) > LEAST_A) & (change < SLOW_A + SLOW_SHARE * np.abs(phase))
    return found


def _efficiency(
    ride: Ride, bike: Bike, curve: PullCurve | None, stretch: float, pull: FullPull | None
) -> tuple[Estimate, float]:
    if not all(ride.has(name) for name in ("wheel_speed_kmh", "throttle", "pack_v", "battery_a")):
        return refused("speed, throttle, pack voltage and battery current are needed"), math.nan
    pull = pull or full_pull(ride, bike, stretch)
    speed, drawn = ride.get("wheel_speed_kmh"), ride.get("pack_v") * ride.get("battery_a")
    rows = pull.rows & (drawn > 0)
    if rows.sum() * STEP_S < FULL_PULL_S:
        return refused(
            say("less than {full_pull} of full throttle held", full_pull=quantity(FULL_PULL_S, "s", ".0f"))
        ), math.nan
    out, taken = stretch * pull.force_n[rows] * speed[rows] / 3.6, drawn[rows]
    fit = clustered_fit(taken[:, None], out, np.floor(ride.time_s[rows] / BLOCK_S))
    if fit is None:
        return refused("too few moments of full throttle held"), math.nan
    value = float(fit.values[0])
    seen = around(value, math.hypot(fit.error(0), MASS * value), fit.freedom)
    if curve is None:
        return seen, math.nan
    wheel_w, battery_w = (np.interp(speed[rows], curve.speed_kmh, one) for one in (curve.wheel_w, curve.battery_w))
    return seen, float(wheel_w.sum() / battery_w.sum())
