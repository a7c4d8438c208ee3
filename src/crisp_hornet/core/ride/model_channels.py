"""The model's full pull as channels of a ride, so that any two of them can be drawn behind what was measured."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve


def model_channels(curve: PullCurve) -> dict[str, Array]:
    """What each channel reads along the curve (n,), where it drives; by name as in a ride or worked out from one."""
    drives = curve.running & (curve.wheel_force_n > 0)
    columns = {
        "wheel_speed_kmh": curve.speed_kmh, "gps_speed_kmh": curve.speed_kmh,
        "motor_rpm": curve.shaft_speed * 60 / (2 * np.pi), "pack_v": curve.pack_v, "battery_a": curve.battery_current_a,
        "phase_a": curve.phase_current_a, "d_axis_a": curve.id_a, "battery_w": curve.battery_w, "wheel_w": curve.wheel_w,
        "efficiency": 100 * curve.efficiency, "phase_per_battery": curve.phase_current_a / curve.battery_current_a,
    }  # fmt: skip
    return {name: np.broadcast_to(values, drives.shape)[drives] for name, values in columns.items()}
