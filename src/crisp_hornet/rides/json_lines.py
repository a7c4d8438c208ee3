"""JSON Lines: one object per row. Also the form in which the recorder writes: lines that are no rows (gaps, laps, notes) are kept
as notes, and a last line that was cut by a crash is passed over."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np

from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.quantities import split_unit
from crisp_hornet.rides.registry import reader, writer
from crisp_hornet.rides.separated import unpacked
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table

MOST_LINE = 1 << 20


@reader(".jsonl", ".ndjson", ".jsonlines")
def read_json_lines(path: Path) -> Table:
    """Read one object a line. Raises :class:`RideError`."""
    raw = unpacked(path)
    rows: list[dict[str, Any]] = []
    notes: list[str] = []
    lines = raw.split(b"\n")
    for number, line in enumerate(lines, start=1):
        if not line.strip():
            continue
        if len(line) > MOST_LINE:
            raise RideError(str(path), f"line {number}", "is absurdly long", "Look at the file first.")
        try:
            one = json.loads(line, parse_constant=_refuse)
        except (ValueError, RecursionError):
            if number >= len(lines) - 1:
                notes.append("the last line was cut off and left out")
                continue
            raise RideError(str(path), f"line {number}", "is no JSON object", "Mend or delete that line.") from None
        if not isinstance(one, dict):
            raise RideError(str(path), f"line {number}", "is no JSON object", "Each line must be one object.")
        if "event" in one:
            notes.append(_told(one))
        else:
            rows.append(one)
    return _table(path, rows, notes)


def _refuse(name: str) -> float:
    raise ValueError(name)


def _told(event: dict[str, Any]) -> str:
    at = event.get("time_s")
    where = f" at {at:.0f} s" if isinstance(at, (int, float)) and not isinstance(at, bool) else ""
    text = event.get("text")
    return f"{str(event['event'])[:40]}{where}{f': {text[:200]}' if isinstance(text, str) and text else ''}"


def _table(path: Path, rows: list[dict[str, Any]], notes: list[str]) -> Table:
    names = list(dict.fromkeys(name for row in rows for name in row))
    if not rows or not names:
        raise RideError(str(path), "", "holds no rows", "Choose another log.")
    if len(names) > MOST_COLUMNS:
        raise RideError(str(path), "", f"{len(names)} columns", f"A log has at most {MOST_COLUMNS}.")
    columns = []
    for key in names:
        cells = [row.get(key) for row in rows]
        name, unit = split_unit(key)
        words = sum(isinstance(cell, str) for cell in cells)
        values = np.array([_number(cell) for cell in cells])
        texts = [cell if isinstance(cell, str) else "" for cell in cells] if words > 0.5 * len(cells) else None
        columns.append(Column(name, unit, values, texts, key))
    return Table(path.name.partition(".")[0], "JSON Lines", columns, notes)


def _number(cell: object) -> float:
    if isinstance(cell, (int, float)):  # true is 1: a brake that is pulled
        try:
            return float(cell)
        except OverflowError:
            return float("nan")
    return float("nan")


@writer(".jsonl")
def write_json_lines(ride: Ride, path: Path) -> None:
    """Write a ride, a row a line, empty values left out. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    lines = []
    for at in range(len(ride)):
        row = {"time_s": float(ride.time_s[at])}
        row |= {name: float(values[at]) for name, values in ride.channels.items() if np.isfinite(values[at])}
        lines.append(json.dumps(row))
    wire.write_bytes(path, ("\n".join(lines) + "\n").encode())
