"""Logs and pictures in and out: what is asked of a file off the interface thread."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice

from crisp_hornet.bench.stations.rides.ride_view import RideView
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.joining import Joined, join
from crisp_hornet.core.ride.spread import between
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.mapping import Mapping, remembered, suggest
from crisp_hornet.rides.registry import read_ride, read_table, write_ride
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


EXPORTS = {
    "The whole ride: CSV (*.csv)": "whole",
    "The whole ride: Parquet (*.parquet)": "whole",
    "The whole ride: JSON Lines (*.jsonl)": "whole",
    "The whole ride: GPX (*.gpx)": "whole",
    "What is in view: CSV (*.csv)": "view",
    "The picture: PNG (*.png)": "picture",
}


def export(ride: Ride, view: RideView, path: Path, what: str) -> None:
    """Write ``what`` of a ride: "whole", "view", or "picture" (a name on .png is a picture too). Raises
    :class:`~crisp_hornet.documents.errors.DocumentError`."""
    if what == "picture" or path.suffix.lower() == ".png":
        buffer = QBuffer()
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        view.grab().save(buffer, "PNG")
        wire.write_bytes(path, buffer.data().data())
    else:
        write_ride(between(ride, *view.traces.in_view) if what == "view" else ride, path)
