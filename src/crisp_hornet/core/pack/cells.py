"""The cells: charge from open-circuit voltage and back, usable energy above the low-voltage cutoff, cold, age; and the gauge table.

The rested-voltage curves are typical courses of each chemistry, read at 10 % steps (figures of our own, as data sheets of
common cells show them); cells of one chemistry differ by some 15 mV, which the spread of a charge includes. Under load a voltage
tells nothing about charge until the sag is taken out.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.pack.battery import loaded_voltage
from crisp_hornet.documents.battery import Battery

CHARGES = np.array([0, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1.0])
RESTED_CELL_V = {
    "nmc": np.array([3.00, 3.34, 3.44, 3.55, 3.61, 3.66, 3.72, 3.81, 3.91, 4.01, 4.10, 4.20]),
    "nca": np.array([2.90, 3.22, 3.33, 3.46, 3.55, 3.62, 3.69, 3.79, 3.90, 4.00, 4.09, 4.20]),
    "lfp": np.array([2.70, 3.05, 3.18, 3.25, 3.28, 3.29, 3.30, 3.31, 3.33, 3.34, 3.35, 3.45]),
}
CELL_SPREAD_V = 0.015
COLD_K = (
    2300.0  # how resistance grows in the cold: exp(COLD_K·(1/T − 1/298.15 K)), twice at 0 °C; typical of lithium cells
)
STEPS = 400


@dataclass(frozen=True)
class Charge:
    """State of charge (0 to 1) with one standard deviation."""

    value: float
    spread: float


def rested_cell_table(battery: Battery) -> tuple[Array, Array]:
    """(charge, rested volts of one cell), both increasing.

    A ``custom`` chemistry brings ``rested_v_table``, a list of [charge, volts per cell]. Raises :class:`ValueError` if it does not.
    """
    if battery.chemistry != "custom":
        return CHARGES, RESTED_CELL_V[battery.chemistry]
    try:
        table = np.asarray(battery.rested_v_table, float)
        good = table.ndim == 2 and table.shape[1] == 2 and len(table) >= 2 and bool(np.all(np.diff(table, axis=0) > 0))
    except (TypeError, ValueError):
        good = False
    if not good:
        raise ValueError(
            "battery.rested_v_table must be a list of [charge, volts per cell], both rising, for a custom chemistry"
        )
    return table[:, 0], table[:, 1]


def rested_v(battery: Battery, charge: ArrayLike) -> Array:
    """Rested pack voltage (V) at a charge of 0 to 1, same shape."""
    charges, volts = rested_cell_table(battery)
    pack_v: Array = battery.series * np.interp(np.asarray(charge, float), charges, volts)
    return pack_v


def rested_or_typical_v(battery: Battery, charge: float) -> float:
    """Rested pack voltage (V) to draw scales and defaults with; a custom chemistry without a usable table counts as NMC."""
    try:
        return float(rested_v(battery, charge))
    except ValueError:
        return battery.series * float(np.interp(charge, CHARGES, RESTED_CELL_V["nmc"]))


def full_v(battery: Battery) -> float:
    """Rested voltage of the full pack (V)."""
    return rested_or_typical_v(battery, 1.0)


def charge_at(battery: Battery, rested_pack_v: float, meter_spread_v: float = 0.1) -> Charge:
    """Charge from a rested pack voltage; the spread grows where the curve is flat."""
    charges, volts = rested_cell_table(battery)
    cell = rested_pack_v / battery.series
    value = float(np.interp(cell, volts, charges))
    around = np.interp([cell - 0.02, cell + 0.02], volts, charges)
    slope = max(float(around[1] - around[0]) / 0.04, 0.05)  # charge per volt
    return Charge(value, min(0.5, slope * math.hypot(CELL_SPREAD_V, meter_spread_v / battery.series)))


def cold_factor(cell_c: float) -> float:
    """Resistance at a cell temperature (°C) against 25 °C (Arrhenius)."""
    return math.exp(COLD_K * (1 / (cell_c + 273.15) - 1 / 298.15))


def tiredness(resistance_ohm: float, new_ohm: float) -> float:
    """How much more a pack resists than when it was new: 0.3 is 30 % more."""
    return resistance_ohm / new_ohm - 1


@dataclass(frozen=True)
class Usable:
    """What a pack gives at its terminals from one charge down to a cutoff, and the charge left there."""

    wh: float
    ah: float
    charge_left: float


def usable(battery: Battery, charge: float, cutoff_v: float, power_w: float, cell_c: float = 25.0) -> Usable:
    """Energy (Wh) and charge (Ah) at a constant power (W, > 0) until the loaded voltage falls to ``cutoff_v``.

    ``∫ V dq`` with ``V = E(q) − I·Rb`` and ``V·I = P``; capacity is taken as constant, the resistance with the cold.
    """
    charges = np.linspace(charge, 0.0, STEPS)
    resistance = battery.resistance_ohm * cold_factor(cell_c)
    volts = loaded_voltage(rested_v(battery, charges), resistance, power_w)
    gone = ~(volts > cutoff_v)  # also where the pack cannot give the power at all
    end = int(np.argmax(gone)) if gone.any() else STEPS - 1
    if end == 0:
        return Usable(0.0, 0.0, charge)
    ah = (charge - charges[: end + 1]) * battery.capacity_ah
    inside = np.nan_to_num(volts[: end + 1], nan=cutoff_v)
    return Usable(float(np.trapezoid(inside, ah)), float(ah[-1]), float(charges[end]))


STEPS = 2001


def gauge_table(battery: Battery, bars: int, cutoff_v: float | None = None, load_a: float = 0.0) -> Array:
    """Pack voltages (V, (bars,)), falling: bar k of the remaining ones goes out below the k-th. The last bar ends at ``cutoff_v``, or at
    the empty pack. At rest, or under a usual load of ``load_a`` (A), as a gauge sees it that reads while riding: ``V = E − I·R``, the
    cutoff then being met under load.

    Energy is the integral of the voltage over charge. Raises :class:`ValueError` for less than 2 bars, a cutoff above a full pack, or a
    custom chemistry without its curve.
    """
    if bars < 2:
        raise ValueError("a gauge has at least 2 bars")
    sag = load_a * battery.resistance_ohm
    empty = 0.0 if cutoff_v is None else charge_at(battery, cutoff_v + sag).value
    if empty >= 1:
        raise ValueError(f"the cutoff of {cutoff_v:g} V lies above a full pack")
    charge = np.linspace(empty, 1.0, STEPS)
    volts = rested_v(battery, charge) - sag
    energy = np.concatenate(([0.0], np.cumsum((volts[1:] + volts[:-1]) / 2)))
    wanted = energy[-1] * np.arange(bars - 1, -1, -1) / bars
    found: Array = np.interp(wanted, energy, volts)
    return found
