"""Times as logs write them, turned into seconds: running numbers, epochs, clock times, dates."""

from __future__ import annotations

import re

import numpy as np
import polars as pl

from crisp_hornet.core.arrays import Array
from crisp_hornet.rides.quantities import turn_into
from crisp_hornet.rides.table import Column

DAY_S = 86400.0
_CLOCK = re.compile(r"^\s*(?:(\d{1,3}):)?(\d{1,2}):(\d{1,2}(?:[.,]\d+)?)\s*([AaPp][Mm])?\s*$")
_CLOCK_GROUPS = r"^\s*(?:(\d{1,3}):)?(\d{1,2}):(\d{1,2}(?:[.,]\d+)?)\s*([AaPp][Mm])?\s*$"
_DAYS = ("%Y-%m-%d", "%Y/%m/%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%m-%d-%Y")
_FORMATS = tuple(
    f"{day}{between}{clock}"
    for clock in ("%H:%M:%S%.f%z", "%H:%M:%S%.f", "%I:%M:%S%.f %p", "%H:%M")
    for day in _DAYS
    for between in ("T", " ")
)
MONTHS = (
    "jan(?:uary|uar|vier)?|jän(?:ner)?", "feb(?:ruary|ruar)?|févr?(?:ier)?", "mar(?:ch)?|mär(?:z)?|mars", "apr(?:il)?|avril|avr",
    "may|mai", "june?|juni|juin", "july?|juli|juil(?:let)?", "aug(?:ust)?|août", "sept?(?:ember|embre)?", "o[ck]t(?:ober|obre)?",
    "nov(?:ember|embre)?", "de[cz](?:ember)?|déc(?:embre)?",
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
        return _past_midnight(_clocks(pl.Series(texts))), "a clock"
    return _dates(pl.Series(texts).str.strip_chars())


def _clocks(texts: pl.Series) -> Array:
    """Seconds since midnight of clock times, with or without hours, of half a day or a whole one; NaN for what is none."""
    parts = texts.str.extract_groups(_CLOCK_GROUPS)
    hours, minutes, seconds = (
        parts.struct.field(name).str.replace(",", ".", literal=True).cast(pl.Float64, strict=False)
        for name in ("1", "2", "3")
    )
    half = parts.struct.field("4").str.to_lowercase()
    hours = hours.fill_null(0.0)
    turned = (hours % 12 + half.eq("pm").cast(pl.Float64) * 12).fill_null(0.0)
    hour = hours.zip_with(half.is_null(), turned)
    found: Array = (3600 * hour + 60 * minutes + seconds).to_numpy().astype(np.float64)
    return found


def _past_midnight(seconds: Array) -> Array:
    """A clock that falls by more than half a day went past midnight; 12-hour clocks without a half of the day by half of one."""
    good = np.flatnonzero(np.isfinite(seconds))
    falls = np.diff(seconds[good])
    days = np.zeros(len(seconds))
    days[good[1:]] = falls < -DAY_S / 2
    turned: Array = seconds + DAY_S * np.cumsum(days)
    return turned


def _dates(texts: pl.Series) -> tuple[Array, str] | None:
    """Dates and times in whole columns; the first form that reads nearly all of them, day before month."""
    plain = _plain_months(texts.str.replace(r"(\d),(\d)", "$1.$2").str.replace(r"Z$", "+00:00"))
    probe = pl.concat([plain.head(1), plain.gather_every(max(len(plain) // 20, 1)), plain.tail(1)])
    for form in _FORMATS:
        if _read(probe, form).is_not_null().sum() > 0.8 * len(probe):
            found = _read(plain, form)
            if (found.is_not_null().sum() or 0) > 0.8 * len(plain):
                values: Array = found.cast(pl.Int64).cast(pl.Float64).to_numpy().astype(np.float64) / 1e6
                return values, "dates and times"
    return None


def _read(texts: pl.Series, form: str) -> pl.Series:
    try:
        found = texts.str.to_datetime(form, time_unit="us", strict=False)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException):
        return pl.Series([None] * len(texts), dtype=pl.Datetime("us"))
    return found.dt.replace_time_zone(None) if getattr(found.dtype, "time_zone", None) else found


def _plain_months(texts: pl.Series) -> pl.Series:
    """Names of months as numbers, whatever language this machine speaks: ``12-Oct-2025`` and ``3. März 2025`` alike."""
    lower = texts.str.to_lowercase()
    if not lower.head(200).str.contains(r"[a-zäéû]{3}").any():
        return texts
    for number, names in enumerate(MONTHS, start=1):
        lower = lower.str.replace(rf"\b(?:{names})\b\.?", f"{number:02d}")
    lower = lower.str.replace(r"\b([ap])\.?m\b\.?", "${1}m").str.replace(r"(\d)t(\d)", "${1}T${2}")
    return lower.str.replace(r"\b(\d{1,2})\.? (\d\d) (\d{4})", "$1-$2-$3")


def with_date(date: Column, clock: Column) -> Column | None:
    """A column of dates and one of clock times as one; None where they do not fit together."""
    if date.texts is None or clock.texts is None:
        return None
    both = [f"{text.strip()} {other.strip()}" for text, other in zip(date.texts, clock.texts, strict=True)]
    return Column("date and time", "", np.full(len(both), np.nan), both)
