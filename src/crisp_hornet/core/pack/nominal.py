"""The voltage a pack is called by. Builders round: 14 cells of 3.6 to 3.7 V are a "52 V" pack, 13 a "48 V" one."""

from __future__ import annotations

from crisp_hornet.documents.battery import Battery

CELL_V = {"lfp": 3.2}
OTHER_CELL_V = 3.65  # between the 3.6 V and 3.7 V that labels of cobalt cells name
CALLED_V = {10: 36, 13: 48, 14: 52, 16: 60, 20: 72}
CALLED_LFP_V = {8: 24, 12: 36, 15: 48, 16: 48, 20: 60, 24: 72}
TOLERANCE = 0.04  # one cell more or less is 5 to 7 %


def cells_v(battery: Battery) -> float:
    """The mean voltage of its cells in series (V)."""
    return CELL_V.get(battery.chemistry, OTHER_CELL_V) * battery.series


def called_v(battery: Battery) -> float:
    """What builders call the pack (V)."""
    table = CALLED_LFP_V if battery.chemistry == "lfp" else CALLED_V
    return float(table.get(battery.series, round(cells_v(battery))))


def names(nominal_v: float, battery: Battery) -> bool:
    """Whether a nominal voltage (V) that somebody typed means this pack: what it is called, or what its cells add up to."""
    return any(abs(nominal_v / one - 1) <= TOLERANCE for one in (called_v(battery), cells_v(battery)))


def same_class(nominal_v: float, other_v: float) -> bool:
    """Whether two typed nominal voltages (V) mean one pack."""
    return abs(nominal_v / other_v - 1) <= TOLERANCE
