"""What each ruler of the Tune pages measures on a bike, with its named stops, in the shown units."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from crisp_hornet.bench.widgets.ruler import Scale, Stop
from crisp_hornet.core.drive.inverse import BATTERY, PHASE, RPM, SPEED, WEAKENING
from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.pack.cells import full_v, rested_or_typical_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.setting_words import WORDS
from crisp_hornet.documents.settings import choices
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units

# low, high, step, fine; step and fine as shown (shares are shown in percent)
_PLAIN: dict[str, tuple[float, float, float, float]] = {
    "throttle.share_25": (0, 1, 5, 1), "throttle.share_50": (0, 1, 5, 1), "throttle.share_75": (0, 1, 5, 1),
    "throttle.maximum": (0, 1, 5, 1), "throttle.dead_band": (0, 0.5, 1, 0.5), "throttle.ramp_s": (0, 3, 0.1, 0.02),
    "throttle.release_s": (0, 2, 0.1, 0.02), "throttle.rolling_kmh": (0.5, 15, 1, 0.5), "throttle.walk_kmh": (0, 8, 1, 0.5),
    "assist.handover_rpm": (20, 120, 5, 1), "assist.development_m": (1.5, 9, 0.5, 0.1), "assist.start_nm": (0, 40, 1, 0.5),
    "assist.start_deg": (0, 360, 15, 5), "assist.smoothing_deg": (0, 360, 15, 5), "assist.ramp_s": (0, 2, 0.1, 0.02),
    "braking.lift_off_share": (0, 1, 0.05, 0.01), "braking.ramp_s": (0, 2, 0.1, 0.02),
    "assist.start_delay_s": (0, 1, 0.05, 0.01), "assist.start_current_a": (0, 60, 1, 0.5),
    "throttle.cruise_s": (1, 30, 1, 0.5), "throttle.cruise_least_kmh": (0, 40, 1, 0.5),
    "assist.shift_cut_s": (0.05, 1, 0.05, 0.01), "assist.shift_share": (0, 1, 5, 1),
    "assist.hold_s": (0, 2, 0.1, 0.02), "assist.stop_s": (0, 2, 0.1, 0.02),
    "assist.levels.count": (2, 12, 1, 1), "heat_guard.motor_fade_start_c": (40, 180, 5, 1), "heat_guard.motor_fade_end_c": (40, 180, 5, 1),
    "heat_guard.controller_fade_start_c": (40, 120, 5, 1), "heat_guard.controller_fade_end_c": (40, 120, 5, 1),
}  # fmt: skip
POWER = "drive.power_w"
_NONE = {
    "throttle.walk_kmh": "none",
    "throttle.cruise_s": "none",
    "assist.shift_cut_s": "none",
    "throttle.speed_kmh": "as the drive",
    "assist.speed_kmh": "as the drive",
    "drive.speed_kmh": "no limit",
}


def scale_of(path: str, bike: Bike, tune: Tune | None, units: Units) -> Scale:
    """The ruler of a setting. Raises :class:`KeyError` for one that has none."""
    name, unit = WORDS[path]
    words = choices(path)
    if words:
        return Scale(_capital(name), "", 0, len(words) - 1, 1, 1, words=words)
    low, high, step, fine = _PLAIN[path] if path in _PLAIN else _OF_BIKE[path](bike)
    shares = 100.0 if unit == "%" else 1.0
    scale = Scale(
        _capital(name), unit, low, high, step, fine, _stops(path, bike, tune), _NONE.get(path, ""), factor=shares
    )
    return in_units(scale, units)


def in_units(scale: Scale, units: Units) -> Scale:
    """The same ruler, marked in the units that were chosen."""
    if units.metric or units.unit(scale.unit) == scale.unit:
        return scale
    offset = units.value(0.0, scale.unit)
    factor = units.value(1.0, scale.unit) - offset
    return replace(scale, unit=units.unit(scale.unit), factor=factor, offset=offset)


def _capital(name: str) -> str:
    return name[:1].upper() + name[1:]


def speed_end(bike: Bike) -> float:
    """The end (km/h) of a ruler of speeds: a little beyond what the motor may turn, or weakening could make of a full pack."""
    return max(40.0, fastest_kmh(bike))


def _pack(bike: Bike) -> tuple[float, float, float, float]:
    battery = bike.battery
    return (
        round(battery.bms_trip_v - 0.1 * battery.series, 1),
        round(full_v(battery) + 0.05 * battery.series, 1),
        0.5,
        0.1,
    )


_OF_BIKE: dict[str, Callable[[Bike], tuple[float, float, float, float]]] = {
    **{f"{guard}.fade_{end}_v": _pack for guard in ("battery_guard", "regen") for end in ("start", "end")},
    "regen.phase_current_a": lambda bike: (0, round(0.6 * bike.controller.max_phase_current_a, -1), 1, 0.5),
    "regen.battery_current_a": lambda bike: (0, max(10.0, round(1.5 * bike.battery.bms_charge_a)), 1, 0.5),
    **{f"{part}.speed_kmh": lambda bike: (5, speed_end(bike), 1, 0.5) for part in ("drive", "assist", "throttle")},
    "drive.speed_taper_kmh": lambda bike: (0, 15, 1, 0.5),
}


def _stops(path: str, bike: Bike, tune: Tune | None) -> list[Stop]:
    battery, motor = bike.battery, bike.motor
    found: list[Stop] = []
    if path.startswith("battery_guard"):
        found.append(Stop(battery.bms_trip_v, "BMS cutoff"))
    if path.startswith("regen.fade"):
        found.append(Stop(battery.bms_over_v or full_v(battery), "BMS overvoltage" if battery.bms_over_v else "full"))
    if path == "regen.battery_current_a":
        found.append(Stop(battery.bms_charge_a, f"BMS charge {battery.bms_charge_a:g}"))
    if path.startswith("heat_guard.motor"):
        found.append(Stop(motor.max_winding_c, "max winding"))
    if path == "drive.speed_kmh" and bike.chassis.rated_speed_kmh:
        found.append(Stop(bike.chassis.rated_speed_kmh, "frame, brakes"))
    local = bike.local
    if local is not None:
        if path == "throttle.walk_kmh" and local.walk_kmh:
            found.append(Stop(local.walk_kmh, "local"))
        if path == "throttle.speed_kmh" and local.throttle_ends_kmh:
            found.append(Stop(local.throttle_ends_kmh, "local"))
        if path in ("assist.speed_kmh", "drive.speed_kmh") and local.assist_ends_kmh:
            found.append(Stop(local.assist_ends_kmh, "local"))
    if path in ("assist.speed_kmh", "throttle.speed_kmh") and tune is not None and tune.drive.speed_kmh:
        found.append(Stop(tune.drive.speed_kmh, "drive speed limit"))
    return found


def pull_scales(bike: Bike, units: Units) -> dict[str, Scale]:
    """The rulers of the pull page on this bike."""
    battery = bike.battery
    highest_v, half_v = full_v(battery), rested_or_typical_v(battery, 0.5)
    controller, rated = bike.controller, bike.rated_at(highest_v).controller
    pack = [Stop(battery.bms_discharge_a, f"pack {battery.bms_discharge_a:g}")]
    if battery.fuse_a:
        pack.append(Stop(battery.fuse_a, f"fuse {battery.fuse_a:g}"))
    top_a = 1.15 * controller.max_battery_current_a
    return {
        PHASE: Scale(
            "Phase current",
            "A",
            0,
            _round_up(1.15 * controller.max_phase_current_a, 10),
            1,
            0.5,
            [Stop(rated.max_phase_current_a, f"rating {rated.max_phase_current_a:g}")],
        ),
        BATTERY: Scale(
            "Battery current",
            "A",
            0,
            _round_up(top_a, 5),
            1,
            0.5,
            [*pack, Stop(rated.max_battery_current_a, f"rating {rated.max_battery_current_a:g}")],
        ),
        WEAKENING: Scale(
            "Field weakening",
            "A",
            0,
            _round_up(0.6 * controller.max_phase_current_a, 10),
            1,
            0.5,
            _weakening_stops(bike),
        ),
        POWER: Scale(
            "Power limit",
            "W",
            0,
            _round_up(top_a * highest_v, 500),
            50,
            10,
            [Stop(battery.bms_discharge_a * half_v, "pack, half charge")],
            none_text="no limit",
        ),
        RPM: Scale(
            "Motor speed limit",
            "rpm",
            0,
            _round_up(1.15 * bike.motor.max_rpm, 50),
            10,
            1,
            [Stop(bike.motor.max_rpm, f"motor {bike.motor.max_rpm:g}")],
        ),
        SPEED: scale_of(SPEED, bike, None, units),
    }


def _weakening_stops(bike: Bike) -> list[Stop]:
    limit = bike.motor.demagnetising_a
    return [Stop(limit, f"magnets {limit:g}")] if limit else []


def _round_up(value: float, to: float) -> float:
    return -(-value // to) * to
