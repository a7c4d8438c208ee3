"""Rules about what a failed sensor must not be trusted with."""

from __future__ import annotations

from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule
from crisp_hornet.documents.saying import say


@rule
def torque_assist_on_failed_sensor(s: Situation) -> Warning_ | None:
    """Torque assist is set and the torque sensor failed its calibration."""
    if s.sensors.get("torque") != "failed" or not s.draft.holds("assist.style") or s.draft.assist.style == "cadence":
        return None
    return Warning_(
        "torque-sensor-failed",
        Strength.STOP,
        "Torque assist on a sensor that failed",
        "The torque sensor failed its calibration: the bike may push without a foot on the pedal, or not at all.",
        "Mend and calibrate it, or take torque assist out",
    )


@rule
def never_calibrated(s: Situation) -> Warning_ | None:
    """Some sensors were calibrated, throttle or brake lever never."""
    missing = [kind for kind in ("throttle", "brake") if kind not in s.sensors]
    if not s.sensors or not missing:
        return None
    return Warning_(
        "never-calibrated",
        Strength.NOTE,
        say("Never calibrated: {missing}", missing=" and ".join(missing)),
        "Half of what is called bad tuning is a sensor that nobody set.",
        "Do it on Calibrate before the first ride",
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


@rule
def rough_position(s: Situation) -> Warning_ | None:
    """It runs rough at low speed: the position offset is wrong."""
    if s.sensors.get("running") != "failed":
        return None
    return Warning_(
        "runs-rough",
        Strength.WARN,
        "It runs rough at low speed",
        "With a wrong position offset more phase current means more heat and jerks, and it can jump at the start.",
        "Run the motor detection again on Calibrate",
    )


@rule
def heat_guard_without_sensor(s: Situation) -> Warning_ | None:
    """The heat fade relies on a temperature sensor that failed."""
    if s.sensors.get("temperature") != "failed":
        return None
    return Warning_(
        "heat-sensor-failed",
        Strength.WARN,
        "The heat fade relies on a sensor that failed",
        "A sensor that says cold lets the winding burn; one that says hot takes the pull away.",
        "Mend it, or lower the phase current to what can be held for ever",
    )


@rule
def speed_by_wrong_magnets(s: Situation) -> Warning_ | None:
    """The speed limit relies on a speed that is wrong."""
    if s.sensors.get("speed") != "failed" or s.draft.drive.speed_kmh is None:
        return None
    return Warning_(
        "speed-sensor-failed",
        Strength.WARN,
        "The speed limit relies on a speed that is wrong",
        "The magnets a turn do not fit what the controller believes: it limits at another speed than it says.",
        "Write the counted magnets on Calibrate",
    )
