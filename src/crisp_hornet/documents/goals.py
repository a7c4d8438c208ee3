"""The goals document: what a bike shall reach, as wishes with figures. SI units but for speeds (km/h), the unit in each key."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import NotNegative, Number, Part, Positive, Share, Text
from crisp_hornet.documents.route import Route

GOALS_VERSION = 1
MOST_GOALS, MOST_TIMES = 12, 50
FREE = ("drive.phase_current_a", "drive.battery_current_a", "drive.field_weakening_a")

Grade = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=-0.5, le=0.5)]
Speed = Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=300)]


class Climb(Part):
    """Steady at full throttle up a grade (the winding at 25 °C), at least so fast."""

    what: Literal["climb"]
    grade: Grade
    least_kmh: Speed


class Top(Part):
    """Steady at full throttle on the flat, at least so fast."""

    what: Literal["top"]
    least_kmh: Speed


class Launch(Part):
    """From rest on the flat to a speed in so long at most; front wheel and grip included."""

    what: Literal["launch"]
    to_kmh: Speed
    most_s: Positive


class FrontWheel(Part):
    """The share of its standing load that the front wheel keeps at the greatest pull on the flat, at least."""

    what: Literal["front_wheel"]
    least_share: Share


class Sag(Part):
    """The lowest pack voltage under full pull at any speed, from a voltage at rest, at least."""

    what: Literal["sag"]
    rested_v: Positive
    least_v: Positive


class Minutes(Part):
    """How long a speed is held up a grade from cold until derating starts, at least."""

    what: Literal["minutes"]
    grade: Grade
    kmh: Speed
    least_min: Positive = Field(le=1e4)


class Power(Part):
    """The greatest power at the wheel under full pull, at most: what a local rule allows, for instance."""

    what: Literal["power"]
    most_w: Positive


class OnRoute(Part):
    """A road ridden at a held speed, so many times in a row: there in time, with so much charge left, without derating by heat.

    ``route``: the road itself, or the name of a file beside the goals."""

    what: Literal["route"]
    route: Route | Text
    hold_kmh: Speed
    most_s: Positive | None = None
    least_end_charge: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1)] | None = None
    most_wh_per_km: Positive | None = None
    times: Annotated[int, Field(strict=True, ge=1, le=MOST_TIMES)] = 1
    fades: Annotated[bool, Field(strict=True)] = True
    ambient_c: Number = Field(default=25.0, ge=-40, le=60)
    headwind_kmh: Number = Field(default=0.0, ge=-200, le=200)
    start_charge: NotNegative | None = Field(default=None, gt=0, le=1)


Goal = Annotated[Climb | Top | Launch | FrontWheel | Sag | Minutes | Power | OnRoute, Field(discriminator="what")]


class Goals(Part):
    """Wishes (``crisp-hornet/goals``) and the settings that may be changed for them."""

    format: Literal["crisp-hornet/goals"]
    version: Literal[1]
    name: Text
    free: Annotated[list[Literal["drive.phase_current_a", "drive.battery_current_a", "drive.field_weakening_a"]],
                    Field(min_length=1, max_length=3)]  # fmt: skip
    goals: Annotated[list[Goal], Field(min_length=1, max_length=MOST_GOALS)]

    @model_validator(mode="after")
    def _names_each_once(self) -> Self:
        if len(set(self.free)) < len(self.free):
            raise ValueError("free: names a setting twice")
        return self
