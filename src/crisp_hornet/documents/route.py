"""The route document: heights along a way, limits, stops and wind. SI units but for speeds (km/h), the unit in each key."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import NotNegative, Number, Part, Positive, Text

ROUTE_VERSION = 1
MOST_POINTS, STEEPEST = 200_000, 1.5


class RoutePoint(Part):
    """A place ``at_m`` from the start. A limit or a wind holds from its point until another is given; ``stop_s``: how long it stands there;
    ``headwind_kmh``: below 0 from behind."""

    at_m: NotNegative = Field(le=2e7)
    altitude_m: Number = Field(ge=-500, le=9000)
    limit_kmh: Positive | None = Field(default=None, ge=1, le=300)
    stop_s: NotNegative | None = Field(default=None, le=86_400)
    headwind_kmh: Number | None = Field(default=None, ge=-200, le=200)


class Route(Part):
    """A way to ride (``crisp-hornet/route``): points from 0 on, heights straight between them."""

    format: Literal["crisp-hornet/route"]
    version: Literal[1]
    name: Text
    points: Annotated[list[RoutePoint], Field(min_length=2, max_length=MOST_POINTS)]

    @model_validator(mode="after")
    def _goes_forward(self) -> Self:
        if self.points[0].at_m != 0:
            raise ValueError("points: the first one must stand at 0 m")
        for at, (one, other) in enumerate(pairwise(self.points), start=1):
            if other.at_m <= one.at_m:
                raise ValueError(f"points: number {at + 1} does not lie beyond the one before")
            if abs(other.altitude_m - one.altitude_m) > STEEPEST * (other.at_m - one.at_m):
                raise ValueError(f"points: it is steeper than a wall before number {at + 1}")
        return self

    @property
    def length_m(self) -> float:
        """From the first point to the last."""
        return self.points[-1].at_m
