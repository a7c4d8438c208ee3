"""What temperature sensors of several kinds show, and what a controller that believes in a kind makes of it.

Numbers of the kinds as the registers count them: 0 and 1 are NTC of 10 and 100 kΩ, 2 and 3 silicon of 1 kΩ at 25 and at 100 °C, 4 platinum
of 1 kΩ at 0 °C. Straight and bent terms are figures of our own, close to such parts.
"""

from __future__ import annotations

import math

NTC_OHM = {0: 10_000.0, 1: 100_000.0}
BENT = {2: (1000.0, 25.0, 7.9e-3, 1.9e-5), 3: (1000.0, 100.0, 6.1e-3, 1.1e-5), 4: (1000.0, 0.0, 3.908e-3, -5.78e-7)}
COLDEST_C, HOTTEST_C = -60.0, 300.0


def ohm_of(kind: int, beta_k: float, at_c: float) -> float:
    """The resistance of a kind at a temperature; ``beta_k`` counts for an NTC."""
    if kind in NTC_OHM:
        return NTC_OHM[kind] * math.exp(beta_k * (1 / (at_c + 273.15) - 1 / 298.15))
    ohm, reference_c, straight, bent = BENT[kind]
    warmer = at_c - reference_c
    return ohm * (1 + straight * warmer + bent * warmer**2)


def read_as(kind: int, beta_k: float, ohm: float) -> float:
    """The temperature (°C) that a controller shows which takes a resistance for one of a kind; held within what it can show."""
    if kind in NTC_OHM:
        shown = 1 / (1 / 298.15 + math.log(max(ohm, 1e-3) / NTC_OHM[kind]) / beta_k) if ohm > 0 else 1e9
        return min(max(shown - 273.15, COLDEST_C), HOTTEST_C) if shown > 0 else HOTTEST_C
    low, high = COLDEST_C, HOTTEST_C
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if ohm_of(kind, beta_k, middle) < ohm else (low, middle)
    return low
