"""A tune of which a rider knows a few figures only."""

from __future__ import annotations

from crisp_hornet.core.tunes.starting import starting_tune
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import Tune

BATTERY, PHASE, CUTOFF = "drive.battery_current_a", "drive.phase_current_a", "battery_guard.fade_start_v"
KNOWABLE = (BATTERY, PHASE, CUTOFF)
NEVER = (
    *("drive.power_w", "drive.field_weakening_a", "drive.motor_rpm", "drive.speed_kmh", "battery_guard.fade_end_v"),
    *("heat_guard.motor_fade_start_c", "heat_guard.controller_fade_start_c", "regen.battery_current_a"),
)
USUAL_RATIO = 3.0  # of phase to battery current, where one of them is known


def as_entered(bike: Bike, known: dict[str, float]) -> Tune:
    """The tune with what is known of :data:`KNOWABLE`, by path; the rest stands as such bikes usually are set, and is marked as unknown.

    Raises :class:`ValueError` (:class:`pydantic.ValidationError` among them) for nothing known, or a figure that makes no tune."""
    if not known or any(path not in KNOWABLE for path in known):
        raise ValueError("Enter at least one figure: battery current, phase current or low-voltage cutoff.")
    tune, controller = starting_tune(bike), bike.controller
    made: dict[str, float | None] = dict(known)
    if BATTERY in known and PHASE not in known:
        made[PHASE] = min(USUAL_RATIO * known[BATTERY], controller.max_phase_current_a)
    if PHASE in known and BATTERY not in known:
        made[BATTERY] = min(known[PHASE] / USUAL_RATIO, controller.max_battery_current_a)
    if CUTOFF in known:
        made["battery_guard.fade_end_v"] = min(tune.battery_guard.fade_end_v, known[CUTOFF])
    words = ", ".join(f"{value:g}" for value in known.values())
    unknown = [*(path for path in KNOWABLE if path not in known), *NEVER]
    return tune.with_settings(made).model_copy(update={"name": f"figures {words}", "unknown": unknown})
