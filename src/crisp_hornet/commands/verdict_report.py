"""A verdict as a JSON object (``docs/formats.md`` says what each key means) and as lines of text."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any

from crisp_hornet.core.evidence.compare import Compared
from crisp_hornet.core.evidence.consumption import Share
from crisp_hornet.core.evidence.differences import Difference
from crisp_hornet.core.evidence.estimate import Estimate
from crisp_hornet.core.evidence.findings import Effect, Finding
from crisp_hornet.core.evidence.hill_seen import HillSeen, hill_words
from crisp_hornet.core.evidence.peaks import Peak
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.tune import Tune

VERDICT_VERSION = 1


def as_json(ride: Ride, tune: Tune, verdict: Verdict, findings: list[Finding]) -> dict[str, Any]:
    """The whole verdict as a JSON object."""
    energy, road, pull = verdict.energy, verdict.road, verdict.pull
    return {
        "format": "crisp-hornet/verdict",
        "version": VERDICT_VERSION,
        "ride": ride.name,
        "peaks": {peak.channel: _peak(peak, verdict.sustained.get(peak.channel, {})) for peak in verdict.peaks},
        "pack": {
            "resistance_ohm": _estimate(verdict.resistance_ohm),
            "capacity_ah": _estimate(verdict.capacity_ah),
            "sag_at_limit_v": _estimate(verdict.resistance_ohm.times(tune.drive.battery_current_a, "V")),
        },
        "wheel": {"circumference_m": _estimate(verdict.circumference_m)},
        "road": {
            "crr": _estimate(road.crr), "cda_m2": _estimate(road.cda_m2), "load_20_kmh_n": _estimate(road.load_20_n),
            "wind_kmh": _estimate(road.wind_kmh), "runs": road.runs,
            "leans_on_usual": road.leans,
        },
        "energy": {
            "wh_net": _estimate(energy.wh_net), "wh_per_km": _estimate(energy.wh_per_km), "regen_share": _estimate(energy.regen_share),
            "ah_net": _estimate(energy.ah_net), "range_km": _estimate(verdict.range_km),
            "by": {
                kind: [_part(part) for part in parts]
                for kind, parts in verdict.shares.items()
            },
        },
        "distance_km": _estimate(energy.distance_km),
        "way": {
            "top_kmh": _estimate(verdict.way.top_kmh), "ascent_m": _estimate(verdict.way.ascent_m),
            "steepest_percent": _estimate(verdict.way.steepest),
        },
        "heat": {
            "winding_to_housing_w_per_k": _estimate(verdict.heat.winding_to_housing),
            "housing_to_air_w_per_k": _estimate(verdict.heat.housing_to_air),
            "controller_to_air_w_per_k": _estimate(verdict.heat.controller_to_air),
            "hardest_minute": _hill(verdict.hill),
        },
        "assist": [
            {
                "level": level.level, "seconds": round(level.seconds, 1), "watts_per_watt": _estimate(level.watts_per_watt),
                "delay_s": _estimate(level.delay_s), "peak_mps2": _estimate(level.peak_mps2),
                "usual_most_mps2": _estimate(level.usual_most_mps2),
                "most_jerk_mps3": _estimate(level.most_jerk_mps3),
                "all_given": _estimate(level.all_given),
            }
            for level in verdict.levels
        ],
        "pull": None if pull is None else {
            "of_predicted_at_phase_limit": _estimate(pull.phase), "of_predicted_at_battery_limit": _estimate(pull.battery),
            "of_predicted_by_speed": _estimate(pull.by_speed), "top_kmh": _estimate(pull.top_kmh),
        },
        "motor": _motor(verdict),
        "timed": [
            {"what": one.what, "seen": _estimate(one.seen), "predicted": _number(one.predicted), "unit": one.seen.unit}
            for one in verdict.timed
        ],
        "findings": [_finding(finding) for finding in findings],
    }  # fmt: skip


def _motor(verdict: Verdict) -> dict[str, Any]:
    motor, one = verdict.motor, verdict.weakening
    told = {
        "flux_linkage_wb": _estimate(motor.flux_linkage_wb), "phase_resistance_ohm": _estimate(motor.winding_ohm),
        "efficiency": _estimate(motor.efficiency), "efficiency_predicted": _number(motor.efficiency_told),
    }  # fmt: skip
    weakening = None if one is None else {
        "gain_n": _estimate(one.gain_n), "gain_kmh": _estimate(one.gain_kmh), "heat_w": _estimate(one.heat_w),
        "seconds": _number(one.seconds), "at_s": _number(one.at_s),
    }  # fmt: skip
    return told | {"weakening": weakening}


def _hill(hill: HillSeen | None) -> dict[str, Any] | None:
    if hill is None:
        return None
    return {
        "at_s": _number(hill.at_s), "speed_kmh": _number(hill.speed_kmh), "phase_current_a": _number(hill.current_a),
        "minutes_to_fade_predicted": _number(hill.predicted_min), "minutes_to_fade_seen": _estimate(hill.seen_min),
    }  # fmt: skip


def _part(share: Share) -> dict[str, Any]:
    return {"what": share.what, "km": _number(share.km), "wh": _number(share.wh), "wh_per_km": _number(share.wh_per_km)}


def _number(value: float) -> float | None:
    return float(f"{value:.6g}") if math.isfinite(value) else None


def _estimate(estimate: Estimate) -> dict[str, Any]:
    told: dict[str, Any] = {
        "value": _number(estimate.value),
        "low": _number(estimate.low),
        "high": _number(estimate.high),
    }
    if estimate.reason:
        return told | {"reason": estimate.reason}
    share = 1 - estimate.own_half_width / estimate.half_width if estimate.half_width > 0 else 0.0
    return told | {"of_sensors": round(share, 3)}


def _peak(peak: Peak, sustained: dict[float, float]) -> dict[str, Any]:
    return {
        "value": _number(peak.value), "unit": peak.unit, "at_s": _number(peak.at_s), "limit": peak.limit, "reached": peak.reached,
        "at_limit_s": _number(peak.at_limit_s), "sustained": {f"{seconds:g}": _number(value) for seconds, value in sustained.items()},
    }  # fmt: skip


def _finding(finding: Finding) -> dict[str, Any]:
    suggest = finding.suggest
    return {
        "id": finding.id, "severity": finding.severity, "text": f"{finding.text}. {finding.reason}",
        "from_s": finding.from_s, "to_s": finding.to_s,
        "suggest": None if suggest is None else {
            "path": suggest.path, "value": suggest.value, "effect": suggest.effect, "of": "bike" if suggest.bike else "tune",
            "predicted": [_effect(effect) for effect in finding.effects],
        },
    }  # fmt: skip


def _effect(effect: Effect) -> dict[str, Any]:
    return {
        "what": effect.after.label, "unit": effect.after.unit, "before": _number(effect.before.value), "after": _number(effect.after.value)
    }  # fmt: skip


def as_lines(verdict: Verdict, findings: list[Finding]) -> Iterator[str]:
    """What is known, then the findings; what the ride cannot say with its reason."""
    energy, road = verdict.energy, verdict.road
    named = {
        "distance": (energy.distance_km, 3), "top speed, 10 s": (verdict.way.top_kmh, 3), "climbed": (verdict.way.ascent_m, 3),
        "steepest stretch": (verdict.way.steepest, 2), "energy": (energy.wh_net, 3), "charge": (energy.ah_net, 3),
        "consumption": (energy.wh_per_km, 3),
        "range at this style": (verdict.range_km, 2),
        "pack resistance": (verdict.resistance_ohm, 3), "wheel": (verdict.circumference_m, 4),
        "crr": (road.crr, 2), "CdA": (road.cda_m2, 2),
        "winding to housing": (verdict.heat.winding_to_housing, 2), "housing to air": (verdict.heat.housing_to_air, 2),
        "controller to air": (verdict.heat.controller_to_air, 2),
        "motor constant": (verdict.motor.flux_linkage_wb, 3), "winding, 25 °C": (verdict.motor.winding_ohm, 3),
        "power at the road, full throttle": (verdict.motor.efficiency.times(100, "%"), 2),
    }  # fmt: skip
    for name, (one, digits) in named.items():
        yield f"{name}: {one.in_words(digits)}"
    for timed in verdict.timed:
        yield timed.in_words
    if verdict.hill is not None:
        yield hill_words(verdict.hill)
    for kind, parts in verdict.shares.items():
        if parts:
            yield f"by {kind}: " + ", ".join(f"{part.what} {part.wh_per_km:.0f} Wh/km" for part in parts)
    for level in verdict.levels:
        yield f"level {level.level}: {level.in_words}"
    for finding in findings:
        change = ""
        if finding.suggest is not None:
            change = f" [{finding.suggest.path} {finding.suggest.value:g}: {finding.suggest.effect}] {finding.effects_in_words}"
        yield f"{finding.severity}: {finding.text} ({finding.id}). {finding.reason}{change}"


def against_as_json(other: Ride, compared: Compared, found: list[Difference]) -> dict[str, Any]:
    """What it was laid against, and what differs."""
    return {
        "ride": other.name, "consumption_same_road": _estimate(compared.same_road), "consumption": _estimate(compared.plain),
        "differences": [
            {"what": one.what, "change": _estimate(one.change), "shown": one.shown, "this": one.this, "other": one.other}
            for one in found
        ],
    }  # fmt: skip
