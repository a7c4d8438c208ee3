"""What the local code allows where the bike is ridden, as its rider entered it. The code itself decides, never this."""

from __future__ import annotations

from typing import Literal

from crisp_hornet.documents.base import Part, Positive, Text


class LocalRules(Part):
    """Limits of the place. ``power_w``: the most the motor may give at the wheel. ``throttle``: any time, only while
    pedalling, only as walk assist, or not at all; ``throttle_ends_kmh``: up to which speed."""

    name: Text
    assist_ends_kmh: Positive | None = None
    power_w: Positive | None = None
    throttle: Literal["any", "pedalling", "walk", "none"] = "any"
    throttle_ends_kmh: Positive | None = None
    walk_kmh: Positive | None = None
