"""The fault campaign at length: 540 seeded sends, each under one trouble; what it promises must hold after every one."""

from __future__ import annotations

import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.link.campaign import run_seed
from tests.link.inprocess import Threaded

SEEDS = 540


def main() -> None:
    threaded, begin = Threaded(), time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        told = [run_seed(seed, threaded, Path(folder)) for seed in range(1000, 1000 + SEEDS)]
    threaded.close()
    for (trouble, outcome), count in sorted(Counter((one.trouble, one.outcome) for one in told).items()):
        print(f"{trouble:15s} {outcome:12s} {count:4d}")
    broken = [one for one in told if one.broken]
    for one in broken:
        print(f"BROKEN: seed {one.seed}, {one.trouble}, {one.outcome}: {one.broken}")
    print(f"{SEEDS} seeds, {len(broken)} broken promises, {time.perf_counter() - begin:.0f} s")
    if broken:
        raise SystemExit(1)


if __name__ == "__main__":
    main()
