"""A million rows and twenty channels: judged once loaded, and the whole command, against a bare polars read of the same file."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import polars as pl

from bench_rides import write
from crisp_hornet.core.drive.pull import pull_curve
from crisp_hornet.core.evidence.judging import judge
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.demo import FACTORY, HERON
from crisp_hornet.documents.store import read_bike, read_tune
from crisp_hornet.rides.registry import read_ride

TIMES = 7
CLI = "import sys; from crisp_hornet import cli; sys.exit(cli.main(sys.argv[1:]))"


def main() -> None:
    bike, tune = read_bike(HERON), read_tune(FACTORY)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "long.csv"
        write(path)
        ride = read_ride(path).ride
        curve = pull_curve(bike, tune, np.linspace(0, 60, 241), conditions_at_start(ride, bike))
        bare, judged = [], []
        for _ in range(TIMES):  # in turns: the machine is not always equally fast
            bare.append(timed(lambda: pl.read_csv(path)))
            judged.append(timed(lambda: judge(ride, bike, tune, curve)))
        ratio = float(np.median(np.array(judged) / np.array(bare)))
        print(f"bare polars read {min(bare):.2f} s, judged {min(judged):.2f} s: {ratio:.2f} x bare (target 1)")
        plain = [sys.executable, "-c", f"import polars; polars.read_csv({str(path)!r})"]
        command = [
            sys.executable,
            "-c",
            CLI,
            "verdict",
            "--bike",
            str(HERON),
            "--tune",
            str(FACTORY),
            "--ride",
            str(path),
        ]
        both = [(timed(lambda: run(plain)), timed(lambda: run(command))) for _ in range(3)]
        ratio = float(np.median([whole / bare for bare, whole in both]))
        print(f"whole command {both[0][1]:.1f} s, a python that reads it {both[0][0]:.1f} s: {ratio:.2f} x (target 3)")


def run(command: list[str]) -> None:
    subprocess.run(command, check=True, capture_output=True)


def timed(work) -> float:
    begin = time.perf_counter()
    work()
    return time.perf_counter() - begin


if __name__ == "__main__":
    main()
