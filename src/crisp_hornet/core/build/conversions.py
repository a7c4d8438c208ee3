"""From what a builder can measure to what the equations need. Each function names its source and its catch."""

from __future__ import annotations

import math

BLOCK_120 = math.pi / 3
SIX_STEP_180 = 2 * math.sqrt(3) / math.pi
TYRE_DROP = 0.15  # of its height, under the load it is meant for (F. Berto, *All About Tire Inflation*)


def flux_from_kv(kv_rpm_per_v: float, pole_pairs: float) -> float:
    """Flux linkage (Wb, peak, per phase) from kV in rpm per volt of peak line-to-line back-EMF.

    ``psi = 60/(2π·√3·p·kV)``: line-to-line EMF is √3 of a phase's, which is ``omega·psi``.
    """
    return 60 / (2 * math.pi * math.sqrt(3) * pole_pairs * kv_rpm_per_v)


def kv_from_flux(flux_wb: float, pole_pairs: float) -> float:
    """The inverse of :func:`flux_from_kv` (rpm per volt)."""
    return 60 / (2 * math.pi * math.sqrt(3) * pole_pairs * flux_wb)


def flux_from_no_load(rpm: float, pack_v: float, pole_pairs: float, emf_per_pack_v: float) -> float:
    """Flux linkage from the no-load speed (rpm) at a pack voltage, without field weakening.

    ``emf_per_pack_v``: peak line-to-line back-EMF over pack voltage at which a motor with sinusoidal EMF no longer draws current.

    * 120° block commutation: always two leads carry the pack's voltage, for the 60° around the peak of the EMF between them. No current
      flows on average where ``V = (3/π)·∫_{−π/6}^{π/6} E·cos θ dθ = (3/π)·E``, so E/V is π/3 = 1.047 (:data:`BLOCK_120`).
    * 180° six-step: the fundamental of the square wave between two leads, ``2√3/π·V`` = 1.103 V (N. Mohan, T. Undeland, W. Robbins,
      *Power Electronics*, square-wave operation of three-phase inverters; :data:`SIX_STEP_180`).
    * Sine drive (field-oriented): as much of the pack's voltage as the controller's modulation reaches.
    """
    return flux_from_kv(rpm / pack_v / emf_per_pack_v, pole_pairs)


def flux_from_emf(volts_rms: float, rpm: float, pole_pairs: float) -> float:
    """Flux linkage from the AC volts (rms) between two leads of a motor turned by hand or drill at ``rpm``."""
    omega = rpm * 2 * math.pi / 60 * pole_pairs
    return volts_rms * math.sqrt(2) / math.sqrt(3) / omega


def phase_from_leads(between_leads: float) -> float:
    """Phase resistance from the resistance between two leads: two phases in series, for star and (as its equivalent) delta."""
    return between_leads / 2


def inductance_from_leads(between_leads_h: float) -> float:
    """ld from the least, lq from the greatest inductance between two leads while the rotor is turned: half of it.

    Between two leads a salient machine shows ``ld + lq − (lq − ld)·cos 2θ``, from 2·ld to 2·lq.
    """
    return between_leads_h / 2


def pole_pairs_from_magnets(magnets: float) -> float:
    """Pole pairs from the number of magnets in the rotor: two make a pair."""
    return magnets / 2


def ratio_from_teeth(driver: float, driven: float, inner_reduction: float = 1.0) -> float:
    """Motor turns per wheel turn: inner reduction × driven (wheel) sprocket / driver (motor) sprocket."""
    return inner_reduction * driven / driver


def circumference_from_label(width_mm: float, rim_mm: float) -> float:
    """Rolled circumference (m) from a tyre's label, width and bead seat diameter in mm (as in 47-406), as high as it is wide.

    The belt hardly stretches, so a tyre that gives way by δ rolls on a radius only a third of δ shorter: ``r − δ/3`` (R. N. Jazar,
    *Vehicle Dynamics*, effective radius). That is some 1 % less than its free circumference.
    """
    return math.pi * (rim_mm + 2 * width_mm * (1 - TYRE_DROP / 3)) / 1000


def circumference_from_roll_out(distance_m: float, turns: float) -> float:
    """Rolled circumference (m) from the distance over some whole turns, rider on."""
    return distance_m / turns


def circumference_from_gps(set_m: float, indicated_kmh: float, gps_kmh: float) -> float:
    """Corrected circumference (m): what is set now, times true over indicated speed."""
    return set_m * gps_kmh / indicated_kmh


def cg_from_rear(wheelbase_m: float, front_kg: float, rear_kg: float) -> float:
    """How far the centre of gravity lies in front of the rear axle (m), from what scales under the axles show on level ground:
    moments about the rear contact, ``x·W = L·F`` (V. Cossalter, *Motorcycle Dynamics*, ch. 3)."""
    return wheelbase_m * front_kg / (front_kg + rear_kg)


def cg_height(
    wheelbase_m: float, circumference_m: float, front_kg: float, rear_kg: float, lifted_kg: float, lift_m: float
) -> float:
    """Height of the centre of gravity (m) from the front scale once more, the front axle raised by ``lift_m``.

    With the axles inclined by ``sin θ = lift/L`` moments about the rear axle give ``F' · L·cos θ = W·(x·cos θ − h·sin θ)``, h above the
    axles, so ``h = (F − F')·L/(W·tan θ)`` (Cossalter, ch. 3); the axles lie a wheel's radius above the ground.
    Raises :class:`ValueError` for a lift that is none or more than the wheelbase.
    """
    if not 0 < lift_m < wheelbase_m:
        raise ValueError("the front axle must be raised by more than nothing and less than the wheelbase")
    slope = lift_m / math.sqrt(wheelbase_m**2 - lift_m**2)
    above_axles = (front_kg - lifted_kg) * wheelbase_m / ((front_kg + rear_kg) * slope)
    return above_axles + circumference_m / (2 * math.pi)


def pack_resistance(cell_ohm: float, series: float, parallel: float, joints_ohm: float = 0.0) -> float:
    """Pack resistance from a cell's, cells in series and parallel, and what leads and joints add (Ω)."""
    return cell_ohm * series / parallel + joints_ohm


def pack_capacity(cell_ah: float, parallel: float) -> float:
    """Pack capacity (Ah): cells in parallel add up."""
    return cell_ah * parallel
