"""What a job's checks ask, read off: its roads are ridden on copies of the bike as it was handed over, its sensors are looked at, its
journal is read."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from crisp_hornet.documents.backup import Backup
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.job import Job
from crisp_hornet.practice.drawing import Drawn
from crisp_hornet.practice.jobs import bike_of
from crisp_hornet.practice.laying_out import map_of
from crisp_hornet.practice.riding import Seen, ride
from crisp_hornet.standin.journal import WRITE, Happened
from crisp_hornet.standin.snapshot import restore
from crisp_hornet.standin.workshop import Workshop

Value = float | str | bool | list[str]
SETTLES_S, PULLED_S = 60.0, 0.5
CALIBRATION = "calibration."


@dataclass(frozen=True)
class HandedOver:
    """What the customer gets: the bike's state, the sentence, the ending, and what the garage knows of how it went. ``backed_up_s``: when a
    backup was kept (seconds since 1970); ``learned_s``: when figures of the bike were changed;
    ``lever_proved_s``: when the brake lever passed its test; ``document``: the bike as it now stands
    on Build."""

    state: Mapping[str, Any]
    sentence: str = ""
    ending: str = "ride"
    backed_up_s: tuple[float, ...] = ()
    learned_s: tuple[float, ...] = ()
    document: Bike | None = None
    lever_proved_s: float = math.inf


@dataclass
class Trial:
    """One handing over, looked at. Each road is ridden when something first asks for it."""

    job: Job
    drawn: Drawn
    handed: HandedOver
    before: Mapping[str, Any]  # the state it came in
    held: Backup
    go_on: Callable[[float], bool] = lambda _share: True
    _roads: dict[str, Seen] = field(default_factory=dict)

    # --- what it is read from -------------------------------------------------------------------------------

    def copy(self) -> Workshop:
        """The bike as it was handed over, after a night with the key off."""
        shop = Workshop(bike_of(self.job), map_of(self.job))
        restore(shop, dict(self.handed.state))
        shop.journal.rows = []
        shop.controller.power_cycle()
        shop.hands.wheel_up = True
        if shop.at_key_on or shop.display.writes_after_s is not None:
            stand(shop, SETTLES_S)
        return shop

    def road(self, name: str) -> Seen:
        """What was seen on a road."""
        if name not in self._roads:
            road = self.job.roads[name]
            self._roads[name] = ride(self.copy(), road, self.go_on, self.drawn.value(road.rider_kg, self.job))
        return self._roads[name]

    @cached_property
    def journal(self) -> list[Happened]:
        """What happened on the bench."""
        rows = self.handed.state["journal"]
        return [Happened(at, kind, what, before, after) for at, kind, what, before, after in rows]

    @cached_property
    def writes(self) -> list[Happened]:
        """Settings that were changed over the line."""
        return [row for row in self.journal if row.kind == WRITE and row.before != row.after]

    def kept(self, name: str, state: Mapping[str, Any] | None = None) -> float | None:
        """A setting as the controller keeps it."""
        register = map_of(self.job).register(name)
        if register is None:
            raise KeyError(name)
        return register.decode((state or self.handed.state)["kept"][name])


def stand(shop: Workshop, seconds: float) -> None:
    """Let time go by."""
    for _ in range(round(seconds / 0.05)):
        shop.step(0.05)
