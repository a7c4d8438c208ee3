"""Where the power goes, over speed and force: the efficiency map at the least loss for each point."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.motor import MotorModel, electrical_speed, mechanical_speed, wheel_radius_m
from crisp_hornet.core.drive.part_load import least_loss_currents
from crisp_hornet.core.pack.battery import loaded_voltage
from crisp_hornet.documents.bike import Bike


@dataclass(frozen=True, eq=False)
class EfficiencyMap:
    """Powers (W) over force (rows) and speed (columns); NaN where no voltage or pack does it."""

    speed_kmh: Array
    force_n: Array
    wheel_w: Array
    winding_w: Array
    iron_w: Array
    controller_w: Array
    friction_w: Array
    drivetrain_w: Array
    pack_w: Array

    @property
    def efficiency(self) -> Array:
        """Road power over the power that leaves the cells."""
        lost = self.winding_w + self.iron_w + self.controller_w + self.friction_w + self.drivetrain_w + self.pack_w
        return self.wheel_w / (self.wheel_w + lost)


def efficiency_map(
    bike: Bike, speed_kmh: Array, force_n: Array, rested_v: float, winding_c: float = 25.0
) -> EfficiencyMap:
    """Losses by place for every pair of ``force_n`` (m,) > 0 and ``speed_kmh`` (n,) > 0, arrays (m, n).

    In the gear that ``drivetrain.ratio`` names.
    """
    motor = MotorModel.of(bike, winding_c)
    speed, force = np.meshgrid(np.asarray(speed_kmh, float), np.asarray(force_n, float))
    omega, shaft = electrical_speed(bike, speed), mechanical_speed(bike, speed)
    drivetrain = bike.drivetrain
    shaft_nm = force * wheel_radius_m(bike) / (drivetrain.ratio * drivetrain.efficiency)
    i_d, i_q = least_loss_currents(
        motor, omega.ravel(), (shaft_nm + motor.drag_nm(omega)).ravel(), rested_v, bike.battery.resistance_ohm,
        bike.controller.idle_w, bike.controller.modulation_limit / math.sqrt(3))  # fmt: skip
    i_d, i_q = i_d.reshape(speed.shape), i_q.reshape(speed.shape)
    current = i_d**2 + i_q**2
    battery_w = motor.terminal_power_w(omega, i_d, i_q) + bike.controller.idle_w
    pack_a = battery_w / loaded_voltage(rested_v, bike.battery.resistance_ohm, battery_w)
    return EfficiencyMap(
        np.asarray(speed_kmh, float), np.asarray(force_n, float),
        wheel_w=force * speed / 3.6,
        winding_w=1.5 * motor.winding_ohm * current,
        iron_w=motor.iron_drag_nm(omega) * shaft,
        controller_w=1.5 * motor.controller_ohm * current + bike.controller.idle_w,
        friction_w=motor.friction_nm * shaft,
        drivetrain_w=shaft_nm * shaft * (1 - drivetrain.efficiency),
        pack_w=pack_a**2 * bike.battery.resistance_ohm,
    )  # fmt: skip
