"""What rides come to, by files, thousands at a time: read lazily, only the columns that are asked for, nothing of where they went.

Each file is one lazy query of aggregates; many are collected together, so that only their results are held.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path

import polars as pl

from crisp_hornet.core.fleet.asked import Summary
from crisp_hornet.rides.exchange import panics_unsaid, started_s

AT_ONCE, LONGEST_GAP_S, LEAST_STEP_A, LEAST_STEPS, MOST_STEP_S = 64, 10.0, 3.0, 20, 2.0
MOST_FAULTS = 32
BROKEN = (pl.exceptions.PolarsError, pl.exceptions.PanicException, OSError)


def summaries(
    files: Sequence[Path], tick: Callable[[float], bool] | None = None
) -> Iterator[tuple[Path, Summary | None]]:
    """The summary of each file, None of one that is gone, damaged or no ride. ``tick`` hears how far it is (0 to 1); where it says not to
    go on, that was all."""
    for start in range(0, len(files), AT_ONCE):
        if tick is not None and not tick(start / len(files)):
            return
        part = files[start : start + AT_ONCE]
        yield from zip(part, _collected(part), strict=True)


def _collected(files: Sequence[Path]) -> list[Summary | None]:
    """Of some files at once; where one of them fails, one by one."""
    asked = [_query(file) for file in files]
    there = [one for one, _ in asked if one is not None]
    try:
        with panics_unsaid():
            frames = iter(pl.collect_all(there))
        return [_read(next(frames), when_s) if one is not None else None for one, when_s in asked]
    except BROKEN:
        return [_alone(one, when_s) for one, when_s in asked]


def _alone(query: pl.LazyFrame | None, when_s: float | None) -> Summary | None:
    try:
        with panics_unsaid():
            return _read(query.collect(), when_s) if query is not None else None
    except BROKEN:
        return None


def _query(file: Path) -> tuple[pl.LazyFrame | None, float | None]:
    """The aggregates of a file and when it was ridden; None where it cannot be looked into."""
    try:
        with panics_unsaid():
            lazy = pl.scan_parquet(file)
            return _aggregates(lazy, lazy.collect_schema()), started_s(file)
    except BROKEN:
        return None, None


def _aggregates(lazy: pl.LazyFrame, kinds: Mapping[str, pl.DataType]) -> pl.LazyFrame | None:
    """As far as it has the columns; None where it is no ride."""
    known = {name for name, kind in kinds.items() if kind.is_numeric()}
    if "time_s" not in known:
        return None
    step_s = pl.col("time_s").diff()
    dt = pl.when((step_s > 0) & (step_s <= LONGEST_GAP_S)).then(step_s).otherwise(0.0)
    asked = [dt.sum().alias("seconds")]
    speed = next((name for name in ("wheel_speed_kmh", "gps_speed_kmh") if name in known), None)
    if speed is not None:
        asked.append((_middle(_figures(speed).abs()) * dt).sum().alias("km") / 3600)
    if {"pack_v", "battery_a"} <= known:
        asked.append((_middle(_figures("pack_v") * _figures("battery_a")) * dt).sum().alias("wh") / 3600)
        volts, amps = _figures("pack_v").diff(), _figures("battery_a").diff()
        steps = (amps.abs() >= LEAST_STEP_A) & (step_s > 0) & (step_s <= MOST_STEP_S) & volts.is_finite()
        asked += [
            (volts * amps).filter(steps).sum().alias("vi"),
            (amps * amps).filter(steps).sum().alias("ii"),
            steps.sum().alias("steps"),
        ]
    asked += [
        getattr(_figures(channel), how)().alias(name)
        for channel, how, name in (
            ("pack_v", "min", "lowest_v"), ("motor_c", "max", "hottest_motor_c"), ("controller_c", "max", "hottest_controller_c"),
        )
        if channel in known
    ]  # fmt: skip
    if "fault" in known:
        codes = pl.col("fault").filter(_figures("fault") >= 1).cast(pl.Int64, strict=False).drop_nulls().unique().sort()
        asked.append(codes.head(MOST_FAULTS).implode().alias("faults"))
    return lazy.select(asked)


def _figures(channel: str) -> pl.Expr:
    """A channel's readings; what is none counts as missing."""
    one = pl.col(channel).cast(pl.Float64, strict=False)
    return pl.when(one.is_finite()).then(one)


def _middle(value: pl.Expr) -> pl.Expr:
    """Between each reading and the one before."""
    return (value + value.shift()) / 2


def _read(frame: pl.DataFrame, when_s: float | None) -> Summary:
    row = frame.row(0, named=True)
    slope = -row["vi"] / row["ii"] if row.get("ii") and row["steps"] >= LEAST_STEPS else None
    return Summary(
        seconds=float(row["seconds"] or 0.0),
        km=row.get("km"),
        wh=row.get("wh"),
        step_ohm=slope if slope is not None and slope > 0 else None,
        lowest_v=row.get("lowest_v"),
        hottest_motor_c=row.get("hottest_motor_c"),
        hottest_controller_c=row.get("hottest_controller_c"),
        started_s=when_s,
        faults=tuple(row.get("faults") or ()),
    )
