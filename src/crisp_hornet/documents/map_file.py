"""Read a controller description from its file; every error names line and key."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from crisp_hornet.documents import wire
from crisp_hornet.documents.controller_map import MAP_VERSION, ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.store import check_header, document_error

Place = tuple[str | int, ...]
MOST_AT_ONCE = 64
MAX_BYTES, MOST_LINE = 256 * 1024, 4096
_TABLE = re.compile(r"^\s*(\[\[?)\s*([A-Za-z0-9_.-]+)\s*\]\]?")
_KEY = re.compile(r"^\s*([A-Za-z0-9_-]+)\s*=")


def read_map(path: Path) -> ControllerMap:
    """Read a controller description. Raises :class:`DocumentError` that names line and key."""
    try:
        text = wire.read_bytes(path, MAX_BYTES).decode("utf-8")
    except UnicodeDecodeError as error:
        raise DocumentError(str(path), f"byte {error.start}", "not UTF-8 text", "Save it as UTF-8.") from None
    for number, line in enumerate(text.splitlines(), start=1):
        if len(line) > MOST_LINE:
            raise DocumentError(str(path), f"line {number}", "is absurdly long", "Correct the text there.")
    try:
        data = tomllib.loads(text)
    except RecursionError:
        raise DocumentError(str(path), "", "not TOML: nested too deeply", "Correct the text there.") from None
    except ValueError as error:  # a syntax error, or an integer of absurd length
        raise _not_toml(str(error), str(path)) from None
    check_header(data, "crisp-hornet/controller-map", MAP_VERSION, str(path))
    rows: list[int] = []
    try:
        if isinstance(data.get("register"), list):
            data["register"], rows = _spread_out(data["register"])
        return ControllerMap.model_validate(data)
    except ValidationError as error:
        details = error.errors(include_url=False)[0]
        place: Place = tuple(details.get("ctx", {}).get("at", details["loc"]))
        if place[:1] == ("register",) and len(place) > 1 and isinstance(place[1], int):
            place = ("register", rows[place[1]], *place[2:])
        raise _with_line(document_error(error, str(path)).reason, place, text, str(path)) from None
    except _BadRow as error:
        raise _with_line(str(error), ("register", error.row, "count"), text, str(path)) from None


def _not_toml(reason: str, file: str) -> DocumentError:
    """The parser's own words, with the line in front where it names one."""
    at = re.search(r" \(at line (\d+), column (\d+)\)$", reason)
    where = f"line {at[1]}, column {at[2]}" if at else ""
    return DocumentError(file, where, f"not TOML: {reason[: at.start()] if at else reason}", "Correct the text there.")


class _BadRow(Exception):
    def __init__(self, row: int, reason: str) -> None:
        super().__init__(reason)
        self.row = row


def _spread_out(registers: list[Any]) -> tuple[list[Any], list[int]]:
    """Each register that stands for several (``count``, ``{n}`` in its name) as those, and for each the row it came from."""
    spread: list[Any] = []
    rows: list[int] = []
    for at, row in enumerate(registers):
        one = dict(row) if isinstance(row, dict) else row
        each = [one] if not isinstance(one, dict) or "count" not in one else list(_several(one, at))
        spread += each
        rows += [at] * len(each)
    return spread, rows


def _several(row: dict[str, Any], at: int) -> Iterator[dict[str, Any]]:
    count, every = row.pop("count"), row.pop("every", 1)
    starts = row.pop("defaults", [])
    whole = isinstance(count, int) and isinstance(every, int) and isinstance(row.get("address"), int)
    if not whole or not 1 <= count <= MOST_AT_ONCE or not 1 <= every <= 0xFFFF or not isinstance(starts, list):
        raise _BadRow(
            at, f"count must be a whole number of 1 to {MOST_AT_ONCE}, with address and every as whole numbers"
        )
    if not all(isinstance(row.get(key), str) for key in ("name", "label")) or "{n}" not in row["name"]:
        raise _BadRow(at, "with count, name and label are text and name contains {n}, which becomes 1, 2, 3 …")
    for index in range(count):
        told = {key: row[key].replace("{n}", str(index + 1)) for key in ("name", "label")}
        default = {"default": starts[index]} if index < len(starts) else {}
        yield {**row, **told, "address": row["address"] + index * every, **default}


def _with_line(reason: str, place: Place, text: str, file: str) -> DocumentError:
    keys = ".".join(str(step) for step in place)
    line = line_of(text, place)
    where = ", ".join(part for part in (f"line {line}" if line else "", keys) if part)
    return DocumentError(file, where, reason, "Correct it there; docs/formats.md says what each key means.")


def line_of(text: str, place: Place) -> int | None:
    """The line on which a key of a TOML text stands, or the nearest thing around it that has a line."""
    lines = _lines(text)
    for length in range(len(place), 0, -1):
        for here in (place[:length], (*place[:length], 0)):  # the second: [[line]] where [line] belongs
            if here in lines:
                return lines[here]
    return None


def _lines(text: str) -> dict[Place, int]:
    """Where each table and key stands. Enough for files laid out as documented; not a whole TOML parser."""
    found: dict[Place, int] = {}
    counts: dict[tuple[str, ...], int] = {}
    table: Place = ()
    array: list[Any] | None = None  # [place of the array, next index] while its lines are read
    for number, line in enumerate(text.splitlines(), start=1):
        if array is not None:
            if line.strip().startswith("{"):
                found[(*array[0], array[1])] = number
                array[1] += 1
            if line.strip().startswith("]"):
                array = None
            continue
        if header := _TABLE.match(line):
            keys = tuple(header[2].split("."))
            if header[1] == "[[":
                counts[keys] = counts.get(keys, -1) + 1
                table = (*keys, counts[keys])
            else:
                table = keys
            found[table] = number
        elif key := _KEY.match(line):
            place = (*table, key[1])
            found[place] = number
            if line.rstrip().endswith("["):
                array = [place, 0]
    return found
