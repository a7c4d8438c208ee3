"""What a ride shows about its tune, each with the moment that shows it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.evidence.channels import Ride
from crisp_hornet.core.evidence.measured_pull import FULL_THROTTLE, measured_pull
from crisp_hornet.core.evidence.peaks import REACHED, Peak, peaks, sample_seconds
from crisp_hornet.core.pull import PullCurve
from crisp_hornet.documents.tune import Tune

UNDER_EDGE = 0.04  # this much less force than predicted is worth saying
FEWEST_POINTS = 20


@dataclass(frozen=True)
class Finding:
    """One finding. ``severity`` is "warn", "note" or "settled"; ``at_s`` the moment (s), None if there is none."""

    id: str
    severity: str
    text: str
    reason: str
    at_s: float | None


def findings(ride: Ride, tune: Tune, curve: PullCurve | None) -> list[Finding]:
    """All findings of a ride that was ridden on ``tune``; ``curve`` is the prediction for its start."""
    found = [
        _limit(ride, peak, unit_words)
        for peak in peaks(ride, tune)
        if (unit_words := {"battery_a": "battery current", "phase_a": "phase current"}.get(peak.channel))
    ]
    found += [
        _guard(peak, what)
        for peak in peaks(ride, tune)
        if (what := {"pack_v": "low-voltage fade", "motor_c": "motor's heat fade"}.get(peak.channel))
    ]
    if curve is not None and (under := _under_edge(ride, curve)) is not None:
        found.insert(0, under)
    return found


def _limit(ride: Ride, peak: Peak, what: str) -> Finding:
    seconds = sample_seconds(ride.time_s)
    with np.errstate(invalid="ignore"):
        full = ride.get("throttle") >= FULL_THROTTLE
        at_limit = ride.get(peak.channel) >= REACHED * (peak.limit or np.inf)
    full_s = float(seconds[full].sum())
    share = float(seconds[full & at_limit].sum()) / full_s if full_s > 0 else 0.0
    head = f"{what.capitalize()} peak {peak.value:.1f} A, limit {peak.limit:g} A"
    if not peak.reached:
        return Finding(
            f"{peak.channel}-not-reached",
            "note",
            f"{head}: never reached",
            "Raising it would change nothing on a ride like this.",
            peak.at_s,
        )
    return Finding(
        f"{peak.channel}-reached",
        "note",
        f"{head}: reached",
        f"It was the limit for {100 * share:.0f} % of full throttle ({peak.at_limit_s:.0f} s in all).",
        peak.at_s,
    )


def _guard(peak: Peak, what: str) -> Finding:
    least = "lowest" if peak.channel == "pack_v" else "highest"
    words = f"{least} {peak.value:.1f} {peak.unit}, fade from {peak.limit:g} {peak.unit}"
    if peak.reached:
        return Finding(
            f"{peak.channel}-fade",
            "warn",
            f"The {what} was at work",
            f"{words}, for {peak.at_limit_s:.0f} s.",
            peak.at_s,
        )
    return Finding(
        f"{peak.channel}-room", "settled", f"The {what} had room", f"{words}: not proven on this ride.", peak.at_s
    )


def _under_edge(ride: Ride, curve: PullCurve) -> Finding | None:
    measured = measured_pull(ride, curve.bike)
    if measured is None:
        return None
    predicted = np.interp(measured.speed_kmh, curve.speed_kmh, curve.wheel_force_n)
    limits = curve.limit[np.searchsorted(curve.speed_kmh, measured.speed_kmh).clip(0, len(curve.limit) - 1)]
    for limit, what in (("battery", "battery"), ("phase", "phase")):
        # settled full throttle only: while the throttle ramps up the force is on its way
        points = measured.full_throttle & (limits == limit) & (measured.force_n > 0.7 * predicted)
        if points.sum() < FEWEST_POINTS:
            continue
        ratio = float(np.median(measured.force_n[points] / predicted[points]))
        if ratio < 1 - UNDER_EDGE:
            worst = int(np.flatnonzero(points)[np.argmin((measured.force_n / np.maximum(predicted, 1))[points])])
            return Finding(
                "under-edge",
                "warn",
                f"{100 * (1 - ratio):.0f} % less pull than predicted where the {what} current limits",
                f"Median of {int(points.sum())} full-throttle samples. A tired pack, a longer wheel or a weaker motor than "
                "the bike document says would do this.",
                float(measured.time_s[worst]),
            )
    return None
