"""Modes: named sets of further limits, chosen by a switch or lever."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from crisp_hornet.documents.assist import FEWEST_LEVELS, MOST_LEVELS, Level
from crisp_hornet.documents.base import Count, NotNegative, Part, Text
from crisp_hornet.documents.throttle import Portion

MOST_MODES = 8


class Mode(Part):
    """One mode. Each figure is a limit besides the tune's own: the least counts, so a mode never asks more than the tune.

    ``selected_by``: which lever or switch position chooses it. ``starts``: it is on after power-on. ``reverse``: it drives
    backwards, with these limits. ``off_road``: not
    for public roads, so local rules do not judge it. ``highest_level``: no assist level above it can be chosen. ``levels``: assist levels
    of its own, instead of the tune's.
    """

    name: Text
    selected_by: Annotated[str, Field(strict=True, max_length=200)] = ""
    starts: bool = False
    reverse: bool = False
    off_road: bool = False
    phase_current_a: NotNegative | None = None
    battery_current_a: NotNegative | None = None
    power_w: NotNegative | None = None
    speed_kmh: NotNegative | None = None
    field_weakening_a: NotNegative | None = None
    throttle_maximum: Portion | None = None
    highest_level: Count | None = None
    levels: Annotated[list[Level], Field(min_length=FEWEST_LEVELS, max_length=MOST_LEVELS)] | None = None
