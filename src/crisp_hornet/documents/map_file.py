"""Read a controller description from its file; every error names line and key."""

from __future__ import annotations

import re
import tomllib
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from crisp_hornet.documents import wire
from crisp_hornet.documents.controller_map import MAP_VERSION, ControllerMap
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.store import check_header, document_error

Place = tuple[str | int, ...]
_TABLE = re.compile(r"^\s*(\[\[?)\s*([A-Za-z0-9_.-]+)\s*\]\]?")
_KEY = re.compile(r"^\s*([A-Za-z0-9_-]+)\s*=")


def read_map(path: Path) -> ControllerMap:
    """Read a controller description. Raises :class:`DocumentError` that names line and key."""
    try:
        text = wire.read_bytes(path).decode("utf-8")
    except UnicodeDecodeError as error:
        raise DocumentError(str(path), f"byte {error.start}", "not UTF-8 text", "Save it as UTF-8.") from None
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise DocumentError(str(path), "", f"not TOML: {error}", "Mend the text there.") from None
    check_header(data, "crisp-hornet/controller-map", MAP_VERSION, str(path))
    try:
        return ControllerMap.model_validate(data)
    except ValidationError as error:
        raise _with_line(error, text, str(path)) from None


def _with_line(error: ValidationError, text: str, file: str) -> DocumentError:
    details = error.errors(include_url=False)[0]
    place: Place = tuple(details.get("ctx", {}).get("at", details["loc"]))
    said = document_error(error, file)
    keys = ".".join(str(step) for step in place)
    line = line_of(text, place)
    where = ", ".join(part for part in (f"line {line}" if line else "", keys) if part)
    return DocumentError(file, where, said.reason, "Mend it there; docs/formats.md says what each key means.")


def line_of(text: str, place: Place) -> int | None:
    """The line on which a key of a TOML text stands, or the nearest thing around it that has a line."""
    lines = _lines(text)
    for length in range(len(place), 0, -1):
        if place[:length] in lines:
            return lines[place[:length]]
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
