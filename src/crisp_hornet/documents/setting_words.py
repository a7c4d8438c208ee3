"""What each setting of a tune is called, in which unit it is told, and how its value reads."""

from __future__ import annotations

from itertools import pairwise

from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.settings import choices

WORDS: dict[str, tuple[str, str]] = {
    "drive.phase_current_a": ("phase current", "A"),
    "drive.battery_current_a": ("battery current", "A"),
    "drive.power_w": ("power limit", "W"),
    "drive.field_weakening_a": ("field weakening", "A"),
    "drive.motor_rpm": ("motor speed limit", "rpm"),
    "drive.speed_kmh": ("speed limit", "km/h"),
    "drive.speed_taper_kmh": ("speed limit taper", "km/h"),
    "regen.phase_current_a": ("regen phase current", "A"),
    "regen.battery_current_a": ("regen battery current", "A"),
    "regen.fade_start_v": ("regen cutoff start", "V"),
    "regen.fade_end_v": ("regen cutoff end", "V"),
    "braking.command": ("regen commanded by", ""),
    "braking.lift_off_share": ("regen on closing the throttle", "%"),
    "braking.ramp_s": ("regen ramp", "s"),
    "battery_guard.fade_start_v": ("low-voltage cutoff start", "V"),
    "battery_guard.fade_end_v": ("low-voltage cutoff end", "V"),
    "heat_guard.motor_fade_start_c": ("motor derating start", "°C"),
    "heat_guard.motor_fade_end_c": ("motor derating end", "°C"),
    "heat_guard.controller_fade_start_c": ("controller derating start", "°C"),
    "heat_guard.controller_fade_end_c": ("controller derating end", "°C"),
    "throttle.share_25": ("current at 25 % throttle", "%"),
    "throttle.share_50": ("current at 50 % throttle", "%"),
    "throttle.share_75": ("current at 75 % throttle", "%"),
    "throttle.maximum": ("max throttle current", "%"),
    "throttle.dead_band": ("throttle dead band", "%"),
    "throttle.ramp_s": ("throttle ramp-up", "s"),
    "throttle.release_s": ("throttle ramp-down", "s"),
    "throttle.start": ("throttle works when", ""),
    "throttle.rolling_kmh": ("throttle minimum speed", "km/h"),
    "throttle.at_level_zero": ("throttle at level zero", ""),
    "throttle.follows_level": ("throttle scales with level", ""),
    "throttle.rolling_back": ("throttle on rollback", ""),
    "throttle.walk_kmh": ("walk assist", "km/h"),
    "throttle.speed_kmh": ("throttle speed limit", "km/h"),
    "throttle.asks": ("throttle asks for", ""),
    "throttle.cruise_s": ("cruise after", "s"),
    "throttle.cruise_least_kmh": ("cruise minimum speed", "km/h"),
    "throttle.cruise_ends": ("cruise ends with", ""),
    "throttle.response.count": ("points of the response map", ""),
    "assist.style": ("assist style", ""),
    "assist.handover_rpm": ("blend cadence", "rpm"),
    "assist.development_m": ("metres per crank turn", "m/turn"),
    "assist.start_nm": ("start threshold, torque", "N·m"),
    "assist.start_deg": ("start threshold, angle", "°"),
    "assist.smoothing_deg": ("torque smoothing", "°"),
    "assist.ramp_s": ("assist ramp-up", "s"),
    "assist.start_delay_s": ("start delay", "s"),
    "assist.start_current_a": ("start current", "A"),
    "assist.hold_s": ("assist hold time", "s"),
    "assist.stop_s": ("assist ramp-down", "s"),
    "assist.speed_kmh": ("assist speed limit", "km/h"),
    "assist.shift_cut_s": ("shift cut", "s"),
    "assist.shift_share": ("torque during the shift cut", "%"),
    "assist.levels.count": ("number of levels", ""),
    "modes.count": ("number of modes", ""),
}
SWITCHED_OFF = (
    "throttle.walk_kmh",
    "throttle.cruise_s",
    "assist.shift_cut_s",
)  # where nothing set is no limit but nothing
_LEVEL = {"multiplier": ("multiplier", "×"), "power_share": ("power", "%"), "speed_share": ("speed", "%")}
_MODE = {
    "starts": ("start-up mode", ""),
    "reverse": ("reverse", ""),
    "phase_current_a": ("phase current", "A"),
    "battery_current_a": ("battery current", "A"),
    "power_w": ("power limit", "W"),
    "speed_kmh": ("speed limit", "km/h"),
    "field_weakening_a": ("field weakening", "A"),
    "throttle_maximum": ("max throttle current", "%"),
    "highest_level": ("highest level", ""),
}


_POINT = {"volts": ("voltage", "V"), "share": ("share", "%")}
_ROWS = {"levels": ("level", _LEVEL), "response": ("response point", _POINT), "modes": ("mode", _MODE)}


def label_of(path: str) -> str:
    """The name of a setting, e.g. ``level 3, multiplier`` or ``mode 2, level 1, power``."""
    if path in WORDS:
        return WORDS[path][0]
    *steps, key = path.split(".")
    told = [f"{_ROWS[kind][0]} {at}" for kind, at in pairwise(steps) if at.isdecimal()]
    return ", ".join([*told, "number of levels" if key == "count" else _ROWS[_row_kind(path)][1][key][0]])


def unit_of(path: str) -> str:
    """The unit a setting is told in; shares are told in percent."""
    if path in WORDS:
        return WORDS[path][1]
    key = path.rpartition(".")[2]
    return "" if key == "count" else _ROWS[_row_kind(path)][1][key][1]


def _row_kind(path: str) -> str:
    return path.split(".")[-3]


def in_words(path: str, value: float | None) -> str:
    """A setting's value as it is told: ``36 A``, ``40 %``, ``torque``, ``no limit``."""
    if value is None:
        return "none" if path in SWITCHED_OFF else "no limit"
    words = choices(path)
    if words:
        return words[int(value)] if value in range(len(words)) else f"{value:g}"
    unit = unit_of(path)
    return say("{value}", value=quantity(100 * value if unit == "%" else value, unit))
