"""Rules found by calculation: what the motor does to controller and pack when something fails, and to itself."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.drive.motor import electrical_speed
from crisp_hornet.core.drive.no_load import back_emf_v, lifted_wheel
from crisp_hornet.core.road.performance import rolling_speed_kmh, steady_speed_kmh
from crisp_hornet.core.rules.kinds import Axis, Situation, Strength, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity

WEAKENING = "drive.field_weakening_a"
DOWNHILL = -0.05  # the slope on which a bike runs faster than it pulls itself on the flat
LOCAL_HILL = -0.12  # the steepest of the usual hills
EASILY_KMH = 55.0  # a speed that any bike reaches downhill
NEVER_USED_A = 0.5


def _fastest_kmh(s: Situation) -> float:
    """The speed full throttle reaches on a gentle descent: pull is left there, so weakening is at work."""
    assert s.curve is not None
    return steady_speed_kmh(s.curve, DOWNHILL)


def _emf_v(s: Situation, speed_kmh: float) -> float:
    """Peak line-to-line back-EMF (V) at a road speed in the gear that is best there, magnets at 25 °C: ``√3·omega·psi``."""
    assert s.curve is not None
    return math.sqrt(3) * float(electrical_speed(s.curve.bike_at(speed_kmh), speed_kmh)) * s.bike.motor.flux_linkage_wb


@rule
def emf_over_controller(s: Situation) -> Warning_ | None:
    """If weakening is lost at the fastest the motor can turn, the back-EMF exceeds what the controller bears: a lifted wheel is enough."""
    rating = s.bike.controller.max_voltage_v
    lifted = lifted_wheel(s.bike, s.draft)
    if s.draft.drive.field_weakening_a <= 0 or lifted.emf_v <= rating:
        return None
    safe = math.floor(lifted.rpm * rating / lifted.emf_v / 10) * 10.0
    return says(
        "emf-over-controller",
        emf=quantity(lifted.emf_v, "V", ".0f"),
        rating=quantity(rating, "V"),
        lifted=quantity(lifted.rpm, "rpm", ".0f"),
        safe=quantity(safe, "rpm", ".0f"),
        value=safe,
        amount=lifted.emf_v,
    )


@rule_over(Axis.LOAD)
def emf_downhill(s: Situation) -> Warning_ | None:
    """Rolling down the steepest of the local hills the back-EMF exceeds what the controller bears, weakened or not: in the gear that turns
    the motor most, and never behind a freewheel."""
    if s.bike.drivetrain.freewheel:
        return None
    lowest = max(s.bike.in_each_gear(), key=lambda one: one.drivetrain.ratio)
    rating, rolls = s.bike.controller.max_voltage_v, rolling_speed_kmh(s.bike, LOCAL_HILL)
    emf = back_emf_v(s.bike, float(electrical_speed(lowest, rolls)))
    if emf <= rating:
        return None
    from_kmh = rolls * rating / emf
    return says(
        "emf-downhill",
        strength=Strength.WARN if from_kmh <= EASILY_KMH else Strength.NOTE,
        from_=quantity(from_kmh, "km/h", ".0f"),
        rating=quantity(rating, "V"),
        emf=quantity(emf, "V", ".0f"),
        rolls=quantity(rolls, "km/h", ".0f"),
        amount=emf,
    )


@rule_over(Axis.CHARGE)
def emf_over_pack(s: Situation) -> Warning_ | None:
    """If weakening is lost at speed, the motor charges the pack uncontrolled and brakes the bike; behind a freewheel it only
    coasts down."""
    if s.curve is None or s.draft.drive.field_weakening_a <= 0 or s.bike.drivetrain.freewheel:
        return None
    fastest, full_v = _fastest_kmh(s), s.curve.rested_v
    emf = _emf_v(s, fastest)
    if emf <= 1.1 * full_v:
        return None
    return says(
        "emf-over-pack",
        fastest=quantity(fastest, "km/h", ".0f"),
        emf=quantity(emf, "V", ".0f"),
        full=quantity(full_v, "V", ".0f"),
        setting=WEAKENING,
        amount=emf / full_v,
    )


@rule_over(Axis.CHARGE, Axis.HEAT)
def demagnetising(s: Situation) -> Warning_ | None:
    """The d-current exceeds what the magnets bear."""
    limit = s.bike.motor.demagnetising_a
    if s.curve is None or limit is None:
        return None
    deepest = float(-np.min(s.curve.id_a, initial=0.0))
    if deepest <= limit:
        return None
    return says(
        "demagnetising",
        deepest=quantity(deepest, "A", ".0f"),
        limit=quantity(limit, "A"),
        setting=WEAKENING,
        value=min(limit, s.draft.drive.field_weakening_a),
        amount=deepest,
    )


@rule_over(Axis.CHARGE, Axis.PACK, Axis.HEAT)
def sags_under_trip(s: Situation) -> Warning_ | None:
    """Full pull sags the pack below the voltage at which its board trips."""
    if s.curve is None or not np.isfinite(sagged := s.curve.pack_v[s.curve.running]).any():
        return None
    lowest, trip = float(np.nanmin(sagged)), s.bike.battery.bms_trip_v
    if lowest >= trip:
        return None
    return says("sags-under-trip", lowest=quantity(lowest, "V", ".1f"), trip=quantity(trip, "V"), amount=trip - lowest)


@rule
def weakening_never_used(s: Situation) -> Warning_ | None:
    """Field weakening is set, but something else limits first everywhere."""
    if s.curve is None or s.draft.drive.field_weakening_a <= 0:
        return None
    below = s.curve.motor.mtpa_id(s.curve.iq_a) - s.curve.id_a
    if float(np.max(below[s.curve.running], initial=0.0)) > NEVER_USED_A:
        return None
    return says(
        "weakening-unused", field_weakening=quantity(s.draft.drive.field_weakening_a, "A"), setting=WEAKENING, value=0.0
    )
