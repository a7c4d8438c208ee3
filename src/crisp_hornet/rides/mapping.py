"""Which column is which channel: by name, unit and the shape of the data, with a confidence and the reason in words."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.rides.clocks import seconds_of, with_date
from crisp_hornet.rides.quantities import CHANNEL_UNIT, known_unit, turn_into
from crisp_hornet.rides.table import Column, Table

TIME = "time"
EXACT = "named like the channel"
# channel: (a name that says it, a name that speaks against it); tried from the most special on
_NAMES: tuple[tuple[str, str, str], ...] = (
    ("lat_deg", r"\b(lat|latitude|breite|breitengrad|position lat)\b", r""),
    ("lon_deg", r"\b(lon|lng|long|longitude|länge|längengrad|position long)\b", r""),
    ("gps_speed_kmh", r"(gps|sog|satellite).*(speed|velo|geschw|tempo)|(speed|velo|geschw|tempo).*(gps|satellite)", r"wheel|motor"),
    ("cadence_rpm", r"\bcad\b|cadence|trittfrequenz|(crank|pedal).*(rpm|speed)", r""),
    ("human_w", r"(human|rider|pedal|leg|fahrer).*(power|watt|leistung)", r""),
    ("human_nm", r"(crank|pedal|human|rider|leg|fahrer).*(torque|moment)|^torque$|drehmoment", r"motor"),
    ("d_axis_a", r"^i_?d\b|d.?axis|\bid\b.*(current|a)$|field.?weak.*current", r""),
    ("phase_a", r"(phase|motor|stator|mot|q.?axis|leg).*(current|amp|strom|\bi\b)|^i_?q\b|^phase$", r"batt|pack|temp"),
    ("motor_c", r"(motor|winding|stator|\bmot\b|wicklung).*(temp|heat|°|\bt\b)|\bt ?(motor|mot|winding)|temp.*(motor|mot|winding)", r""),
    ("controller_c", r"(controller|ctrl|mosfet|\bfet\b|esc|heat.?sink|stage|inverter|regler).*(temp|heat|°|\bt\b)"
     r"|t_?(controller|fet|esc|ctrl)|temp.*(controller|fet|esc|ctrl|regler)", r""),
    ("motor_rpm", r"(motor|mot|shaft|engine).*(rpm|speed|drehzahl|rev)|^rpm$|drehzahl|\bn_mot", r"e.?rpm|wheel"),
    ("wheel_speed_kmh", r"(wheel|rad|bike|road|ground)?.*(speed|velocity|geschwindigkeit|vitesse|tempo)"
     r"|\bv_(bike|wheel|rad)\b|\bkm/?h\b|\bmph\b", r"\bwind\b|motor|gps|\bfan\b"),
    ("pack_v", r"(pack|batt|bat|akku|input|supply|bus|dc|main).*(volt|\bu\b|spannung|\bv\b)"
     r"|^volt(s|age)?$|^u ?(bat|pack|dc|akku)?$|^spannung$|^v ?(bat|batt|pack|in)$", r"cell|throttle|signal|12"),
    ("battery_a", r"(pack|batt|bat|akku|input|supply|bus|dc|main).*(curr|amp|strom|\bi\b|\ba\b)"
     r"|^current$|^amp(s|ere)?$|^i ?(bat|batt|pack|in|dc|akku)$|^strom$", r"phase|motor|max"),
    ("power_w", r"(pack|batt|bat|elec|input|akku)?.*(power|watts?|leistung)\b|^p ?(bat|el|in)?$",
     r"human|rider|pedal|leg|motor.?mech|max|fahrer"),
    ("throttle", r"throttle|twist|\bgas\b|griff|accelerator", r"volt"),
    ("altitude_m", r"\balt|elev|\bele\b|height|höhe", r""),
    ("distance_km", r"dist|\btrip\b|odo|strecke", r""),
    ("brake", r"brake|bremse|lever", r"temp|regen"),
    ("fault", r"fault|error|fehler", r""),
    ("level", r"(assist|support|unterst).*(level|stufe)|^(level|stufe|assist)$", r""),
    ("mode", r"\bmode\b|profile|modus", r""),
    ("motor_c", r"^temp(erature)?s?$|^temp", r"amb|air|out|batt|fet|controller"),
)  # fmt: skip
_TIME_NAME = re.compile(
    r"^(time|t|timestamp|zeit|date.?time|datum.*|date|clock|elapsed.*|uhrzeit|seconds|secs?|ms|millis.*|epoch.*|utc.*|local.?time|.*\btime(stamp)?\b.*|.*zeit\b.*)$"
)
_PLAUSIBLE: dict[str, tuple[float, float]] = {
    "wheel_speed_kmh": (-2, 160), "gps_speed_kmh": (-2, 160), "motor_rpm": (-500, 20000), "pack_v": (8, 160), "battery_a": (-200, 500),
    "phase_a": (-800, 800), "d_axis_a": (-500, 500), "throttle": (-0.1, 1.3), "human_nm": (-60, 350), "cadence_rpm": (-5, 220),
    "motor_c": (-40, 260), "controller_c": (-40, 180), "altitude_m": (-450, 9000), "lat_deg": (-90, 90), "lon_deg": (-180, 180),
    "power_w": (-20000, 40000), "human_w": (-50, 2500), "distance_km": (0, 2000), "brake": (-0.1, 1.1), "level": (-1, 30), "mode": (-1, 60),
    "fault": (-1, 1e6),
}  # fmt: skip


@dataclass(frozen=True)
class Assigned:
    """One column taken as a channel: ``value = raw·factor + offset``."""

    column: int
    channel: str
    unit: str
    factor: float
    offset: float
    confidence: float
    why: str


@dataclass(frozen=True)
class Mapping:
    """Which columns are what; ``time`` names the columns that hold the time (a date beside its clock first). ``steady``: what follows a
    fault of the clock is moved so that the time goes on; otherwise rows that lie behind are left out."""

    assigned: list[Assigned]
    time: tuple[int, ...]
    time_told: str = ""
    notes: list[str] = field(default_factory=list)
    steady: bool = True

    def of(self, channel: str) -> Assigned | None:
        """The column of a channel."""
        return next((column for column in self.assigned if column.channel == channel), None)

    def with_column(self, table: Table, column: int, channel: str, unit: str = "") -> Mapping:
        """This mapping with one column set by hand ("" for none); another column of that channel gives it up."""
        kept = [one for one in self.assigned if one.column != column and one.channel != channel]
        if not channel:
            return replace(self, assigned=kept)
        made = _assign(table.columns[column], column, channel, 1.0, "set by hand", unit)
        return replace(self, assigned=[*kept, made])


def suggest(table: Table) -> Mapping:
    """The mapping that fits best. A column serves one channel, a channel takes its most confident column."""
    time, told = _time(table)
    taken: dict[str, Assigned] = {}
    for at, column in enumerate(table.columns):
        if at in time:
            continue
        found = _recognise(column, at)
        if found is not None and (found.channel not in taken or found.confidence > taken[found.channel].confidence):
            taken[found.channel] = found
    return Mapping(sorted(taken.values(), key=lambda one: one.column), time, told)


def _plain(name: str) -> str:
    spaced = re.sub(r"(?<=[a-zäöü0-9])(?=[A-ZÄÖÜ])", " ", name)
    return re.sub(r"[\s_\-./:]+", " ", spaced).strip().lower()


def _recognise(column: Column, at: int) -> Assigned | None:
    if column.texts is not None or not np.isfinite(column.values).any():
        return None
    exact = column.name.lower()
    whole = f"{exact}_{column.unit}".replace("/", "").replace("°", "")
    for channel in CHANNEL_UNIT:
        if channel in (exact, whole):
            return _assign(column, at, channel, 1.0, EXACT)
    name = _plain(column.name)
    for channel, says, against in _NAMES:
        if re.search(says, name) and not (against and re.search(against, name)):
            unit_fits = not column.unit or turn_into(column.unit, CHANNEL_UNIT[channel]) is not None
            if not unit_fits:
                continue
            sure = 0.9 if column.unit else 0.75
            made = _assign(column, at, channel, sure, "by its name" + (" and unit" if column.unit else ""))
            low, high = _PLAUSIBLE[channel]
            middle = _middle(column.values * made.factor + made.offset)
            if not low <= middle <= high:
                made = replace(made, confidence=0.3, why=f"{made.why}, but its figures are not of that size")
            return made
    return _by_unit(column, at)


def _by_unit(column: Column, at: int) -> Assigned | None:
    """A column that only its unit tells, where one channel of that unit is the usual one."""
    usual = {"km/h": "wheel_speed_kmh", "V": "pack_v", "A": "battery_a", "W": "power_w"}
    for unit, channel in usual.items():
        if column.unit and turn_into(column.unit, unit) is not None:
            return _assign(column, at, channel, 0.4, "by its unit alone")
    return None


def _assign(column: Column, at: int, channel: str, confidence: float, why: str, unit: str = "") -> Assigned:
    unit = known_unit(unit) or column.unit
    wanted = CHANNEL_UNIT[channel]
    turn = turn_into(unit, wanted) if unit else None
    if turn is not None:
        return Assigned(at, channel, unit, turn.factor, turn.offset, confidence, why)
    factor, offset, guessed = _guess(column.values, channel)
    told = f"{why}; {guessed}" if guessed else why
    return Assigned(at, channel, unit, factor, offset, confidence * (0.8 if guessed else 1.0), told)


def _guess(values: Array, channel: str) -> tuple[float, float, str]:
    """A unit that nobody names, from the size of the figures."""
    good = np.abs(values[np.isfinite(values)])
    most = float(np.percentile(good, 99)) if good.size else 0.0
    if channel == "throttle" and most > 1.5:
        return (
            (0.01, 0.0, "taken as percent")
            if most <= 110
            else (1 / most, 0.0, "taken as a share of its greatest figure")
        )
    if channel == "pack_v" and most > 1000:
        return 1e-3, 0.0, "taken as millivolts"
    if channel in ("battery_a", "phase_a") and most > 2000:
        return 1e-3, 0.0, "taken as milliamperes"
    if channel in ("motor_c", "controller_c"):
        start = _middle(values[np.isfinite(values)][:50])
        if start > 150:
            return (1.0, -273.15, "taken as kelvin") if start < 400 else (0.1, 0.0, "taken as tenths of a degree")
    if channel in ("lat_deg", "lon_deg") and most > 1e6:
        return 180 / 2**31, 0.0, "taken as semicircles"
    if channel == "distance_km" and most > 500:
        return 1e-3, 0.0, "taken as metres"
    return 1.0, 0.0, ""


def _middle(values: Array) -> float:
    good = values[np.isfinite(values)]
    return float(np.median(good)) if good.size else 0.0


def _time(table: Table) -> tuple[tuple[int, ...], str]:
    """The column of times, or a date and its clock."""
    named = [at for at, one in enumerate(table.columns) if _TIME_NAME.match(_plain(one.name)) or one.name == "time_s"]
    others = [at for at in range(len(table.columns)) if at not in named]
    pairs = [
        (a, b) for a in named for b in named
        if a != b and "dat" in _plain(table.columns[a].name) and "time" not in _plain(table.columns[a].name)
    ]  # fmt: skip
    for a, b in pairs:
        both = with_date(table.columns[a], table.columns[b])
        if both is not None and (found := seconds_of(both)) is not None and _runs(found[0]):
            return (a, b), found[1]
    for at in [*named, *others[:3]]:
        column = table.columns[at]
        if at in others and (column.texts is None and not _even(column.values)):
            continue
        found = seconds_of(column)
        if found is not None and _runs(found[0]):
            return (at,), found[1]
    return (), ""


def _runs(seconds: Array) -> bool:
    """Whether these go on as times do; a counter may start anew now and then."""
    steps = np.diff(seconds[np.isfinite(seconds)])
    if not np.any(steps > 0):
        return False
    rising = float(np.mean(steps >= 0))
    return rising > 0.9 and (float(steps.sum()) > 0 or rising > 0.99)


def _even(values: Array) -> bool:
    """An unnamed column is only taken as time where it grows by even steps."""
    steps = np.diff(values[np.isfinite(values)])
    return steps.size > 2 and bool(np.all(steps > 0)) and float(np.std(steps)) < 0.5 * float(np.mean(steps))


def kept_rows(mapping: Mapping) -> list[dict[str, object]]:
    """A mapping as it is remembered for its source."""
    return [{"column": column.column, "channel": column.channel, "unit": column.unit, "factor": column.factor, "offset": column.offset}
            for column in mapping.assigned]  # fmt: skip


def remembered(mapping: Mapping, table: Table, rows: object) -> Mapping:
    """The mapping as it was set by hand for this source before; what makes no sense is passed over."""
    assigned = []
    for row in rows if isinstance(rows, list) else []:
        if not isinstance(row, dict) or row.get("channel") not in CHANNEL_UNIT:
            continue
        column, factor, offset = row.get("column"), row.get("factor"), row.get("offset")
        numbers = all(isinstance(one, (int, float)) and not isinstance(one, bool) for one in (factor, offset))
        if isinstance(column, int) and 0 <= column < len(table.columns) and numbers:
            assigned.append(
                Assigned(column, str(row["channel"]), known_unit(str(row.get("unit", ""))), float(factor), float(offset), 1.0,  # type: ignore[arg-type]
                         "as set by hand before")
            )  # fmt: skip
    return replace(mapping, assigned=assigned) if assigned else mapping
