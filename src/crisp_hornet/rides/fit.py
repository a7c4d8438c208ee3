"""FIT: the record messages of an activity."""

from __future__ import annotations

import struct
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import check_file, too_much
from crisp_hornet.rides.quantities import known_unit
from crisp_hornet.rides.registry import reader
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table

MOST_BYTES = 64 << 20
MOST_VALUES = 700_000  # eight hours of 24 figures a second; more takes the library longer than anybody waits
# what the decoder meets in a broken file
BROKEN = (
    ValueError,
    KeyError,
    IndexError,
    TypeError,
    AttributeError,
    OverflowError,
    EOFError,
    struct.error,
    AssertionError,
)
NAMES = {"enhanced_speed": "gps speed", "speed": "gps speed", "enhanced_altitude": "altitude", "power": "rider power",
         "position_lat": "latitude", "position_long": "longitude", "temperature": "air temp"}  # fmt: skip


@reader(".fit")
def read_fit(path: Path) -> Table:
    """Read an activity. A file that ends early gives what it holds, and says so. Raises :class:`RideError`."""
    import fitdecode

    check_file(path, MOST_BYTES)
    values = 0
    rows: list[dict[str, Any]] = []
    units: dict[str, str] = {}
    notes: list[str] = []
    try:
        reading = fitdecode.FitReader(
            str(path), check_crc=fitdecode.CrcCheck.READONLY, error_handling=fitdecode.ErrorHandling.IGNORE
        )
        with reading as frames:
            for frame in frames:
                if frame.frame_type == fitdecode.FIT_FRAME_CRC and not frame.matched:
                    notes.append("its checksum does not fit: figures may be spoilt")
                values += 1
                if frame.frame_type == fitdecode.FIT_FRAME_DATA:
                    values += len(frame.fields)
                    if frame.name == "record":
                        rows.append({field.name: field.value for field in frame.fields})
                        units |= {field.name: field.units or "" for field in frame.fields if field.name not in units}
                if values > MOST_VALUES:
                    raise too_much(path, "values")
    except RideError:
        raise
    except (*BROKEN, fitdecode.FitError) as error:  # what came before counts
        if not rows:
            raise RideError(str(path), "", f"no FIT we can read ({str(error)[:100]})", "Fetch it again.") from None
        notes.append(f"the file is broken after {len(rows)} records; they are kept")
    if len(rows) < 2:
        raise RideError(str(path), "", "holds no records of a ride", "Choose an activity file.")
    return _table(path, rows, units, notes)


def _table(path: Path, rows: list[dict[str, Any]], units: dict[str, str], notes: list[str]) -> Table:
    names = list(units)[:MOST_COLUMNS]
    stamps = [row.get("timestamp") for row in rows]
    columns = [
        Column(
            "time", "s", np.array([stamp.timestamp() if isinstance(stamp, datetime) else np.nan for stamp in stamps])
        )
    ]
    seen: set[str] = set()
    for name in sorted(names, key=lambda one: not one.startswith("enhanced")):
        told = NAMES.get(name, name.replace("_", " "))
        if name == "timestamp" or told in seen:
            continue
        seen.add(told)
        values = np.array([_number(row.get(name)) for row in rows])
        if np.isfinite(values).any():
            unit = "semicircles" if units[name] == "semicircles" else known_unit(units[name])
            columns.append(Column(told, unit, values))
    return Table(path.stem, "FIT", columns, notes)


def _number(value: object) -> float:
    return float(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else float("nan")
