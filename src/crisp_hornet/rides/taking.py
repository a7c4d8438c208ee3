"""From a table and its mapping to a ride: figures turned into channel units, times put in order, checks against physics."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.core.ride.track import ground_speed_kmh
from crisp_hornet.documents.units import KM_PER_MILE
from crisp_hornet.rides.clock_faults import steadied
from crisp_hornet.rides.clocks import seconds_of, with_date
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import LONGEST_S
from crisp_hornet.rides.mapping import EXACT, Mapping
from crisp_hornet.rides.table import Table

Rows = NDArray[np.intp]
OLDEST_S, LATEST_S = 4e8, 4.1e9  # 1982 and 2099, since 1970


@dataclass(frozen=True)
class Loaded:
    """A ride and what was left out or put right while reading it, in plain words."""

    ride: Ride
    notes: list[str]


def take(table: Table, mapping: Mapping, file: Path) -> Loaded:
    """The ride of a table. Raises :class:`RideError` where no time can be made of it."""
    seconds, jumps = _steady_seconds(table, mapping, file) if mapping.steady else (_seconds(table, mapping, file), [])
    order, notes = _in_order(seconds, file)
    columns = {
        column.channel: table.columns[column.column].values[order] * column.factor + column.offset
        for column in mapping.assigned
    }
    columns = {name: np.where(np.isfinite(values), values, np.nan) for name, values in columns.items()}
    time = seconds[order] - seconds[order][0]
    if time[-1] > LONGEST_S:
        raise RideError(
            str(file), "", "its times go on for longer than any ride", "Check the time column, or cut the log."
        )
    notes = [*table.notes, *jumps, *notes]
    if any(column.why != EXACT for column in mapping.assigned):  # the exchange form says what it means
        notes += _checked(columns, mapping, time)
        notes += _derived(columns, time)
    channels = {name: values for name, values in columns.items() if name in CHANNELS and np.isfinite(values).any()}
    if not channels:
        raise RideError(str(file), "", "no column was recognised", "Say by hand which column is what.")
    left = [
        column.name
        for at, column in enumerate(table.columns)
        if at not in mapping.time and all(at != a.column for a in mapping.assigned)
    ]
    if left:
        notes.append(f"columns not known and left out: {', '.join(left[:8])}{' …' if len(left) > 8 else ''}")
    started = table.started if table.started is not None else _moment(seconds[order][0])
    return Loaded(Ride(table.name[:120] or "ride", time, channels, started, _counted(columns)), notes)


def clock_faults(table: Table, mapping: Mapping, file: Path) -> list[str]:
    """What is wrong with the clock of a table, each with what becomes of it; nothing where no time can be made of it at all."""
    try:
        return _steady_seconds(table, mapping, file)[1]
    except RideError:
        return []


def _steady_seconds(table: Table, mapping: Mapping, file: Path) -> tuple[Array, list[str]]:
    return steadied(
        _seconds(table, mapping, file), [table.columns[column.column].values for column in mapping.assigned]
    )


def literal(table: Table, file: Path) -> Loaded | None:
    """The ride of a table in the exchange form, taken as it stands; None where it is not in that form.

    Raises :class:`RideError` where its times do not increase at all.
    """
    named = {column.header: column for column in reversed(table.columns) if column.header}
    if "time_s" not in named or not any(name in named for name in CHANNELS):
        return None
    time = named["time_s"].values
    latest = np.fmax.accumulate(np.concatenate(([-np.inf], time)))[:-1]
    with np.errstate(invalid="ignore"):
        good = np.isfinite(time) & (time > latest)
    if not good.any():
        raise RideError(str(file), "time_s", "holds no increasing times", "Check that column.")
    notes = list(table.notes)
    if dropped := int(np.sum(~good)):
        notes.append(f"{dropped} of {len(time)} rows left out: no time, or not after the row before")
    if unknown := [name for name in named if name != "time_s" and name not in CHANNELS]:
        notes.append(
            f"columns not known and left out: {', '.join(unknown[::-1][:8])}{' …' if len(unknown) > 8 else ''}"
        )
    whole = bool(good.all())
    channels = {
        name: _finite(named[name].values if whole else named[name].values[good]) for name in CHANNELS if name in named
    }
    if float(time[good][-1] - time[good][0]) > LONGEST_S:
        raise RideError(str(file), "time_s", "goes on for longer than any ride", "Check that column.")
    return Loaded(Ride(table.name[:120] or "ride", time[good] - time[good][0], channels, table.started), notes)


def _counted(columns: dict[str, Array]) -> float | None:
    """The distance (km) that the device counted over the ride; None where there is none, or it does not only rise."""
    way = columns.get("distance_km")
    if way is None or len(kept := way[np.isfinite(way)]) < 2 or np.any(np.diff(kept) < 0):
        return None
    return float(kept[-1] - kept[0]) or None


def _moment(seconds: float) -> float | None:
    """A time that is a date, not one since the start or of a clock."""
    return float(seconds) if OLDEST_S < seconds < LATEST_S else None


def _finite(values: Array) -> Array:
    """Infinite figures count as missing; what is sound is not copied."""
    endless = np.isinf(values)
    return np.where(endless, np.nan, values) if endless.any() else values


def _seconds(table: Table, mapping: Mapping, file: Path) -> Array:
    if not mapping.time:
        raise RideError(str(file), "", "no column could be a time", "Name one time, or set it by hand.")
    column = table.columns[mapping.time[0]]
    if len(mapping.time) == 2:
        both = with_date(column, table.columns[mapping.time[1]])
        column = both if both is not None else column
    found = seconds_of(column)
    if found is None:
        raise RideError(str(file), column.name, "holds no times", "Set another column as the time.")
    return found[0]


def _in_order(seconds: Array, file: Path) -> tuple[Rows, list[str]]:
    """The rows with a time after all before them. Equal times in a row (a clock of whole seconds) are spread evenly."""
    seconds = _spread(seconds)
    latest = np.fmax.accumulate(np.concatenate(([-np.inf], seconds)))[:-1]
    with np.errstate(invalid="ignore"):
        good = np.isfinite(seconds) & (seconds > latest)
    if int(good.sum()) < 2:
        raise RideError(str(file), "", "holds no increasing times", "Check the time column.")
    dropped = int((~good).sum())
    notes = [f"{dropped} of {len(seconds)} rows left out: no time, or not after the row before"] if dropped else []
    order = np.flatnonzero(good)
    return order, notes


def _spread(seconds: Array) -> Array:
    """A clock that only tells whole seconds, several rows each: rows share their second evenly. Changes nothing else."""
    good = np.isfinite(seconds)
    if good.sum() < 4:
        return seconds
    steps = np.diff(seconds[good])
    if not np.any(steps > 0) or np.mean(steps == 0) < 0.3 or np.any(np.mod(seconds[good], 1.0) != 0):
        return seconds
    spread = seconds.copy()
    at = np.flatnonzero(good)
    values = seconds[at]
    starts = np.flatnonzero(np.concatenate(([True], np.diff(values) != 0)))
    counts = np.diff(np.append(starts, len(values)))
    usual = float(np.median(counts))
    for start, count in zip(starts.tolist(), counts.tolist(), strict=True):
        share = np.arange(count) / max(count, usual)
        late = max(0.0, 1 - count / usual) if start == 0 else 0.0  # the first second was cut at its beginning
        spread[at[start : start + count]] = values[start] + late + share
    return spread


def _checked(columns: dict[str, Array], mapping: Mapping, time: Array) -> list[str]:
    """Units and signs against physics; what does not fit is put right and told."""
    notes = []
    notes += _speed_unit(columns, mapping, time)
    amps, volts, watts = (columns.get(name) for name in ("battery_a", "pack_v", "power_w"))
    if amps is not None and volts is not None and watts is not None:
        ratio = _ratio(watts, volts * amps)
        if 0.0008 < ratio < 0.0012:
            columns["power_w"] = watts * 1000
        elif 800 < ratio < 1200:
            columns["battery_a"] = amps * 1000 if _most(amps) < 2 else amps
            notes.append("battery current and power differ a thousandfold: look at their units")
    if _backwards(columns):
        for name in ("battery_a", "phase_a"):
            if name in columns and _middle(columns[name][_driving(columns)]) < 0:
                columns[name] = -columns[name]
        notes.append("current sign flipped: positive means driving")
    return notes


def _ratio(values: Array, other: Array) -> float:
    with np.errstate(divide="ignore", invalid="ignore"):
        found = values / other
    good = found[np.isfinite(found) & (np.abs(other) > 0.05 * _most(other))]
    return float(np.median(good)) if good.size > 10 else 1.0


def _driving(columns: dict[str, Array]) -> Rows:
    throttle, speed = columns.get("throttle"), columns.get("wheel_speed_kmh")
    with np.errstate(invalid="ignore"):
        if throttle is not None and _most(throttle) > 0.3:
            return np.flatnonzero(throttle > 0.3)
        if speed is not None:
            rise = np.gradient(np.nan_to_num(speed))
            return np.flatnonzero(rise > np.percentile(rise, 85))
    return np.zeros(0, np.intp)


def _backwards(columns: dict[str, Array]) -> bool:
    amps = columns.get("battery_a")
    driving = _driving(columns)
    if amps is None or driving.size < 10:
        return False
    drawn = amps[driving]
    return _middle(drawn) < -0.5


def _speed_unit(columns: dict[str, Array], mapping: Mapping, time: Array) -> list[str]:
    """A speed whose unit nobody names, against the positions."""
    lat, lon = columns.get("lat_deg"), columns.get("lon_deg")
    if lat is None or lon is None:
        return []
    ground = ground_speed_kmh(time, lat, lon)
    notes = []
    for channel in ("wheel_speed_kmh", "gps_speed_kmh"):
        known = mapping.of(channel)
        if known is None or known.unit:
            continue
        ratio = _ratio(ground, columns[channel])
        for factor, name in ((KM_PER_MILE, "miles an hour"), (3.6, "metres a second")):
            if abs(ratio / factor - 1) < 0.12:
                columns[channel] = columns[channel] * factor
                notes.append(f"{channel.split('_')[0]} speed taken as {name}: the positions say so")
    return notes


def _derived(columns: dict[str, Array], time: Array) -> list[str]:
    """Channels that a log holds in another guise."""
    notes = []
    volts = columns.get("pack_v")
    if "battery_a" not in columns and volts is not None and "power_w" in columns:
        with np.errstate(divide="ignore", invalid="ignore"):
            columns["battery_a"] = np.where(volts > 5, columns["power_w"] / volts, np.nan)
        notes.append("battery current worked out from power and voltage")
    cadence = columns.get("cadence_rpm")
    if "human_nm" not in columns and cadence is not None and "human_w" in columns:
        with np.errstate(divide="ignore", invalid="ignore"):
            columns["human_nm"] = np.where(cadence > 5, columns["human_w"] / (cadence * 2 * np.pi / 60), 0.0)
        notes.append("crank torque worked out from the rider's power and cadence")
    if "wheel_speed_kmh" not in columns and "gps_speed_kmh" not in columns:
        if "distance_km" in columns:
            columns["wheel_speed_kmh"] = np.gradient(columns["distance_km"], time) * 3600
            notes.append("speed worked out from distance")
        elif "lat_deg" in columns and "lon_deg" in columns:
            columns["gps_speed_kmh"] = ground_speed_kmh(time, columns["lat_deg"], columns["lon_deg"])
            notes.append("speed worked out from positions")
    return notes


def _most(values: Array) -> float:
    """The greatest size of a figure; 0 without any."""
    good = values[np.isfinite(values)]
    return float(np.abs(good).max()) if good.size else 0.0


def _middle(values: Array) -> float:
    good = values[np.isfinite(values)]
    return float(np.median(good)) if good.size else 0.0
