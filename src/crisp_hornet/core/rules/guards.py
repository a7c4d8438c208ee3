"""Rules about the guards: low-voltage fade, regen, heat fades; whether they close in time, and whether they ever open."""

from __future__ import annotations

import math

from crisp_hornet.core.drive.pull import Conditions
from crisp_hornet.core.pack.cells import charge_at, full_v, rested_or_typical_v
from crisp_hornet.core.rider.braking import lever_feel
from crisp_hornet.core.rules.kinds import Axis, Situation, Warning_, rule, rule_over, says
from crisp_hornet.documents.saying import quantity

LOWEST_CELL_V = {"nmc": 2.7, "nca": 2.7, "lfp": 2.3, "custom": 2.3}
HOT_DAY_C = 38.0
LIFT_OFF_KMH, LIFT_OFF_MPS2 = 30.0, 1.2  # an everyday stop with the brakes takes some 1.5 m/s²
RIDE_W, GIVEN_UP = 600.0, 0.15


@rule
def pack_over_controller(s: Situation) -> Warning_ | None:
    """A full pack is over what the controller bears."""
    full, most = full_v(s.bike.battery), s.bike.controller.max_voltage_v
    if full <= most:
        return None
    return says("pack-over-controller", full=quantity(full, "V", ".1f"), most=quantity(most, "V"))


@rule
def fade_under_cells(s: Situation) -> Warning_ | None:
    """The low-voltage fade ends below what the cells bear."""
    battery, end = s.bike.battery, s.draft.battery_guard.fade_end_v
    least = LOWEST_CELL_V[battery.chemistry] * battery.series
    if end >= least:
        return None
    return says(
        "fade-under-cells",
        series=quantity(end / battery.series, "V", ".2f"),
        series_2=quantity(least / battery.series, "V", ".1f"),
        least=quantity(least, "V", ".1f"),
        value=float(round(least + 0.05, 1)),
    )


@rule
def fade_is_a_step(s: Situation) -> Warning_ | None:
    """The low-voltage fade is so narrow that it drops the rider."""
    guard, series = s.draft.battery_guard, s.bike.battery.series
    wide, least = guard.fade_start_v - guard.fade_end_v, 0.05 * s.bike.battery.series
    if wide >= least:
        return None
    return says(
        "fade-is-a-step",
        wide=quantity(wide, "V", ".1f"),
        least=quantity(least, "V", ".1f"),
        value=float(round(guard.fade_end_v + 0.1 * series, 1)),
    )


@rule
def fade_always_on(s: Situation) -> Warning_ | None:
    """The low-voltage fade bites on a full pack already."""
    start, full = s.draft.battery_guard.fade_start_v, full_v(s.bike.battery)
    if start < 0.97 * full:
        return None
    return says(
        "fade-always-on",
        start=quantity(start, "V"),
        full=quantity(full, "V", ".1f"),
        value=float(round(max(s.draft.battery_guard.fade_end_v + 0.1, 0.88 * full), 1)),
    )


@rule
def fade_gives_up_charge(s: Situation) -> Warning_ | None:
    """The low-voltage fade leaves much of the pack unused."""
    battery, end = s.bike.battery, s.draft.battery_guard.fade_end_v
    if end <= battery.bms_trip_v or end >= full_v(battery):
        return None
    middle = rested_or_typical_v(battery, 0.5)
    drop = RIDE_W / middle * battery.resistance_ohm  # a steady ride's sag, near enough for a note
    try:
        share = charge_at(battery, end + drop).value - charge_at(battery, battery.bms_trip_v + drop).value
    except ValueError:  # a chemistry of one's own without its curve: nothing can be said
        return None
    if share <= GIVEN_UP:
        return None
    return says(
        "fade-gives-up-charge",
        share=quantity(100 * share, "%", ".0f"),
        ride=quantity(RIDE_W, "W", ".0f"),
        middle=quantity(share * battery.capacity_ah * middle, "Wh", ".0f"),
    )


@rule
def regen_on_full_pack(s: Situation) -> Warning_ | None:
    """Regen is not closed when the pack is full."""
    regen, battery = s.draft.regen, s.bike.battery
    limit = battery.bms_over_v or full_v(battery) + 0.02 * battery.series
    if not regen.battery_current_a or regen.fade_end_v <= limit:
        return None
    return says(
        "regen-on-full-pack",
        fade_end=quantity(regen.fade_end_v, "V"),
        limit=quantity(limit, "V", ".1f"),
        value=float(round(max(limit - 0.1, regen.fade_start_v), 1)) if limit - 0.1 >= regen.fade_start_v else None,
    )


@rule
def regen_fast_charge(s: Situation) -> Warning_ | None:
    """Regen charges faster than cells like, above all in the cold."""
    current, capacity = s.draft.regen.battery_current_a, s.bike.battery.capacity_ah
    if current <= capacity:
        return None
    return says("regen-fast-charge", current=quantity(current, "A"), capacity=quantity(capacity, "A"), value=capacity)


@rule
def regen_half_set(s: Situation) -> Warning_ | None:
    """Only one of the two regen currents is set: nothing happens."""
    regen = s.draft.regen
    if (regen.phase_current_a > 0) == (regen.battery_current_a > 0):
        return None
    which = "battery" if regen.phase_current_a > 0 else "phase"
    return says("regen-half-set", which=which)


@rule_over(Axis.CHARGE, Axis.LOAD)
def lift_off_brakes_hard(s: Situation) -> Warning_ | None:
    """Closing the throttle brakes as hard as a hand would: a rider who lets go is thrown forward."""
    share = s.draft.braking.lift_off_share
    if share <= 0 or s.curve is None:
        return None
    felt = lever_feel(s.bike, s.draft, Conditions(s.curve.rested_v), LIFT_OFF_KMH).lift_off_mps2
    if felt <= LIFT_OFF_MPS2:
        return None
    lower = math.floor(20 * share * LIFT_OFF_MPS2 / felt) / 20
    return says(
        "lift-off-brakes-hard",
        felt=quantity(felt, "m/s²", ".1f"),
        lower=quantity(100 * lower, "%"),
        value=lower,
        amount=felt,
    )


@rule
def regen_unasked(s: Situation) -> Warning_ | None:
    """Regen is set, and nothing calls for it."""
    if s.draft.braking.command != "none" or s.draft.braking.lift_off_share > 0 or s.draft.regen.phase_current_a <= 0:
        return None
    return says("regen-unasked")


@rule
def regen_freewheel(s: Situation) -> Warning_ | None:
    """Regen is set where the wheel freewheels away from the motor."""
    if not s.bike.drivetrain.freewheel or s.draft.regen.phase_current_a <= 0:
        return None
    return says("regen-freewheel", value=0.0)


@rule
def heat_guard_off(s: Situation) -> Warning_ | None:
    """The motor's heat fade starts only where the winding is already at its limit."""
    start, limit = s.draft.heat_guard.motor_fade_start_c, s.bike.motor.max_winding_c
    if start < limit - 5:
        return None
    return says(
        "heat-guard-off",
        start=quantity(start, "°C"),
        limit=quantity(limit, "°C"),
        limit_2=quantity(limit - 30, "°C"),
        value=limit - 30,
    )


@rule
def heat_fade_is_a_step(s: Situation) -> Warning_ | None:
    """The motor's heat fade is so narrow that it drops the rider on a hill."""
    guard = s.draft.heat_guard
    wide = guard.motor_fade_end_c - guard.motor_fade_start_c
    if wide >= 8:
        return None
    return says("heat-fade-is-a-step", wide=quantity(wide, "K"), value=guard.motor_fade_end_c - 20)


@rule
def heat_fade_always_on(s: Situation) -> Warning_ | None:
    """A heat fade bites on a hot day before anything has warmed up."""
    guard = s.draft.heat_guard
    lowest = min(guard.motor_fade_start_c, guard.controller_fade_start_c)
    if lowest > HOT_DAY_C + 5:
        return None
    return says(
        "heat-fade-always-on",
        lowest=quantity(lowest, "°C"),
        hot_day=quantity(HOT_DAY_C, "°C", ".0f"),
        at=quantity(60, "°C"),
    )


@rule
def controller_too_hot(s: Situation) -> Warning_ | None:
    """The controller's fade ends where power stages fail."""
    end = s.draft.heat_guard.controller_fade_end_c
    if end <= 100:
        return None
    return says(
        "controller-too-hot",
        end=quantity(end, "°C"),
        at=quantity(95, "°C"),
        value=max(95.0, s.draft.heat_guard.controller_fade_start_c),
    )


@rule
def worn_pack_reaches_fade(s: Situation) -> Warning_ | None:
    """At half charge and the set current a worn, cold pack is already in the fade."""
    battery, draft = s.bike.battery, s.draft
    worst_ohm = battery.resistance_ohm * 1.5
    half = rested_or_typical_v(battery, 0.5)
    loaded = half - draft.drive.battery_current_a * worst_ohm
    if loaded >= draft.battery_guard.fade_end_v:
        return None
    return says("worn-pack-in-fade", loaded=quantity(loaded, "V", ".1f"))
