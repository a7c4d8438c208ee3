"""What a rider on the simulated bike noticed, and what a job hides, in words."""

from __future__ import annotations

import math
from collections.abc import Mapping

from crisp_hornet.bench.practice.practising import Ridden
from crisp_hornet.documents.saying import quantity, say

HIDDEN = {
    "truth.pack_resistance": "the pack's resistance is {} times the document's",
    "truth.pack_capacity": "the pack's capacity is {} times the document's",
    "truth.wheel": "the wheel circumference is {} times the document's",
    "truth.current_gain": "the current sensor shows {} of what flows",
    "truth.current_zero_a": "the current sensor shows {} A with nothing flowing",
    "truth.rolling": "the tyres roll with {} times the document's resistance",
    "sensor.throttle_rest_v": "the throttle gives {} V at rest",
    "sensor.throttle_full_v": "the throttle gives {} V fully open",
    "sensor.wheel_magnets": "{} pulses a wheel turn",
    "sensor.position_offset_deg": "the position sensor stands at {}°",
    "sensor.torque_rest_v": "the torque sensor gives {} V with no foot on it",
    "sensor.ntc_beta": "the motor's temperature sensor has a beta of {} K",
    "defect.lever_stuck": "the brake lever's sensor reads {} with free hands",
    "defect.brake_drag_n": "the rear brake drags with {} N",
    "defect.weak_capacity": "one group of cells holds {} of its charge",
    "register.drive.phase_current_a": "after the reset it held {} A phase current",
    "register.drive.battery_current_a": "after the reset it held {} A battery current",
    "display.drive.battery_current_a": "the display writes {} A battery current at key-on",
    "rider_kg": "the nephew weighs {} kg",
    "before_a": "before the raise it was {} A",
}


def of_ride(ridden: Ridden) -> str:
    """What the rider noticed."""
    seen = ridden.seen
    said = say(
        "Ridden: {road}, {metres}, top speed {top}. Its log is open on Rides.",
        road=ridden.road,
        metres=quantity(seen.metres, "m", ".0f"),
        top=quantity(seen.top_kmh, "km/h", ".1f"),
    )
    if seen.top_kmh < 1.0:
        said += " It stood."
    if seen.loops:
        said += " The front wheel came up and the rider went over backwards."
    elif seen.front_share_min <= 0:
        said += " The front wheel came up."
    if seen.bms_opened:
        said += " Then everything went dark."
    if math.isfinite(seen.to_15_s):
        said += say(" From rest to {v} in {s}.", v=quantity(15, "km/h"), s=quantity(seen.to_15_s, "s", ".1f"))
    return said


def of_hidden(figures: Mapping[str, float]) -> list[str]:
    """The drawn figures, as the debrief says them."""
    found = []
    for path, value in figures.items():
        words = HIDDEN.get(path, path.replace(".", ": ").replace("_", " ") + ": {}")
        found.append(words.format(f"{value:.3g}" if abs(value) < 1000 else f"{value:.0f}"))
    return found
