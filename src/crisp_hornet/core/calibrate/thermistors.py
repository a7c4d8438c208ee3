"""Temperature sensors by kind: what temperature a resistance is, and which kinds fit one.

NTC: ``1/T = 1/298.15 + ln(R/R₂₅)/β`` (T in kelvin). Silicon spreading resistance: ``R = R₀(1 + α·Δ + β·Δ²)``, Δ from the
temperature at which it is named. Platinum: Callendar and Van Dusen, ``R = R₀(1 + A·T + B·T²)`` (IEC 60751, from 0 °C up).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import get_args

from crisp_hornet.documents.sensors import Thermistor

KINDS: tuple[Thermistor, ...] = get_args(Thermistor)
USUAL_BETA_K = 3950.0
BETAS_K = (3000.0, 4700.0)  # what NTC sensors are made with
TELLS_BETA_K = 15.0  # nearer to 25 °C all betas read nearly alike
COLDEST_C, HOTTEST_C = -60.0, 300.0


@dataclass(frozen=True)
class _Curve:
    """An NTC by its resistance at 25 °C, or a PTC by its resistance at a temperature and how it bends."""

    ohm: float
    at_c: float = 25.0
    straight: float = 0.0
    bent: float = 0.0

    @property
    def falls(self) -> bool:
        """Whether it is an NTC."""
        return self.straight == 0


_CURVES: dict[str, _Curve] = dict(
    zip(
        KINDS,
        (
            _Curve(10_000.0),
            _Curve(100_000.0),
            _Curve(1000.0, 25.0, 7.874e-3, 1.874e-5),
            _Curve(1000.0, 100.0, 6.12e-3, 1.1e-5),
            _Curve(1000.0, 0.0, 3.9083e-3, -5.775e-7),
        ),
        strict=True,
    )
)


def has_beta(kind: str) -> bool:
    """Whether a kind (of :data:`KINDS`) is an NTC, told further by its beta."""
    return _CURVES[kind].falls


def ohm_of(kind: str, temperature_c: float, beta_k: float = USUAL_BETA_K) -> float:
    """The resistance (Ω) of a kind at a temperature (°C). Raises :class:`KeyError` for a kind there is not."""
    curve = _CURVES[kind]
    if curve.falls:
        return curve.ohm * math.exp(beta_k * (1 / (temperature_c + 273.15) - 1 / 298.15))
    warmer = temperature_c - curve.at_c
    return curve.ohm * (1 + curve.straight * warmer + curve.bent * warmer**2)


def sensor_c(kind: str, ohm: float, beta_k: float = USUAL_BETA_K) -> float:
    """The temperature (°C) that a resistance (Ω, above 0) is for a kind, held to -60 to 300 °C. Raises :class:`KeyError` as above."""
    curve = _CURVES[kind]
    if curve.falls:
        inverse = 1 / 298.15 + math.log(ohm / curve.ohm) / beta_k
        found = 1 / inverse - 273.15 if inverse > 0 else math.inf
    else:  # the root that grows with resistance
        root = curve.straight**2 - 4 * curve.bent * (1 - ohm / curve.ohm)
        found = curve.at_c + (math.sqrt(root) - curve.straight) / (2 * curve.bent) if root >= 0 else math.inf
        if root < 0 and curve.bent > 0:
            found = -math.inf
    return min(max(found, COLDEST_C), HOTTEST_C)


def beta_of(kind: str, ohm: float, temperature_c: float) -> float | None:
    """The beta (K) of an NTC with a resistance at a known temperature; None for another kind, too near 25 °C, or where no such sensor
    is made."""
    curve = _CURVES[kind]
    if not curve.falls or abs(temperature_c - 25.0) < TELLS_BETA_K:
        return None
    beta = math.log(ohm / curve.ohm) / (1 / (temperature_c + 273.15) - 1 / 298.15)
    return beta if BETAS_K[0] <= beta <= BETAS_K[1] else None


def fitting(ohm: float, temperature_c: float, within_k: float, beta_k: float = USUAL_BETA_K) -> list[str]:
    """The kinds whose reading of a resistance lies within ``within_k`` of a known temperature; an NTC also with another beta, where
    the temperature tells one."""
    return [
        kind
        for kind in KINDS
        if abs(sensor_c(kind, ohm, beta_k) - temperature_c) <= within_k or beta_of(kind, ohm, temperature_c) is not None
    ]
