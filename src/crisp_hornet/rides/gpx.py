"""GPX: the points of all tracks, with what common extensions add (cadence, temperature, power)."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import too_much
from crisp_hornet.rides.markup import safe_markup
from crisp_hornet.rides.registry import reader, writer
from crisp_hornet.rides.table import Column, Table

EXTRAS = {"cad": ("cadence", "rpm"), "speed": ("speed", "m/s"), "power": ("power", "w"), "atemp": ("air temp", "°c")}
MOST_POINTS = 120_000  # a day and a half, a point a second; more takes the library longer than anybody waits


def _parsed(path: Path) -> Any:
    import gpxpy
    from gpxpy.gpx import GPXException

    text = safe_markup(path)
    if text.count("<trkpt") + text.count("<rtept") > MOST_POINTS:
        raise too_much(path, "points")
    try:
        return gpxpy.parse(text)
    except (GPXException, ValueError, TypeError, AttributeError, RecursionError) as error:
        raise RideError(str(path), "", f"no GPX we can read ({str(error)[:100]})", "Export the track again.") from None


def planned_track(path: Path) -> tuple[Array, Array, Array] | None:
    """(latitude °, longitude °, height m), each (n,), of a track or a route without times, for it was planned and not ridden; None where
    it was ridden. Raises :class:`RideError`."""
    found = _parsed(path)
    points = [point for track in found.tracks for segment in track.segments for point in segment.points]
    points = points or [point for route in found.routes for point in route.points]
    if any(point.time is not None for point in points):
        return None
    if len(points) < 2:
        raise RideError(str(path), "", f"holds {len(points)} points", "A road needs two at least.")
    height = [np.nan if point.elevation is None else point.elevation for point in points]
    lat, lon = [point.latitude for point in points], [point.longitude for point in points]
    return np.array(lat, float), np.array(lon, float), np.array(height, float)


@reader(".gpx")
def read_gpx(path: Path) -> Table:
    """Read a GPX file. Raises :class:`RideError`."""
    found = _parsed(path)
    points = [point for track in found.tracks for segment in track.segments for point in segment.points]
    if len(points) < 2 or len(points) > MOST_POINTS:
        raise RideError(str(path), "", f"holds {len(points)} track points", "Choose a track that was ridden.")
    stamps = np.array([np.nan if point.time is None else point.time.timestamp() for point in points])
    columns = [
        Column("time", "s", stamps),
        Column("latitude", "°", np.array([point.latitude for point in points], float)),
        Column("longitude", "°", np.array([point.longitude for point in points], float)),
        Column(
            "elevation", "m", np.array([np.nan if point.elevation is None else point.elevation for point in points])
        ),
    ]
    extra = [_extras(point.extensions) for point in points]
    for key, (name, unit) in EXTRAS.items():
        values = np.array([one.get(key, np.nan) for one in extra])
        if np.isfinite(values).any():
            columns.append(Column("gps speed" if name == "speed" else name, unit, values))
    if not np.isfinite(stamps).any():
        raise RideError(str(path), "", "its points have no times", "Record the track instead of planning it.")
    return Table(path.stem, "GPX", columns)


def _extras(extensions: list[object]) -> dict[str, float]:
    found: dict[str, float] = {}
    for extension in extensions:
        for element in extension.iter():  # type: ignore[attr-defined]
            tag = str(element.tag).rpartition("}")[2].lower()
            if tag in EXTRAS:
                try:
                    found[tag] = float(element.text or "nan")
                except ValueError:
                    continue
    return found


@writer(".gpx")
def write_gpx(ride: Ride, path: Path) -> None:
    """Write a ride's track with cadence. Raises :class:`RideError` where it has no positions."""
    from datetime import UTC, datetime, timedelta

    import gpxpy.gpx

    lat, lon = ride.get("lat_deg"), ride.get("lon_deg")
    good = np.flatnonzero(np.isfinite(lat) & np.isfinite(lon))
    if good.size < 2:
        raise RideError(str(path), "", "the ride has no positions", "Write it as CSV instead.")
    segment = gpxpy.gpx.GPXTrackSegment()
    undated = datetime(2000, 1, 1, tzinfo=UTC)
    start = undated if ride.started_s is None else datetime.fromtimestamp(ride.started_s, UTC)
    height = ride.get("altitude_m")
    for at in good.tolist():
        point = gpxpy.gpx.GPXTrackPoint(
            float(lat[at]), float(lon[at]), time=start + timedelta(seconds=round(float(ride.time_s[at]), 3)),
            elevation=float(height[at]) if np.isfinite(height[at]) else None,
        )  # fmt: skip
        segment.points.append(point)
    track = gpxpy.gpx.GPXTrack(name=ride.name)
    track.segments.append(segment)
    document = gpxpy.gpx.GPX()
    document.tracks.append(track)
    wire.write_bytes(path, document.to_xml().encode())
