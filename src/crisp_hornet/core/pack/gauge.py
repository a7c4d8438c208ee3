"""The gauge table: at which rested voltage each bar of a gauge must go out, so that equal bars mean equal energy."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.pack.cells import charge_at, rested_v
from crisp_hornet.documents.bike import Battery

STEPS = 2001


def gauge_table(battery: Battery, bars: int, cutoff_v: float | None = None) -> Array:
    """Rested pack voltages (V, (bars,)), falling: bar k of the remaining ones goes out below the k-th. The last bar ends at
    ``cutoff_v``, or at the empty pack.

    Energy is the integral of the rested voltage over charge; what sag loses depends on how it is ridden and is left out.
    Raises :class:`ValueError` for less than 2 bars, a cutoff above a full pack, or a custom chemistry without its curve.
    """
    if bars < 2:
        raise ValueError("a gauge has at least 2 bars")
    empty = 0.0 if cutoff_v is None else charge_at(battery, cutoff_v).value
    if empty >= 1:
        raise ValueError(f"the cutoff of {cutoff_v:g} V lies above a full pack")
    charge = np.linspace(empty, 1.0, STEPS)
    volts = rested_v(battery, charge)
    energy = np.concatenate(([0.0], np.cumsum((volts[1:] + volts[:-1]) / 2)))
    wanted = energy[-1] * np.arange(bars - 1, -1, -1) / bars
    found: Array = np.interp(wanted, energy, volts)
    return found
