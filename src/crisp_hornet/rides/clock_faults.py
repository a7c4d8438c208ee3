"""Times that do not go on as time does: counters that run over, clocks that were set in the middle of a ride, rows written twice.

What follows such a place is moved so that the times go on; the steps within are never changed. Single rows out of order are not meant here.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crisp_hornet.core.arrays import Array

# after which a counter or clock starts anew: 16, 24 and 32 bits of micro-, milli- or whole seconds; a minute, an hour, half a day, a day
PERIODS_S = (60.0, 2**16 / 1e3, 2**24 / 1e6, 3600.0, 2**32 / 1e6, 2**24 / 1e3, 43200.0, 65536.0, 86400.0, 2**32 / 1e3)
FAR_S = 30 * 86400.0  # nobody pauses a ride so long: the clock was set
MOST_FAULTS = 10_000  # more are no clock's
SETTLED_ROWS = 5  # as long as this the times stay behind: fewer are rows out of order


def steadied(seconds: Array, contents: list[Array]) -> tuple[Array, list[str]]:
    """(seconds (n,), what was found) where times fall back and stay behind, or leap by months.

    ``contents`` are the other columns (n,) each: rows that repeat earlier ones in time and contents lose their time (NaN) instead.
    """
    at = np.flatnonzero(np.isfinite(seconds))
    values = seconds[at]
    steps = np.diff(values)
    if not np.any(steps > 0):
        return seconds, []
    usual = float(np.median(steps[steps > 0]))
    faults = np.flatnonzero((steps < -SETTLED_ROWS * usual) | (steps > FAR_S))
    if not 0 < faults.size <= MOST_FAULTS:
        return seconds, []
    again = _repeats(values, [content[at] for content in contents])
    twice, moved, notes = np.zeros(len(values), bool), np.zeros(len(values)), []
    total = 0.0
    for fault, until in zip(faults.tolist(), [*faults[1:].tolist(), len(values) - 1], strict=True):
        stretch = values[fault + 1 : until + 1]
        behind = slice(fault + 1, fault + 1 + int(np.argmax(np.append(stretch > values[fault], True))))
        step, period = float(steps[fault]), _period(-float(steps[fault]), usual)
        if behind.stop > behind.start and again[behind].mean() > 0.8:
            twice[behind] = again[behind]
        elif (
            step > 0 or behind.stop - behind.start >= SETTLED_ROWS or (period is not None and until == len(values) - 1)
        ):
            moved[fault + 1] = period if period is not None else usual - step
            notes.append(_said(step, period, float(values[fault] - values[0]) + total))
            total += moved[fault + 1]
    steady = seconds.copy()
    steady[at] = np.where(twice, np.nan, values + np.cumsum(moved))
    if len(notes) > 3:
        notes = [*notes[:2], f"and so {len(notes) - 2} times more"]
    return steady, [*notes, f"{twice.sum()} rows written twice left out"] if twice.any() else notes


def _period(fall: float, usual: float) -> float | None:
    """The period after which a counter that fell so far starts anew; None where none fits."""
    fitting = [one for one in PERIODS_S if 0 < one - fall <= 3 * usual]
    return min(fitting, key=lambda one: one - fall, default=None)


def _repeats(values: Array, contents: list[Array]) -> NDArray[np.bool_]:
    """Which rows have the time and the contents of one before them."""
    order = np.argsort(values, kind="stable")
    one, other = order[1:], order[:-1]
    same = values[one] == values[other] if contents else np.zeros(len(one), bool)
    for column in contents:
        same &= (column[one] == column[other]) | (np.isnan(column[one]) & np.isnan(column[other]))
    found = np.zeros(len(values), bool)
    found[one] = same
    return found


def _said(step: float, period: float | None, at_s: float) -> str:
    where = f"{at_s / 60:.1f} min after the start"
    if period is not None:
        return f"the clock starts anew every {period:g} s, so {where}: what follows goes on"
    way = "set forward" if step > 0 else "set back"
    by = f"{abs(step) / 86400:.0f} days" if abs(step) > 86400 else f"{abs(step):.0f} s"
    return f"the clock was {way} by {by} {where}: what follows is moved to go on"
