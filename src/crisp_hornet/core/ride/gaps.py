"""What is a gap in a log, and what only its own slow pace: judged by the log's own interval."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array

LEAST_S, MOST_S = 2.0, 60.0
TIMES_USUAL, TIMES_MOST = 4.0, 1.5
ENOUGH = 20_000  # rows that tell the pace of a log
SPARSE_S = 20.0  # rows farther apart than this tell nothing of what lay between


def usual_step_s(time_s: Array) -> float:
    """The log's own interval (s): the median of its steps; 0 without any."""
    steps = np.diff(time_s[:ENOUGH])
    return float(np.median(steps)) if steps.size else 0.0


def longest_step_s(time_s: Array) -> float:
    """The longest step (s) between two rows that is still the log's pace: 2 s, or more where it writes a row only so often, at an even
    interval or, like a watch that leaves out what is alike, at an uneven one."""
    steps = np.diff(time_s[:ENOUGH])
    if not steps.size:
        return LEAST_S
    pace = max(TIMES_USUAL * float(np.median(steps)), TIMES_MOST * float(np.quantile(steps, 0.9)))
    return float(np.clip(pace, LEAST_S, MOST_S))
