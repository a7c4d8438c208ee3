"""The motor as a ride shows it: its constant, its winding, and how much of the pack's power reaches the road.

In steady state ``V·I = idle + 1.5·R·(id² + iq²) + 1.5·ω·(psi + (ld − lq)·id)·iq`` (P. C. Krause et al., *Analysis of Electric Machinery*):
linear in ``psi``, in the winding's resistance at 25 °C and in the idle draw, so that pulls at different speeds tell them apart. What the
power stage and reluctance take is the document's. What the sensors' gains and zeros are off by is in the intervals; magnets are as warm
as they were on the ride. The power at the road is what the known mass gained, against the pack's: all that is lost on the way is in it, and
what mass, rolling, air and wind are not known to.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import COPPER_PER_K, MotorModel, electrical_speed
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.estimate import Estimate, Fit, around, clustered_fit, refused, told_well
from crisp_hornet.core.evidence.motion_errors import motion_errors_n
from crisp_hornet.core.evidence.pull_seen import BLOCK_S, FULL_PULL_S, FullPull, full_pull
from crisp_hornet.core.evidence.road_balance import PEDALLED_W
from crisp_hornet.core.evidence.zero_seen import ZeroSeen, battery_zero
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even
from crisp_hornet.core.ride.gear import gear_known
from crisp_hornet.core.ride.measured_pull import dq_currents, force_by_currents
from crisp_hornet.core.ride.skew import Aligned, aligned
from crisp_hornet.core.road.vehicle import road_load_n
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
    "cadence_rpm",
    "altitude_m",
)
LEAST_A, SLOW_SHARE, SLOW_A, LEAST_S = 4.0, 0.1, 2.0, 40.0
WIDEST_FLUX, WIDEST_OHM = 0.3, 0.6
ALIKE = 0.15  # of the mean speed: where speeds differ by less nothing tells constant and winding apart
AIRY = 0.35  # share of the force beyond which it is the air's, which nobody knows so well
MODELS = (0.002, 0.01)  # shares by which noise, and copper not as warm as its sensor, pull the fit to one side
USUAL_WINDING_C = 40.0
ROOM = 0.85  # of the voltage: below this no controller weakens


NOT_MOVED = refused("full throttle held, with phase current and speed, is needed", "Wb")


@dataclass(frozen=True)
class MotorSeen:
    """``flux_linkage_wb`` as warm as it was; ``winding_ohm``: a phase to the star point at 25 °C; ``efficiency``: power at the road over
    power from the pack at full throttle, ``efficiency_told`` what was predicted at the same speeds (NaN without a prediction);
    ``flux_by_motion_wb``: the flux linkage with which the phase current pulls as the bike gained speed, whatever the pack gave."""

    flux_linkage_wb: Estimate
    winding_ohm: Estimate
    efficiency: Estimate
    efficiency_told: float = math.nan
    flux_by_motion_wb: Estimate = NOT_MOVED


def motor_seen(
    ride: Ride,
    bike: Bike,
    curve: PullCurve | None = None,
    stretch: float = 1.0,
    pull: FullPull | None = None,
    in_step: Aligned | None = None,
) -> MotorSeen:
    """The motor's figures; ``curve`` is the prediction for the ride's start, ``stretch`` metres really rolled for a metre that is shown,
    ``pull`` its full pull and ``in_step`` its currents brought in step, if they are there already."""
    smooth = (in_step or aligned(even(ride, CHANNELS))).ride
    zero = battery_zero(smooth, bike)
    flux, ohm = _electrical(smooth, bike, zero)
    if not (smooth.has("wheel_speed_kmh") and smooth.has("throttle")):
        why = "speed, throttle, pack voltage and battery current are needed"
        return MotorSeen(flux, ohm, refused(why))
    pull = pull or full_pull(smooth, bike, stretch)
    efficiency, told = _efficiency(smooth, bike, curve, stretch, pull, zero)
    return MotorSeen(flux, ohm, efficiency, told, _flux_by_motion(smooth, bike, pull))


def _gaining(ride: Ride, bike: Bike, pull: FullPull) -> np.ndarray:
    """Rows of full pull in which the bike's mass takes most of the force, not the air."""
    speed = ride.get("wheel_speed_kmh")
    with np.errstate(invalid="ignore"):
        airy = np.nan_to_num(road_load_n(bike, speed) - road_load_n(bike, 0.0)) > AIRY * pull.force_n
    rows: np.ndarray = pull.rows & ~airy
    return rows


def _flux_by_motion(ride: Ride, bike: Bike, pull: FullPull) -> Estimate:
    """The document's flux linkage times pull from motion over pull from the phase current."""
    if not ride.has("phase_a") or not gear_known(ride, bike):
        return refused("phase current, and with gears the motor's speed, are needed", "Wb")
    motor, rows = MotorModel.of(bike), np.flatnonzero(_gaining(ride, bike, pull))
    part = Ride(ride.name, ride.time_s[rows], {name: values[rows] for name, values in ride.channels.items()})
    by_current = force_by_currents(part, bike, motor)
    free = replace(motor, hysteresis_w_per_hz=0.0, eddy_w_per_hz2=0.0, friction_nm=0.0)
    drag = by_current - force_by_currents(part, bike, free)
    pulls = by_current > 30
    if pulls.sum() * STEP_S < FULL_PULL_S:
        return refused(_too_short(), "Wb")
    rows, drag, by_current = rows[pulls], drag[pulls], by_current[pulls]
    made, moved = by_current - drag, pull.force_n[rows] - drag
    fit = clustered_fit(made[:, None], moved, np.floor(ride.time_s[rows] / BLOCK_S))
    if fit is None:
        return refused("too few moments of full throttle held", "Wb")
    value = float(fit.values[0])
    road = [float(fit.moved(one)[0]) for one in motion_errors_n(bike, ride.get("wheel_speed_kmh")[rows], moved)]
    sensor = bike.sensors.off("phase_a").gain_spread * value
    return around(value, math.hypot(fit.error(0), *road), fit.freedom, sensors=sensor).times(
        bike.motor.flux_linkage_wb, "Wb"
    )


def _too_short() -> str:
    return say(
        "less than {full_pull} of full throttle held while gaining speed", full_pull=quantity(FULL_PULL_S, "s", ".0f")
    )


def _electrical(ride: Ride, bike: Bike, zero: ZeroSeen) -> tuple[Estimate, Estimate]:
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
    drawn = ride.get("pack_v") * (ride.get("battery_a") - zero.zero_a)
    rows = _steady(ride.get("phase_a")) & np.isfinite(speed_power + copper + known + drawn)
    if not ride.has("d_axis_a"):  # where the voltage runs out it may be weakened, and nobody wrote that down
        room = (ROOM * bike.controller.modulation_limit / math.sqrt(3)) ** 2
        rows &= motor.voltage_squared(omega, i_d, i_q) < room * ride.get("pack_v") ** 2
    if rows.sum() * STEP_S < LEAST_S:
        why = say("less than {least} with a steady current and all that is needed", least=quantity(LEAST_S, "s", ".0f"))
        return refused(why, "Wb"), refused(why, "Ω")
    columns = np.column_stack([speed_power[rows], copper[rows], np.ones(int(rows.sum()))])
    alike = float(np.std(omega[rows])) < ALIKE * float(
        np.mean(np.abs(omega[rows]))
    )  # then a little heat passes for a constant
    block = np.floor(ride.time_s[rows] / BLOCK_S)
    fit = None if alike else clustered_fit(columns, (drawn - known)[rows], block)
    if fit is None:
        why = "currents and speeds hardly differ: pull from a standstill to the top, gently and hard"
        return refused(why, "Wb"), refused(why, "Ω")
    moved = _by_sensors(bike, fit, columns, drawn[rows], ride.get("pack_v")[rows], i_q[rows], zero)
    flux, ohm = (
        around(value, math.hypot(fit.error(at), MODELS[at] * value), fit.freedom, unit, float(moved[at]))
        for at, (value, unit) in enumerate(zip(fit.values[:2].tolist(), ("Wb", "Ω"), strict=True))
    )
    if not warm:
        ohm = refused("the winding's temperature is needed: warm copper resists more", "Ω")
    return told_well(flux, WIDEST_FLUX, "flux linkage is known"), told_well(
        ohm, WIDEST_OHM, "winding resistance is known"
    )


def _by_sensors(bike: Bike, fit: Fit, columns: Array, drawn: Array, volts: Array, i_q: Array, zero: ZeroSeen) -> Array:
    """By how much constant, winding and idle draw (3,) move with what the sensors are off by, one standard deviation in all."""
    off = bike.sensors.off
    gain = fit.values * np.array(
        [1.0, 2.0, 0.0]
    )  # of the phase current: it counts once in the one column, squared in the other
    safe = np.where(np.abs(i_q) < 1.0, 1.0, i_q)
    causes = [
        off("pack_v").gain_spread * fit.moved(drawn),
        off("battery_a").gain_spread * fit.moved(drawn),
        zero.spread_a * fit.moved(volts),
        off("phase_a").gain_spread * fit.moved(columns @ gain),
        off("phase_a").zero_spread * fit.moved((columns / safe[:, None]) @ gain),
    ]
    found: Array = np.sqrt(np.sum(np.square(causes), axis=0))
    return found


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
    ride: Ride, bike: Bike, curve: PullCurve | None, stretch: float, pull: FullPull, zero: ZeroSeen
) -> tuple[Estimate, float]:
    if not (ride.has("pack_v") and ride.has("battery_a")):
        return refused("speed, throttle, pack voltage and battery current are needed"), math.nan
    speed, volts = ride.get("wheel_speed_kmh"), ride.get("pack_v")
    drawn = volts * (ride.get("battery_a") - zero.zero_a)
    rows = _gaining(ride, bike, pull) & (drawn > 0)
    if rows.sum() * STEP_S < FULL_PULL_S:
        return refused(_too_short()), math.nan
    out, taken = stretch * pull.force_n[rows] * speed[rows] / 3.6, drawn[rows]
    pedalled = 0.0
    if not (ride.has("human_nm") or ride.has("cadence_rpm")):  # nobody logged whether somebody helped
        out, pedalled = out - PEDALLED_W[0], PEDALLED_W[1] * len(taken) / float(taken.sum())
    fit = clustered_fit(taken[:, None], out, np.floor(ride.time_s[rows] / BLOCK_S))
    if fit is None:
        return refused("too few moments of full throttle held"), math.nan
    value = float(fit.values[0])
    road = [
        float(fit.moved(one * speed[rows] / 3.6)[0]) for one in motion_errors_n(bike, speed[rows], pull.force_n[rows])
    ]
    off = bike.sensors.off
    gains = math.hypot(off("pack_v").gain_spread, off("battery_a").gain_spread) * value
    zeroed = zero.spread_a * value * float(volts[rows].sum() / taken.sum())
    seen = around(value, math.hypot(fit.error(0), pedalled, *road), fit.freedom, sensors=math.hypot(gains, zeroed))
    if curve is None:
        return seen, math.nan
    wheel_w, battery_w = (np.interp(speed[rows], curve.speed_kmh, one) for one in (curve.wheel_w, curve.battery_w))
    return seen, float(wheel_w.sum() / battery_w.sum())
