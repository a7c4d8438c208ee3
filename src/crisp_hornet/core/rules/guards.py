"""Rules about the guards: low-voltage fade, regen, heat fades; whether they close in time, and whether they ever open."""

from __future__ import annotations

from crisp_hornet.core.pack.cells import charge_at, full_v, rested_or_typical_v
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule
from crisp_hornet.documents.saying import quantity, say

LOWEST_CELL_V = {"nmc": 2.7, "nca": 2.7, "lfp": 2.3, "custom": 2.3}
HOT_DAY_C = 38.0
RIDE_W, GIVEN_UP = 600.0, 0.15


@rule
def pack_over_controller(s: Situation) -> Warning_ | None:
    """A full pack is over what the controller bears."""
    full, most = full_v(s.bike.battery), s.bike.controller.max_voltage_v
    if full <= most:
        return None
    return Warning_(
        "pack-over-controller",
        Strength.STOP,
        say(
            "A full pack has {full}, the controller bears {most}",
            full=quantity(full, "V", ".1f"),
            most=quantity(most, "V"),
        ),
        "Its power stage fails at once or soon after; a failed one can drive by itself.",
        "Fewer cells in series, or another controller",
    )


@rule
def fade_under_cells(s: Situation) -> Warning_ | None:
    """The low-voltage fade ends below what the cells bear."""
    battery, end = s.bike.battery, s.draft.battery_guard.fade_end_v
    least = LOWEST_CELL_V[battery.chemistry] * battery.series
    if end >= least:
        return None
    return Warning_(
        "fade-under-cells",
        Strength.WARN,
        say("The fade ends at {series} a cell", series=quantity(end / battery.series, "V", ".2f")),
        say(
            "Below {series} a cell they age fast, and charging them afterwards can be dangerous.",
            series=quantity(least / battery.series, "V", ".1f"),
        ),
        say("End the fade at {least} or above", least=quantity(least, "V", ".1f")),
        "battery_guard.fade_end_v",
        float(round(least + 0.05, 1)),
    )


@rule
def fade_is_a_step(s: Situation) -> Warning_ | None:
    """The low-voltage fade is so narrow that it drops the rider."""
    guard, series = s.draft.battery_guard, s.bike.battery.series
    wide, least = guard.fade_start_v - guard.fade_end_v, 0.05 * s.bike.battery.series
    if wide >= least:
        return None
    return Warning_(
        "fade-is-a-step",
        Strength.WARN,
        say("The low-voltage fade is only {wide} wide", wide=quantity(wide, "V", ".1f")),
        "The pull is gone from one moment to the next, and back when the pack recovers: it hunts.",
        say("Start it at least {least} above its end", least=quantity(least, "V", ".1f")),
        "battery_guard.fade_start_v",
        float(round(guard.fade_end_v + 0.1 * series, 1)),
    )


@rule
def fade_always_on(s: Situation) -> Warning_ | None:
    """The low-voltage fade bites on a full pack already."""
    start, full = s.draft.battery_guard.fade_start_v, full_v(s.bike.battery)
    if start < 0.97 * full:
        return None
    return Warning_(
        "fade-always-on",
        Strength.WARN,
        say(
            "The low-voltage fade starts at {start}; full is {full}",
            start=quantity(start, "V"),
            full=quantity(full, "V", ".1f"),
        ),
        "The bike is never allowed its full battery current.",
        "Start it lower",
        "battery_guard.fade_start_v",
        float(round(max(s.draft.battery_guard.fade_end_v + 0.1, 0.88 * full), 1)),
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
    return Warning_(
        "fade-gives-up-charge",
        Strength.NOTE,
        say("The fade gives up {share} of the charge", share=quantity(100 * share, "%", ".0f")),
        say(
            "At {ride}, that is {middle}, the pull ends long before the pack is empty.",
            ride=quantity(RIDE_W, "W", ".0f"),
            middle=quantity(share * battery.capacity_ah * middle, "Wh", ".0f"),
        ),
        "End it lower, but above the pack's trip",
    )


@rule
def regen_on_full_pack(s: Situation) -> Warning_ | None:
    """Regen is not closed when the pack is full."""
    regen, battery = s.draft.regen, s.bike.battery
    limit = battery.bms_over_v or full_v(battery) + 0.02 * battery.series
    if not regen.battery_current_a or regen.fade_end_v <= limit:
        return None
    return Warning_(
        "regen-on-full-pack",
        Strength.STOP,
        say(
            "Regen only ends at {fade_end}; the pack opens at {limit}",
            fade_end=quantity(regen.fade_end_v, "V"),
            limit=quantity(limit, "V", ".1f"),
        ),
        "A board that opens while braking takes the braking away and lets the voltage shoot up.",
        say("End it at {limit}", limit=quantity(limit, "V", ".1f")),
        "regen.fade_end_v",
        float(round(max(limit - 0.1, regen.fade_start_v), 1)) if limit - 0.1 >= regen.fade_start_v else None,
    )


@rule
def regen_fast_charge(s: Situation) -> Warning_ | None:
    """Regen charges faster than cells like, above all in the cold."""
    current, capacity = s.draft.regen.battery_current_a, s.bike.battery.capacity_ah
    if current <= capacity:
        return None
    return Warning_(
        "regen-fast-charge",
        Strength.WARN,
        say("Regen of {current} is over one charge an hour", current=quantity(current, "A")),
        "Near freezing that plates lithium inside the cells; they lose capacity for good.",
        say("Lower to {capacity}", capacity=quantity(capacity, "A")),
        "regen.battery_current_a",
        capacity,
    )


@rule
def regen_half_set(s: Situation) -> Warning_ | None:
    """Only one of the two regen currents is set: nothing happens."""
    regen = s.draft.regen
    if (regen.phase_current_a > 0) == (regen.battery_current_a > 0):
        return None
    which = "battery" if regen.phase_current_a > 0 else "phase"
    return Warning_(
        "regen-half-set",
        Strength.NOTE,
        say("Regen has no {which} current", which=which),
        "Both are needed: as it stands it hardly brakes.",
        say("Set the {which} current too, or both to 0", which=which),
    )


@rule
def heat_guard_off(s: Situation) -> Warning_ | None:
    """The motor's heat fade starts only where the winding is already at its limit."""
    start, limit = s.draft.heat_guard.motor_fade_start_c, s.bike.motor.max_winding_c
    if start < limit - 5:
        return None
    return Warning_(
        "heat-guard-off",
        Strength.WARN,
        say(
            "The motor's fade starts at {start}, its winding bears {limit}",
            start=quantity(start, "°C"),
            limit=quantity(limit, "°C"),
        ),
        "The sensor lags behind the winding: when it says so, it is hotter inside.",
        say("Start it at {limit}", limit=quantity(limit - 30, "°C")),
        "heat_guard.motor_fade_start_c",
        limit - 30,
    )


@rule
def heat_fade_is_a_step(s: Situation) -> Warning_ | None:
    """The motor's heat fade is so narrow that it drops the rider on a hill."""
    guard = s.draft.heat_guard
    wide = guard.motor_fade_end_c - guard.motor_fade_start_c
    if wide >= 8:
        return None
    return Warning_(
        "heat-fade-is-a-step",
        Strength.WARN,
        say("The motor's heat fade is only {wide} wide", wide=quantity(wide, "K")),
        "On a long climb the pull is gone within moments.",
        "Start it 20 K earlier",
        "heat_guard.motor_fade_start_c",
        guard.motor_fade_end_c - 20,
    )


@rule
def heat_fade_always_on(s: Situation) -> Warning_ | None:
    """A heat fade bites on a hot day before anything has warmed up."""
    guard = s.draft.heat_guard
    lowest = min(guard.motor_fade_start_c, guard.controller_fade_start_c)
    if lowest > HOT_DAY_C + 5:
        return None
    return Warning_(
        "heat-fade-always-on",
        Strength.WARN,
        say("A heat fade starts at {lowest}", lowest=quantity(lowest, "°C")),
        say("On a day of {hot_day} the bike is faded before it has moved.", hot_day=quantity(HOT_DAY_C, "°C", ".0f")),
        say("Start it above {at}", at=quantity(60, "°C")),
    )


@rule
def controller_too_hot(s: Situation) -> Warning_ | None:
    """The controller's fade ends where power stages fail."""
    end = s.draft.heat_guard.controller_fade_end_c
    if end <= 100:
        return None
    return Warning_(
        "controller-too-hot",
        Strength.WARN,
        say("The controller's fade ends at {end}", end=quantity(end, "°C")),
        "Its sensor sits on the heatsink; the transistors are tens of kelvin hotter, and capacitors dry out.",
        say("End it at {at}", at=quantity(95, "°C")),
        "heat_guard.controller_fade_end_c",
        max(95.0, s.draft.heat_guard.controller_fade_start_c),
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
    return Warning_(
        "worn-pack-in-fade",
        Strength.NOTE,
        say("Worn or cold, the pack sags to {loaded} at half charge", loaded=quantity(loaded, "V", ".1f")),
        "With half as much resistance again the set current is out of reach from half charge on.",
        "Lower the battery current in winter",
    )
