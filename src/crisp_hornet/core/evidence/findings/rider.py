"""The rider: assist levels that are alike, late or too strong, a torque sensor that never rests."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding, tells
from crisp_hornet.core.evidence.findings.suggestion import lowered, raised
from crisp_hornet.core.ride.even import STEP_S
from crisp_hornet.documents.saying import quantity

ALIKE, LATE_S, STRONG_MPS2, RESTS_NM = 0.1, 0.6, 1.8, 2.5


@finding
def levels_alike(e: Evidence) -> Finding | None:
    """Two neighbouring levels that nobody can tell apart."""
    seen = [level for level in e.verdict.levels if level.watts_per_watt.known and level.level > 0]
    for low, high in pairwise(seen):
        a, b = low.watts_per_watt, high.watts_per_watt
        if high.level == low.level + 1 and abs(b.value / max(a.value, 1e-9) - 1) < ALIKE:
            return tells(
                "levels-alike",
                level=low.level,
                level_2=high.level,
                value=quantity(a.value, "", ".1f"),
                value_2=quantity(b.value, "", ".1f"),
            )
    return None


@finding
def assist_late(e: Evidence) -> Finding | None:
    """The motor comes late after the first stroke."""
    late = [one for one in e.verdict.levels if one.delay_s.known and one.delay_s.low > LATE_S]
    if not late:
        return None
    one = max(late, key=lambda level: level.delay_s.value)
    sooner = max(0.0, round(e.tune.assist.start_deg * LATE_S / one.delay_s.value))
    return tells(
        "assist-late",
        level=one.level,
        value=quantity(one.delay_s.value, "s", ".1f"),
        low=quantity(one.delay_s.low, "s", ".1f", bare=True),
        high=quantity(one.delay_s.high, "s", ".1f"),
        suggest=lowered(e.tune, "assist.start_deg", float(sooner), "the help begins after less of a turn"),
    )


@finding
def pulls_away_hard(e: Evidence) -> Finding | None:
    """A low level that pulls away like a high one."""
    seen = [one for one in e.verdict.levels if one.peak_mps2.known]
    hard = [one for one in seen if one.peak_mps2.low > STRONG_MPS2]
    if not hard:
        return None
    one = min(hard, key=lambda level: level.level)
    longer = float(f"{min(e.tune.assist.ramp_s * 1.5 + 0.1, 3.0):.2f}")
    return tells(
        "pulls-away-hard",
        level=one.level,
        value=quantity(one.peak_mps2.value, "m/s²", ".1f"),
        low=quantity(one.peak_mps2.low, "m/s²", ".1f", bare=True),
        high=quantity(one.peak_mps2.high, "m/s²", ".1f"),
        value_2=quantity(one.most_jerk_mps3.value, "", ".0f"),
        suggest=raised(e.tune, "assist.ramp_s", longer, "the same help, let in more slowly"),
    )


@finding
def torque_never_rests(e: Evidence) -> Finding | None:
    """The torque sensor reads something while the pedals stand."""
    if not e.has("human_nm", "cadence_rpm"):
        return None
    still = (e.channel("cadence_rpm") < 1) & ~(e.channel("throttle") > 0.02)
    if still.sum() * STEP_S < 10:
        return None
    reads = float(np.nanmedian(e.channel("human_nm")[still]))
    if abs(reads) < RESTS_NM:
        return None
    return tells("torque-never-rests", reads=quantity(reads, "N·m", ".1f"))
