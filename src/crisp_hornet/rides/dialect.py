"""The dialects of separated text: encoding, separator, decimal comma, preamble, header and units row."""

from __future__ import annotations

import codecs
import csv
import re
from collections import Counter
from dataclasses import dataclass

from crisp_hornet.rides.quantities import known_unit

SEPARATORS = (",", ";", "\t", "|")
SAMPLE_LINES, MOST_LINE = 60, 1 << 16
LONGEST_FIGURE = (
    60  # characters of a figure with its unit: looking for one in longer words costs more than their length
)
_NUMBER = re.compile(r"^\s*[+-]?(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?\s*([^\d\s.,;]\S{0,6})?\s*$")
_COMMA_NUMBER = re.compile(r"^\s*[+-]?\d+(?:,\d+)?\s*([^\d\s.,;]\S{0,6})?\s*$")
EMPTY = ("", "nan", "null", "none", "-", "--", "n/a", "na", "#n/a")


@dataclass(frozen=True)
class Dialect:
    """How to read a text. ``header`` is the row of names, None where there is none; ``data`` the first row of figures; rows count
    physical lines from 0."""

    encoding: str
    separator: str
    decimal_comma: bool
    header: int | None
    units: int | None
    data: int
    names: list[str]
    unit_cells: list[str]


def encoding_of(head: bytes) -> str:
    """The encoding of a text by its first bytes."""
    for mark, name in (
        (codecs.BOM_UTF8, "utf-8-sig"),
        (codecs.BOM_UTF16_LE, "utf-16"),
        (codecs.BOM_UTF16_BE, "utf-16"),
    ):
        if head.startswith(mark):
            return name
    if head[1:200:2].count(0) > len(head[1:200:2]) * 0.7:
        return "utf-16-le"
    if head[0:200:2].count(0) > len(head[0:200:2]) * 0.7:
        return "utf-16-be"
    decoder = codecs.getincrementaldecoder("utf-8")()
    try:
        decoder.decode(head)  # what is cut at the end does not count
    except UnicodeDecodeError:
        return "cp1252"
    return "utf-8"


def dialect_of(text: str, encoding: str) -> Dialect | None:
    """The dialect of a sample of text; None where nothing looks like a table."""
    lines = [line[:MOST_LINE] for line in text.splitlines()[:SAMPLE_LINES]]
    best: tuple[float, Dialect] | None = None
    for separator in SEPARATORS:
        for comma in (False, True):
            if comma and separator == ",":
                continue
            found = _try(lines, encoding, separator, comma)
            if found is not None and (best is None or found[0] > best[0]):
                best = found
    return best[1] if best is not None else None


def _try(lines: list[str], encoding: str, separator: str, comma: bool) -> tuple[float, Dialect] | None:
    rows = [next(csv.reader([line], delimiter=separator), []) for line in lines if "\0" not in line]
    counts = Counter(len(row) for row in rows if len(row) > 1)
    if not counts:
        return None
    width = max(counts, key=lambda one: (counts[one], one))
    number = _COMMA_NUMBER if comma else _NUMBER

    def share(row: list[str]) -> float:
        filled = [cell for cell in row if cell.strip().lower() not in EMPTY]
        return sum(_is_figure(number.match(cell[:LONGEST_FIGURE])) for cell in filled) / len(filled) if filled else 0.0

    table = [at for at, row in enumerate(rows) if len(row) == width]
    figures = [at for at in table if share(rows[at]) >= 0.5]
    if not figures:
        return None
    data = figures[0]
    above = [at for at in table if at < data]
    units = next((at for at in reversed(above) if _is_units(rows[at])), None)
    named = [at for at in above if at != units]
    header = named[-1] if named else None
    if header is None and units is not None:  # names such as "V" and "A" are names all the same
        header, units = units, None
    names = rows[header] if header is not None else [f"column {at + 1}" for at in range(width)]
    score = sum(share(rows[at]) for at in figures) * width**0.5 * (1.2 if header is not None else 1.0)
    if comma and not any("," in cell for at in figures for cell in rows[at]):
        score *= 0.9
    cells = [cell.strip().strip("()[]") for cell in rows[units]] if units is not None else [""] * width
    return score, Dialect(encoding, separator, comma, header, units, data, [name.strip() for name in names], cells)


def _is_figure(found: re.Match[str] | None) -> bool:
    """A number, alone or with a unit behind it."""
    return found is not None and (not found[1] or bool(known_unit(found[1])))


def _is_units(row: list[str]) -> bool:
    filled = [cell.strip().strip("()[]") for cell in row if cell.strip()]
    return len(filled) >= 2 and sum(bool(known_unit(cell)) for cell in filled) >= 0.6 * len(filled)
