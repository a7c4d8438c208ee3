"""One reader for every figure that is typed: decimal point or comma, thousands as people write them, and no guesses.

What could be read in two ways, is no figure, or lies outside is said, never taken for something else or brought inside by itself.
"""

from __future__ import annotations

import math
import re

_SPACES = "[ \u00a0\u202f'’]"
_GROUPED = re.compile(rf"^[+-]?\d{{1,3}}(?:{_SPACES}\d{{3}})+(?:[.,]\d+)?$")
_POINT_GROUPS = re.compile(r"^[+-]?\d{1,3}(?:(?:\.\d{3})+,\d+|(?:\.\d{3}){2,})$")
_COMMA_GROUPS = re.compile(r"^[+-]?\d{1,3}(?:(?:,\d{3})+\.\d+|(?:,\d{3}){2,})$")
_EITHER = re.compile(r"^[+-]?([1-9]\d{0,2})[.,](\d{3})$")
_PLAIN = re.compile(r"^[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,3})?$")
MOST_LETTERS = 40


class Misread(ValueError):
    """What was typed cannot be taken for one figure; the text says why."""


def figure(
    typed: str, unit: str = "", low: float = -math.inf, high: float = math.inf, thousandths: bool = False
) -> float:
    """The figure in a text, its unit behind it or not. ``thousandths``: three digits behind a comma are usual here; elsewhere ``1.200``
    could be a thousand as well, and is not guessed.

    Raises :class:`Misread`.
    """
    text = typed.strip().replace("−", "-")
    plain = text.removesuffix(unit).strip() if unit else text
    if len(plain) > MOST_LETTERS:
        raise Misread("Too long for a figure")
    if _GROUPED.match(plain):
        plain = re.sub(_SPACES, "", plain).replace(",", ".")
    elif _POINT_GROUPS.match(plain):
        plain = plain.replace(".", "").replace(",", ".")
    elif _COMMA_GROUPS.match(plain):
        plain = plain.replace(",", "")
    elif (found := _EITHER.match(plain)) and not thousandths:
        short = f"{found[1]}.{found[2]}".rstrip("0").rstrip(".")
        raise Misread(f"{text} could be {short} or {found[1]}{found[2]}: write one of them")
    if not _PLAIN.match(plain):
        raise Misread(f"{text!r} is no figure" if text else "No figure was typed")
    value = float(plain.replace(",", "."))
    if not math.isfinite(value):
        raise Misread(f"{text!r} is too large for a figure")
    dust = 1e-6 * max([1.0, *(abs(one) for one in (low, high) if math.isfinite(one))])  # of turning units over and back
    if not low - dust <= value <= high + dust:
        told = f" {unit}" if unit else ""
        raise Misread(
            f"{value:g}{told} lies outside {low:g} to {high:g}{told}"
            if math.isfinite(low)
            else f"{value:g}{told} is over {high:g}{told}"
        )
    return value
