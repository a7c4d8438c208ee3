"""Units as logs write them, and what turns their figures into the channels' own unit."""

from __future__ import annotations

import re
from dataclasses import dataclass

from crisp_hornet.documents.channels import READ_FROM_LOGS, TABLE
from crisp_hornet.documents.units import KM_PER_MILE, NM_PER_POUND_FOOT

LONGEST_NAME = 120  # characters of a column's name: looking for words in longer ones costs more than their length

CHANNEL_UNIT = {name: TABLE[name].unit or "1" for name in READ_FROM_LOGS}
# spelling: (dimension, factor, offset) into the dimension's own unit
_UNITS: dict[str, tuple[str, float, float]] = {
    "km/h": ("km/h", 1, 0), "kmh": ("km/h", 1, 0), "kph": ("km/h", 1, 0), "km/std": ("km/h", 1, 0), "mph": ("km/h", KM_PER_MILE, 0),
    "mi/h": ("km/h", KM_PER_MILE, 0), "m/s": ("km/h", 3.6, 0), "mps": ("km/h", 3.6, 0), "kn": ("km/h", 1.852, 0), "kt": ("km/h", 1.852, 0),
    "rpm": ("rpm", 1, 0), "1/min": ("rpm", 1, 0), "u/min": ("rpm", 1, 0), "min-1": ("rpm", 1, 0), "rps": ("rpm", 60, 0),
    "rad/s": ("rpm", 9.549296585513721, 0), "v": ("V", 1, 0), "volt": ("V", 1, 0), "volts": ("V", 1, 0), "mv": ("V", 1e-3, 0),
    "cv": ("V", 1e-2, 0), "a": ("A", 1, 0), "amp": ("A", 1, 0), "amps": ("A", 1, 0), "ampere": ("A", 1, 0), "ma": ("A", 1e-3, 0),
    "w": ("W", 1, 0), "watt": ("W", 1, 0), "watts": ("W", 1, 0), "kw": ("W", 1e3, 0), "%": ("1", 0.01, 0), "percent": ("1", 0.01, 0),
    "pct": ("1", 0.01, 0), "n·m": ("N·m", 1, 0), "nm": ("N·m", 1, 0), "n-m": ("N·m", 1, 0), "n*m": ("N·m", 1, 0),
    "lbf·ft": ("N·m", NM_PER_POUND_FOOT, 0), "lb-ft": ("N·m", NM_PER_POUND_FOOT, 0), "ft-lb": ("N·m", NM_PER_POUND_FOOT, 0),
    "ftlb": ("N·m", NM_PER_POUND_FOOT, 0), "lb·ft": ("N·m", NM_PER_POUND_FOOT, 0), "ft·lb": ("N·m", NM_PER_POUND_FOOT, 0),
    "lbft": ("N·m", NM_PER_POUND_FOOT, 0), "ft-lbf": ("N·m", NM_PER_POUND_FOOT, 0), "lbf-ft": ("N·m", NM_PER_POUND_FOOT, 0),
    "°c": ("°C", 1, 0), "c": ("°C", 1, 0), "degc": ("°C", 1, 0), "celsius": ("°C", 1, 0), "°f": ("°C", 1 / 1.8, -32 / 1.8),
    "f": ("°C", 1 / 1.8, -32 / 1.8), "degf": ("°C", 1 / 1.8, -32 / 1.8), "fahrenheit": ("°C", 1 / 1.8, -32 / 1.8), "k": ("°C", 1, -273.15),
    "m": ("m", 1, 0), "ft": ("m", 0.3048, 0), "feet": ("m", 0.3048, 0), "km": ("km", 1, 0), "mi": ("km", KM_PER_MILE, 0),
    "miles": ("km", KM_PER_MILE, 0), "°": ("°", 1, 0), "deg": ("°", 1, 0), "degrees": ("°", 1, 0), "semicircles": ("°", 180 / 2**31, 0),
    "s": ("s", 1, 0), "sec": ("s", 1, 0), "secs": ("s", 1, 0), "seconds": ("s", 1, 0), "ms": ("s", 1e-3, 0), "millis": ("s", 1e-3, 0),
    "us": ("s", 1e-6, 0), "µs": ("s", 1e-6, 0), "min": ("s", 60, 0), "h": ("s", 3600, 0), "ns": ("s", 1e-9, 0),
}  # fmt: skip
# characters that stand for others in units
_ALIKE = str.maketrans({"º": "°", "˚": "°", "℃": "°C", "℉": "°F", "⋅": "·", "∙": "·", "•": "·", "μ": "µ"})
_ACROSS = {("m", "km"): 1e-3, ("km", "m"): 1e3}
_IN_NAME = re.compile(r"[\(\[\{]\s*([^\)\]\}]{1,14})\s*[\)\]\}]\s*$")
_AFTER = re.compile(r"(?:[_\s/,:-]+)([A-Za-zµμ°℃℉%·⋅/\-*1]{1,12})$")


@dataclass(frozen=True)
class Turn:
    """``value = raw·factor + offset``."""

    factor: float = 1.0
    offset: float = 0.0


def known_unit(text: str) -> str:
    """The spelling under which a unit is known, or ""."""
    plain = text.strip().translate(_ALIKE).lower().replace(" ", "").replace("^", "").strip(".")
    return plain if plain in _UNITS else ""


_SHOWN = {"v": "V", "mv": "mV", "cv": "cV", "a": "A", "ma": "mA", "w": "W", "kw": "kW", "°c": "°C", "°f": "°F", "c": "°C", "f": "°F",
          "k": "K", "n·m": "N·m", "nm": "N·m", "kmh": "km/h"}  # fmt: skip


def shown_unit(unit: str) -> str:
    """A known spelling as a person writes it."""
    return _SHOWN.get(unit, unit)


def turn_into(unit: str, wanted: str) -> Turn | None:
    """What turns a known unit into a dimension's own unit; None where it is of another dimension."""
    dimension, factor, offset = _UNITS[unit]
    if dimension == wanted:
        return Turn(factor, offset)
    across = _ACROSS.get((dimension, wanted))
    return Turn(factor * across, 0.0) if across is not None else None


def split_unit(header: str) -> tuple[str, str]:
    """A header cell as (name, unit): ``Speed (km/h)``, ``speed [mph]``, ``speed_kmh``, ``Motor temp °F``."""
    header = header.strip().strip('"').strip()[:LONGEST_NAME]
    if whole := known_unit(header):
        return header, whole
    if (found := _IN_NAME.search(header)) and (unit := known_unit(found[1])):
        return header[: found.start()].strip(" _-"), unit
    if (found := _AFTER.search(header)) and (unit := known_unit(found[1])):
        return header[: found.start()].strip(" _-,:"), unit
    return header, ""


def units_of(wanted: str) -> list[str]:
    """The spellings of units that can be turned into a dimension's own, one for each size."""
    found: dict[tuple[float, float], str] = {}
    for spelling in _UNITS:
        turn = turn_into(spelling, wanted)
        if turn is not None:
            found.setdefault((turn.factor, turn.offset), spelling)
    return list(found.values())
