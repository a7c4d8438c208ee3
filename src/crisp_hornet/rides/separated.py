"""Separated text in any dialect, packed or not, into a table."""

from __future__ import annotations

import gzip
import io
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
import polars as pl

from crisp_hornet.core.motor import Array
from crisp_hornet.rides.dialect import EMPTY, Dialect, dialect_of, encoding_of
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.quantities import known_unit, split_unit
from crisp_hornet.rides.registry import reader
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table

MOST_BYTES = 1 << 30
MOST_PACKED_RATIO = 300
HEAD_BYTES = 1 << 18
SEPARATOR_WORDS = {",": "commas", ";": "semicolons", "\t": "tabs", "|": "bars"}
_WITH_UNIT = re.compile(r"^\s*([+-]?\d+(?:[.,]\d+)?)\s*([^\d\s.,][^\d]{0,8})?\s*$")


@reader(".csv", ".txt", ".tsv", ".log", ".dat")
def read_separated(path: Path) -> Table:
    """Read a text log. Raises :class:`RideError`."""
    raw = unpacked(path)
    encoding = encoding_of(raw[:HEAD_BYTES])
    try:
        head = raw[:HEAD_BYTES].decode(encoding, errors="ignore")
    except (UnicodeError, LookupError):
        head = ""
    dialect = dialect_of(head, encoding)
    if dialect is None:
        raise RideError(
            str(path), "", "no table of figures was found in it", "Export the log as CSV, with a row of names."
        )
    if len(dialect.names) > MOST_COLUMNS:
        raise RideError(str(path), "", f"{len(dialect.names)} columns", f"A log has at most {MOST_COLUMNS}.")
    if encoding != "utf-8":
        raw = raw.decode(encoding, errors="replace").encode()
    return _table(path, raw, dialect)


def table_of_text(path: Path, text: str, kind: str) -> Table | None:
    """The table in a text, of a spreadsheet for instance; None where there is none."""
    dialect = dialect_of(text[:HEAD_BYTES], "utf-8")
    return None if dialect is None else replace(_table(path, text.encode(), dialect), kind=kind)


def unpacked(path: Path) -> bytes:
    """The bytes of a file, unpacked if it is packed by gzip. Raises :class:`RideError` where it is absurdly large."""
    size = path.stat().st_size
    if size == 0:
        raise RideError(str(path), "", "the file is empty", "Choose another log.")
    if size > MOST_BYTES:
        raise RideError(str(path), "", f"larger than {MOST_BYTES >> 20} MiB", "Cut the log into single rides.")
    raw = path.read_bytes()
    if raw[:2] != b"\x1f\x8b":
        return raw
    most = min(MOST_BYTES, max(size * MOST_PACKED_RATIO, 1 << 20))
    try:
        with gzip.GzipFile(fileobj=io.BytesIO(raw)) as packed:
            whole = packed.read(most + 1)
    except (OSError, EOFError) as error:
        raise RideError(str(path), "", f"cannot be unpacked ({error})", "Fetch it again.") from None
    if len(whole) > most:
        raise RideError(str(path), "", "unpacks to an absurd size", "Unpack it yourself and look at it first.")
    return whole


def _table(path: Path, raw: bytes, dialect: Dialect) -> Table:
    start = _offset_of_line(raw, dialect.data)
    names = [f"c{at}" for at in range(len(dialect.names))]
    try:
        frame = pl.read_csv(
            io.BytesIO(raw[start:]), has_header=False, new_columns=names, separator=dialect.separator, infer_schema=False,
            truncate_ragged_lines=True, quote_char='"', n_rows=None, schema=dict.fromkeys(names, pl.String),
        )  # fmt: skip
    except pl.exceptions.PolarsError as error:
        why = str(error).strip().splitlines()[0][:120] if str(error).strip() else type(error).__name__
        raise RideError(str(path), "", f"not a table we can read ({why})", "Export the log again.") from None
    columns = [
        _column(frame[name], header, unit, dialect.decimal_comma)
        for name, header, unit in zip(names, dialect.names, dialect.unit_cells, strict=True)
    ]
    notes = [
        f"{bad} cell{'s' if bad > 1 else ''} of {one.name} {'are' if bad > 1 else 'is'} no figure"
        for one, name in zip(columns, names, strict=True)
        if one.texts is None and (bad := _filled(frame[name]) - int(np.isfinite(one.values).sum())) > 0
    ][:6]
    if dialect.header is not None and dialect.header > 0:
        notes.append(f"{dialect.header} line{'s' if dialect.header > 1 else ''} above the names passed over")
    kind = f"text separated by {SEPARATOR_WORDS[dialect.separator]}"
    return Table(path.name.removesuffix(".gz").rpartition(".")[0] or path.stem, kind, columns, notes)


def _filled(series: pl.Series) -> int:
    return int((~series.str.strip_chars().str.to_lowercase().is_in(list(EMPTY))).sum())


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
    texts = series.str.strip_chars()
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
    found = [_WITH_UNIT.match(one) for one in filled]
    units = {known_unit(one[2] or "") for one in found if one is not None}
    if not filled or any(one is None for one in found) or len(units) != 1 or not (unit := units.pop()):
        return None
    numbers = texts.str.extract(r"^\s*([+-]?\d+(?:[.,]\d+)?)").str.replace(",", ".", literal=True)
    return numbers.cast(pl.Float64, strict=False).to_numpy().astype(np.float64), unit
