"""A sensor that was held against an instrument: what it may be off by from then on."""

from __future__ import annotations

import math

from crisp_hornet.documents.bike import Bike

SETTLED_ZERO_A = 0.05  # what is left of a zero that was looked at, one standard deviation


def checked(
    bike: Bike, channel: str, day: str, gain: float | None = None, meter_share: float = 0.01, zero: float | None = None
) -> Bike:
    """The bike with a sensor's entry narrowed to the instrument's, as of ``day`` (YYYY-MM-DD). ``gain``: shown over true, which stays as
    it is in every log; ``meter_share``: the most that the meter is off by (evenly spread: ISO/IEC Guide 98-3, 4.3.7); ``zero``: what it
    showed where nothing flowed."""
    off = bike.sensors.off(channel)
    gain_spread = off.gain_spread if gain is None else math.hypot(meter_share / math.sqrt(3), gain - 1)
    zero_spread = off.zero_spread if zero is None else math.hypot(SETTLED_ZERO_A, zero)
    entry = {"gain_spread": float(f"{gain_spread:.3g}"), "zero_spread": float(f"{zero_spread:.3g}"), "checked": day}
    return bike.with_value(f"sensors.{channel}", entry, "measured")
