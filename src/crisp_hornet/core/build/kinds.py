"""Bikes to start from: typical figures of each kind, every one marked as assumed."""

from __future__ import annotations

from typing import Any

from crisp_hornet.documents.bike import BIKE_VERSION, Bike
from crisp_hornet.documents.store import parse

_THERMAL_HUB = (600, 4000, 5.0, 3.0, 0.5)
_THERMAL_MID = (220, 1800, 4.0, 2.0, 0.3)
# pole pairs, phase Ω, ld, lq, flux Wb, hysteresis, eddy, friction, max rpm, thermal, circumference, ratio, efficiency
_KINDS: dict[str, tuple[Any, ...]] = {
    "hub, direct drive": (23, 0.07, 1.6e-4, 1.6e-4, 0.027, 0.15, 6e-4, 0.35, 700, _THERMAL_HUB, 2.1, 1.0, 1.0),
    "hub, geared": (8, 0.1, 2.0e-4, 2.0e-4, 0.014, 0.05, 2e-4, 0.08, 3500, (120, 900, 3.0, 1.5, 0.3), 2.1, 5.0, 0.95),
    "mid motor": (8, 0.05, 1.0e-4, 1.5e-4, 0.012, 0.06, 2e-4, 0.1, 5000, _THERMAL_MID, 2.2, 8.0, 0.92),
    "chain reduction": (4, 0.02, 6e-5, 1.0e-4, 0.018, 0.1, 2e-4, 0.2, 8000, _THERMAL_MID, 2.0, 9.0, 0.93),
}
KINDS = tuple(_KINDS)


def bike_of_kind(kind: str, name: str) -> Bike:
    """A whole bike of a kind (one of :data:`KINDS`) with typical figures, all assumed. Raises :class:`KeyError`."""
    poles, ohm, ld, lq, flux, hysteresis, eddy, friction, rpm, heat, round_m, ratio, efficiency = _KINDS[kind]
    data: dict[str, Any] = {
        "format": "crisp-hornet/bike", "version": BIKE_VERSION, "name": name,
        "motor": {"pole_pairs": poles, "phase_resistance_ohm": ohm, "ld_h": ld, "lq_h": lq, "flux_linkage_wb": flux,
                  "hysteresis_loss_w_per_hz": hysteresis, "eddy_loss_w_per_hz2": eddy, "friction_nm": friction, "max_rpm": rpm,
                  "max_winding_c": 130, "thermal": dict(zip(
                      ("winding_j_per_k", "housing_j_per_k", "winding_to_housing_w_per_k", "housing_to_air_w_per_k",
                       "airflow_w_per_k_per_mps"), heat, strict=True))},
        "controller": {"max_phase_current_a": 100, "max_battery_current_a": 40, "max_voltage_v": 75, "modulation_limit": 0.95,
                       "resistance_ohm": 0.005, "idle_w": 5,
                       "thermal": {"heatsink_j_per_k": 450, "to_air_w_per_k": 1.5, "airflow_w_per_k_per_mps": 0.3}},
        "battery": {"chemistry": "nmc", "series": 14, "capacity_ah": 17, "resistance_ohm": 0.1, "bms_discharge_a": 35,
                    "bms_charge_a": 8, "bms_trip_v": 39.2},
        "drivetrain": {"wheel_circumference_m": round_m, "ratio": ratio, "efficiency": efficiency},
        "chassis": {"bike_kg": 30, "rider_kg": 80, "cargo_kg": 5, "wheelbase_m": 1.15, "cg_from_rear_m": 0.48, "cg_height_m": 1.0,
                    "crr": 0.01, "cda_m2": 0.65, "wheel_inertia_kgm2": 0.25, "tyre_grip": 0.8},
        "chain": [],
    }  # fmt: skip
    data["sources"] = {
        f"{part}.{key}": {"from": "assumed"}
        for part in ("motor", "controller", "battery", "drivetrain", "chassis")
        for key, value in data[part].items()
        if isinstance(value, (int, float))
    }
    return parse(Bike, "crisp-hornet/bike", BIKE_VERSION, data, f"a bike of kind {kind}")
