"""The open ride into a file: all of it, what is in view, or the picture."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice

from crisp_hornet.bench.stations.rides.ride_view import RideView
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.spread import between
from crisp_hornet.documents import wire
from crisp_hornet.rides.registry import write_ride

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
