"""Settings that go together: the two ends of a fade, the points of the throttle curve."""

from __future__ import annotations

from crisp_hornet.documents.tune import Tune

LEAST_STEP_V = 0.01  # between two points of a response map
CURVE = ("throttle.share_25", "throttle.share_50", "throttle.share_75", "throttle.maximum")
FALLING = ("battery_guard.fade_start_v", "battery_guard.fade_end_v")
RISING = tuple(
    (f"{group}_start_{unit}", f"{group}_end_{unit}")
    for group, unit in (("regen.fade", "v"), ("heat_guard.motor_fade", "c"), ("heat_guard.controller_fade", "c"))
)


def companions(tune: Tune, setting: str, value: float) -> dict[str, float | None]:
    """What has to move along for ``setting`` to take ``value``: nothing crosses, the neighbour is pushed."""
    if setting in CURVE:
        at = CURVE.index(setting)
        held = [tune.setting(path) or 0.0 for path in CURVE]
        pushed = [min(one, value) if k < at else max(one, value) for k, one in enumerate(held)]
        return {path: pushed[k] for k, path in enumerate(CURVE) if k != at and pushed[k] != held[k]}
    if setting.startswith("throttle.response."):
        return _response_companions(tune, setting, value)
    for start, end in (FALLING, *RISING):
        if setting in (start, end):
            return {end if setting == start else start: value}
    return {}


def _response_companions(tune: Tune, setting: str, value: float) -> dict[str, float | None]:
    """The neighbours of a point of the response map: shares never fall, voltages always rise."""
    points, (*_, place, key) = tune.throttle.response or [], setting.split(".")
    if not place.isdecimal() or key not in ("volts", "share"):
        return {}
    at, least = int(place), LEAST_STEP_V if key == "volts" else 0.0
    pushed = {}
    for other, point in enumerate(points, start=1):
        held, room = getattr(point, key), least * abs(other - at)
        moved = min(held, value - room) if other < at else max(held, value + room) if other > at else held
        if moved != held:
            pushed[f"throttle.response.{other}.{key}"] = round(moved, 4)
    return pushed
