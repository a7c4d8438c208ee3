"""Parquet, and CSV of the exchange form: channel names as in ``docs/formats.md``."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import polars as pl

from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.quantities import split_unit
from crisp_hornet.rides.registry import reader, writer
from crisp_hornet.rides.separated import MOST_BYTES
from crisp_hornet.rides.table import MOST_COLUMNS, Column, Table


@reader(".parquet")
def read_parquet(path: Path) -> Table:
    """Read a Parquet file. Raises :class:`RideError`."""
    if path.stat().st_size > MOST_BYTES:
        raise RideError(str(path), "", f"larger than {MOST_BYTES >> 20} MiB", "Cut the log into single rides.")
    try:
        header = pl.read_parquet_schema(path)
        if len(header) > MOST_COLUMNS:
            raise RideError(str(path), "columns", "far too many", f"A log has at most {MOST_COLUMNS}.")
        frame = pl.read_parquet(path, columns=[name for name, kind in header.items() if not kind.is_nested()])
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError) as error:
        why = str(error).strip().splitlines()[0][:120] if str(error).strip() else type(error).__name__
        raise RideError(str(path), "", f"not a Parquet file we can read ({why})", "Export it again.") from None
    return Table(path.stem, "Parquet", [_column(frame[name]) for name in frame.columns])


def _column(series: pl.Series) -> Column:
    name, unit = split_unit(series.name)
    if series.dtype.is_temporal():
        stamps = series.cast(pl.Datetime("us"), strict=False).cast(pl.Int64).cast(pl.Float64).to_numpy() / 1e6
        return Column(name, "s", stamps)
    if series.dtype == pl.String:
        texts = [one or "" for one in series.to_list()]
        return Column(name, unit, series.cast(pl.Float64, strict=False).to_numpy().astype(np.float64), texts)
    return Column(name, unit, series.cast(pl.Float64, strict=False).to_numpy().astype(np.float64), header=series.name)


@writer(".parquet")
def write_parquet(ride: Ride, path: Path) -> None:
    """Write a ride atomically. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    buffer = io.BytesIO()
    _frame(ride).write_parquet(buffer)
    wire.write_bytes(path, buffer.getvalue())


@writer(".csv")
def write_csv(ride: Ride, path: Path) -> None:
    """Write a ride in the exchange form, figures exact. There are no words in it that a spreadsheet could take for formulas."""
    buffer = io.BytesIO()
    _frame(ride).write_csv(buffer)
    wire.write_bytes(path, buffer.getvalue())


def _frame(ride: Ride) -> pl.DataFrame:
    return pl.DataFrame({"time_s": ride.time_s, **ride.channels}).fill_nan(None)
