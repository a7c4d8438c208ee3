"""A gentle tune to start from when nothing is known yet: start low and go up in steps."""

from __future__ import annotations

from crisp_hornet.core.pack.cells import full_v
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.tune import BatteryGuard, Drive, HeatGuard, Regen, Tune

LOW_SHARE = 0.4  # of what controller and pack allow
CELL_TRIP_ROOM_V = 0.12  # per cell, from the end of the fade to the board's trip
CELL_FADE_V = 0.18


def starting_tune(bike: Bike) -> Tune:
    """A low tune for ``bike``: currents at 40 % of the least rating, fades above the trip, weak regen."""
    controller, battery = bike.controller, bike.battery
    least_battery_a = min(controller.max_battery_current_a, battery.bms_discharge_a)
    fade_end = round(battery.bms_trip_v + CELL_TRIP_ROOM_V * battery.series, 1)
    full = full_v(battery)
    hottest = bike.motor.max_winding_c
    return Tune(
        format="crisp-hornet/tune",
        version=1,
        name="Gentle start",
        drive=Drive(
            phase_current_a=round(LOW_SHARE * controller.max_phase_current_a),
            power_w=None,
            battery_current_a=round(LOW_SHARE * least_battery_a),
            field_weakening_a=0,
            motor_rpm=bike.motor.max_rpm,
            speed_kmh=None,
            speed_taper_kmh=2,
        ),
        regen=Regen(
            phase_current_a=0,
            battery_current_a=0,
            fade_start_v=round(0.96 * full, 1),
            fade_end_v=round(0.985 * full, 1),
        ),
        battery_guard=BatteryGuard(fade_start_v=round(fade_end + CELL_FADE_V * battery.series, 1), fade_end_v=fade_end),
        heat_guard=HeatGuard(
            motor_fade_start_c=hottest - 35,
            motor_fade_end_c=hottest - 10,
            controller_fade_start_c=70,
            controller_fade_end_c=85,
        ),
    )
