"""A million rows and twenty channels: read, shown, panned, against a bare polars read of the same file."""

from __future__ import annotations

import os
import resource
import tempfile
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import polars as pl

from crisp_hornet.core.ride.channels import CHANNELS

ROWS, FRAME_TARGET_MS = 1_000_000, 16.0


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.csv"
        write(path)
        pl.read_csv(path)  # once, so that both find the file in memory
        bare = best(lambda: pl.read_csv(path))
        print(f"bare polars read {bare:.2f} s")
        shown(path, bare)


def write(path: Path) -> None:
    rng = np.random.default_rng(1)
    time_s = np.arange(ROWS) * 0.05
    columns = {"time_s": time_s}
    for at, name in enumerate(CHANNELS):
        columns[name] = np.round(20 + 15 * np.sin(time_s / (40 + 13 * at)) + rng.normal(0, 0.3, ROWS), 3)
    pl.DataFrame(columns).write_csv(path)


def best(work) -> float:
    took = []
    for _ in range(3):
        begin = time.perf_counter()
        work()
        took.append(time.perf_counter() - begin)
    return min(took)


def shown(path: Path, bare: float) -> None:
    from crisp_hornet.bench.app import make_application
    from crisp_hornet.bench.theme import LIGHT
    from crisp_hornet.bench.widgets.traces import Traces
    from crisp_hornet.core.ride.cleaning import flaws
    from crisp_hornet.rides.registry import read_ride

    app = make_application()
    traces = Traces(LIGHT)
    traces.resize(900, 560)
    traces.show()
    app.processEvents()
    read_ride(path)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss

    def open_and_show() -> None:
        ride = read_ride(path).ride
        traces.show_ride(ride)
        app.processEvents()

    begin = time.perf_counter()
    ride = read_ride(path).ride
    read = time.perf_counter() - begin
    begin = time.perf_counter()
    open_and_show()  # the plots are made with the first ride, and kept for the next
    first = time.perf_counter() - begin
    whole = best(open_and_show)
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    found = best(lambda: flaws(ride))
    columns_mib = 8 * ROWS * (len(CHANNELS) + 1) / 2**20
    print(
        f"read {read:.2f} s, read and shown {whole:.2f} s: {whole / bare:.2f} x bare (target 2), the first time {first / bare:.2f} x"
    )
    print(f"looked through for flaws {found:.2f} s")
    print(f"peak memory {peak / 1024:.0f} MiB (before {before / 1024:.0f}); columns alone {columns_mib:.0f} MiB")
    plot, last, frames = traces._plots[0], float(ride.time_s[-1]), []
    for step in range(120):
        width = last * (0.02 if step < 60 else 0.5 ** (step - 60 if step < 72 else 12))
        begin = time.perf_counter()
        plot.setXRange(last * step / 150, min(last * step / 150 + width, last), padding=0)
        app.processEvents()
        frames.append(1000 * (time.perf_counter() - begin))
    p95 = float(np.percentile(frames, 95))
    print(
        f"pan and zoom: median {np.median(frames):.1f} ms, p95 {p95:.1f} ms; median/target {np.median(frames) / FRAME_TARGET_MS:.2f}"
    )


if __name__ == "__main__":
    main()
