"""How often the intervals of a ride's estimates hold the truth, over many rides whose truth is known; 95 % are promised.

``python benchmarks/bench_truth.py 400`` takes so many rides; the tests take fewer.
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parents[1]))

from tests.evidence.test_truth import WIDEST, truths

RIDES = 100
LEAST, MOST = 0.90, 0.995  # an interval that always holds the truth is wider than it says


def main() -> None:
    rides = int(sys.argv[1]) if len(sys.argv) > 1 else RIDES
    told, broken = truths(range(rides)), []
    for name in WIDEST:
        known = [(one, truth) for one, truth in told[name] if one.known]
        inside = np.mean([one.low <= truth <= one.high for one, truth in known])
        width = np.median([one.half_width / one.value for one, _ in known])
        print(
            f"{name:12} {100 * inside:5.1f} % of {len(known)} held the truth, half as wide as {100 * width:.2f} % of it"
        )
        if not LEAST <= inside <= MOST or width > WIDEST[name] or len(known) < 0.95 * rides:
            broken.append(name)
    if broken:
        print(f"BROKEN: {', '.join(broken)}")
        raise SystemExit(1)


if __name__ == "__main__":
    main()
