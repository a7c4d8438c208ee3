"""Spreadsheets (xlsx): the first sheet that holds a table. Formulas count by their stored results; nothing is evaluated."""

from __future__ import annotations

import io
import zipfile
import zlib
from datetime import date, datetime, time
from pathlib import Path

from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.registry import reader
from crisp_hornet.rides.separated import table_of_text
from crisp_hornet.rides.table import MOST_COLUMNS, Table

# what the library raises where its parser meets a broken file
BROKEN = (
    zipfile.BadZipFile,
    KeyError,
    ValueError,
    TypeError,
    OSError,
    IndexError,
    AttributeError,
    SyntaxError,
    EOFError,
    zlib.error,
    NotImplementedError,
)
MOST_UNPACKED, MOST_RATIO, MOST_ROWS = 600 << 20, 300, 2_000_000


@reader(".xlsx")
def read_spreadsheet(path: Path) -> Table:
    """Read a spreadsheet. Raises :class:`RideError`."""
    import openpyxl

    _check_packing(path)
    try:
        book = openpyxl.load_workbook(io.BytesIO(path.read_bytes()), read_only=True, data_only=True)
    except BROKEN as error:
        raise RideError(str(path), "", f"no spreadsheet we can read ({str(error)[:100]})", "Save it as CSV.") from None
    try:
        for sheet in book.worksheets:
            lines = []
            for row in sheet.iter_rows(values_only=True, max_col=MOST_COLUMNS):
                lines.append("\t".join(_cell(one) for one in row))
                if len(lines) > MOST_ROWS:
                    raise RideError(str(path), "", "far too many rows", "Cut it into single rides.")
            table = table_of_text(path, "\n".join(lines), "spreadsheet")
            if table is not None:
                return table
    except RideError:
        raise
    except BROKEN as error:
        raise RideError(str(path), "", f"no spreadsheet we can read ({str(error)[:100]})", "Save it as CSV.") from None
    finally:
        book.close()
    raise RideError(str(path), "", "no table of figures was found in it", "Put names above the columns.")


def _check_packing(path: Path) -> None:
    try:
        with zipfile.ZipFile(path) as packed:
            whole = sum(one.file_size for one in packed.infolist())
            count = len(packed.infolist())
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise RideError(str(path), "", f"no spreadsheet we can read ({str(error)[:100]})", "Save it as CSV.") from None
    if whole > MOST_UNPACKED or whole > max(path.stat().st_size, 1) * MOST_RATIO or count > 5000:
        raise RideError(str(path), "", "unpacks to an absurd size", "Look at it with a spreadsheet first.")


def _cell(value: object) -> str:
    if value is None:
        return ""
    if isinstance(value, datetime):
        return value.isoformat(sep=" ", timespec="milliseconds")
    if isinstance(value, (date, time)):
        return value.isoformat()
    return str(value).replace("\t", " ").replace("\n", " ").replace("\r", " ")
