"""What the motor adds to pedalling: style, when it starts and stops, and the levels."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from crisp_hornet.documents.base import NotNegative, Part, Positive
from crisp_hornet.documents.throttle import Portion, Seconds

FEWEST_LEVELS, MOST_LEVELS = 2, 12


class Level(Part):
    """One assist level. ``multiplier``: motor watts per human watt; ``power_share`` of the drive's greatest power that it
    may use; ``speed_share`` of the assisted speed limit up to which it helps."""

    multiplier: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=20)]
    power_share: Portion = 1.0
    speed_share: Portion = 1.0


def _five() -> list[Level]:
    return [Level(multiplier=0.5 + 0.625 * step, power_share=0.4 + 0.15 * step) for step in range(5)]


class Assist(Part):
    """How pedalling is multiplied.

    ``style``: by torque (force on the pedal alone), by power (force times cadence), by cadence only, or a blend: torque at low
    cadence, power at high, both alike at ``handover_rpm``. ``development_m``: metres per crank turn in the gear in which the
    torque style multiplies just as the level says. ``start_nm`` and ``start_deg``: crank torque and crank angle before it helps;
    ``start_delay_s``: and then it still waits; ``start_current_a``: the phase current it begins with, from where ``ramp_s`` goes on.
    ``smoothing_deg``: the crank angle that torque is averaged over. ``ramp_s``: nothing to all; ``hold_s`` and ``stop_s``: after the
    pedals rest it holds, then falls. ``speed_kmh``: where assist ends; none where only the drive's limit counts.
    ``shift_cut_s``: for so long a shift sensor takes the motor, whatever asked for it, back to ``shift_share``; none without one.
    """

    style: Literal["torque", "power", "cadence", "blend"] = "torque"
    handover_rpm: Positive = 60.0
    development_m: Positive = 4.5
    start_nm: NotNegative = 6.0
    start_deg: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=720)] = 45.0
    start_delay_s: Seconds = 0.0
    start_current_a: NotNegative = 0.0
    smoothing_deg: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=720)] = 180.0
    ramp_s: Seconds = 0.3
    hold_s: Seconds = 0.2
    stop_s: Seconds = 0.3
    speed_kmh: NotNegative | None = None
    shift_cut_s: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=2)] | None = None
    shift_share: Portion = 0.2
    levels: list[Level] = Field(default_factory=_five, min_length=FEWEST_LEVELS, max_length=MOST_LEVELS)
