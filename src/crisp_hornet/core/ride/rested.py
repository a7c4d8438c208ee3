"""The state in which a ride began, so that it is judged against a prediction for that state."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike

REST_A = 1.0  # below this the pack counts as resting


def conditions_at_start(ride: Ride, bike: Bike) -> Conditions | None:
    """Rested voltage before the first load, and the median winding temperature; None without pack voltage.

    The little current that flows at rest is taken out with the pack's resistance from the document.
    """
    if not ride.has("pack_v"):
        return None
    volts, amps = ride.get("pack_v"), np.nan_to_num(ride.get("battery_a"))
    loaded = np.flatnonzero(np.abs(amps) > REST_A)
    end = int(loaded[0]) if loaded.size else len(ride)
    chosen = slice(0, max(end, 1))
    rested = volts[chosen] + amps[chosen] * bike.battery.resistance_ohm
    if not np.any(np.isfinite(rested)):
        return None
    winding = ride.get("motor_c")
    winding_c = float(np.nanmedian(winding)) if ride.has("motor_c") else 25.0
    return Conditions(float(np.nanmedian(rested)), winding_c)
