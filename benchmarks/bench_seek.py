"""Random asks against every setting of a grid, and how long an answer takes against trying them all.

``python benchmarks/bench_seek.py 100`` takes so many asks; the tests take few.
"""

from __future__ import annotations

import sys
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.core.brute_asks import a_random_ask, by_force, judged

from crisp_hornet.core.goal.seek import Seeker

ASKS, LEAST_IMPOSSIBLE, TIMED = 100, 15, 12


def main() -> None:
    asks = int(sys.argv[1]) if len(sys.argv) > 1 else ASKS
    with ProcessPoolExecutor() as pool:
        found = list(pool.map(judged, range(asks)))
    broken = [f"seed {seed}: {', '.join(one.faults)}" for seed, one in enumerate(found) if one.faults]
    impossible = sum(one.best is None and not one.answer.found for one in found)
    better = [one.answer.strain / one.best for one in found if one.answer.found and one.best]
    print(
        f"{asks} asks, {impossible} impossible; strain {np.median(better):.3f} of the grid's best in the middle, {max(better):.3f} at most"
    )
    ratios = []
    for seed in range(TIMED):
        bike, tune, goals = a_random_ask(seed)
        start = time.perf_counter()
        Seeker(bike, tune, goals).answer()
        middle = time.perf_counter()
        by_force(bike, tune, goals, (257, 33, 13)[len(goals.free) - 1])
        ratios.append((time.perf_counter() - middle) / (middle - start))
    print(f"trying the grid takes {np.median(ratios):.1f} times as long in the middle, {max(ratios):.0f} at most")
    if broken or (asks >= ASKS and impossible < LEAST_IMPOSSIBLE):
        print("BROKEN: " + "; ".join(broken or ["too few impossible asks"]))
        sys.exit(1)


if __name__ == "__main__":
    main()
