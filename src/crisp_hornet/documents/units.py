"""The one table of units: documents and computation stay SI (speeds km/h); what is shown can be miles, Fahrenheit and pounds."""

from __future__ import annotations

from dataclasses import dataclass

KM_PER_MILE = 1.609344
M_PER_FOOT = 0.3048
KG_PER_POUND = 0.45359237
NM_PER_POUND_FOOT = 1.3558179483314004


@dataclass(frozen=True)
class Other:
    """What a unit is in the other system: ``shown = value·factor + offset``."""

    symbol: str
    factor: float
    offset: float = 0.0


OTHER = {
    "km/h": Other("mph", 1 / KM_PER_MILE),
    "Wh/km": Other("Wh/mi", KM_PER_MILE),
    "km": Other("mi", 1 / KM_PER_MILE),
    "°C": Other("°F", 1.8, 32.0),
    "kg": Other("lb", 1 / KG_PER_POUND),
    "m": Other("ft", 1 / M_PER_FOOT),
    "K": Other("°F", 1.8),  # a difference of temperatures
    "N·m": Other("lbf·ft", 1 / NM_PER_POUND_FOOT),
}


@dataclass(frozen=True)
class Units:
    """Metric, or the other system."""

    metric: bool = True

    def _other(self, unit: str) -> Other:
        return Other(unit, 1.0) if self.metric or unit not in OTHER else OTHER[unit]

    def value(self, value: float, unit: str) -> float:
        """A figure in the shown unit."""
        other = self._other(unit)
        return value * other.factor + other.offset

    def difference(self, value: float, unit: str) -> float:
        """A difference of two figures in the shown unit: no offset."""
        return value * self._other(unit).factor

    def back(self, shown: float, unit: str) -> float:
        """A typed figure back in the document's unit."""
        other = self._other(unit)
        return (shown - other.offset) / other.factor

    def unit(self, unit: str) -> str:
        """The name of the shown unit."""
        return self._other(unit).symbol

    def text(self, text: str) -> str:
        """A text as it is shown: a :class:`~crisp_hornet.documents.saying.Saying` in the shown units, plain words as they are."""
        turned = getattr(text, "in_units", None)
        return text if turned is None else str(turned(self))


METRIC = Units()
