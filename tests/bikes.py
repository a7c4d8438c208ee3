"""Bikes and tunes for the tests, and random ones in the range builders really have."""

from __future__ import annotations

from copy import deepcopy

from hypothesis import strategies as st

from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.store import parse
from crisp_hornet.documents.tune import Tune

BIKE = {
    "format": "crisp-hornet/bike",
    "version": 1,
    "name": "Test hub",
    "motor": {
        "pole_pairs": 23,
        "phase_resistance_ohm": 0.06,
        "ld_h": 1.4e-4,
        "lq_h": 1.4e-4,
        "flux_linkage_wb": 0.019,
        "hysteresis_loss_w_per_hz": 0.12,
        "eddy_loss_w_per_hz2": 0.0005,
        "friction_nm": 0.25,
        "max_rpm": 900,
        "max_winding_c": 130,
        "thermal": {
            "winding_j_per_k": 500,
            "housing_j_per_k": 3500,
            "winding_to_housing_w_per_k": 4,
            "housing_to_air_w_per_k": 3,
            "airflow_w_per_k_per_mps": 0.5,
        },
    },
    "controller": {
        "max_phase_current_a": 180,
        "max_battery_current_a": 60,
        "max_voltage_v": 90,
        "modulation_limit": 0.95,
        "resistance_ohm": 0.004,
        "idle_w": 6,
        "thermal": {"heatsink_j_per_k": 600, "to_air_w_per_k": 2, "airflow_w_per_k_per_mps": 0.3},
    },
    "battery": {
        "chemistry": "nmc",
        "series": 16,
        "capacity_ah": 24,
        "resistance_ohm": 0.09,
        "bms_discharge_a": 50,
        "bms_charge_a": 40,
        "bms_trip_v": 44.4,
    },
    "drivetrain": {"wheel_circumference_m": 1.59, "ratio": 1, "efficiency": 1},
    "chassis": {
        "bike_kg": 48,
        "rider_kg": 78,
        "cargo_kg": 40,
        "wheelbase_m": 1.9,
        "cg_from_rear_m": 0.85,
        "cg_height_m": 0.95,
        "crr": 0.011,
        "cda_m2": 0.75,
        "wheel_inertia_kgm2": 0.2,
        "tyre_grip": 0.8,
    },
    "chain": [],
}
TUNE = {
    "format": "crisp-hornet/tune",
    "version": 1,
    "name": "Test tune",
    "drive": {
        "phase_current_a": 120,
        "battery_current_a": 30,
        "power_w": None,
        "field_weakening_a": 0,
        "motor_rpm": 900,
        "speed_kmh": None,
        "speed_taper_kmh": 0,
    },
    "regen": {"phase_current_a": 30, "battery_current_a": 8, "fade_start_v": 65, "fade_end_v": 67},
    "battery_guard": {"fade_start_v": 49, "fade_end_v": 46},
    "heat_guard": {
        "motor_fade_start_c": 100,
        "motor_fade_end_c": 125,
        "controller_fade_start_c": 75,
        "controller_fade_end_c": 90,
    },
}

# sensors that were held against instruments, and a bike that was weighed
CHECKED = {
    "sensors__battery_a": {"gain_spread": 0.003, "zero_spread": 0.03, "checked": "2026-09-03"},
    "sensors__phase_a": {"gain_spread": 0.003, "zero_spread": 0.03, "checked": "2026-09-03"},
    "sensors__pack_v": {"gain_spread": 0.00075, "checked": "2026-09-03"},
    "sensors__gps_speed_kmh": {"gain_spread": 0.00045, "checked": "2026-09-03"},
    "sensors__human_nm": {"gain_spread": 0.0075, "checked": "2026-09-03"},
    "sources": {"chassis.bike_kg": {"from": "measured"}, "chassis.rider_kg": {"from": "measured"}},
}


def changed(document: dict, **settings) -> dict:
    """A deep copy with dotted keys set, dots written as double underscores."""
    copy = deepcopy(document)
    for path, value in settings.items():
        *groups, key = path.split("__")
        place = copy
        for group in groups:
            place = place.setdefault(group, {})
        place[key] = value
    return copy


def a_bike(**settings) -> Bike:
    return parse(Bike, "crisp-hornet/bike", 1, changed(BIKE, **settings), "bike.json")


def a_tune(**settings) -> Tune:
    return parse(Tune, "crisp-hornet/tune", 1, changed(TUNE, **settings), "tune.json")


@st.composite
def cases(draw, interior=True, weakening=True):
    """(bike, tune, rested V, winding °C): any sensible machine, limits anywhere from useless to dominant."""
    number = lambda low, high: draw(st.floats(low, high, allow_nan=False))
    series = draw(st.integers(10, 28))
    inductance = number(2e-5, 6e-4)
    saliency = number(1.0, 3.0) if interior and draw(st.booleans()) else 1.0
    resistance = number(0, 0.35)
    low = series * number(2.9, 3.3)
    chain = (
        []
        if draw(st.booleans())
        else [{"name": "Display", "battery_current_a": number(5, 80), "speed_kmh": number(20, 80)}]
    )
    bike = a_bike(
        motor__pole_pairs=draw(st.integers(4, 30)),
        motor__phase_resistance_ohm=number(0.01, 0.3),
        motor__ld_h=inductance,
        motor__lq_h=inductance * saliency,
        motor__flux_linkage_wb=number(0.004, 0.04),
        motor__hysteresis_loss_w_per_hz=number(0, 0.3),
        motor__eddy_loss_w_per_hz2=number(0, 0.002),
        motor__friction_nm=number(0, 0.6),
        motor__max_rpm=number(200, 20000),
        controller__max_phase_current_a=number(40, 300),
        controller__max_battery_current_a=number(15, 100),
        controller__modulation_limit=number(0.85, 1),
        controller__resistance_ohm=number(0, 0.02),
        controller__idle_w=number(0, 12),
        battery__series=series,
        battery__resistance_ohm=resistance,
        drivetrain__wheel_circumference_m=number(1.2, 2.3),
        drivetrain__ratio=number(1, 12),
        drivetrain__efficiency=number(0.8, 1),
        chain=chain,
    )
    tune = a_tune(
        drive__phase_current_a=number(5, 350),
        drive__battery_current_a=number(2, 120),
        drive__power_w=None if draw(st.booleans()) else number(50, 6000),
        drive__motor_rpm=number(150, 9000),
        drive__field_weakening_a=number(0, 150) if weakening and draw(st.booleans()) else 0,
        drive__speed_kmh=None if draw(st.booleans()) else number(15, 90),
        drive__speed_taper_kmh=number(0, 10),
        battery_guard__fade_start_v=low + number(0, 6),
        battery_guard__fade_end_v=low,
        heat_guard__motor_fade_start_c=number(60, 110),
        heat_guard__motor_fade_end_c=number(110, 140),
    )
    return bike, tune, series * number(3.0, 4.2), number(-10, 130)


def two_packs(how, in_use=0, first=(), second=()):
    """The test bike's pack beside another one, as a document has them."""
    each = [
        {"name": name, "battery": {**BIKE["battery"], **dict(own)}} for name, own in (("Grey", first), ("Blue", second))
    ]
    return {"how": how, "in_use": in_use, "each": each}
