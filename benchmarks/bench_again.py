"""How near a logged ride on another tune comes to the truth, and how often its band holds it, over pairs of rides whose truth is hidden.

``python benchmarks/bench_again.py 60`` takes so many pairs (those that end on their way are skipped); the tests take few.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.core.ridden_twice import CLOSE, compared

PAIRS = 60
CLOSE_SHARE, LEAST, MOST = 0.90, 0.90, 0.99


def main() -> None:
    pairs = int(sys.argv[1]) if len(sys.argv) > 1 else PAIRS
    with ProcessPoolExecutor() as pool:
        found = [told for told in pool.map(compared, range(pairs)) if told]
    broken = []
    for name, (share, plain) in CLOSE.items():
        close, inside, pulls = (np.array([told[name][at] for told in found], dtype=float) for at in range(3))
        within = f"{100 * share:.0f} %" if share else f"{plain:.0f} K"
        print(
            f"{name:10} within {within} of the truth: {100 * close.mean():.1f} %; band holds it: {100 * inside.mean():.1f} %"
            f" of {len(found)}; off by {pulls.std():.2f} of half a band"
        )
        if close.mean() < CLOSE_SHARE or not LEAST <= inside.mean() <= MOST:
            broken.append(name)
    if broken:
        print(f"BROKEN: {', '.join(broken)}")
        sys.exit(1)


if __name__ == "__main__":
    main()
