"""What was foreseen of a road on a tune, held against the next ride over it on that tune; what came of it goes into the logbook."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QObject

from crisp_hornet.bench.desk.held import Held
from crisp_hornet.bench.desk.open_bike import OpenBike
from crisp_hornet.bench.desk.open_ride import OpenRide
from crisp_hornet.bench.desk.story import Story
from crisp_hornet.core.virtual_ride.band import Ends
from crisp_hornet.core.virtual_ride.promise import TITLE, done, goes_along, kept, promised, told
from crisp_hornet.documents import store
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import say
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.settings import of_bike

MOST, MOST_FORESEEN, MOST_POINTS = 8, 24, 4000
Promise = tuple[Tune, Route, dict[str, Ends]]


class Promises(QObject):
    """Promises of the active bike, one for each road and tune, kept with the garage once the tune is on the controller: what was only tried
    as a draft is no promise."""

    def __init__(self, bike: OpenBike, held: Held, ride: OpenRide, story: Story) -> None:
        super().__init__()
        self._bike, self._held, self._ride, self._story = bike, held, ride, story
        self._foreseen: list[Promise] = []
        ride.changed.connect(self._look)
        held.changed.connect(self._promise)

    def reload(self) -> None:
        """Another bike is open."""
        self._foreseen = []

    def foresee(self, tune: Tune, road: Route, figures: Mapping[str, Ends]) -> None:
        """Take note of what a tune would do on a road."""
        if len(road.points) > MOST_POINTS:
            return
        others = [one for one in self._foreseen if not _same(one, tune, road)]
        self._foreseen = [*others, (tune, road, promised(figures))][-MOST_FORESEEN:]
        self._promise()

    def _promise(self) -> None:
        """What was foreseen of the tune that is on the controller now is promised."""
        held = self._held.tune
        if held is None:
            return
        on_it = self._held.as_held(held)
        new = [one for one in self._foreseen if not one[0].differing(on_it)]
        if not new:
            return
        self._foreseen = [one for one in self._foreseen if one not in new]
        others = [one for one in self._all() if not any(_same(one, tune, road) for tune, road, _ in new)]
        self._keep([*others, *new][-MOST:])

    def _look(self) -> None:
        """Hold the open ride against what was promised, once: it must be newer than the promise."""
        if not self._bike.garage.settings.get(self._key):
            return  # before the ride is read: most bikes have none, and each start would wait for it
        ride, tune, bike = self._ride.cleaned, self._ride.tune, self._bike.document
        if ride is None or tune is None or bike is None:
            return
        newest = self._ride.kept()[:1]
        if not newest or newest[0].id != self._ride.id:
            return
        promises = self._all()
        for one in list(promises):
            its, road, figures = one
            if (
                its.differing(self._held.as_held(tune))
                or self._before(road.name) >= self._ride.id
                or not goes_along(ride, road)
            ):
                continue
            found = kept(figures, done(ride, bike))
            promises = [other for other in promises if other is not one]
            self._keep(promises)
            if found:
                inside = sum(figure.inside for figure in found)
                title = say(TITLE, road=road.name, inside=inside, count=len(found))
                self._story.log("promise", title, told(found))

    def _before(self, road: str) -> int:
        """The newest ride there was when a promise for a road was made."""
        kept_ = self._bike.garage.settings.get(self._key)
        entries = kept_ if isinstance(kept_, list) else []
        return max(
            (int(one.get("after", 0)) for one in entries if isinstance(one, dict) and _named(one) == road), default=0
        )

    @property
    def _key(self) -> str:
        return of_bike("promises", self._bike.id)

    def _all(self) -> list[Promise]:
        kept_ = self._bike.garage.settings.get(self._key)
        return [one for entry in kept_ if (one := _read(entry)) is not None] if isinstance(kept_, list) else []

    def _keep(self, promises: list[Promise]) -> None:
        newest = self._ride.kept()[:1]
        after = newest[0].id if newest else 0
        made = [
            {
                "tune": store.dump(tune), "road": store.dump(road), "after": after,
                "figures": {name: [ends.value, ends.low, ends.high] for name, ends in figures.items()},
            }
            for tune, road, figures in promises
        ]  # fmt: skip
        self._bike.remember(self._key, made)


def _named(entry: Mapping[str, Any]) -> str:
    road = entry.get("road")
    return str(road.get("name")) if isinstance(road, dict) else ""


def _same(one: Promise, tune: Tune, road: Route) -> bool:
    return one[1] == road and not one[0].differing(tune)


def _read(entry: Any) -> Promise | None:
    """A promise as it was kept; None for anything else."""
    try:
        figures = {str(name): Ends(*(float(value) for value in ends)) for name, ends in entry["figures"].items()}
        return Tune.model_validate(entry["tune"]), Route.model_validate(entry["road"]), figures
    except (ValidationError, TypeError, ValueError, KeyError, AttributeError):
        return None
