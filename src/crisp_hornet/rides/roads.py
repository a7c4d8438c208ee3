"""Roads from files: a route document, a planned GPX track, or any ride with heights."""

from __future__ import annotations

from pathlib import Path

from crisp_hornet.core.virtual_ride.roads import Smoothed, climb_m, from_ride, from_track
from crisp_hornet.documents import store
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.gpx import planned_track
from crisp_hornet.rides.limits import check_file
from crisp_hornet.rides.registry import kind_of, read_ride


def read_road(path: Path) -> Smoothed:
    """The road in a file, and what smoothing its heights took of the climb: nothing, where it is a document.

    Raises :class:`~crisp_hornet.documents.errors.DocumentError` for a file that holds none."""
    check_file(path)
    kind = kind_of(path)
    if kind == ".json":
        route = store.read_route(path)
        return Smoothed(route, climb_m(route), climb_m(route))
    try:
        if kind == ".gpx" and (track := planned_track(path)) is not None:
            return from_track(path.stem, *track)
        return from_ride(read_ride(path).ride, path.stem)
    except ValueError as error:
        raise RideError(str(path), "", str(error), "Choose a ride or a track with heights.") from None
