"""The exchange form of a ride log: CSV or Parquet with the channel names of ``docs/formats.md``."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import polars as pl

from crisp_hornet.core.evidence.channels import CHANNELS, Ride
from crisp_hornet.documents import wire
from crisp_hornet.rides.errors import RideError
from crisp_hornet.rides.registry import Loaded, reader

MAX_BYTES = 1 << 30
MAX_COLUMNS = 500


@reader(".csv")
def read_csv(path: Path) -> Loaded:
    """Read comma-separated values with a header row, decimal points, empty cells for missing values."""
    _check_size(path)
    header = _header(path)
    wanted = [name for name in header if name == "time_s" or name in CHANNELS]
    schema = dict.fromkeys(wanted, pl.Float64)
    try:
        frame = pl.read_csv(
            path, columns=wanted, schema_overrides=schema, null_values=[""], truncate_ragged_lines=False
        )
    except pl.exceptions.PolarsError as error:
        raise _located(path, wanted, error) from None
    except OSError as error:
        raise RideError(
            str(path), "", (error.strerror or "cannot be read").lower(), "Check that you may read it."
        ) from None
    return _to_ride(path, frame, [name for name in header if name not in wanted])


@reader(".parquet")
def read_parquet(path: Path) -> Loaded:
    """Read a Parquet file with the same columns."""
    _check_size(path)
    try:
        header = list(pl.read_parquet_schema(path))
        wanted = [name for name in header if name == "time_s" or name in CHANNELS]
        if len(header) > MAX_COLUMNS or "time_s" not in wanted:
            raise RideError(str(path), "columns", "no column time_s, or far too many", "Check the column names.")
        frame = pl.read_parquet(path, columns=wanted).cast(pl.Float64)
    except (pl.exceptions.PolarsError, OSError) as error:
        raise RideError(
            str(path), "", f"not a Parquet file we can read ({_first_line(error)})", "Export it again."
        ) from None
    return _to_ride(path, frame, [name for name in header if name not in wanted])


def write_parquet(ride: Ride, path: Path) -> None:
    """Write a ride atomically. Raises :class:`~crisp_hornet.documents.errors.DocumentError`."""
    frame = pl.DataFrame({"time_s": ride.time_s, **ride.channels}).fill_nan(None)
    buffer = io.BytesIO()
    frame.write_parquet(buffer)
    wire.write_bytes(path, buffer.getvalue())


def _check_size(path: Path) -> None:
    size = path.stat().st_size
    if size == 0:
        raise RideError(str(path), "", "the file is empty", "Choose another log.")
    if size > MAX_BYTES:
        raise RideError(str(path), "", f"larger than {MAX_BYTES >> 20} MiB", "Cut the log into single rides.")


def _header(path: Path) -> list[str]:
    try:
        with path.open("rb") as file:
            names = [name.strip().strip('"') for name in file.readline(1 << 16).decode("utf-8-sig").strip().split(",")]
    except UnicodeDecodeError:
        raise RideError(str(path), "line 1", "not UTF-8 text", "Save the log as UTF-8 CSV.") from None
    except OSError as error:
        raise RideError(
            str(path), "", (error.strerror or "cannot be read").lower(), "Check that you may read it."
        ) from None
    if len(names) > MAX_COLUMNS:
        raise RideError(str(path), "line 1", f"{len(names)} columns", f"A log has at most {MAX_COLUMNS}.")
    if twice := {name for name in names if names.count(name) > 1 and name}:
        raise RideError(str(path), "line 1", f"the column {sorted(twice)[0]!r} stands twice", "Take one of them out.")
    if "time_s" not in names:
        raise RideError(str(path), "line 1", "no column time_s", "The header row must name the channels, time_s first.")
    return names


def _located(path: Path, wanted: list[str], error: Exception) -> RideError:
    """Find the first cell that is no number, so that the message can name its line."""
    try:
        text = pl.read_csv(path, columns=wanted, infer_schema=False)
    except pl.exceptions.PolarsError:
        return RideError(str(path), "", f"not CSV we can read ({_first_line(error)})", "Export the log again.")
    for name in wanted:
        numbers = text[name].str.strip_chars().cast(pl.Float64, strict=False)
        bad = (text[name].is_not_null() & (text[name] != "") & numbers.is_null()).arg_true()
        if len(bad):
            row = int(bad[0])
            return RideError(
                str(path),
                f"line {row + 2}, {name}",
                f"{text[name][row][:40]!r} is not a number",
                "Mend or empty that cell.",
            )
    return RideError(str(path), "", f"not CSV we can read ({_first_line(error)})", "Export the log again.")


def _to_ride(path: Path, frame: pl.DataFrame, unknown: list[str]) -> Loaded:
    columns = {name: frame[name].to_numpy().astype(float) for name in frame.columns}
    time = columns.pop("time_s")
    latest = np.fmax.accumulate(np.concatenate(([-np.inf], time)))[:-1]
    good = np.isfinite(time) & (time > latest)
    if not good.any():
        raise RideError(str(path), "time_s", "holds no increasing times", "Check that column.")
    notes = []
    if dropped := int(np.sum(~good)):
        first = int(np.flatnonzero(~good)[0]) + 2
        notes.append(
            f"{dropped} of {len(time)} rows left out: no time, or time not after the row before (first: line {first})"
        )
    if unknown:
        notes.append(f"columns not known and left out: {', '.join(unknown[:8])}{' …' if len(unknown) > 8 else ''}")
    start = time[good][0]
    channels = {name: np.where(np.isinf(values[good]), np.nan, values[good]) for name, values in columns.items()}
    return Loaded(Ride(path.stem, time[good] - start, channels), notes)


def _first_line(error: Exception) -> str:
    return str(error).strip().splitlines()[0][:120] if str(error).strip() else type(error).__name__
