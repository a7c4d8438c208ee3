"""Files that mean no good, at length: more than a hundred thousand spoilt files of every kind. Each is read or refused in a line, in ten
seconds and a thousand million bytes. ``python benchmarks/bench_hostile.py FROM COUNT`` takes a part of them."""

from __future__ import annotations

import sys
import tempfile
import time
import warnings
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))

from benchmarks.hostile import garage_in, strike

COUNT = 108_000


def main() -> None:
    first, count = (int(one) for one in sys.argv[1:3]) if len(sys.argv) > 2 else (0, COUNT)
    warnings.simplefilter("ignore")
    begin, told, broken, slowest = time.perf_counter(), Counter[str](), [], 0.0
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        garage = garage_in(folder)
        for seed in range(first, first + count):
            one = strike(seed, folder, garage)
            told[one.ended] += 1
            slowest = max(slowest, one.seconds)
            if one.broken:
                broken.append(one)
                print(f"BROKEN: {one}")
        garage.close()
    ended = ", ".join(f"{number} {what}" for what, number in sorted(told.items()))
    print(
        f"{count} spoilt files: {ended}; {len(broken)} broken promises; slowest {slowest:.1f} s; {time.perf_counter() - begin:.0f} s"
    )
    if broken:
        raise SystemExit(1)


if __name__ == "__main__":
    main()
