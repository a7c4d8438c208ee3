"""What is asked of the active bike: the road it shall be seen on, the speed held on it, and wishes. Kept with the garage, by bike."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.core.drive.modes import in_mode
from crisp_hornet.core.goal.cases import CASES, EVERY, Case
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.virtual_ride.wishes import Held, Pedalled, Share, Wish
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.goals import FREE, Goal, Goals, OnRoute
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.settings import of_bike

HOLD_KMH = 35.0
USUAL_FREE = FREE[:2]
HELD, THROTTLE, EVERY_CASE = "held", "throttle", "all"


class Ask(QObject):
    """``road`` is None until one is chosen. ``changed``: road, speed or wishes are others."""

    changed = pyqtSignal()

    def __init__(self, bike: OpenBike) -> None:
        super().__init__()
        self._bike = bike
        self.road: Route | None = None
        self.how = HELD
        self.hold_kmh, self.ambient_c, self.headwind_kmh = HOLD_KMH, 25.0, 0.0
        self.goals: list[Goal] = []
        self.free: tuple[str, ...] = USUAL_FREE
        self.case, self.mode = "", ""

    def reload(self) -> None:
        """Take up what was asked of the active bike."""
        kept = self._bike.garage.settings.get(self._key)
        told: Mapping[str, Any] = kept if isinstance(kept, dict) else {}
        self.hold_kmh = _between(told.get("hold_kmh"), 1.0, 300.0, HOLD_KMH)
        self.ambient_c = _between(told.get("ambient_c"), -40.0, 60.0, 25.0)
        self.headwind_kmh = _between(told.get("headwind_kmh"), -200.0, 200.0, 0.0)
        how = told.get("how")
        self.how = how if isinstance(how, str) and (how in (HELD, THROTTLE) or _level(how)) else HELD
        free = told.get("free")
        self.free = tuple(one for one in FREE if isinstance(free, list) and one in free) or USUAL_FREE
        found = _document(list(self.free), told.get("goals", []))
        self.goals = list(found.goals) if found is not None else []
        case = told.get("case")
        self.case = case if isinstance(case, str) and case in (*CASES, EVERY_CASE) else ""
        mode = told.get("mode")
        self.mode = mode if isinstance(mode, str) else ""
        name = told.get("road")
        self.road = self._read(name) if isinstance(name, str) and name in self.roads() else None
        self.changed.emit()

    def roads(self) -> list[str]:
        """The roads of the garage, by name."""
        return self._bike.garage.roads.names()

    def road_named(self, name: str) -> Route | None:
        """A road of the garage; where it cannot be read that is said."""
        return self._read(name)

    def choose(self, name: str) -> None:
        """Ride another road."""
        road = self._read(name)
        if road is not None:
            self.take_road(road)

    def keep_road(self, road: Route) -> None:
        """Keep a road and ride it."""
        if self._written(lambda: self._bike.garage.roads.keep(road)):
            self.take_road(road)

    def add_road(self, road: Route) -> None:
        """Keep a road that came from elsewhere and ride it; another one that has its name stays, and this one gets a number."""
        names, name, count = self.roads(), road.name, 2
        while name in names and self._read(name) != road.model_copy(update={"name": name}):
            name, count = f"{road.name} {count}", count + 1
        self.keep_road(road.model_copy(update={"name": name}))

    def take_road(self, road: Route) -> None:
        """Ride a road; wishes for the one before are for this one now."""
        self.road = road
        self.goals = [
            goal.model_copy(update={"route": road.name}) if isinstance(goal, OnRoute) else goal for goal in self.goals
        ]
        self._keep()

    def drop_road(self, name: str) -> None:
        """Let a road go."""
        if self._written(lambda: self._bike.garage.roads.drop(name)) and self.road is not None:
            self.road = None if self.road.name == name else self.road
            self._keep()

    def ride_at(
        self,
        hold_kmh: float | None = None,
        ambient_c: float | None = None,
        headwind_kmh: float | None = None,
        how: str | None = None,
    ) -> None:
        """Hold another speed, on another day, or ride it otherwise: ``how`` is "held", "throttle", or "level 1" and so on."""
        self.hold_kmh = self.hold_kmh if hold_kmh is None else hold_kmh
        self.ambient_c = self.ambient_c if ambient_c is None else ambient_c
        self.headwind_kmh = self.headwind_kmh if headwind_kmh is None else headwind_kmh
        self.how = self.how if how is None else how
        self._keep()

    def ride_in(self, mode: str) -> None:
        """Ride it in a mode of the tune, by its name; "" in none."""
        self.mode = mode
        self._keep()

    def in_mode(self, tune: Tune) -> Tune:
        """The tune with the limits of the mode it is ridden in, where it has that mode."""
        mode = next((one for one in tune.modes if one.name == self.mode), None)
        return in_mode(tune, mode) if mode is not None else tune

    @property
    def wish(self) -> Wish:
        """How it is ridden: a speed held, all that the throttle asks for, or a usual rider at an assist level."""
        if level := _level(self.how):
            return Pedalled(level, Rider())
        return Share(1.0) if self.how == THROTTLE else Held(self.hold_kmh)

    def set_goals(self, goals: Sequence[Goal]) -> None:
        """Ask for other things."""
        self.goals = list(goals)
        self._keep()

    def set_free(self, free: Sequence[str]) -> None:
        """Let other settings be changed."""
        self.free = tuple(free)
        self._keep()

    def set_cases(self, case: str) -> None:
        """Ask for it in another case too: one by its name, all, or none besides that which is drawn."""
        self.case = case
        self._keep()

    @property
    def cases(self) -> tuple[Case, ...]:
        """In which cases it shall hold besides."""
        return EVERY if self.case == EVERY_CASE else (CASES[self.case],) if self.case else ()

    def document(self) -> Goals | None:
        """The wishes with their road in place; None where nothing can be asked."""
        if not self.goals or not self.free:
            return None
        here = {
            "route": self.road,
            "hold_kmh": self.hold_kmh,
            "ambient_c": self.ambient_c,
            "headwind_kmh": self.headwind_kmh,
        }
        goals = [
            goal.model_copy(update=here) if isinstance(goal, OnRoute) else goal
            for goal in self.goals
            if self.road is not None or not isinstance(goal, OnRoute)
        ]
        if not goals:
            return None
        return Goals(format="crisp-hornet/goals", version=1, name="ask", free=list(self.free), goals=goals)  # type: ignore[arg-type]

    @property
    def _key(self) -> str:
        return of_bike("ask", self._bike.id)

    def _written(self, write: Callable[[], None]) -> bool:
        def write_it() -> bool:
            write()
            return True

        return self._bike.kept(write_it) is True

    def _read(self, name: str) -> Route | None:
        try:
            return self._bike.garage.roads.get(name)
        except DocumentError as error:
            self._bike.said.emit("warn", str(error))
            return None

    def _keep(self) -> None:
        self._bike.remember(
            self._key,
            {
                "road": self.road.name if self.road is not None else None,
                "hold_kmh": self.hold_kmh,
                "ambient_c": self.ambient_c,
                "headwind_kmh": self.headwind_kmh,
                "how": self.how,
                "case": self.case,
                "mode": self.mode,
                "free": list(self.free),
                "goals": [goal.model_dump(mode="json", exclude_none=True) for goal in self.goals],
            },
        )
        self.changed.emit()


def _document(free: object, goals: object) -> Goals | None:
    try:
        return Goals.model_validate(
            {"format": "crisp-hornet/goals", "version": 1, "name": "ask", "free": free, "goals": goals}
        )
    except ValidationError:
        return None


def _level(how: str) -> int:
    """The assist level that a way to ride names; 0 for another way."""
    word, _, number = how.partition(" ")
    return int(number) if word == "level" and number.isdecimal() and len(number) < 3 else 0


def _between(value: object, least: float, most: float, usual: float) -> float:
    if isinstance(value, (int, float)) and not isinstance(value, bool) and least <= value <= most:
        return float(value)
    return usual
