"""Rules about what a failed sensor must not be trusted with."""

from __future__ import annotations

from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule


@rule
def torque_assist_on_failed_sensor(s: Situation) -> Warning_ | None:
    """Torque assist is set and the torque sensor failed its calibration."""
    if s.sensors.get("torque") != "failed" or not s.draft.assist:
        return None
    return Warning_(
        "torque-sensor-failed",
        Strength.STOP,
        "Torque assist on a sensor that failed",
        "The torque sensor failed its calibration: the bike may push without a foot on the pedal, or not at all.",
        "Mend and calibrate it, or take torque assist out",
    )


@rule
def driving_on_failed_throttle(s: Situation) -> Warning_ | None:
    """The throttle failed its calibration."""
    if s.sensors.get("throttle") != "failed":
        return None
    return Warning_(
        "throttle-failed",
        Strength.WARN,
        "The throttle failed its calibration",
        "What it asks for cannot be trusted: the bike may drive by itself.",
        "Mend and calibrate it first",
    )


@rule
def no_proved_brake_cut(s: Situation) -> Warning_ | None:
    """The brake lever failed: nothing cuts the motor."""
    if s.sensors.get("brake") != "failed":
        return None
    return Warning_(
        "brake-cut-failed",
        Strength.STOP,
        "The brake lever does not cut the motor",
        "It failed its calibration. A stronger tune on a bike that cannot be cut off is not sent.",
        "Mend the lever's switch and prove it on Calibrate",
    )
