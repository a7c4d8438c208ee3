"""All rides asked together, at three sizes: how the time grows, and what it is against a bare read of the same columns.

Rides of an hour at ten rows a second are made once and linked under other names: files of a garage are many, whatever is in them.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import numpy as np
import polars as pl

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.rides.exchange import write_parquet
from crisp_hornet.rides.summaries import summaries

SIZES = (100, 300, 900)
ROWS, MADE, GROWTH, AGAINST = 36_000, 10, 1.15, 6.0
READ = ("time_s", "wheel_speed_kmh", "pack_v", "battery_a", "motor_c", "controller_c", "fault")


def made(folder: Path) -> list[Path]:
    rng = np.random.default_rng(1)
    paths = []
    for at in range(MADE):
        time_s = np.arange(ROWS) / 10
        channels = {
            name: rng.normal(40, 5, ROWS)
            for name in (*READ[1:-1], "lat_deg", "lon_deg", "throttle", "phase_a", "cadence_rpm")
        }
        paths.append(folder / f"made-{at}.parquet")
        write_parquet(Ride("r", time_s, channels | {"fault": np.zeros(ROWS)}), paths[-1])
    return paths


def main() -> int:
    with tempfile.TemporaryDirectory() as folder:
        originals = made(Path(folder))
        taken = {}
        for size in SIZES:
            files = [Path(folder) / f"{size}-{at}.parquet" for at in range(size)]
            for at, file in enumerate(files):
                file.hardlink_to(originals[at % MADE])
            begin = time.perf_counter()
            found = sum(summary is not None for _, summary in summaries(files))
            taken[size] = time.perf_counter() - begin
            assert found == size
            print(
                f"{size} rides, {size * ROWS / 1e6:.1f} million rows: {taken[size]:.2f} s, {1000 * taken[size] / size:.1f} ms a ride"
            )
        begin = time.perf_counter()
        for file in files[:100]:
            pl.read_parquet(file, columns=list(READ))
        bare = (time.perf_counter() - begin) / 100
    small, large = taken[SIZES[0]] / SIZES[0], taken[SIZES[-1]] / SIZES[-1]
    growth, against = large / small, large / bare
    print(f"a ride among {SIZES[-1]} takes {growth:.2f} times one among {SIZES[0]} (target {GROWTH})")
    print(f"10,000 rides take {10_000 * large:.0f} s the first time, by that")
    print(f"{against:.1f} times a bare read of the same columns (target {AGAINST})")
    return 0 if growth <= GROWTH and against <= AGAINST else 1


if __name__ == "__main__":
    raise SystemExit(main())
