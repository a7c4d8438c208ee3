"""An exhaustive search for the pull curve, written from the physics alone and sharing nothing with the core.

It tries id and iq over a grid, throws away what breaks a limit, and narrows the grid around the best point
until its own step is below 0.05 % of the best.
"""

from __future__ import annotations

import math

import numpy as np


def limits_of(bike, tune):
    chain = bike.chain
    least = lambda values: min(v for v in values if v is not None)
    return {
        "phase": least(
            [tune.drive.phase_current_a, bike.controller.max_phase_current_a] + [c.phase_current_a for c in chain]
        ),
        "battery": least(
            [tune.drive.battery_current_a, bike.controller.max_battery_current_a] + [c.battery_current_a for c in chain]
        ),
        "power": least([tune.drive.power_w, math.inf] + [c.power_w for c in chain]),
        "rpm": min(tune.drive.motor_rpm, bike.motor.max_rpm),
        "speed": least([tune.drive.speed_kmh, math.inf] + [c.speed_kmh for c in chain]),
    }


def clip_fade(value, start, end):
    if start == end:
        return 1.0 if value < end else 0.0
    return min(1.0, max(0.0, (end - value) / (end - start)))


def state(bike, rested_v, winding_c, v_kmh, i_d, i_q):
    """Everything the limits speak of at the currents (i_d, i_q), arrays welcome."""
    m, c = bike.motor, bike.controller
    radius = bike.drivetrain.wheel_circumference_m / (2 * math.pi)
    shaft = v_kmh / 3.6 / radius * bike.drivetrain.ratio
    w = m.pole_pairs * shaft
    r = m.phase_resistance_ohm * (1 + 0.00385 * (winding_c - 25)) + c.resistance_ohm
    psi = m.flux_linkage_wb
    if m.saturation:
        psi = psi * np.maximum(1 - m.saturation.flux_drop * (i_q / m.saturation.at_a) ** 2, 0.2)
    vd = r * i_d - w * m.lq_h * i_q
    vq = r * i_q + w * (m.ld_h * i_d + psi)
    power = 1.5 * (vd * i_d + vq * i_q) + c.idle_w
    rb = bike.battery.resistance_ohm
    with np.errstate(invalid="ignore"):
        pack_v = (rested_v + np.sqrt(rested_v**2 - 4 * power * rb)) / 2
    torque = 1.5 * m.pole_pairs * (psi * i_q + (m.ld_h - m.lq_h) * i_d * i_q)
    drag = (
        m.pole_pairs / (2 * math.pi) * (m.hysteresis_loss_w_per_hz + m.eddy_loss_w_per_hz2 * w / (2 * math.pi))
        + m.friction_nm
    )
    gain = bike.drivetrain.ratio * bike.drivetrain.efficiency / radius
    return {
        "rpm": shaft * 30 / math.pi,
        "v": np.hypot(vd, vq),
        "pack_v": pack_v,
        "power": power,
        "ib": power / pack_v,
        "shaft_nm": torque - drag,
        "force": np.maximum(torque - drag, 0) * gain,
    }


def violation(bike, tune, rested_v, winding_c, v_kmh, i_d, i_q):
    """How far the worst limit is exceeded, relative to its own size; NaN pack voltage counts as infinite."""
    lim, s = limits_of(bike, tune), state(bike, rested_v, winding_c, v_kmh, i_d, i_q)
    share = clip_fade(winding_c, tune.heat_guard.motor_fade_start_c, tune.heat_guard.motor_fade_end_c)
    share *= (
        clip_fade(v_kmh, lim["speed"] - tune.drive.speed_taper_kmh, lim["speed"]) if lim["speed"] < math.inf else 1.0
    )
    start, end = tune.battery_guard.fade_start_v, tune.battery_guard.fade_end_v
    with np.errstate(invalid="ignore", divide="ignore"):
        fade = (
            np.clip((s["pack_v"] - end) / (start - end), 0, 1)
            if start > end
            else np.where(s["pack_v"] >= end, 1.0, 0.0)
        )
        over = [
            (np.abs(i_q) - share * np.sqrt(np.maximum(lim["phase"] ** 2 - i_d**2, 0))) / lim["phase"],
            s["v"] / (bike.controller.modulation_limit * s["pack_v"] / math.sqrt(3)) - 1,
            (s["ib"] - fade * lim["battery"]) / lim["battery"],
            s["power"] / lim["power"] - 1 if lim["power"] < math.inf else np.full_like(i_q, -1.0),
        ]
        worst = np.max(np.array([np.broadcast_to(o, np.shape(i_q)) for o in over]), axis=0)
    return np.where(np.isnan(worst), math.inf, worst)


def mtpa_id(bike, i_q):
    """The d-current of most torque per ampere, from the contract's closed form."""
    gap, psi = bike.motor.lq_h - bike.motor.ld_h, bike.motor.flux_linkage_wb
    if gap == 0:
        return np.zeros_like(i_q)
    if bike.motor.saturation:
        psi = psi * np.maximum(1 - bike.motor.saturation.flux_drop * (i_q / bike.motor.saturation.at_a) ** 2, 0.2)
    return (psi - np.sqrt(psi**2 + 4 * gap**2 * i_q**2)) / (2 * gap)


def best_force(bike, tune, rested_v, winding_c, v_kmh, first=161, fine=25, levels=9):
    """The greatest wheel force (N) over all (id, iq) that meet every limit; 0 where none does.

    The grid runs over iq and over how far id lies below its most-torque-per-ampere value (0 to the weakening limit), so
    that a narrow band is searched as finely as a wide one. Several of the best places are refined, not one.
    """
    lim = limits_of(bike, tune)
    if state(bike, rested_v, winding_c, v_kmh, 0.0, 0.0)["rpm"] > lim["rpm"]:
        return 0.0
    weakening = tune.drive.field_weakening_a

    def look(q_low, q_high, d_low, d_high, n):
        q = np.linspace(max(q_low, 0.0), min(q_high, lim["phase"]), n)
        below = np.linspace(max(d_low, 0.0), min(d_high, weakening), n if weakening > 0 else 1)
        i_q, depth = np.meshgrid(q, below, indexing="ij")
        i_d = mtpa_id(bike, i_q) - depth
        force = state(bike, rested_v, winding_c, v_kmh, i_d, i_q)["force"]
        fits = (violation(bike, tune, rested_v, winding_c, v_kmh, i_d, i_q) <= 0) & (np.abs(i_d) <= lim["phase"])
        return q, below, np.where(fits, force, -1.0)

    def spots(q, below, force, most):
        order = np.argsort(force, axis=None)[::-1][: most * 40 : 40] if most > 1 else [int(np.argmax(force))]
        return [(q[k // len(below)], below[k % len(below)]) for k in map(int, order) if force.flat[k] >= 0]

    q, below, force = look(0.0, lim["phase"], 0.0, weakening, first)
    best = max(0.0, float(force.max()))
    places = spots(q, below, force, 4)
    step_q, step_d = lim["phase"] / (first - 1), weakening / (first - 1)
    for _ in range(levels):
        found = []
        for at_q, at_d in places:
            q, below, force = look(at_q - 2 * step_q, at_q + 2 * step_q, at_d - 2 * step_d, at_d + 2 * step_d, fine)
            best = max(best, float(force.max()))
            found += [(float(force.max()), place) for place in spots(q, below, force, 1)]
        found.sort(key=lambda pair: pair[0], reverse=True)
        places = [place for _, place in found[:2]]
        step_q, step_d = step_q * 4 / (fine - 1), step_d * 4 / (fine - 1)
        if not places:
            break
    return best


def least_loss(bike, rested_v, winding_c, v_kmh, torque_nm, points=40001):
    """The least current amplitude that makes an electromagnetic torque at a speed within the voltage, by trying every id below that of
    most torque per ampere; None where none does. For iron that does not saturate."""
    m, radius = bike.motor, bike.drivetrain.wheel_circumference_m / (2 * math.pi)
    omega = m.pole_pairs * v_kmh / 3.6 / radius * bike.drivetrain.ratio
    i_d = np.linspace(-6 * m.flux_linkage_wb / m.ld_h, 0.0, points)
    i_q = torque_nm / (1.5 * m.pole_pairs * (m.flux_linkage_wb + (m.ld_h - m.lq_h) * i_d))
    r = m.phase_resistance_ohm * (1 + 0.00385 * (winding_c - 25)) + bike.controller.resistance_ohm
    vd, vq = r * i_d - omega * m.lq_h * i_q, r * i_q + omega * (m.ld_h * i_d + m.flux_linkage_wb)
    power = 1.5 * (vd * i_d + vq * i_q) + bike.controller.idle_w
    with np.errstate(invalid="ignore"):
        pack_v = (rested_v + np.sqrt(rested_v**2 - 4 * power * bike.battery.resistance_ohm)) / 2
        fits = np.hypot(vd, vq) <= bike.controller.modulation_limit * pack_v / math.sqrt(3)
    fits &= i_d <= mtpa_id(bike, i_q) + 1e-9
    current = np.where(fits, np.hypot(i_d, i_q), math.inf)
    return float(current.min()) if fits.any() else None
