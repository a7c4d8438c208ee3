"""Sentences whose figures stay figures until they are shown.

A :class:`Saying` is a template and what stands in its places: words, other sayings, and :class:`Quantity` (a value with its unit and the
digits that matter). The template is its id, as with gettext's *msgid*: a translation is another template with the same places. As plain
text it reads in metric units, for logs, files and scripts; the interface renders it by :meth:`Units.text`.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from string import Formatter
from typing import Self, SupportsFloat

from crisp_hornet.documents.units import METRIC, Units


@dataclass(frozen=True)
class Quantity:
    """A figure in its own unit; ``spec`` is how many digits matter, as a format specification. ``bare``: the unit stands behind a later one
    of the same sentence (``20 to 25 km/h``); ``difference``: of two figures, so that no offset counts (± 3 °C)."""

    value: float
    unit: str = ""
    spec: str = "g"
    bare: bool = False
    difference: bool = False

    def in_units(self, units: Units) -> str:
        """The figure and its unit as they are shown."""
        turn = units.difference if self.difference else units.value
        figure = format(turn(self.value, self.unit) if self.unit else self.value, self._spec(units))
        return figure if self.bare or not self.unit else f"{figure} {units.unit(self.unit)}"

    def _spec(self, units: Units) -> str:
        # "as typed" would show what the turning over leaves behind the comma
        return ".3g" if self.spec == "g" and units.unit(self.unit) != self.unit else self.spec


def quantity(
    value: SupportsFloat | None, unit: str = "", spec: str = "g", *, bare: bool = False, difference: bool = False
) -> Quantity:
    """See :class:`Quantity`; None is not known: NaN."""
    return Quantity(math.nan if value is None else float(value), unit, spec, bare, difference)


@dataclass(frozen=True)
class Symbol:
    """A unit by itself, as on an axis."""

    unit: str

    def in_units(self, units: Units) -> str:
        """As it is shown."""
        return units.unit(self.unit)


Place = Quantity | Symbol | str | float


class Saying(str):
    """See the module. Two are equal when they read the same."""

    template: str
    places: dict[str, Place]

    def __new__(cls, template: str, places: dict[str, Place]) -> Self:
        """The text of it is the metric reading."""
        made = super().__new__(cls, _filled(template, places, METRIC))
        made.template, made.places = template, places
        return made

    def __add__(self, other: str) -> Saying:
        """Both, one behind the other."""
        return joined("", (self, other))

    def __radd__(self, other: str) -> Saying:
        """The same, behind plain words."""
        return joined("", (other, self))

    def in_units(self, units: Units) -> str:
        """As it is shown."""
        return str(self) if units.metric else _filled(self.template, self.places, units)


def say(template: str, **places: Place) -> Saying:
    """A saying: ``say("It reaches {top}.", top=Quantity(63.4, "km/h", ".0f"))``. Raises :class:`KeyError` for a place without its thing."""
    return Saying(template, places)


def worded(templates: Sequence[str], places: dict[str, Place]) -> list[Saying]:
    """One saying a template, all from the same places. Raises :class:`KeyError` for a place that none of them has: it would be lost."""
    asked = {name for template in templates for _, name, _, _ in Formatter().parse(template) if name}
    if left := set(places) - asked:
        raise KeyError(", ".join(sorted(left)))
    return [Saying(template, places) for template in templates]


def joined(between: str, parts: Iterable[str]) -> Saying:
    """Several, one behind the other, as ``between.join(parts)`` reads."""
    listed = list(parts)
    names = [f"part_{at}" for at in range(len(listed))]
    return Saying(
        between.replace("{", "{{").replace("}", "}}").join(f"{{{name}}}" for name in names),
        dict(zip(names, listed, strict=True)),
    )


def counted(number: int, noun: str, many: str = "") -> str:
    """``1 note``, ``3 notes``; ``many`` where the plural is not with an s."""
    return f"{number} {noun if number == 1 else many or noun + 's'}"


def rounded(value: float, digits: int = 2) -> float:
    """To as many digits as a figure deserves: 213 is 210."""
    return float(f"{value:.{digits}g}")


def capital(text: str) -> str:
    """With a capital letter first; what follows stays as it is."""
    if not isinstance(text, Saying):
        return text[:1].upper() + text[1:]
    template, places = text.template, dict(text.places)
    if template.startswith("{"):
        name = template[1 : template.index("}")]
        first = places[name]
        if isinstance(first, str):
            places[name] = capital(first)
        return Saying(template, places)
    return Saying(template[:1].upper() + template[1:], places)


def _filled(template: str, places: dict[str, Place], units: Units) -> str:
    def fill(place: Place) -> str:
        return place.in_units(units) if isinstance(place, (Quantity, Symbol, Saying)) else str(place)

    return template.format_map({name: fill(place) for name, place in places.items()})
