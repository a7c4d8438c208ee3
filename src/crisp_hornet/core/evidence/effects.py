"""What a suggested change would do: the figures that builders ask for, predicted with it and without it."""

from __future__ import annotations

import numpy as np
from pydantic import ValidationError

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import Conditions, PullCurve, pull_curve, regen_curve
from crisp_hornet.core.evidence.findings.suggestion import Effect, Suggestion
from crisp_hornet.core.heat.endurance import seconds_of_full_pull
from crisp_hornet.core.pack.cells import rested_or_typical_v, usable
from crisp_hornet.core.rider.assist import Motive, level_rides
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.rider.stroke import pedal_stroke
from crisp_hornet.core.road.consequences import Consequence, on_the_road
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.companions import companions
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

LOW_CHARGE, FULL_CHARGE, HEAT_EVERY, USUAL_W = 0.25, 0.99, 6, 400.0
STROKE_NM, STROKE_RPM, HUMAN_W = 20.0, 60.0, 90.0
MOST = 3
HARDLY = 0.004  # a share by which a figure must move to be worth saying


def predicted_effects(bike: Bike, tune: Tune, change: Suggestion, rested_v: float, speeds: Array) -> tuple[Effect, ...]:
    """The figures that a change moves most, the one that moves most first; none where it moves none that can be predicted, or makes no
    valid tune. ``rested_v``: of the pack (V); ``speeds``: those of the curve (km/h)."""
    try:
        other_bike = bike.with_figure(change.path, change.value, "learned") if change.bike else bike
        other_tune = tune if change.bike else _changed(tune, change.path, change.value)
    except (ValidationError, KeyError):
        return ()
    conditions = Conditions(rested_v)
    pairs = zip(
        _figures(bike, tune, change.path, conditions, speeds),
        _figures(other_bike, other_tune, change.path, conditions, speeds),
        strict=True,
    )
    moved = [Effect(before, after) for before, after in pairs if before.text != after.text]
    moved = [one for one in moved if one.share > HARDLY]
    return tuple(sorted(moved, key=lambda one: -one.share)[:MOST])


def effects_between(bike: Bike, before: Tune, after: Tune, rested_v: float, speeds: Array) -> list[Effect]:
    """Every figure that is predicted otherwise for one tune than for another, on one bike."""
    conditions = Conditions(rested_v)
    every = [
        [
            *_figures(bike, tune, "drive", conditions, speeds),
            *_regen(bike, tune, speeds),
            *_assist(pull_curve(bike, tune, speeds, conditions), tune),
        ]
        for tune in (before, after)
    ]
    named = {one.label: one for one in every[1]}  # a level that one of them lacks is left out
    pairs = [(one, named[one.label]) for one in every[0] if one.label in named]
    return [Effect(old, new) for old, new in pairs if old.text != new.text]


def _changed(tune: Tune, path: str, value: float) -> Tune:
    try:
        return tune.with_setting(path, value)
    except ValidationError:
        return tune.with_settings({path: value, **companions(tune, path, value)})


def _figures(bike: Bike, tune: Tune, path: str, conditions: Conditions, speeds: Array) -> list[Consequence]:
    curve = pull_curve(bike, tune, speeds, conditions)
    if path.startswith("assist."):
        return _assist(curve, tune)
    if path.startswith("regen."):
        return _regen(bike, tune, speeds)
    seconds = seconds_of_full_pull(curve, tune, HEAT_EVERY)
    return [*on_the_road(curve, conditions, seconds, HEAT_EVERY), *_pack(bike, tune, speeds)]


def _assist(curve: PullCurve, tune: Tune) -> list[Consequence]:
    stroke = pedal_stroke(tune.assist, STROKE_NM, STROKE_RPM)
    found = [
        Consequence(
            say("at {stroke} help begins after", stroke=quantity(STROKE_RPM, "rpm", ".0f")), stroke.starts_s, "s", 2
        ),
        Consequence(
            say("at {stroke} help follows a harder stroke after", stroke=quantity(STROKE_RPM, "rpm", ".0f")),
            stroke.lags_s,
            "s",
            2,
        ),
    ]
    if tune.assist.levels:
        rides = level_rides(Motive.of(curve, tune), Rider(HUMAN_W, STROKE_RPM))
        found += [
            Consequence(say("level {level} pulls away with", level=one.level), one.most_mps2, "m/s²", 2)
            for one in (rides[0], rides[-1])
        ]
    return found


def _regen(bike: Bike, tune: Tune, speeds: Array) -> list[Consequence]:
    return [
        Consequence(
            say("regen charges {words} pack with", words=words), _charging_a(bike, tune, charge, speeds), "A", 1
        )
        for charge, words in ((0.5, "a half-full"), (FULL_CHARGE, "a full"))
    ]


def _charging_a(bike: Bike, tune: Tune, charge: float, speeds: Array) -> float:
    curve = regen_curve(bike, tune, speeds, Conditions(rested_or_typical_v(bike.battery, charge)))
    return max(0.0, -float(np.min(curve.battery_current_a)))


def _pack(bike: Bike, tune: Tune, speeds: Array) -> list[Consequence]:
    low = pull_curve(bike, tune, speeds, Conditions(rested_or_typical_v(bike.battery, LOW_CHARGE)))
    lowest = Consequence("a quarter full, full pull", float(np.min(low.pack_v)), "V", 1)
    try:
        wh = usable(bike.battery, 1.0, tune.battery_guard.fade_end_v, USUAL_W).wh
    except ValueError:  # a chemistry without its curve
        return [lowest]
    return [lowest, Consequence("a full pack gives", wh, "Wh", 0)]
