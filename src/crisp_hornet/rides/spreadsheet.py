"""Spreadsheets (xlsx): the first sheet that holds a table. Formulas count by their stored results; nothing is evaluated.

A sheet may claim a last cell a million rows away and cost gigabytes to hold: where its cells lie is counted before it is opened.
"""

from __future__ import annotations

import re
import zipfile
import zlib
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import IO

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import check_shape
from crisp_hornet.rides.registry import reader
from crisp_hornet.rides.separated import table_of_text
from crisp_hornet.rides.table import MOST_COLUMNS, Table

BROKEN = (zipfile.BadZipFile, KeyError, ValueError, TypeError, OSError, EOFError, zlib.error, NotImplementedError)
MOST_UNPACKED, MOST_RATIO, MOST_PARTS, PIECE = 400 << 20, 300, 5000, 1 << 20
SHEETS = "xl/worksheets/"
_CELL = re.compile(
    rb"""<(?:\w+:)?(?:c|dimension)\b[^>]{0,200}?\br(?:ef)?=["'](?:[A-Z]{1,4}\d+:)?([A-Z]{1,4})(\d{1,9})["']"""
)


@reader(".xlsx")
def read_spreadsheet(path: Path) -> Table:
    """Read a spreadsheet. Raises :class:`RideError`."""
    from python_calamine import CalamineError, CalamineWorkbook

    _check_packing(path)
    try:
        book = CalamineWorkbook.from_path(str(path))
        for name in book.sheet_names:
            rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
            text = "\n".join("\t".join(_cell(one) for one in row[:MOST_COLUMNS]) for row in rows)
            table = table_of_text(path, text, "spreadsheet") if text else None
            if table is not None:
                return table
    except (*BROKEN, CalamineError) as error:
        raise _unreadable(path, error) from None
    raise RideError(str(path), "", "no table of figures was found in it", "Put names above the columns.")


def _check_packing(path: Path) -> None:
    """Raises :class:`RideError` for what unpacks to more than a ride is worth, or whose cells lie too far apart to be held."""
    try:
        with zipfile.ZipFile(path) as packed:
            parts = packed.infolist()
            whole = sum(part.file_size for part in parts)
            if whole > MOST_UNPACKED or whole > max(path.stat().st_size, 1) * MOST_RATIO or len(parts) > MOST_PARTS:
                raise RideError(str(path), "", "unpacks to an absurd size", "Look at it with a spreadsheet first.")
            for part in parts:
                if part.filename.startswith(SHEETS):
                    with packed.open(part) as sheet:
                        check_shape(path, *_reach(sheet))
    except RideError:
        raise
    except (*BROKEN, RuntimeError) as error:  # the last for one that is encrypted
        raise _unreadable(path, error) from None


def _reach(sheet: IO[bytes]) -> tuple[int, int]:
    """(last row, last column) that any cell of a sheet has."""
    rows, letters, left, seen = 0, b"", b"", set[bytes]()
    while piece := sheet.read(PIECE):
        text = left + piece
        for found in _CELL.finditer(text):
            rows = max(rows, int(found[2]))
            if found[1] not in seen:
                seen.add(found[1])
                letters = max(letters, found[1], key=lambda one: (len(one), one))
        left = text[-256:]
    columns = 0
    for letter in letters:
        columns = columns * 26 + letter - 64
    return rows, columns


def _unreadable(path: Path, error: BaseException) -> RideError:
    return RideError(str(path), "", f"no spreadsheet we can read ({str(error)[:100]})", "Save it as CSV.")


def _cell(value: object) -> str:
    if isinstance(value, float):
        return f"{value:.12g}"
    if isinstance(value, datetime):
        return value.isoformat(sep=" ", timespec="milliseconds")
    if isinstance(value, timedelta):
        return str(value.total_seconds())
    if isinstance(value, (date, time)):
        return value.isoformat()
    return str(value).replace("\t", " ").replace("\n", " ").replace("\r", " ")
