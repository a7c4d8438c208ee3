"""The pack's capacity as a ride shows it: the charge drawn between two rests over the share of it that the rested voltages tell."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.pack.cells import charge_at
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

REST_A, REST_S, RELAXES_V = 1.0, 45.0, 0.004  # of each cell: what is still to come back after so short a rest
LEAST_SHARE = 0.25


def capacity(smooth: Ride, bike: Bike, ah: Estimate, rested_v: tuple[float, float] | None = None) -> Estimate:
    """Capacity (Ah) from the charge drawn (Ah) and the pack's voltages at rest before and after: those noted on the card, else those that
    the log holds at its ends."""
    unit = "Ah"
    if not ah.known:
        return refused(ah.reason, unit)
    noted = rested_v is not None
    ends = rested_v if rested_v is not None else _rests(smooth, bike)
    if ends is None:
        return refused(
            say(
                "the pack must rest for {rest} before and after, in the log or on the card",
                rest=quantity(REST_S, "s", ".0f"),
            ),
            unit,
        )
    try:
        before, after = charge_at(bike.battery, ends[0]), charge_at(bike.battery, ends[1])
    except ValueError as error:
        return refused(str(error), unit)
    share = before.value - after.value
    if share < LEAST_SHARE:
        return refused(
            say("it drew less than {least} of a charge", least=quantity(100 * LEAST_SHARE, "%", ".0f")), unit
        )
    slope = (ends[0] - ends[1]) / share
    relaxing = 0.0 if noted else RELAXES_V * bike.battery.series / max(slope, 1e-6)
    doubt = math.hypot(before.spread, after.spread, relaxing) / share
    value = ah.value / share
    own, sensors = ah.own_half_width, math.sqrt(ah.of_sensors) * ah.half_width
    return around(value, value * doubt, 30, unit).wider(own / share).wider(sensors / share, of_sensors=True)


def _rests(smooth: Ride, bike: Bike) -> tuple[float, float] | None:
    """Rested voltages (V) at both ends of a ride on the even clock."""
    if not (smooth.has("pack_v") and smooth.has("battery_a")):
        return None
    amps, rows = smooth.get("battery_a"), round(REST_S / STEP_S)
    with np.errstate(invalid="ignore"):
        rests = np.flatnonzero(moving_mean((np.abs(amps) < REST_A).astype(float), rows) > 0.999)
    half = rows // 2
    rests = rests[(rests >= half) & (rests < len(amps) - half)]
    loaded = np.flatnonzero(np.abs(amps) > REST_A)
    if not (rests.size and loaded.size):
        return None
    first, last = rests[rests < loaded[0]], rests[rests > loaded[-1]]
    if not (first.size and last.size):
        return None
    volts = smooth.get("pack_v") + amps * bike.battery.resistance_ohm
    return tuple(
        float(np.nanmedian(volts[at - half // 2 : at + half // 2 + 1])) for at in (int(first[-1]), int(last[-1]))
    )  # type: ignore[return-value]
