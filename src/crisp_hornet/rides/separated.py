"""Separated text in any dialect, packed or not, into a table."""

from __future__ import annotations

import gzip
import io
import re
import warnings
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import polars as pl

from crisp_hornet.core.arrays import Array
from crisp_hornet.documents.saying import counted
from crisp_hornet.rides.dialect import EMPTY, LONGEST_FIGURE, Dialect, dialect_of, encoding_of
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import MOST_TEXT, MOST_UNPACKED, MOST_WORDS, check_file, check_shape, too_much
from crisp_hornet.rides.quantities import known_unit, split_unit
from crisp_hornet.rides.registry import reader
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table

MOST_PACKED_RATIO = 300
PIECE, MOST_LINE = 1 << 20, 4 << 20
PACKED = b"\x1f\x8b"
HEAD_BYTES = 1 << 18
MOST_NOTES = 6
SEPARATOR_WORDS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
_WITH_UNIT = re.compile(r"^\s*([+-]?\d+(?:[.,]\d+)?)\s*([^\d\s.,][^\d]{0,8})?\s*$")


@reader(".csv", ".txt", ".tsv", ".log", ".dat")
def read_separated(path: Path) -> Table:
    """Read a text log. Raises :class:`RideError`."""
    check_file(path)
    with path.open("rb") as file:
        head = file.read(HEAD_BYTES)
    packed = head[:2] == PACKED
    raw = unpacked(path) if packed else b""
    head = raw[:HEAD_BYTES] if packed else head
    encoding = encoding_of(head)
    try:
        sample = head.decode(encoding, errors="ignore")
    except (UnicodeError, LookupError):
        sample = ""
    dialect = dialect_of(sample, encoding)
    if dialect is None:
        raise RideError(
            str(path), "", "no table of figures was found in it", "Export the log as CSV, with a row of names."
        )
    if len(dialect.names) > MOST_COLUMNS:
        raise RideError(str(path), "", f"{len(dialect.names)} columns", f"A log has at most {MOST_COLUMNS}.")
    if encoding == "utf-8" and not packed and b"\r" not in head.replace(b"\r\n", b""):
        return _table(path, path, dialect)  # as it lies there: nothing is copied
    raw = raw if packed else unpacked(path)
    raw = raw if encoding == "utf-8" else raw.decode(encoding, errors="replace").encode()
    return _table(path, raw[_offset_of_line(raw, dialect.data) :], dialect)


def table_of_text(path: Path, text: str, kind: str) -> Table | None:
    """The table in a text, of a spreadsheet for instance; None where there is none."""
    dialect = dialect_of(text[:HEAD_BYTES], "utf-8")
    if dialect is None:
        return None
    raw = text.encode()
    return replace(_table(path, raw[_offset_of_line(raw, dialect.data) :], dialect), kind=kind)


def unpacked(path: Path, most: int = MOST_UNPACKED) -> bytes:
    """The bytes of a file, unpacked if it is packed by gzip. Raises :class:`RideError` where it is absurdly large."""
    size = check_file(path)
    with path.open("rb") as file:
        if file.read(2) != PACKED:
            if size > most:
                raise RideError(str(path), "", f"larger than {most >> 20} MiB", "Cut the log into single rides.")
            file.seek(0)
            return file.read()
    most = min(most, max(size * MOST_PACKED_RATIO, 1 << 20))
    pieces, whole = [], 0
    try:
        with gzip.open(path) as packed:
            while piece := packed.read(PIECE):
                whole += len(piece)
                if whole > most:
                    raise RideError(
                        str(path), "", "unpacks to an absurd size", "Unpack it yourself and look at it first."
                    )
                pieces.append(piece)
    except (OSError, EOFError, zlib.error) as error:
        raise RideError(str(path), "", f"cannot be unpacked ({error})", "Fetch it again.") from None
    return b"".join(pieces)


def _table(path: Path, body: bytes | Path, dialect: Dialect) -> Table:
    """The table below its header: of bytes that begin there, or of a whole file."""
    names = [f"c{at}" for at in range(len(dialect.names))]
    plain = (
        set() if _quoted(body) else _plain_numbers(body, dialect)
    )  # reading figures trips over a lone quotation mark
    _check_lines(path, body, len(names), len(plain))
    with warnings.catch_warnings(record=True) as told:  # an open quotation mark, for instance
        warnings.simplefilter("always")
        frame = _read(path, body, dialect, {name: pl.Float64 if name in plain else pl.String for name in names})
    notes = ["some of its lines are malformed: rows may be missing"] if told else []
    columns = []
    doubtful = [name for name in plain if frame[name].null_count()]
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # told already
        words = (
            _read(path, body, dialect, dict.fromkeys(names, pl.String)).select(doubtful) if doubtful else pl.DataFrame()
        )
    for name, header, unit_cell in zip(names, dialect.names, dialect.unit_cells, strict=True):
        if name in plain:
            label, unit = split_unit(header)
            values = frame[name].to_numpy().astype(np.float64, copy=False)
            one = Column(label, known_unit(unit_cell) or unit, values, header=header)
            bad = _filled(words[name]) - int(np.isfinite(values).sum()) if name in doubtful else 0
        else:
            one = _column(frame[name], header, unit_cell, dialect.decimal_comma)
            bad = _filled(frame[name]) - int(np.isfinite(one.values).sum()) if one.texts is None else 0
        columns.append(one)
        if bad > 0 and len(notes) < MOST_NOTES:
            notes.append(f"{counted(bad, 'cell')} of {one.name} without a figure")
    if dialect.header is not None and dialect.header > 0:
        notes.append(f"{counted(dialect.header, 'line')} above the names passed over")
    kind = f"text separated by {SEPARATOR_WORDS[dialect.separator]}"
    return Table(path.name.removesuffix(".gz").rpartition(".")[0] or path.stem, kind, columns, notes)


def _check_lines(path: Path, body: bytes | Path, columns: int, plain: int) -> None:
    """Raises :class:`RideError` for more rows, cells or words than a ride has; counted, before anything is made of them."""
    rows = run = 0
    with io.BytesIO(body) if isinstance(body, bytes) else body.open("rb") as file:
        while piece := file.read(PIECE):
            breaks = piece.count(b"\n") or piece.count(b"\r")
            rows, run = rows + breaks, 0 if breaks else run + len(piece)
            if run > MOST_LINE:
                raise RideError(str(path), f"line {rows + 1}", "is absurdly long", "Look at the file first.")
    check_shape(path, rows, columns)
    size = len(body) if isinstance(body, bytes) else body.stat().st_size
    if rows * (columns - plain) > MOST_WORDS and size > MOST_TEXT:
        raise too_much(path, "words")


def _read(path: Path, body: bytes | Path, dialect: Dialect, schema: dict[str, type[pl.DataType]]) -> pl.DataFrame:
    whole = isinstance(body, Path)
    try:
        return pl.read_csv(
            body if isinstance(body, Path) else io.BytesIO(body),
            has_header=False,
            skip_lines=dialect.data if whole else 0,
            schema=schema,
            separator=dialect.separator,
            truncate_ragged_lines=True,
            quote_char='"',
            ignore_errors=True,
            decimal_comma=dialect.decimal_comma,
        )
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
        why = str(error).strip().splitlines()[0][:120] if str(error).strip() else type(error).__name__
        raise RideError(str(path), "", f"not a table we can read ({why})", "Export the log again.") from None


def _pieces(body: bytes | Path) -> list[bytes]:
    """Some whole lines from each eighth of a text."""
    size = len(body) if isinstance(body, bytes) else body.stat().st_size
    lines: list[bytes] = []
    file = io.BytesIO(body) if isinstance(body, bytes) else body.open("rb")
    with file:
        for start in range(0, max(size, 1), max(size // 8, 1)):
            file.seek(start)
            lines += file.read(4000).splitlines()[1 if start else 0 : -1 or None][:25]
    return lines


def _quoted(body: bytes | Path) -> bool:
    """Whether any cell is in quotation marks."""
    if isinstance(body, bytes):
        return b'"' in body
    with body.open("rb") as file:
        return any(b'"' in piece for piece in iter(lambda: file.read(PIECE), b""))


def _plain_numbers(body: bytes | Path, dialect: Dialect) -> set[str]:
    """The columns that hold bare numbers as far as a sample from all parts of the text shows: those are read straight as such."""
    comma, point = r"^\s*[+-]?\d+(,\d+)?\s*$", r"^\s*[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d+)?\s*$"
    number = re.compile(comma if dialect.decimal_comma else point)
    rows = [line.decode("utf-8", "replace").split(dialect.separator) for line in _pieces(body)]
    plain: set[str] = set()
    for at in range(len(dialect.names)):
        cells = [row[at].strip().strip('"') for row in rows if at < len(row)]
        filled = [cell for cell in cells if cell.lower() not in EMPTY]
        if filled and sum(bool(number.match(cell)) for cell in filled) >= 0.8 * len(filled):
            plain.add(f"c{at}")
    return plain


def _filled(series: pl.Series) -> int:
    return int((~series.fill_null("").str.strip_chars().str.to_lowercase().is_in(list(EMPTY))).sum())


def _offset_of_line(raw: bytes, line: int) -> int:
    at = 0
    for _ in range(line):
        ends = [found for found in (raw.find(b"\n", at), raw.find(b"\r", at)) if found >= 0]
        if not ends:
            return len(raw)
        end = min(ends)
        at = end + (2 if raw[end : end + 2] == b"\r\n" else 1)
    return at


def _column(series: pl.Series, header: str, unit_cell: str, decimal_comma: bool) -> Column:
    name, unit = split_unit(header)
    unit = known_unit(unit_cell) or unit
    texts = series.fill_null("").str.strip_chars()
    texts = texts.set(texts.str.to_lowercase().is_in(list(EMPTY)), None)
    figures = _figures(texts.str.strip_chars_end("% "), decimal_comma)
    filled = int(texts.is_not_null().sum())
    if not unit and int(texts.str.ends_with("%").sum()) > 0.5 * max(filled, 1):
        unit = "%"
    good = int(np.isfinite(figures).sum())
    if filled and good < 0.5 * filled:
        if (found := _with_unit(texts)) is not None:
            return Column(name, unit or found[1], found[0], header=header)
        return Column(name, unit, figures, [one or "" for one in texts.to_list()], header)
    return Column(name, unit, figures, header=header)


def _figures(texts: pl.Series, decimal_comma: bool) -> Array:
    if decimal_comma:
        texts = texts.str.replace(",", ".", literal=True)
    values: Array = texts.cast(pl.Float64, strict=False).to_numpy().astype(np.float64)
    return values


def _with_unit(texts: pl.Series) -> tuple[Array, str] | None:
    """Cells such as ``36.2 V``: their figures and the unit they share."""
    filled = [one for one in texts.head(200).to_list() if one]
    found = [_WITH_UNIT.match(one) if len(one) <= LONGEST_FIGURE else None for one in filled]
    units = {known_unit(one[2] or "") for one in found if one is not None}
    if not filled or any(one is None for one in found) or len(units) != 1 or not (unit := units.pop()):
        return None
    numbers = texts.str.extract(r"^\s*([+-]?\d+(?:[.,]\d+)?)").str.replace(",", ".", literal=True)
    return numbers.cast(pl.Float64, strict=False).to_numpy().astype(np.float64), unit
