"""The bike's figures as groups of rows: label, value, where it comes from."""

from __future__ import annotations

import math
from dataclasses import dataclass

from crisp_hornet.documents.bike import Bike


@dataclass(frozen=True)
class Figure:
    """One row. ``path`` is the key in the document, for its source; "" for a computed figure."""

    label: str
    text: str
    path: str = ""


def figures(bike: Bike) -> dict[str, list[Figure]]:
    """All groups, in the order a builder goes through a bike."""
    motor, controller, pack = bike.motor, bike.controller, bike.battery
    kv = 60 / (2 * math.pi * math.sqrt(3) * motor.pole_pairs * motor.flux_linkage_wb)
    return {
        "MOTOR": [
            Figure("pole pairs", f"{motor.pole_pairs}", "motor.pole_pairs"),
            Figure("kV, peak line to line", f"{kv:.2f} rpm/V", "motor.flux_linkage_wb"),
            Figure("resistance, phase", f"{motor.phase_resistance_ohm * 1000:g} mΩ", "motor.phase_resistance_ohm"),
            Figure("inductance", f"{motor.lq_h * 1e6:g} µH", "motor.lq_h"),
            Figure("turns at most", f"{motor.max_rpm:g} rpm", "motor.max_rpm"),
            Figure("winding bears", f"{motor.max_winding_c:g} °C", "motor.max_winding_c"),
            Figure("friction", f"{motor.friction_nm:g} N·m", "motor.friction_nm"),
        ],
        "CONTROLLER": [
            Figure("phase current, rated", f"{controller.max_phase_current_a:g} A", "controller.max_phase_current_a"),
            Figure(
                "battery current, rated", f"{controller.max_battery_current_a:g} A", "controller.max_battery_current_a"
            ),
            Figure("voltage, at most", f"{controller.max_voltage_v:g} V", "controller.max_voltage_v"),
        ],
        "PACK": [
            Figure("cells", f"{pack.series} in series, {pack.chemistry.upper()}", "battery.series"),
            Figure("capacity", f"{pack.capacity_ah:g} Ah", "battery.capacity_ah"),
            Figure("resistance", f"{pack.resistance_ohm * 1000:g} mΩ", "battery.resistance_ohm"),
            Figure("board lets through", f"{pack.bms_discharge_a:g} A", "battery.bms_discharge_a"),
            Figure("board takes in", f"{pack.bms_charge_a:g} A", "battery.bms_charge_a"),
        ],
        "WHEEL AND ROAD": [
            Figure("circumference", f"{bike.drivetrain.wheel_circumference_m:g} m", "drivetrain.wheel_circumference_m"),
            Figure(
                "gearing",
                "direct" if bike.drivetrain.ratio == 1 else f"{bike.drivetrain.ratio:g} : 1",
                "drivetrain.ratio",
            ),
            Figure("rolling, Crr", f"{bike.chassis.crr:g}", "chassis.crr"),
            Figure("air, CdA", f"{bike.chassis.cda_m2:g} m²", "chassis.cda_m2"),
            Figure(
                "bike, rider, cargo",
                f"{bike.chassis.bike_kg:g} + {bike.chassis.rider_kg:g} + {bike.chassis.cargo_kg:g} kg",
                "chassis.bike_kg",
            ),
        ],
    }


_MORE_NAMES = {"motor.hysteresis_loss_w_per_hz": "hysteresis loss", "motor.eddy_loss_w_per_hz2": "eddy-current loss"}


def name_of(bike: Bike, path: str) -> str:
    """What a figure is called on the page; the key itself for one that has no row."""
    rows = {one.path: one.label for group in figures(bike).values() for one in group}
    return rows.get(path) or _MORE_NAMES.get(path, path)


def source_word(bike: Bike, path: str) -> str:
    """``assumed``, ``measured`` …; "" where the document does not say."""
    source = bike.sources.get(path)
    return source.origin if source else ""
