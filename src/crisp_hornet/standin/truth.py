"""What the simulated bike truly is, as against what its document says."""

from __future__ import annotations

import math
from dataclasses import dataclass, fields, replace

from crisp_hornet.documents.bike import Bike

SLOW_PACK_S = 35.0
SLOW_SHARE = 0.3  # of the pack's resistance, which shows only after a while
IN_10_S = 1 - SLOW_SHARE + SLOW_SHARE * (1 - math.exp(-10 / SLOW_PACK_S))  # what a document's 10 s pulse sees


@dataclass(frozen=True)
class Departures:
    """Factors by which the true bike differs from its document. These are the demo's secrets."""

    pack_resistance: float = 1.28
    pack_capacity: float = 0.94
    wheel: float = 1.029
    drag: float = 1.12
    rolling: float = 1.10
    flux: float = 0.985
    winding_resistance: float = 1.03
    current_gain: float = 1.006
    phase_gain: float = 1.006
    current_zero_a: float = 0.08


@dataclass(frozen=True)
class Truth:
    """The figures the time-stepping uses (SI units)."""

    pole_pairs: int
    winding_ohm: float
    stage_ohm: float
    inductance_h: float
    ld_h: float
    flux_wb: float
    hysteresis: float
    eddy: float
    friction_nm: float
    modulation: float
    idle_w: float
    series: int
    capacity_ah: float
    pack_ohm_fast: float
    pack_ohm_slow: float
    rolled_m: float
    believed_m: float
    ratio: float
    gears: tuple[float, ...]
    freewheel: bool
    drive_efficiency: float
    mass_kg: float
    wheels_kgm2: float
    rotor_kgm2: float
    rolling: float
    drag_m2: float
    heat: tuple[float, float, float, float, float]
    sink: tuple[float, float, float]
    current_gain: float
    phase_gain: float
    current_zero_a: float
    bms_trip_v: float
    document: Bike
    departures: Departures


def departed_bike(truth: Truth, name: str, value: float) -> Truth:
    """The same bike with another truth. Raises :class:`ValueError` for a departure that there is not."""
    names = [field.name for field in fields(Departures)]
    if name not in names:
        raise ValueError(f"no truth {name!r}; there are: {', '.join(names)}")
    if not (math.isfinite(value) and (name == "current_zero_a" or 0.05 <= value <= 20)):
        raise ValueError(f"{name} takes a factor of 0.05 to 20")
    return true_bike(truth.document, replace(truth.departures, **{name: value}))


def true_bike(bike: Bike, d: Departures | None = None) -> Truth:
    """The hidden true bike behind a document."""
    d = d or Departures()
    motor, stage, pack, chassis = bike.motor, bike.controller, bike.battery, bike.chassis
    pack_ohm = pack.resistance_ohm * d.pack_resistance / IN_10_S
    return Truth(
        pole_pairs=motor.pole_pairs,
        winding_ohm=motor.phase_resistance_ohm * d.winding_resistance,
        stage_ohm=stage.resistance_ohm,
        inductance_h=motor.lq_h,
        ld_h=motor.ld_h,
        flux_wb=motor.flux_linkage_wb * d.flux,
        hysteresis=motor.hysteresis_loss_w_per_hz,
        eddy=motor.eddy_loss_w_per_hz2,
        friction_nm=motor.friction_nm,
        modulation=stage.modulation_limit,
        idle_w=stage.idle_w,
        series=pack.series,
        capacity_ah=pack.capacity_ah * d.pack_capacity,
        pack_ohm_fast=(1 - SLOW_SHARE) * pack_ohm,
        pack_ohm_slow=SLOW_SHARE * pack_ohm,
        rolled_m=bike.drivetrain.wheel_circumference_m * d.wheel,
        believed_m=bike.drivetrain.wheel_circumference_m,
        ratio=bike.drivetrain.ratio,
        gears=tuple(bike.drivetrain.gears or ()),
        freewheel=bike.drivetrain.freewheel,
        drive_efficiency=bike.drivetrain.efficiency,
        mass_kg=bike.mass_kg,
        wheels_kgm2=chassis.wheel_inertia_kgm2,
        rotor_kgm2=motor.rotor_inertia_kgm2,
        rolling=chassis.crr * d.rolling,
        drag_m2=chassis.cda_m2 * d.drag,
        heat=(
            motor.thermal.winding_j_per_k,
            motor.thermal.housing_j_per_k,
            motor.thermal.winding_to_housing_w_per_k,
            motor.thermal.housing_to_air_w_per_k,
            motor.thermal.airflow_w_per_k_per_mps,
        ),
        sink=(stage.thermal.heatsink_j_per_k, stage.thermal.to_air_w_per_k, stage.thermal.airflow_w_per_k_per_mps),
        current_gain=d.current_gain,
        phase_gain=d.phase_gain,
        current_zero_a=d.current_zero_a,
        bms_trip_v=pack.bms_trip_v,
        document=bike,
        departures=d,
    )
