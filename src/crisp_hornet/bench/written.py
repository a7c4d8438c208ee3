"""Lines that were written down, in the shown units. The logbook keeps sentences as they read in metric, also those of earlier years: their
figures are found by the units behind them. Everything that is not kept as text goes by :class:`~crisp_hornet.documents.saying.Saying`.
"""

from __future__ import annotations

import re

from crisp_hornet.documents.units import OTHER, Units

_UNIT = "|".join(re.escape(unit) for unit in sorted(OTHER, key=len, reverse=True))
_NUMBER = r"[−-]?\d+(?:\.\d+)?"
_WITH_NUMBERS = re.compile(
    rf"(?P<first>{_NUMBER})(?P<between> to | ± | \+ | and )?(?(between)(?P<second>{_NUMBER}))"
    rf"(?P<gap> ?)(?P<unit>{_UNIT})(?![\w/·])"
)
_ALONE = re.compile(rf"(?<![\w/·])(?:{_UNIT})(?![\w/·])")


def turned_over(line: str, units: Units) -> str:
    """A kept line with its figures and units as they are shown."""
    if units.metric:
        return line

    def turned(found: re.Match[str]) -> str:
        unit, between = found["unit"], found["between"] or ""
        first = _number(found["first"], units.value(_float(found["first"]), unit))
        turn = units.difference if between == " ± " else units.value
        second = _number(found["second"], turn(_float(found["second"]), unit)) if between else ""
        return f"{first}{between}{second}{found['gap']}{units.unit(unit)}"

    return _ALONE.sub(lambda found: units.unit(found[0]), _WITH_NUMBERS.sub(turned, line))


def _float(text: str) -> float:
    return float(text.replace("−", "-"))


def _number(text: str, value: float) -> str:
    return f"{value:.{len(text.partition('.')[2])}f}"
