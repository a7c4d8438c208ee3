"""The campaigns at length: sends under line faults against the simulated controller, misbehaving controllers in virtual time, and kills of
the garage. What is promised must hold after every one. ``python benchmarks/bench_campaign.py 3`` makes them three times as long."""

from __future__ import annotations

import random
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.bikes import a_bike
from tests.garage.test_survival import WRITER
from tests.link.campaign import run_seed
from tests.link.inprocess import Threaded
from tests.link.liars import run_liar

from crisp_hornet.documents.maps import shipped_map
from crisp_hornet.garage.garage import Garage

SEEDS, LIARS, KILLS = 540, 1200, 100
KINDS = {
    "Weir 60": 1.0,
    "Culvert 50": 0.34,
    "Penstock 120": 0.34,
}  # of the seeds, for a controller of each kind of line


def main() -> None:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 1
    broken = line_faults(SEEDS * times) + liars(LIARS * times) + kills(KILLS * times)
    for one in broken:
        print(f"BROKEN: {one}")
    if broken:
        raise SystemExit(1)


def line_faults(seeds: int) -> list[str]:
    threaded, broken = Threaded(), []
    for name, share in KINDS.items():
        begin = time.perf_counter()
        with tempfile.TemporaryDirectory() as folder:
            run = range(1000, 1000 + round(share * seeds))
            told = [run_seed(seed, threaded, Path(folder), shipped_map(name)) for seed in run]
        broken += tally(f"sends under line faults, {name}", told, begin)
    threaded.close()
    return broken


def liars(seeds: int) -> list[str]:
    broken = []
    for name, share in KINDS.items():
        begin, told = time.perf_counter(), []
        with tempfile.TemporaryDirectory() as folder:
            for seed in range(10_000, 10_000 + round(share * seeds)):
                with pytest.MonkeyPatch.context() as patch:
                    told.append(run_liar(seed, patch, Path(folder), shipped_map(name)))
        broken += tally(f"misbehaving controllers, {name}", told, begin)
    return broken


def tally(what: str, told: list, begin: float) -> list[str]:
    print(f"== {what}")
    for (trouble, outcome), count in sorted(Counter((one.trouble, one.outcome) for one in told).items()):
        print(f"{trouble:20s} {outcome:14s} {count:4d}")
    broken = [str(one) for one in told if one.broken]
    print(f"{len(told)} {what}, {len(broken)} broken promises, {time.perf_counter() - begin:.0f} s")
    return broken


def kills(count: int) -> list[str]:
    """A process that writes into a garage is killed at a random instant: it opens, with all that was said to be kept."""
    rng, broken, begin = random.Random(1), [], time.perf_counter()
    for attempt in range(count):
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder) / "garage"
            with subprocess.Popen(
                [sys.executable, "-c", WRITER, str(place)], stdout=subprocess.PIPE, text=True
            ) as process:
                assert process.stdout is not None
                process.stdout.readline()
                lines = [process.stdout.readline() for _ in range(rng.randrange(1, 30))]
                process.send_signal(signal.SIGKILL)
            garage = Garage(place)
            found = garage.glance.last_bike()
            titles = {entry.title for entry in garage.book.of(found[0])} if found else set()
            if found is None or found[1] != a_bike() or not {f"line {int(line)}" for line in lines} <= titles:
                broken.append(f"kill {attempt}: something that was said to be kept is gone")
            garage.close()
    print(f"{count} kills of a writing garage, {len(broken)} broken promises, {time.perf_counter() - begin:.0f} s")
    return broken


if __name__ == "__main__":
    main()
