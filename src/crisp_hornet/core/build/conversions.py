"""From what a builder can measure to what the equations need. Each function names its source and its catch."""

from __future__ import annotations

import math

BLOCK_READS_HIGH = 1.10  # rpm per volt spun up by block commutation at no load, against peak line-to-line back-EMF
SQUASH = 0.97  # a loaded tyre rolls this share of its free circumference


def flux_from_kv(kv_rpm_per_v: float, pole_pairs: float) -> float:
    """Flux linkage (Wb, peak, per phase) from kV in rpm per volt of peak line-to-line back-EMF.

    ``psi = 60/(2π·√3·p·kV)``: line-to-line EMF is √3 of a phase's, which is ``omega·psi``.
    """
    return 60 / (2 * math.pi * math.sqrt(3) * pole_pairs * kv_rpm_per_v)


def kv_from_flux(flux_wb: float, pole_pairs: float) -> float:
    """The inverse of :func:`flux_from_kv` (rpm per volt)."""
    return 60 / (2 * math.pi * math.sqrt(3) * pole_pairs * flux_wb)


def flux_from_no_load(rpm: float, pack_v: float, pole_pairs: float) -> float:
    """Flux linkage from the no-load speed (rpm) at a pack voltage with block commutation.

    Spun up like this a motor turns about a tenth faster than its back-EMF's peak says.
    """
    return flux_from_kv(rpm / pack_v / BLOCK_READS_HIGH, pole_pairs)


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
    """Rolled circumference (m) from a tyre's label, width and bead seat diameter in mm (as in 47-406)."""
    return math.pi * (rim_mm + 2 * width_mm) / 1000 * SQUASH


def circumference_from_roll_out(distance_m: float, turns: float) -> float:
    """Rolled circumference (m) from the distance over some whole turns, rider on."""
    return distance_m / turns


def circumference_from_gps(set_m: float, indicated_kmh: float, gps_kmh: float) -> float:
    """Corrected circumference (m): what is set now, times true over indicated speed."""
    return set_m * gps_kmh / indicated_kmh


def pack_resistance(cell_ohm: float, series: float, parallel: float, joints_ohm: float = 0.0) -> float:
    """Pack resistance from a cell's, cells in series and parallel, and what leads and joints add (Ω)."""
    return cell_ohm * series / parallel + joints_ohm


def pack_capacity(cell_ah: float, parallel: float) -> float:
    """Pack capacity (Ah): cells in parallel add up."""
    return cell_ah * parallel
