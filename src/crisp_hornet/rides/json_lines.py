"""JSON Lines: one object per row. Also the form in which the recorder writes: lines that are no rows (gaps, laps, notes) are kept
as notes, and a last line that was cut by a crash is passed over."""

from __future__ import annotations

import io
import json
import math
from array import array
from pathlib import Path
from typing import Any

import numpy as np

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import MOST_CELLS, MOST_ROWS, MOST_TEXT, too_much
from crisp_hornet.rides.quantities import split_unit
from crisp_hornet.rides.registry import reader, writer
from crisp_hornet.rides.separated import unpacked
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table

MOST_LINE, MOST_EVENTS, WORD_BYTES = 1 << 20, 100_000, 60
MOST_BYTES = 200 << 20


@reader(".jsonl", ".ndjson", ".jsonlines")
def read_json_lines(path: Path) -> Table:
    """Read one object a line. Raises :class:`RideError`."""
    rows, notes, cut = _Rows(path), list[str](), ""
    for number, line in enumerate(io.BytesIO(unpacked(path, MOST_BYTES)), start=1):
        if not line.strip():
            continue
        if cut:
            raise RideError(str(path), cut, "is no JSON object", "Correct or delete that line.")
        if len(line) > MOST_LINE:
            raise RideError(str(path), f"line {number}", "is absurdly long", "Look at the file first.")
        try:
            one = json.loads(line, parse_constant=_refuse)
        except (ValueError, RecursionError):
            cut = f"line {number}"  # sound only where nothing follows
            continue
        if not isinstance(one, dict):
            raise RideError(str(path), f"line {number}", "is no JSON object", "Each line must be one object.")
        if "event" in one:
            notes.append(_told(one))
        else:
            rows.add(one)
        if len(notes) > MOST_EVENTS:
            raise too_much(path, "events")
    if cut:
        notes.append("the last line was cut off and left out")
    return rows.table(notes)


class _Rows:
    """Columns that grow row by row: figures as figures, words only where there are any."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._values: dict[str, array[float]] = {}
        self._words: dict[str, dict[int, str]] = {}
        self._count = self._cells = self._letters = 0

    def add(self, row: dict[str, Any]) -> None:
        """One more row. Raises :class:`RideError` where there are too many."""
        for key, cell in row.items():
            values = self._values.get(key)
            if values is None:
                if len(self._values) >= MOST_COLUMNS:
                    raise RideError(str(self._path), "", "far too many columns", f"A log has at most {MOST_COLUMNS}.")
                values = self._values[key] = array("d")
            if len(values) < self._count:
                values.extend([math.nan] * (self._count - len(values)))
            values.append(_number(cell))
            if isinstance(cell, str):
                self._words.setdefault(key, {})[self._count] = cell
                self._letters += len(cell) + WORD_BYTES
        self._count += 1
        self._cells += max(len(row), 1)
        if self._letters > MOST_TEXT:
            raise too_much(self._path, "words")
        if self._count * max(len(self._values), 1) > MOST_CELLS or self._count > MOST_ROWS:
            raise too_much(self._path, "rows")

    def table(self, notes: list[str]) -> Table:
        """All of it as a table. Raises :class:`RideError` where there is nothing."""
        if not self._count or not self._values:
            raise RideError(str(self._path), "", "holds no rows", "Choose another log.")
        columns = []
        for key, found in self._values.items():
            name, unit = split_unit(key)
            values = np.full(self._count, np.nan)
            values[: len(found)] = found
            words = self._words.get(key, {})
            texts = [words.get(at, "") for at in range(self._count)] if len(words) > 0.5 * self._count else None
            columns.append(Column(name, unit, values, texts, key))
        return Table(self._path.name.partition(".")[0], "JSON Lines", columns, notes)


def _refuse(name: str) -> float:
    raise ValueError(name)


def _told(event: dict[str, Any]) -> str:
    at = event.get("time_s")
    where = f" at {at:.0f} s" if isinstance(at, (int, float)) and not isinstance(at, bool) else ""
    text = event.get("text")
    return f"{str(event['event'])[:40]}{where}{f': {text[:200]}' if isinstance(text, str) and text else ''}"


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
