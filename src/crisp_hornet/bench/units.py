"""Units for the eye: documents and computation stay SI (speeds km/h); what is shown can be miles, Fahrenheit and pounds.

Figures that a widget formats itself go through :meth:`Units.value` and :meth:`Units.unit`; whole sentences, which come from the
core with their figures in them, through :meth:`Units.text`.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

# metric unit: (other unit, factor, offset)
_OTHER = {
    "km/h": ("mph", 1 / 1.609344, 0.0),
    "Wh/km": ("Wh/mi", 1.609344, 0.0),
    "km": ("mi", 1 / 1.609344, 0.0),
    "°C": ("°F", 1.8, 32.0),
    "kg": ("lb", 2.2046226, 0.0),
    "N·m": ("lbf·ft", 0.7375621, 0.0),
}
_UNIT = "|".join(re.escape(unit) for unit in sorted(_OTHER, key=len, reverse=True))
_NUMBER = r"[−-]?\d+(?:\.\d+)?"
_WITH_NUMBERS = re.compile(
    rf"(?P<first>{_NUMBER})(?P<between> to | ± | \+ | and )?(?(between)(?P<second>{_NUMBER}))"
    rf"(?P<gap> ?)(?P<unit>{_UNIT})(?![\w/·])"
)
_ALONE = re.compile(rf"(?<![\w/·])(?:{_UNIT})(?![\w/·])")


@dataclass(frozen=True)
class Units:
    """Metric, or the other system."""

    metric: bool = True

    def value(self, value: float, unit: str) -> float:
        """A figure in the shown unit."""
        if self.metric or unit not in _OTHER:
            return value
        _, factor, offset = _OTHER[unit]
        return value * factor + offset

    def back(self, shown: float, unit: str) -> float:
        """A typed figure back in the document's unit."""
        if self.metric or unit not in _OTHER:
            return shown
        _, factor, offset = _OTHER[unit]
        return (shown - offset) / factor

    def unit(self, unit: str) -> str:
        """The name of the shown unit."""
        return unit if self.metric or unit not in _OTHER else _OTHER[unit][0]

    def text(self, text: str) -> str:
        """A sentence with its figures and units turned over."""
        if self.metric:
            return text
        return _ALONE.sub(lambda found: self.unit(found[0]), _WITH_NUMBERS.sub(self._turned, text))

    def _turned(self, found: re.Match[str]) -> str:
        unit = found["unit"]
        first = self._number(found["first"], unit)
        second = ""
        if found["between"]:
            spread = found["between"] == " ± " and unit == "°C"  # a difference has no offset
            second = found["between"] + (
                self._number(found["second"], unit, -32.0) if spread else self._number(found["second"], unit)
            )
        return f"{first}{second}{found['gap']}{self.unit(unit)}"

    def _number(self, text: str, unit: str, more: float = 0.0) -> str:
        digits = len(text.partition(".")[2])
        return f"{self.value(float(text.replace('−', '-')), unit) + more:.{digits}f}"
