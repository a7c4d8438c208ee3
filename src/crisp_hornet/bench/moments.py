"""Moments in words."""

from __future__ import annotations

from datetime import datetime


def time_words(moment: datetime) -> str:
    """``14:02`` today, ``12 Oct, 14:02`` otherwise."""
    today = datetime.now().astimezone().date()
    return f"{moment:%H:%M}" if moment.date() == today else f"{moment.day} {moment:%b, %H:%M}"
