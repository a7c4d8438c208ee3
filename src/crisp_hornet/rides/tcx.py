"""TCX: the track points of all laps."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from xml.etree import ElementTree

import numpy as np

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.markup import safe_markup
from crisp_hornet.rides.registry import reader
from crisp_hornet.rides.table import Column, Table

TAGS = {
    "latitudedegrees": ("latitude", "°"), "longitudedegrees": ("longitude", "°"), "altitudemeters": ("altitude", "m"),
    "distancemeters": ("distance", "m"), "cadence": ("cadence", "rpm"), "speed": ("gps speed", "m/s"), "watts": ("rider power", "w"),
}  # fmt: skip


@reader(".tcx")
def read_tcx(path: Path) -> Table:
    """Read a TCX file. Raises :class:`RideError`."""
    try:
        root = ElementTree.fromstring(safe_markup(path).strip())
    except (ElementTree.ParseError, ValueError, RecursionError) as error:
        raise RideError(str(path), "", f"no TCX we can read ({str(error)[:100]})", "Export the track again.") from None
    times: list[str] = []
    rows: list[dict[str, float]] = []
    for point in root.iter():
        if _tag(point) != "trackpoint":
            continue
        stamp, row = _figures(point)
        times.append(stamp)
        rows.append(row)
    if len(rows) < 2:
        raise RideError(str(path), "", "holds no track points", "Choose a track that was ridden.")
    columns = [Column("time", "", np.full(len(rows), np.nan), times)]
    for tag, (name, unit) in TAGS.items():
        values = np.array([row.get(tag, np.nan) for row in rows])
        if np.isfinite(values).any():
            columns.append(Column(name, unit, values))
    return Table(path.stem, "TCX", columns)


def _figures(point: ElementTree.Element) -> tuple[str, dict[str, float]]:
    """When a track point was, and what it says."""
    stamp, row = "", dict[str, float]()
    for element in point.iter():
        tag = _tag(element)
        if tag == "time":
            stamp = (element.text or "").strip()
        elif tag in TAGS:
            with suppress(ValueError):
                row[tag] = float(element.text or "nan")
    return stamp, row


def _tag(element: ElementTree.Element) -> str:
    return str(element.tag).rpartition("}")[2].lower()
