"""Rules about the ratings of controller and motor."""

from __future__ import annotations

from crisp_hornet.core.drive.no_load import no_load_rpm
from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule, says
from crisp_hornet.documents.bike import Controller
from crisp_hornet.documents.saying import quantity, say

REACH_MARGIN = 1.15  # a cold motor's magnets are stronger, its figures are not exact


def _rated(s: Situation) -> Controller:
    """The controller with its ratings at a full pack, the highest voltage it meets."""
    return s.bike.rated_at(full_v(s.bike.battery)).controller


def _over_rating(s: Situation, id_: str, setting: str, rating: float, what: str, unit: str) -> Warning_ | None:
    value = s.draft.setting(setting)
    if value is None or value <= rating:
        return None
    return Warning_(
        id_,
        Strength.STOP,
        say("{value} {unit} is over the {what}", value=quantity(value), unit=unit, what=what),
        say(
            "It is rated {rating} {unit}. Above it nothing protects the hardware.",
            rating=quantity(rating),
            unit=unit,
        ),
        say("Lower to {rating} {unit}", rating=quantity(rating), unit=unit),
        setting,
        rating,
    )


@rule
def phase_over_rating(s: Situation) -> Warning_ | None:
    """The phase current is set above the controller's rating."""
    return _over_rating(
        s,
        "phase-over-rating",
        "drive.phase_current_a",
        _rated(s).max_phase_current_a,
        "controller's phase rating",
        "A",
    )


@rule
def battery_over_rating(s: Situation) -> Warning_ | None:
    """The battery current is set above the controller's rating."""
    return _over_rating(
        s,
        "battery-over-rating",
        "drive.battery_current_a",
        _rated(s).max_battery_current_a,
        "controller's battery rating",
        "A",
    )


@rule
def regen_phase_over_rating(s: Situation) -> Warning_ | None:
    """The regen phase current is set above the controller's rating."""
    return _over_rating(
        s,
        "regen-phase-over-rating",
        "regen.phase_current_a",
        _rated(s).max_phase_current_a,
        "controller's phase rating",
        "A",
    )


@rule
def rpm_over_motor(s: Situation) -> Warning_ | None:
    """The motor speed is set above what the motor may turn, and the motor can get there: a lifted wheel is enough."""
    unloaded = no_load_rpm(s.bike, s.draft.drive.field_weakening_a)
    if unloaded * REACH_MARGIN <= s.bike.motor.max_rpm:
        return None
    return _over_rating(s, "rpm-over-motor", "drive.motor_rpm", s.bike.motor.max_rpm, "motor's speed limit", "rpm")


@rule
def heat_fade_over_winding(s: Situation) -> Warning_ | None:
    """The heat fade ends above what the winding bears."""
    end, limit = s.draft.heat_guard.motor_fade_end_c, s.bike.motor.max_winding_c
    if end <= limit:
        return None
    return says("heat-fade-late", limit=quantity(end - limit, "K", ".0f"), limit_2=quantity(limit, "°C"), value=limit)
