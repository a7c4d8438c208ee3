"""What the throttle does: its curve, its ramps, and when it works at all."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import NotNegative, Part, Positive

Portion = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1)]
Seconds = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=10)]
Volts = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=5)]
TWISTS = (0.25, 0.5, 0.75, 1.0)
FEWEST_POINTS, MOST_POINTS = 2, 8


class ResponsePoint(Part):
    """One point of a response map: the share that is asked for at a voltage of the throttle's signal."""

    volts: Volts
    share: Portion


class Throttle(Part):
    """From twist (0 to 1) to a share of what it asks for. ``share_25`` to ``maximum`` are that share at a quarter, half,
    three quarters and all of the twist left beyond ``dead_band``; it never falls as the twist grows. ``response``: a map from the signal's
    voltage to that share, straight between its points, which then counts instead of dead band and shares.

    ``asks``: the share is one of the phase current, of the drive's greatest power, or of the speed at which the drive ends.

    ``ramp_s`` and ``release_s``: seconds from nothing to all, and back. ``start``: works from standstill, only while pedalling, or only
    once rolling faster than ``rolling_kmh``. ``rolling_back``: what it does while the bike rolls backwards: drives at
    once, drives with half the current, or waits until the bike stands. ``walk_kmh``: speed of the walk assist; none without one.
    ``speed_kmh``: the speed at which the throttle alone ends, over the drive's taper; pedalling goes on to the limits of drive and assist.
    ``cruise_s``: the throttle held still for so long faster than ``cruise_least_kmh`` stays as it is when it is closed; none without
    cruise. ``cruise_ends``: the brake ends it, or the brake as well as opening the throttle again.
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
    asks: Literal["phase current", "power", "speed"] = "phase current"
    cruise_s: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=60)] | None = None
    cruise_least_kmh: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=100)] = 15.0
    cruise_ends: Literal["brake", "brake or throttle"] = "brake or throttle"
    response: Annotated[list[ResponsePoint], Field(min_length=FEWEST_POINTS, max_length=MOST_POINTS)] | None = None

    @model_validator(mode="after")
    def _never_falls(self) -> Self:
        shares = self.shares
        if any(after < before for before, after in pairwise(shares)):
            raise ValueError("share_25, share_50, share_75, maximum must not fall: more throttle never gives less")
        points = self.response or []
        if any(after.share < before.share for before, after in pairwise(points)):
            raise ValueError("response: its shares must not fall: more throttle never gives less")
        if any(after.volts <= before.volts for before, after in pairwise(points)):
            raise ValueError("response: each point needs a higher voltage than the one before")
        return self

    @property
    def shares(self) -> tuple[float, float, float, float]:
        """The shares at :data:`TWISTS`."""
        return self.share_25, self.share_50, self.share_75, self.maximum
