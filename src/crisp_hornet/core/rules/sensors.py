"""Rules about what a failed sensor must not be trusted with."""

from __future__ import annotations

from crisp_hornet.core.rules.kinds import Situation, Warning_, rule, says


@rule
def torque_assist_on_failed_sensor(s: Situation) -> Warning_ | None:
    """Torque assist is set and the torque sensor failed its calibration."""
    if s.sensors.get("torque") != "failed" or not s.draft.holds("assist.style") or s.draft.assist.style == "cadence":
        return None
    return says("torque-sensor-failed")


@rule
def never_calibrated(s: Situation) -> Warning_ | None:
    """Some sensors were calibrated, throttle or brake lever never."""
    missing = [kind for kind in ("throttle", "brake") if kind not in s.sensors]
    if not s.sensors or not missing:
        return None
    return says("never-calibrated", missing=" and ".join(missing))


@rule
def driving_on_failed_throttle(s: Situation) -> Warning_ | None:
    """The throttle failed its calibration."""
    if s.sensors.get("throttle") != "failed":
        return None
    return says("throttle-failed")


@rule
def no_proved_brake_cut(s: Situation) -> Warning_ | None:
    """The brake lever failed: nothing cuts the motor."""
    if s.sensors.get("brake") != "failed":
        return None
    return says("brake-cut-failed")


@rule
def rough_position(s: Situation) -> Warning_ | None:
    """It runs rough at low speed: the position offset is wrong."""
    if s.sensors.get("running") != "failed":
        return None
    return says("runs-rough")


@rule
def heat_guard_without_sensor(s: Situation) -> Warning_ | None:
    """The heat fade relies on a temperature sensor that failed."""
    if s.sensors.get("temperature") != "failed":
        return None
    return says("heat-sensor-failed")


@rule
def speed_by_wrong_magnets(s: Situation) -> Warning_ | None:
    """The speed limit relies on a wrong speed."""
    if s.sensors.get("speed") != "failed" or s.draft.drive.speed_kmh is None:
        return None
    return says("speed-sensor-failed")
