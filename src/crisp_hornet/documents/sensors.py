"""What kinds of sensors a bike has, and what each is usually off by."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal, Self

from pydantic import AfterValidator, Field, model_validator

from crisp_hornet.documents.base import Count, NotNegative, Part, Positive

TorqueSides = Literal["both sides", "one side"]
SpeedFrom = Literal["wheel sensor", "motor pulses"]
Thermistor = Literal[
    "NTC 10 kΩ",
    "NTC 100 kΩ",
    "silicon, 1 kΩ at 25 °C (KTY)",
    "silicon, 1 kΩ at 100 °C (KTY)",
    "platinum, 1 kΩ at 0 °C (Pt1000)",
]
_Signal = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=5)]


LEAST_SPAN_V = 0.5  # of a throttle's signal
COUNTED = ("pedal_pulses", "speed_magnets")


def _a_day(text: str) -> str:
    date.fromisoformat(text)
    return text


Day = Annotated[str, Field(strict=True, max_length=10), AfterValidator(_a_day)]


class Off(Part):
    """What a sensor is usually off by, one standard deviation each: its gain as a share, its zero in the channel's unit (of heights: metres
    of drift in a minute); ``checked``: the day on which it was held against an instrument (YYYY-MM-DD)."""

    gain_spread: Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=0.5)] = 0.0
    zero_spread: NotNegative = Field(default=0.0, le=1000)
    checked: Day | None = None


UNCHECKED = {
    "battery_a": Off(gain_spread=0.02, zero_spread=0.2),
    "phase_a": Off(gain_spread=0.02, zero_spread=0.2),
    "pack_v": Off(gain_spread=0.005),
    "gps_speed_kmh": Off(gain_spread=0.003),
    "human_nm": Off(gain_spread=0.05),
    "altitude_m": Off(zero_spread=1.0),
}


class Sensors(Part):
    """What kinds of sensors the bike has, as far as that is known: signals in volts, the torque sensor's sensitivity and which pedals it
    feels, pulses a turn of the crank and of the wheel, where the speed comes from, and the motor's thermistor
    (the beta of an NTC in kelvin); and, by channel, what a sensor may be off by, where that was checked."""

    throttle_rest_v: _Signal | None = None
    throttle_full_v: _Signal | None = None
    torque_rest_v: _Signal | None = None
    torque_nm_per_v: Positive | None = Field(default=None, ge=1, le=1000)
    torque_sides: TorqueSides | None = None
    pedal_pulses: Count | None = Field(default=None, le=400)
    speed_from: SpeedFrom | None = None
    speed_magnets: Count | None = Field(default=None, le=400)
    motor_thermistor: Thermistor | None = None
    motor_thermistor_beta_k: Positive | None = Field(default=None, ge=1000, le=8000)
    battery_a: Off | None = None
    phase_a: Off | None = None
    pack_v: Off | None = None
    gps_speed_kmh: Off | None = None
    human_nm: Off | None = None
    altitude_m: Off | None = None

    def gain_checked(self, channel: str) -> bool:
        """Whether a channel's gain was held against something: it is known better than such sensors usually are."""
        return self.off(channel).gain_spread < UNCHECKED[channel].gain_spread

    def off(self, channel: str) -> Off:
        """What a channel's sensor may be off by: as it was checked, else as such sensors usually are."""
        own: Off | None = getattr(self, channel)
        return own or UNCHECKED[channel]

    @model_validator(mode="after")
    def _throttle_rises(self) -> Self:
        rest, full = self.throttle_rest_v, self.throttle_full_v
        if rest is not None and full is not None and full < rest + LEAST_SPAN_V:
            raise ValueError(f"sensors.throttle_full_v must lie {LEAST_SPAN_V:g} V or more above throttle_rest_v")
        return self
