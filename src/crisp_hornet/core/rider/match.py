"""A level that feels like another one, of this bike or of another: as many watts for each of the rider's, or as quick a start."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np

from crisp_hornet.core.rider.assist import Motive, human_watts, level_rides
from crisp_hornet.core.rider.legs import Rider, legs
from crisp_hornet.documents.assist import Level

Feel = Literal["watts per watt", "acceleration"]
FEEL_KMH = 20.0
MOST_TIMES = 20.0
NEAR = 0.02  # of what is wanted: nearer than anyone feels
HALVINGS = 22


class NoMatch(ValueError):
    """No strength of the level feels like that; ``reaches`` is the most that can be had (watts a watt, or m/s²)."""

    def __init__(self, wanted: float, reaches: float) -> None:
        super().__init__(f"wanted {wanted:.2f}, the most is {reaches:.2f}")
        self.wanted, self.reaches = wanted, reaches


def feel_of(motive: Motive, level: Level, rider: Rider, feel: Feel) -> float:
    """What a level feels like to a rider on the flat: the motor's watts for each of the rider's at 20 km/h, or the greatest acceleration
    from rest over half a second (m/s²)."""
    alone = replace(motive, assist=motive.assist.model_copy(update={"levels": [level]}))
    if feel == "acceleration":
        return level_rides(alone, rider)[0].most_mps2
    pedals = legs(rider, np.array([FEEL_KMH]))
    human_w = float(human_watts(pedals.torque_nm, pedals.cadence_rpm)[0])
    force = float(motive.force_n(level, pedals.torque_nm, pedals.cadence_rpm, FEEL_KMH)[0])
    return force * FEEL_KMH / 3.6 / human_w if human_w > 0 else 0.0


def level_like(motive: Motive, level: Level, rider: Rider, feel: Feel, wanted: float) -> Level:
    """The level with the multiplier (in the style that knows only cadence: the power share) that feels as wanted, by halving.

    Raises :class:`NoMatch` where even the strongest does not reach it, or the weakest is more than it.
    """
    key, most = ("power_share", 1.0) if motive.assist.style == "cadence" else ("multiplier", MOST_TIMES)

    def felt(value: float) -> float:
        return feel_of(motive, level.model_copy(update={key: value}), rider, feel)

    low, high = 0.0, most
    strongest, weakest = felt(high), felt(low)
    if not math.isfinite(wanted) or strongest < wanted * (1 - NEAR):
        raise NoMatch(wanted, strongest)
    if weakest > wanted * (1 + NEAR):
        raise NoMatch(wanted, weakest)
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if felt(middle) < wanted else (low, middle)
    return level.model_copy(update={key: round(high, 3)})
