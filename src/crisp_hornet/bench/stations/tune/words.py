"""The reading at one speed, in plain words."""

from __future__ import annotations

import numpy as np

from crisp_hornet.bench.desk.prediction import Prediction
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.road.vehicle import G_MPS2, road_load_n
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

NAMES = {
    "phase": "phase current",
    "battery": "battery current",
    "power": "power limit",
    "voltage": "pack voltage",
    "weakening": "field weakening limit",
    "rpm": "motor speed limit",
    "speed": "speed limit",
    "heat": "derating",
    "low_voltage": "low-voltage cutoff",
}


def reading(drafted: Prediction | None, now: Prediction | None, tune: Tune | None, kmh: float) -> tuple[str, str]:
    """Heading and sentence for the footer; ``<b>`` marks what counts."""
    head = say("AT {kmh}", kmh=quantity(kmh, "km/h", ".0f"))
    curve = drafted.curve if drafted else None
    if curve is None or tune is None:
        return head, "Open a bike and a tune to see what it would do."
    index = int(np.argmin(np.abs(curve.speed_kmh - kmh)))
    force = float(curve.wheel_force_n[index])
    text = f"Drafted <b>{force:.0f} N</b>"
    if now is not None and now.curve is not None:
        text += f", on the controller {float(now.curve.wheel_force_n[index]):.0f} N"
    ends = tune.throttle.speed_kmh
    alone = ""
    if ends is not None and kmh > ends:
        alone = say(" The throttle ends at {ends}: beyond it only pedalling drives.", ends=quantity(ends, "km/h"))
    return head, say(
        "{told}{alone}", told=f"{text}. {_why(curve, tune, index)} {_grade(curve, index)}".strip(), alone=alone
    )


def _why(curve: PullCurve, tune: Tune, index: int) -> str:
    limit = str(curve.limit[index])
    if curve.wheel_force_n[index] <= 0:
        return f"No pull here: limited by <b>{NAMES[limit]}</b>."
    battery_a, pack_v = float(curve.battery_current_a[index]), float(curve.pack_v[index])
    phase_a, allowed = (
        float(curve.phase_current_a[index]),
        effective_limits(curve.bike, tune).phase_current_a.value or 0.0,
    )
    flow = (
        f"{battery_a:.0f} A × {pack_v:.1f} V under load = {battery_a * pack_v / 1000:.1f} kW, "
        f"{float(curve.wheel_w[index]) / 1000:.1f} kW at the wheel."
    )
    why = f"Limited by <b>{NAMES[limit]}</b>: {flow}"
    if limit != "phase" and phase_a < allowed - 0.5:
        why += f" Phase current here is {phase_a:.0f} A: raising the phase limit changes nothing at this speed."
    if limit == "phase":
        why += " Raising the battery current changes nothing at this speed."
    return why


def _grade(curve: PullCurve, index: int) -> str:
    spare = float(curve.wheel_force_n[index]) - float(road_load_n(curve.bike, curve.speed_kmh[index]))
    if spare <= 0:
        return "It does not hold this speed on the flat."
    sine = min(spare / (curve.bike.mass_kg * G_MPS2), 0.99)
    return f"It can climb up to {100 * sine / (1 - sine**2) ** 0.5:.0f} % at this speed."
