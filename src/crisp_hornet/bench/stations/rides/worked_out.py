"""The open ride with all that can be worked out from it, for the bike and the tune it is seen with."""

from __future__ import annotations

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune


class WorkedOut:
    """Worked out once for a ride, a bike and a tune."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._made: tuple[Ride, Bike, Tune | None, Ride] | None = None

    @property
    def ride(self) -> Ride | None:
        """The open ride with what is worked out from it; shares its times."""
        ride, bike, tune = self._desk.ride.cleaned, self._desk.bike, self._desk.ride.tune
        if ride is None or bike is None:
            return ride
        made = self._made
        if made is None or made[0] is not ride or made[1] != bike or made[2] != tune:
            whole = Ride(ride.name, ride.time_s, ride.channels | derived(ride, bike, tune))
            self._made = made = ride, bike, tune, whole
        return made[3]
