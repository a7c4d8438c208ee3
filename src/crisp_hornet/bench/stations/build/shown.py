"""Every figure of a bike as Build shows it: its words, unit and digits, in groups that fold; and those that are chosen or listed."""

from __future__ import annotations

from dataclasses import dataclass

from crisp_hornet.core.calibrate.speed import SOURCES
from crisp_hornet.core.calibrate.thermistors import KINDS as THERMISTORS
from crisp_hornet.core.calibrate.torque import SIDES
from crisp_hornet.documents.saying import quantity, say


@dataclass(frozen=True)
class Shown:
    """How a figure is shown: ``value·scale`` in ``unit``. ``optional``: it may be left out."""

    label: str
    unit: str
    scale: float = 1.0
    digits: int = 4
    optional: bool = False

    def text(self, value: float) -> str:
        """The figure with its unit."""
        return say("{value}", value=quantity(value * self.scale, self.unit, f".{self.digits}g"))


def _maybe(label: str, unit: str, scale: float = 1.0) -> Shown:
    return Shown(label, unit, scale, optional=True)


GROUPS: dict[str, dict[str, Shown]] = {
    "MOTOR": {
        "motor.pole_pairs": Shown("pole pairs", ""),
        "motor.flux_linkage_wb": Shown("flux linkage", "mWb", 1e3),
        "motor.phase_resistance_ohm": Shown("phase resistance", "mΩ", 1e3),
        "motor.ld_h": Shown("d-axis inductance", "µH", 1e6),
        "motor.lq_h": Shown("q-axis inductance", "µH", 1e6),
        "motor.friction_nm": Shown("friction", "N·m"),
        "motor.max_rpm": Shown("max motor speed", "rpm", 1, 6),
        "motor.max_winding_c": Shown("max winding temperature", "°C"),
    },
    "MOTOR: IRON, MAGNETS, HEAT": {
        "motor.hysteresis_loss_w_per_hz": Shown("hysteresis loss", "W/Hz"),
        "motor.eddy_loss_w_per_hz2": Shown("eddy-current loss", "mW/Hz²", 1e3),
        "motor.rotor_inertia_kgm2": Shown("rotor inertia", "kg·m²"),
        "motor.demagnetising_a": _maybe("demagnetising current", "A"),
        "motor.saturation.at_a": _maybe("saturation, at", "A"),
        "motor.saturation.flux_drop": _maybe("saturation, flux lost", "%", 100),
        "motor.thermal.winding_j_per_k": Shown("heat, winding", "J/K"),
        "motor.thermal.housing_j_per_k": Shown("heat, housing", "J/K"),
        "motor.thermal.winding_to_housing_w_per_k": Shown("winding to housing", "W/K"),
        "motor.thermal.housing_to_air_w_per_k": Shown("housing to still air", "W/K"),
        "motor.thermal.airflow_w_per_k_per_mps": Shown("more with each m/s", "W/K"),
    },
    "CONTROLLER": {
        "controller.max_phase_current_a": Shown("rated phase current", "A"),
        "controller.max_battery_current_a": Shown("rated battery current", "A"),
        "controller.max_voltage_v": Shown("max voltage", "V"),
        "controller.level_share": Shown("levels are shares of", ""),
    },
    "CONTROLLER: LOSSES, HEAT": {
        "controller.modulation_limit": Shown("modulation limit", "%", 100),
        "controller.resistance_ohm": Shown("resistance, per phase", "mΩ", 1e3),
        "controller.idle_w": Shown("idle draw", "W"),
        "controller.thermal.heatsink_j_per_k": Shown("heat, heatsink", "J/K"),
        "controller.thermal.to_air_w_per_k": Shown("to still air", "W/K"),
        "controller.thermal.airflow_w_per_k_per_mps": Shown("more with each m/s", "W/K"),
    },
    "PACK": {
        "battery.series": Shown("cells in series", ""),
        "battery.chemistry": Shown("chemistry", ""),
        "battery.capacity_ah": Shown("capacity", "Ah"),
        "battery.resistance_ohm": Shown("pack resistance", "mΩ", 1e3),
        "battery.bms_discharge_a": Shown("BMS discharge limit", "A"),
        "battery.bms_charge_a": Shown("BMS charge limit", "A"),
        "battery.bms_trip_v": Shown("BMS cutoff", "V"),
    },
    "PACK: PEAKS, FUSE, CELLS": {
        "battery.bms_peak_a": _maybe("BMS peak", "A"),
        "battery.bms_peak_s": _maybe("BMS peak, for", "s"),
        "battery.bms_over_v": _maybe("BMS over-voltage", "V"),
        "battery.fuse_a": _maybe("fuse", "A"),
        "battery.wiring_a": _maybe("wiring and plugs bear", "A"),
        "battery.rested_v_table": _maybe("cell voltage by charge", "V"),
    },
    "DRIVE": {
        "drivetrain.wheel_circumference_m": Shown("wheel circumference", "m"),
        "drivetrain.ratio": Shown("gear ratio", ""),
        "drivetrain.gears": _maybe("gears, ratios", ""),
        "drivetrain.efficiency": Shown("drivetrain efficiency", "%", 100),
        "drivetrain.freewheel": Shown("freewheel", ""),
        "chassis.driven_wheel": Shown("driven wheel", ""),
    },
    "MASSES AND ROAD": {
        "chassis.bike_kg": Shown("bike with motor and pack", "kg"),
        "chassis.rider_kg": Shown("rider", "kg"),
        "chassis.cargo_kg": Shown("cargo", "kg"),
        "chassis.wheelbase_m": Shown("wheelbase", "m"),
        "chassis.cg_from_rear_m": Shown("centre of gravity, from rear", "m"),
        "chassis.cg_height_m": Shown("centre of gravity, height", "m"),
        "chassis.crr": Shown("rolling resistance, Crr", ""),
        "chassis.cda_m2": Shown("air drag, CdA", "m²"),
        "chassis.tyre_grip": Shown("tyre grip, dry", ""),
        "chassis.wheel_inertia_kgm2": Shown("inertia of both wheels", "kg·m²"),
        "chassis.rated_speed_kmh": _maybe("frame is rated for", "km/h"),
        "chassis.front_wheel": Shown("front wheel, full throttle", ""),
    },
    "SENSORS": {
        "sensors.throttle_rest_v": _maybe("throttle at rest", "V"),
        "sensors.throttle_full_v": _maybe("throttle fully open", "V"),
        "sensors.torque_rest_v": _maybe("torque sensor at rest", "V"),
        "sensors.torque_nm_per_v": _maybe("torque sensor span", "N·m/V"),
        "sensors.torque_sides": _maybe("torque sensor feels", ""),
        "sensors.pedal_pulses": _maybe("pedal pulses per turn", ""),
        "sensors.speed_from": _maybe("speed comes from", ""),
        "sensors.speed_magnets": _maybe("speed pulses per turn", ""),
        "sensors.motor_thermistor": _maybe("motor thermistor", ""),
        "sensors.motor_thermistor_beta_k": _maybe("its beta", "K"),
    },
}
SHOWN: dict[str, Shown] = {path: shown for group in GROUPS.values() for path, shown in group.items()}

# figures that are one of a few words
CHOICES: dict[str, dict[str | bool, str]] = {
    "controller.level_share": {
        "power": "power", "battery_current": "battery current", "phase_current": "phase current", "torque": "torque",
    },
    "battery.chemistry": {"nmc": "NMC", "nca": "NCA", "lfp": "LFP", "custom": "by its own table"},
    "drivetrain.freewheel": {False: "none: the motor turns along", True: "the wheel turns on alone"},
    "chassis.driven_wheel": {"rear": "rear", "front": "front"},
    "chassis.front_wheel": {word: word for word in ("as it comes", "must stay down", "shall lift")},
    "sensors.torque_sides": {word: word for word in SIDES},
    "sensors.speed_from": {word: word for word in SOURCES},
    "sensors.motor_thermistor": {word: word for word in THERMISTORS},
}  # fmt: skip

# and those that are several numbers: what each line of them holds
LISTS: dict[str, str] = {
    "drivetrain.gears": "Motor turns for each wheel turn, one figure a gear, e.g. 8.1 6.2 4.9",
    "battery.rested_v_table": "Pairs of charge (0 to 1) and volts of one cell at rest, both rising, e.g. 0 3.0, 0.5 3.7, 1 4.2",
}


def shown_text(path: str, value: object) -> str:
    """A figure of any kind in words; of one that is not set, that."""
    if value is None:
        return "not set"
    if path in CHOICES:
        return CHOICES[path].get(value, str(value))  # type: ignore[call-overload, no-any-return]
    if isinstance(value, list):
        numbers = [
            " ".join(f"{one:g}" for one in row) if isinstance(row, (list, tuple)) else f"{row:g}" for row in value
        ]
        return ", ".join(numbers) if len(numbers) <= 4 else f"{len(numbers)} entries"
    assert isinstance(value, (int, float))
    return SHOWN[path].text(value)
