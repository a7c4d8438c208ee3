"""A log read for the Rides station: a ride at once, or its columns to look at; another log of the same ride joined to it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.joining import Joined, join
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.mapping import Mapping, remembered, suggest
from crisp_hornet.rides.registry import read_ride, read_table
from crisp_hornet.rides.table import Table
from crisp_hornet.rides.taking import Loaded, clock_faults, literal, take

FILES = "Ride logs (*.csv *.txt *.tsv *.log *.gz *.parquet *.jsonl *.xlsx *.gpx *.tcx *.fit);;All files (*)"


@dataclass(frozen=True)
class Opened:
    """A log that was read: a ride at once, or its columns to look at."""

    path: Path
    table: Table
    mapping: Mapping
    loaded: Loaded | None


def opened(path: Path, kept: Callable[[str], object]) -> Opened:
    """Read a log; a source whose columns were set by hand before is a ride at once. ``kept`` gives a setting by its name."""
    table = read_table(path)
    mapping = suggest(table)
    loaded = literal(table, path)
    rows = kept(f"mapping {table.signature}")
    if loaded is None and isinstance(rows, list):
        mapping = remembered(mapping, table, rows)
        if not clock_faults(table, mapping, path):  # they are for the rider to look at
            loaded = take(table, mapping, path)
    return Opened(path, table, mapping, loaded)


def joined(first: Ride, path: Path) -> Joined:
    """Join another log to a ride. Raises :class:`RideError` where it is of another one."""
    try:
        return join(first, read_ride(path).ride)
    except ValueError as error:
        raise RideError(str(path), "", str(error), "Choose a log of the same ride.") from None
