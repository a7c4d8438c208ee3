"""Every job of practice with many seeds: it shows, its cure solves it, none of its wrong cures does. Prints a line a job and what it took.

python -m benchmarks.bench_practice 5
"""

from __future__ import annotations

import sys
import time

from tests.practice.trying import Try

from crisp_hornet.practice.jobs import shipped
from crisp_hornet.practice.judging import Outcome, judge
from crisp_hornet.practice.readers import holds


def main(seeds: int) -> int:
    """The number of seeds with which something was not so."""
    bad = 0
    for file in shipped():
        began_s, failed = time.perf_counter(), []
        for seed in range(1, seeds + 1):
            one = Try(file.job, seed)
            untouched = one.untouched()
            if not all(holds(untouched, check) for check in file.job.shows):
                failed.append(f"seed {seed} does not show")
            if (found := judge(one.after(file.job.cure))).outcome is not Outcome.SOLVED:
                failed.append(f"seed {seed} is not cured: {found.lines}")
            for wrong in file.job.wrong:
                tried = one.after(wrong.steps)
                if judge(tried).outcome in (Outcome.SOLVED, Outcome.FLAWED):
                    failed.append(f"seed {seed} is cured by: {wrong.says}")
                if not all(holds(tried, check) for check in wrong.then):
                    failed.append(f"seed {seed}: not so after: {wrong.says}")
        bad += len(failed)
        print(
            f"{file.title}: {seeds} seeds, {time.perf_counter() - began_s:.1f} s {'; '.join(failed) or 'fine'}",
            flush=True,
        )
    return bad


if __name__ == "__main__":
    sys.exit(min(main(int(sys.argv[1]) if len(sys.argv) > 1 else 3), 1))
