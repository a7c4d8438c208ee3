"""The pack as a ride shows it: its resistance with the state of charge taken out.

The voltage follows ``V = E − k·q − R0·I − R1·z1 − R2·z2`` with ``q`` the charge drawn and ``z`` the current smoothed by two times of
relaxation. What changes slowly (the bend of the charge curve, warming) is taken out by subtracting a moving mean from all of them; the
rest is a least-squares problem. The resistance of a 10 s pulse is ``R0 + Σ Rk·(1 − exp(−10/τk))``. What the gains of both sensors are
off by, and a current that was logged late, are in the interval.
Source: G. L. Plett, *Battery Management Systems*, vol. I, ch. 2 (equivalent circuits).
"""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.evidence.estimate import Estimate, Fit, around, clustered_fit, refused
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, even, moving_mean
from crisp_hornet.core.ride.skew import Aligned, Skew, aligned, sooner
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

PULSE_S, SLOW_S, BLOCK_S = 10.0, 90.0, 20.0
MODEL = 0.002  # share by which packs that relax otherwise are misread
RELAX_S = (15.0, 40.0)  # between two such times any relaxation of a pack is a mixture of both
LEAST_A = 3.0  # standard deviation of the current once its slow part is gone
LEAST_S = 120.0
FORGOTTEN = 12.0  # relaxation times after which nothing is left
WIDEST = 0.4  # of the value: beyond this the ride does not say
WEIGHTS = np.array(
    [1.0, *(1 - np.exp(-PULSE_S / slow_s) for slow_s in RELAX_S), 0.0]
)  # of the fitted values in a pulse


def resistance(ride: Ride, bike: Bike, in_step: Aligned | None = None) -> Estimate:
    """Resistance of the pack (Ω) to a 10 s pulse, at the temperature of the ride; ``in_step``: its currents brought in step, if they are
    already."""
    unit = "Ω"
    if not (ride.has("pack_v") and ride.has("battery_a")):
        return refused("voltage and battery current are needed", unit)
    in_step = in_step or aligned(even(ride, ("pack_v", "battery_a")))
    fit = _fitted(in_step.ride)
    if isinstance(fit, str):
        return refused(fit, unit)
    value, error = fit.combined(WEIGHTS)
    gains = np.hypot(bike.sensors.off("pack_v").gain_spread, bike.sensors.off("battery_a").gain_spread)
    sensors = float(np.hypot(gains * value, _by_lateness(in_step.ride, in_step.battery, value)))
    found = around(value, float(np.hypot(error, MODEL * value)), fit.freedom, unit, sensors)
    if not value > 0 or found.half_width > WIDEST * value:
        return refused("voltage and current do not go together", unit)
    return found


def _by_lateness(ride: Ride, skew: Skew, value: float) -> float:
    """By how much the resistance moves (Ω) with what is not known of the current's delay: the mean of both ways, for it falls in both."""
    moved = []
    for by_s in (skew.spread_s, -skew.spread_s):
        channels = ride.channels | {"battery_a": sooner(ride.get("battery_a"), by_s)}
        fit = _fitted(Ride(ride.name, ride.time_s, channels))
        moved.append(value if isinstance(fit, str) else fit.combined(WEIGHTS)[0])
    return abs(sum(moved) / 2 - value)


def _fitted(smooth: Ride) -> Fit | str:
    """(R0, R1, R2, k) of a ride on the even clock, or why not."""
    volts, amps = smooth.get("pack_v"), smooth.get("battery_a")
    known = np.isfinite(volts) & np.isfinite(amps)
    if known.sum() * STEP_S < LEAST_S:
        return say("less than {least} of voltage and current", least=quantity(LEAST_S, "s", ".0f"))
    clean = np.where(known, amps, 0.0)
    relaxed = [_relaxed(clean, slow_s) for slow_s in RELAX_S]
    rows = round(SLOW_S / STEP_S)
    drawn = np.cumsum(clean) * STEP_S / 3600
    fast = [one - moving_mean(np.where(known, one, np.nan), rows) for one in (volts, amps, *relaxed, drawn)]
    good = known & np.isfinite(fast[0])
    if float(np.std(fast[1][good])) < LEAST_A:
        return "the current hardly changes: open and release the throttle a few times"
    columns = np.column_stack([-one[good] for one in fast[1:]])
    return (
        clustered_fit(columns, fast[0][good], np.floor(smooth.time_s[good] / BLOCK_S)) or "too few changes of current"
    )


def _relaxed(amps: Array, slow_s: float) -> Array:
    """The current through a first-order low-pass of a relaxation time, by the Fourier transform."""
    share = np.exp(-STEP_S / slow_s)
    weights = (1 - share) * share ** np.arange(round(FORGOTTEN * slow_s / STEP_S))
    size = 1 << int(np.ceil(np.log2(len(amps) + len(weights))))
    found: Array = np.fft.irfft(np.fft.rfft(amps, size) * np.fft.rfft(weights, size), size)[: len(amps)]
    return found
