"""Parquet, and CSV of the exchange form: channel names as in ``docs/formats.md``."""

from __future__ import annotations

import io
import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import polars as pl

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.limits import MOST_TEXT, MOST_WORDS, check_file, check_shape, too_much
from crisp_hornet.rides.quantities import split_unit
from crisp_hornet.rides.registry import reader, writer
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table

STARTED = "crisp-hornet.started"
SECONDS = {"ns": 1e-9, "us": 1e-6, "ms": 1e-3}


def iso(seconds: float) -> str:
    """A moment (s since 1970) as ISO 8601."""
    return datetime.fromtimestamp(seconds, UTC).isoformat(timespec="milliseconds")


@reader(".parquet")
def read_parquet(path: Path) -> Table:
    """Read a Parquet file. Raises :class:`RideError`."""
    check_file(path)
    try:
        with panics_unsaid():
            return _read(path)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError) as error:
        why = str(error).strip().splitlines()[0][:120] if str(error).strip() else type(error).__name__
        raise RideError(str(path), "", f"not a Parquet file we can read ({why})", "Export it again.") from None


@contextmanager
def panics_unsaid() -> Iterator[None]:
    """A parser that breaks on a damaged file writes pages about itself to standard error before it raises; the error says enough."""
    if sys.stderr is not None:
        sys.stderr.flush()
    try:
        kept = os.dup(2)
    except OSError:  # there is none
        yield
        return
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 2)
    try:
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)


def _read(path: Path) -> Table:
    lazy = pl.scan_parquet(path)
    header = lazy.collect_schema()
    if len(header) > MOST_COLUMNS:
        raise RideError(str(path), "columns", "far too many", f"A log has at most {MOST_COLUMNS}.")
    rows = int(lazy.select(pl.len()).collect().item())
    usable = [name for name, kind in header.items() if not kind.is_nested() and kind not in (pl.Binary, pl.Object)]
    check_shape(path, rows, len(usable))
    words = [
        name
        for name in usable
        if not (header[name].is_numeric() or header[name].is_temporal() or header[name] == pl.Boolean)
    ]
    if rows * len(words) > MOST_WORDS:
        raise too_much(path, "words")
    frame = lazy.select(usable).collect()
    return Table(path.stem, "Parquet", [_column(path, frame[name]) for name in frame.columns], started=started_s(path))


def started_s(path: Path) -> float | None:
    """The moment the ride began (s since 1970), where the file says so."""
    told = pl.read_parquet_metadata(path).get(STARTED)
    try:
        return datetime.fromisoformat(told).timestamp() if told else None
    except (ValueError, OverflowError):
        return None


def _column(path: Path, series: pl.Series) -> Column:
    name, unit = split_unit(series.name)
    kind = series.dtype
    if kind in (pl.Duration, pl.Time):
        return Column(
            name, "s", series.cast(pl.Int64).cast(pl.Float64).to_numpy() * SECONDS[getattr(kind, "time_unit", "ns")]
        )
    if kind.is_temporal():
        stamps = series.cast(pl.Datetime("us"), strict=False).cast(pl.Int64).cast(pl.Float64).to_numpy() / 1e6
        return Column(name, "s", stamps)
    if not (kind.is_numeric() or kind in (pl.Boolean, pl.Null)):
        series = series.cast(pl.String)
        if int(series.str.len_bytes().sum() or 0) > MOST_TEXT:
            raise too_much(path, "words")
        texts = [one or "" for one in series.to_list()]
        return Column(name, unit, series.cast(pl.Float64, strict=False).to_numpy().astype(np.float64), texts)
    return Column(name, unit, series.cast(pl.Float64, strict=False).to_numpy().astype(np.float64), header=series.name)


@writer(".parquet")
def write_parquet(ride: Ride, path: Path) -> None:
    """Write a ride atomically. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    buffer = io.BytesIO()
    _frame(ride).write_parquet(buffer, metadata={} if ride.started_s is None else {STARTED: iso(ride.started_s)})
    wire.write_bytes(path, buffer.getvalue())


@writer(".csv")
def write_csv(ride: Ride, path: Path) -> None:
    """Write a ride in the exchange form, figures exact. There are no words in it that a spreadsheet could take for formulas."""
    buffer = io.BytesIO()
    _frame(ride).write_csv(buffer)
    wire.write_bytes(path, buffer.getvalue())


def _frame(ride: Ride) -> pl.DataFrame:
    return pl.DataFrame({"time_s": ride.time_s, **ride.channels}).fill_nan(None)
