"""What the throttle does: its curve, its ramps, and when it works at all."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import NotNegative, Part, Positive

Portion = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1)]
Seconds = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=10)]
TWISTS = (0.25, 0.5, 0.75, 1.0)


class Throttle(Part):
    """From twist (0 to 1) to a share of the phase current that may flow. ``share_25`` to ``maximum`` are that share at a quarter, half,
    three quarters and all of the twist left beyond ``dead_band``; it never falls as the twist grows.

    ``ramp_s`` and ``release_s``: seconds from nothing to all, and back. ``start``: works from standstill, only while pedalling, or only
    once rolling faster than ``rolling_kmh``. ``rolling_back``: what it does while the bike rolls backwards: drives at
    once, drives with half the current, or waits until the bike stands. ``walk_kmh``: speed of the walk assist; none without one.
    ``speed_kmh``: the speed at which the throttle alone ends, over the drive's taper; pedalling goes on to the limits of drive and assist.
    """

    share_25: Portion = 0.25
    share_50: Portion = 0.5
    share_75: Portion = 0.75
    maximum: Portion = 1.0
    dead_band: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=0.5)] = 0.05
    ramp_s: Seconds = 0.4
    release_s: Seconds = 0.15
    start: Literal["standstill", "pedalling", "rolling"] = "standstill"
    rolling_kmh: Positive = 3.0
    at_level_zero: bool = True
    follows_level: bool = False
    rolling_back: Literal["drives", "gently", "waits"] = "drives"
    walk_kmh: NotNegative | None = None
    speed_kmh: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=500)] | None = None

    @model_validator(mode="after")
    def _never_falls(self) -> Self:
        shares = self.shares
        if any(after < before for before, after in pairwise(shares)):
            raise ValueError("share_25, share_50, share_75, maximum must not fall: more throttle never gives less")
        return self

    @property
    def shares(self) -> tuple[float, float, float, float]:
        """The shares at :data:`TWISTS`."""
        return self.share_25, self.share_50, self.share_75, self.maximum
