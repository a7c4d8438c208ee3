"""The pack of a bike; or its packs, where it has several, and what they come to together."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import Count, NotNegative, Part, Positive, Text
from crisp_hornet.documents.source import Source

FEWEST_PACKS, MOST_PACKS = 2, 6


class Battery(Part):
    """The pack and its protection board. ``resistance_ohm``: pack, 10 s pulse, 25 °C, half charge. ``bms_discharge_a`` is what the board
    lets through for ever, ``bms_peak_a`` what it bears for ``bms_peak_s``, where that is known."""

    chemistry: Literal["nmc", "nca", "lfp", "custom"]
    rested_v_table: Any = None
    series: Count = Field(le=500)
    capacity_ah: Positive = Field(ge=0.01, le=10000)
    resistance_ohm: NotNegative = Field(le=100)
    bms_discharge_a: Positive = Field(ge=0.1, le=10000)
    bms_peak_a: Positive | None = Field(default=None, ge=0.1, le=10000)
    bms_peak_s: Positive | None = Field(default=None, ge=0.01, le=3600)
    bms_charge_a: NotNegative = Field(le=10000)
    bms_trip_v: NotNegative = Field(le=2000)
    bms_over_v: Positive | None = Field(default=None, ge=1, le=2500)
    fuse_a: Positive | None = Field(default=None, ge=0.1, le=100000)
    wiring_a: Positive | None = Field(default=None, ge=0.1, le=100000)


class Pack(Part):
    """One of several packs. ``sources``: where its figures come from, by key."""

    name: Text
    battery: Battery
    sources: dict[str, Source] = {}


class Packs(Part):
    """Two or more packs: all connected in parallel, or taken in turn, of which the one at ``in_use`` (from 0) is on the bike."""

    how: Literal["in turn", "in parallel"] = "in turn"
    in_use: Annotated[int, Field(strict=True, ge=0, lt=MOST_PACKS)] = 0
    each: Annotated[list[Pack], Field(min_length=FEWEST_PACKS, max_length=MOST_PACKS)]

    @model_validator(mode="after")
    def _go_together(self) -> Self:
        if self.in_use >= len(self.each):
            raise ValueError("packs: the one in use is not among them")
        if len({pack.name for pack in self.each}) < len(self.each):
            raise ValueError("packs: two have the same name")
        first = self.each[0].battery
        alike = ("series", "chemistry", "rested_v_table")
        if self.how == "in parallel" and any(
            getattr(one.battery, key) != getattr(first, key) for one in self.each for key in alike
        ):
            raise ValueError(
                "packs in parallel need the same chemistry and as many cells in series: others push current into each other"
            )
        return self

    @property
    def battery(self) -> Battery:
        """What the bike runs on: the pack in use, or all of them as one."""
        return self.each[self.in_use].battery if self.how == "in turn" else together([one.battery for one in self.each])

    def place(self, name: str) -> int | None:
        """The place of a pack by its name; None where there is none."""
        return next((at for at, one in enumerate(self.each) if one.name == name), None)

    def with_figure(self, key: str, was: Any, value: Any) -> Packs:
        """These packs with a figure of what the bike runs on set: on the pack in use; in parallel on each, in proportion where it adds
        up."""
        adds_up = self.how == "in parallel" and key in _ADDS_UP and isinstance(was, (int, float)) and was and value
        changed = []
        for at, pack in enumerate(self.each):
            touched = self.how == "in parallel" or at == self.in_use
            own = getattr(pack.battery, key)
            new = own * value / was if adds_up and own is not None else value
            changed.append(
                pack.model_copy(update={"battery": pack.battery.model_copy(update={key: new})}) if touched else pack
            )
        return self.model_copy(update={"each": changed})


_LIMITS = ("bms_discharge_a", "bms_charge_a", "bms_peak_a", "fuse_a", "wiring_a")
_ADDS_UP = ("capacity_ah", "resistance_ohm", *_LIMITS)


def shares(batteries: list[Battery]) -> list[float]:
    """Which share of the current each of several packs in parallel takes: as its conductance, ``(1/Rk)/Σ(1/R)``."""
    ohms = [battery.resistance_ohm for battery in batteries]
    if min(ohms) <= 0:
        return [1 / len(ohms)] * len(ohms)
    conductances = [1 / ohm for ohm in ohms]
    return [conductance / sum(conductances) for conductance in conductances]


def together(batteries: list[Battery]) -> Battery:
    """Packs in parallel as one: capacities add up, resistances as conductances; a limit is reached when the first pack reaches its own.
    The first board that trips counts, and the first that is full."""
    parts = shares(batteries)
    ohms = [battery.resistance_ohm for battery in batteries]

    def limit(key: str) -> float | None:
        given = [(getattr(battery, key), part) for battery, part in zip(batteries, parts, strict=True)]
        if key == "bms_peak_a":  # a board without a peak bears what it bears for ever
            if all(value is None for value, _ in given):
                return None
            given = [
                (value if value is not None else battery.bms_discharge_a, part)
                for (value, part), battery in zip(given, batteries, strict=True)
            ]
        known = [value / part for value, part in given if value is not None]
        return min(known) if known else None

    def least(key: str, of: Callable[[list[float]], float] = min) -> float | None:
        known = [value for battery in batteries if (value := getattr(battery, key)) is not None]
        return of(known) if known else None

    return batteries[0].model_copy(
        update={key: limit(key) for key in _LIMITS}
        | {
            "capacity_ah": sum(battery.capacity_ah for battery in batteries),
            "resistance_ohm": 1 / sum(1 / ohm for ohm in ohms) if min(ohms) > 0 else 0.0,
            "bms_peak_s": least("bms_peak_s"),
            "bms_trip_v": least("bms_trip_v", max),
            "bms_over_v": least("bms_over_v"),
        }
    )
