"""Energy and way of a ride, and what each is sure to.

The error of a sum over time is read off the ride itself: summed from every second row instead of every row it differs by some twice of what
noise and coarse sampling are worth; blocks of a minute are taken as independent. What the sensors' gains and zeros are off by comes on top;
what the current sensor shows while the bike stands tells most of its zero, which is taken out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.uncertainty import relative_spread
from crisp_hornet.core.evidence.estimate import REACH, Estimate, around, refused
from crisp_hornet.core.evidence.zero_seen import ZeroSeen, battery_zero
from crisp_hornet.core.pack.cells import charge_at
from crisp_hornet.core.pack.cells import rested_v as rested_v_of
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even, moving_mean
from crisp_hornet.core.ride.gaps import SPARSE_S, longest_step_s, usual_step_s
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

BLOCK_S, LEAST_KM = 60.0, 0.3
MANY_ROWS = 20_000  # enough to tell how closely rows follow
MANY = 0.55  # rows that follow within such a share of the even clock's step are many
CAPACITY_SPREAD = 0.05  # of what a label says
TOLD_SPREAD = 0.005  # of a distance that the device counted
CLOSE_S = 1.5  # how long what a rider asks for usually lasts
QUIET_A = 0.4  # a smoothed current nearer to nothing than this brakes nobody
SPEEDS = ("wheel_speed_kmh", "gps_speed_kmh")
RESTING = ("pack_v", "battery_a", "wheel_speed_kmh", "throttle", "cadence_rpm")


@dataclass(frozen=True)
class EnergyUsed:
    """``wh_net`` and ``ah_net`` leave the pack for good; ``regen_share`` of what was drawn came back; ``distance_km`` by the wheel as it
    really rolls."""

    wh_net: Estimate
    regen_share: Estimate
    distance_km: Estimate
    wh_per_km: Estimate
    ah_net: Estimate


def energy_used(
    ride: Ride, bike: Bike, wheel: Estimate, rested_v: tuple[float, float] | None = None, smooth: Ride | None = None
) -> EnergyUsed:
    """What was used, with the circumference (m) that the ride showed, or the document's where it did not. Sums are taken over the rows as
    they were recorded, or over means of them where there are many a second; what was braked and what was driven is told apart on an even
    clock (``smooth``, if it is there already). Without voltage and current the pack's rested voltages before and after (V) tell the
    energy, less surely."""
    power = ride.has("pack_v") and ride.has("battery_a")
    rows = _summable(ride, power, smooth)
    distance = _distance(rows, bike, wheel)
    if not power:
        why = "voltage and battery current, or the pack's voltages at rest before and after, are needed"
        wh = refused(why, "Wh") if rested_v is None else energy_by_rest(bike, *rested_v)
        per_km = _ratio(wh, distance) if wh.known else refused(wh.reason, "Wh/km")
        ah = refused(why, "Ah") if rested_v is None else charge_by_rest(bike, *rested_v)
        return EnergyUsed(wh, refused("voltage and battery current are needed"), distance, per_km, ah)
    if why := _too_sparse(rows, "watts"):
        gone = refused(why, "Wh")
        return EnergyUsed(gone, refused(why), distance, refused(why, "Wh/km"), refused(why, "Ah"))
    even_clock = smooth if smooth is not None else even(ride, RESTING)
    zero, volts, amps = battery_zero(even_clock, bike), bike.sensors.off("pack_v"), bike.sensors.off("battery_a")
    net, error, freedom = _summed(rows.time_s, rows.get("watts"))
    drawn, drawn_error, _ = _summed(rows.time_s, rows.get("amps"))
    lasted = _known_s(rows.time_s, rows.get("amps"))
    held_v = float(np.nanmean(ride.get("pack_v")))
    volt_s = lasted * held_v
    net, drawn = net - zero.zero_a * volt_s, drawn - zero.zero_a * lasted
    off_j = math.hypot(
        net * volts.gain_spread, net * amps.gain_spread, zero.spread_a * volt_s, drawn * volts.zero_spread
    )
    off_c = math.hypot(drawn * amps.gain_spread, zero.spread_a * lasted)
    wh = around(net / 3600, error / 3600, freedom, "Wh", off_j / 3600)
    ah = around(drawn / 3600, drawn_error / 3600, freedom, "Ah", off_c / 3600)
    return EnergyUsed(wh, _regen_share(rows, zero, held_v), distance, _ratio(wh, distance), ah)


def _summable(ride: Ride, power: bool, smooth: Ride | None) -> Ride:
    """Speeds and ``watts`` of a ride as they are to be summed. The power is that of each row: a product of means would
    lack what voltage and current do together. Of what is on the even clock already (``smooth``) the rest is taken."""
    channels = {name: ride.get(name) for name in SPEEDS if ride.has(name)}
    if power:
        channels |= {"watts": ride.get("pack_v") * ride.get("battery_a"), "amps": ride.get("battery_a")}
    rows = replace(ride, channels=channels)
    if len(ride) < 2 or float(np.median(np.diff(ride.time_s[:MANY_ROWS]))) >= MANY * STEP_S:
        return rows
    if smooth is None:
        return replace(even(rows, tuple(channels)), told_km=ride.told_km)
    held = {name: smooth.get(name) for name in SPEEDS if smooth.has(name)}
    if power:
        held |= {"amps": smooth.get("battery_a"), "watts": even(rows, ("watts",)).get("watts")}
    return Ride(ride.name, smooth.time_s, held, told_km=ride.told_km)


def energy_by_rest(bike: Bike, before_v: float, after_v: float) -> Estimate:
    """Energy (Wh) between two rested voltages, from the charge curve and the capacity of the document; cells of one chemistry differ, a
    meter too, and both are in the interval. The pack's losses are in it: it is what the cells gave, not what came out of the plug."""
    battery = bike.battery
    try:
        before, after = charge_at(battery, before_v), charge_at(battery, after_v)
        if before.value <= after.value:
            return refused("the pack rests no lower after the ride than before", "Wh")
        charges = np.linspace(after.value, before.value, 60)
        wh = float(np.trapezoid(rested_v_of(battery, charges), charges)) * battery.capacity_ah
    except ValueError as error:
        return refused(str(error), "Wh")
    share = float(np.hypot(before.spread, after.spread)) / (before.value - after.value)
    if share > 0.5:
        return refused("the charge curve is too flat there, or the ride too short, for two voltages to show", "Wh")
    return around(wh, wh * float(np.hypot(share, CAPACITY_SPREAD)), 30, "Wh")


def charge_by_rest(bike: Bike, before_v: float, after_v: float) -> Estimate:
    """Charge (Ah) between two rested voltages, as :func:`energy_by_rest`."""
    wh = energy_by_rest(bike, before_v, after_v)
    mean_v = (before_v + after_v) / 2
    return wh.times(1 / mean_v, "Ah") if wh.known else refused(wh.reason, "Ah")


def _distance(ride: Ride, bike: Bike, wheel: Estimate) -> Estimate:
    unit = "km"
    name = "wheel_speed_kmh" if ride.has("wheel_speed_kmh") else "gps_speed_kmh"
    if not ride.has(name):
        return refused("no speed was recorded", unit)
    if why := _too_sparse(ride, name):
        return refused(why, unit)
    km, error, freedom = (one / 3600 if at < 2 else one for at, one in enumerate(_summed(ride.time_s, ride.get(name))))
    if name == "wheel_speed_kmh" and wheel.known:
        stretch, spread = wheel.value / bike.drivetrain.wheel_circumference_m, wheel.half_width / REACH / wheel.value
    elif name == "wheel_speed_kmh":
        stretch, spread = 1.0, relative_spread(bike, "drivetrain.wheel_circumference_m")
    else:
        stretch, spread = 1.0, bike.sensors.off(name).gain_spread
    found = around(km * stretch, error * stretch, freedom, unit, km * stretch * spread)
    if ride.told_km is None:
        return found
    # the device counted for itself: where the two differ, nobody knows which of them is right
    low, high = min(found.low, ride.told_km * (1 - TOLD_SPREAD)), max(found.high, ride.told_km * (1 + TOLD_SPREAD))
    return replace(found, low=low, high=high)


def _too_sparse(ride: Ride, name: str) -> str:
    """Why a channel's rows lie too far apart to be summed, or ""."""
    usual = usual_step_s(ride.time_s[np.isfinite(ride.get(name))])
    return (
        say("a row every {usual}: too far apart to know what lay between", usual=quantity(usual, "s", ".0f"))
        if usual > SPARSE_S
        else ""
    )


def _ratio(wh: Estimate, distance: Estimate) -> Estimate:
    unit = "Wh/km"
    if not distance.known:
        return refused(distance.reason, unit)
    if distance.value < LEAST_KM:
        return refused(say("less than {least}", least=quantity(LEAST_KM, "km")), unit)
    value = wh.value / distance.value
    shares = wh.half_width / max(abs(wh.value), 1e-9), distance.half_width / distance.value
    reach = abs(value) * math.hypot(*shares)
    sensors = shares[0] ** 2 * wh.of_sensors + shares[1] ** 2 * distance.of_sensors
    return Estimate(
        value, value - reach, value + reach, unit, of_sensors=sensors / max(sum(one**2 for one in shares), 1e-12)
    )


def _regen_share(log: Ride, zero: ZeroSeen, held_v: float) -> Estimate:
    """What came back of what was drawn, summed over the rows as they were recorded. A stretch of braking begins and ends somewhere between
    two rows: each end is unknown by a row's length, evenly spread; half of that the sum over every second row has shown already."""
    amps = log.get("amps") - zero.zero_a
    step = max(usual_step_s(log.time_s[np.isfinite(amps)][:MANY_ROWS]), STEP_S)
    watts = log.get("watts") - zero.zero_a * held_v
    span = max(round(1.0 / step), 1)
    with np.errstate(invalid="ignore"):
        about = moving_mean((moving_mean(amps, span) < -QUIET_A).astype(float), 2 * span) > 0
        braking = about & (amps < -QUIET_A)  # elsewhere a current below nothing is noise
    back, back_error, freedom = _summed(log.time_s, np.where(braking, -watts, 0.0))
    out, out_error, _ = _summed(log.time_s, np.where(braking, 0.0, watts))
    if out <= 0:
        return refused("nothing was drawn from the pack")
    if not braking.any():  # what is hidden in the quiet current is all that may have come back
        quiet_s = step * float(np.count_nonzero(np.abs(amps) < QUIET_A))
        return Estimate(0.0, 0.0, max(QUIET_A / 2 * held_v * quiet_s / out, 1e-4))
    ends = np.flatnonzero(np.diff(np.concatenate(([0], braking.astype(int), [0]))))
    starts, stops = ends[::2], np.minimum(ends[1::2] - 1, len(watts) - 1)
    edges = step / math.sqrt(12) * math.sqrt(float(np.sum(watts[starts] ** 2) + np.sum(watts[stops] ** 2)))
    zeroed = held_v * zero.spread_a * step * math.hypot(braking.sum() / out, back / out**2 * len(watts))
    share = back / out
    error = math.hypot(back_error / out, share * out_error / out, edges / 2 / out)
    return around(share, error, freedom, sensors=zeroed)


def _known_s(time: Array, values: Array) -> float:
    """For how long a channel was known (s); a gap counts as nothing."""
    steps = np.diff(time)
    known = np.isfinite(values[1:]) & np.isfinite(values[:-1]) & (steps <= longest_step_s(time))
    return float(steps @ known)


def _summed(time: Array, values: Array) -> tuple[float, float, float]:
    """(integral over s, its standard error, degrees of freedom); nothing is known of gaps, nothing is added for them."""
    good = np.isfinite(values)
    if not good.all():
        time, values = time[good], values[good]
    if len(time) < 8:
        return 0.0, 0.0, 1.0
    steps, gap = np.diff(time), longest_step_s(time)
    pieces = np.where(steps <= gap, steps * (values[1:] + values[:-1]) / 2, 0.0)
    wide = time[2::2] - time[:-2:2]
    coarse = np.where(wide <= 2 * gap, wide * (values[2::2] + values[:-2:2]) / 2, 0.0)
    pairs = len(coarse)
    fine = pieces[: 2 * pairs].reshape(pairs, 2).sum(axis=1)
    inside = (steps[: 2 * pairs].reshape(pairs, 2) <= gap).all(axis=1)
    block = np.floor((time[: 2 * pairs : 2] - time[0]) / BLOCK_S).astype(int)
    off = np.bincount(block, np.where(inside, coarse - fine, 0.0))
    # rows that follow each other closely differ from every second one by twice their error; rows that are strangers by no more than it
    twice = 2.0 if usual_step_s(time) <= CLOSE_S else 1.0
    return float(pieces.sum()), float(np.sqrt(np.sum(off**2))) / twice, float(max(len(off) - 1, 1))
