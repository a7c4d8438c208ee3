"""Times as logs write them, turned into seconds: running numbers, epochs, clock times, dates."""

from __future__ import annotations

import re
from datetime import datetime

import numpy as np

from crisp_hornet.core.motor import Array
from crisp_hornet.rides.quantities import turn_into
from crisp_hornet.rides.table import Column

DAY_S = 86400.0
_CLOCK = re.compile(r"^\s*(?:(\d{1,3}):)?(\d{1,2}):(\d{1,2}(?:[.,]\d+)?)\s*([AaPp][Mm])?\s*$")
_FORMATS = (
    "%Y-%m-%dT%H:%M:%S.%f%z", "%Y-%m-%dT%H:%M:%S%z", "%Y-%m-%dT%H:%M:%S.%f", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M:%S.%f",
    "%Y-%m-%d %H:%M:%S",
    "%Y/%m/%d %H:%M:%S.%f", "%Y/%m/%d %H:%M:%S", "%d.%m.%Y %H:%M:%S.%f", "%d.%m.%Y %H:%M:%S", "%d/%m/%Y %H:%M:%S", "%m/%d/%Y %H:%M:%S",
    "%m/%d/%Y %I:%M:%S %p", "%d-%b-%Y %H:%M:%S", "%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M", "%d/%m/%Y %H:%M:%S.%f", "%m/%d/%Y %H:%M:%S.%f",
)  # fmt: skip
EPOCHS = ((1e17, 1e-9), (1e14, 1e-6), (1e11, 1e-3), (4e8, 1.0))


def seconds_of(column: Column) -> tuple[Array, str] | None:
    """(seconds (n,), how it was read) of a column of times; None where it holds none.

    A clock that passes midnight goes on. Seconds are not shifted to start at 0 here.
    """
    if column.texts is not None:
        return _from_texts(column.texts)
    values = column.values
    good = values[np.isfinite(values)]
    if good.size < 2:
        return None
    middle = float(np.median(np.abs(good)))
    for least, factor in EPOCHS:
        if middle > least:
            return values * factor, "seconds since 1970"
    if column.unit and (turn := turn_into(column.unit, "s")) is not None:
        return values * turn.factor, f"{column.unit} since the start"
    steps = np.diff(good)
    step = float(np.median(steps[steps > 0])) if np.any(steps > 0) else 0.0
    if 25_000 < middle < 80_000 and step < 0.01:
        return values * DAY_S, "days of a spreadsheet"
    if step >= 5 and np.all(good == np.round(good)):
        return values / 1000, "milliseconds since the start"
    return values, "seconds since the start"


def _from_texts(texts: list[str]) -> tuple[Array, str] | None:
    filled = [text for text in texts if text.strip()]
    if len(filled) < 2:
        return None
    if all(_CLOCK.match(text) for text in filled[:20]):
        return _past_midnight(np.array([_clock(text) for text in texts])), "a clock"
    return _dates(texts, filled)


def _clock(text: str) -> float:
    found = _CLOCK.match(text)
    if found is None:
        return float("nan")
    hours, minutes, seconds, half = found.groups()
    hour = int(hours or 0)
    if half:
        hour = hour % 12 + (12 if half.lower() == "pm" else 0)
    return 3600 * hour + 60 * int(minutes) + float(seconds.replace(",", "."))


def _past_midnight(seconds: Array) -> Array:
    """A clock that falls by more than half a day went past midnight; 12-hour clocks without a half of the day by half of one."""
    good = np.flatnonzero(np.isfinite(seconds))
    falls = np.diff(seconds[good])
    days = np.zeros(len(seconds))
    days[good[1:]] = falls < -DAY_S / 2
    turned: Array = seconds + DAY_S * np.cumsum(days)
    return turned


def _dates(texts: list[str], filled: list[str]) -> tuple[Array, str] | None:
    for form in _fitting(filled):
        parsed = [_date(text, form) for text in texts]
        values = np.array([np.nan if one is None else one for one in parsed])
        if np.isfinite(values).mean() > 0.8:
            return values, "dates and times"
    return None


def _fitting(filled: list[str]) -> list[str]:
    """The forms that read the first, the middle and the last time; day before month unless that runs backwards."""
    probe = [filled[0], filled[len(filled) // 2], filled[-1]]
    return [form for form in _FORMATS if all(_date(one, form) is not None for one in probe)]


def _date(text: str, form: str) -> float | None:
    text = text.strip().replace(",", ".") if "%f" in form else text.strip()
    text = re.sub(r"(\.\d{6})\d+", r"\1", text)
    text = text.replace("Z", "+00:00") if form.endswith("%z") else text.removesuffix("Z")
    try:
        found = datetime.strptime(text, form)
    except ValueError:
        return None
    start = datetime(1970, 1, 1, tzinfo=found.tzinfo)
    return (found - start).total_seconds()


def with_date(date: Column, clock: Column) -> Column | None:
    """A column of dates and one of clock times as one; None where they do not fit together."""
    if date.texts is None or clock.texts is None:
        return None
    both = [f"{one.strip()} {other.strip()}" for one, other in zip(date.texts, clock.texts, strict=True)]
    return Column("date and time", "", np.full(len(both), np.nan), both)
