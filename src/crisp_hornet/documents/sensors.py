"""What kinds of sensors a bike has."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from crisp_hornet.documents.base import Count, Part, Positive

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


class Sensors(Part):
    """What kinds of sensors the bike has, as far as that is known: signals in volts, the torque sensor's sensitivity and which pedals it
    feels, pulses a turn of the crank and of the wheel, where the speed comes from, and the motor's thermistor
    (the beta of an NTC in kelvin)."""

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

    @model_validator(mode="after")
    def _throttle_rises(self) -> Self:
        rest, full = self.throttle_rest_v, self.throttle_full_v
        if rest is not None and full is not None and full < rest + LEAST_SPAN_V:
            raise ValueError(f"sensors.throttle_full_v must lie {LEAST_SPAN_V:g} V or more above throttle_rest_v")
        return self
