"""How often the intervals of a ride's estimates hold the truth, over many rides whose truth and sensors are hidden; 95 % are promised.

``python benchmarks/bench_truth.py 100`` takes so many rides of each scenario; the tests take fewer.
"""

from __future__ import annotations

import sys
from collections import defaultdict
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.evidence.hidden_rides import CASES
from tests.evidence.test_hidden_truth import USEFUL, inside, told_by

RIDES, FEW = 100, 20
LEAST, MOST = 0.90, 0.99  # an interval that always holds the truth is wider than it says


def one(asked: tuple[str, int]) -> tuple[str, dict[str, tuple[bool, bool, float]]]:
    """(known, inside, half an interval over the value) for each estimate of a ride."""
    name, seed = asked
    found = {}
    for what, (estimate, truth) in told_by(name, seed).items():
        share = estimate.half_width / abs(estimate.value) if estimate.known and estimate.value else np.nan
        found[what] = (estimate.known, bool(inside([(estimate, truth)])[0]), float(share))
    return name, found


def main() -> None:
    rides = int(sys.argv[1]) if len(sys.argv) > 1 else RIDES
    every: dict[tuple[str, str], list[tuple[bool, bool, float]]] = defaultdict(list)
    with ProcessPoolExecutor() as pool:
        for name, found in pool.map(one, [(name, seed) for name in CASES for seed in range(rides)], chunksize=5):
            for what, seen in found.items():
                every[name, what].append(seen)
    broken = []
    estimates = list(dict.fromkeys(what for _, what in every))
    for what in estimates:
        whole = [seen for (_, each), group in every.items() if each == what for seen in group if seen[0]]
        share = np.mean([seen[1] for seen in whole])
        print(f"{what:11} {100 * share:5.1f} % of {len(whole)} over all scenarios")
        if not LEAST <= share <= MOST:
            broken.append(what)
        for name in CASES:
            known = [seen for seen in every[name, what] if seen[0]]
            if len(known) >= FEW:
                held, width = np.mean([seen[1] for seen in known]), np.nanmedian([seen[2] for seen in known])
                print(f"    {name:22} {100 * held:5.1f} % of {len(known):4}, half as wide as {100 * width:.1f} %")
    for at, name in enumerate(("plain", "checked")):
        for what, widest in USEFUL.items():
            width = float(np.nanmedian([seen[2] for seen in every[name, what]]))
            if width > widest[at]:
                broken.append(f"{what} of {name}: {100 * width:.1f} %")
    if broken:
        print(f"BROKEN: {', '.join(broken)}")
        raise SystemExit(1)


if __name__ == "__main__":
    main()
