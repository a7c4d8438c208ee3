"""What the controller did that nobody asked for: drive with the brake pulled or nothing asked, overspeed, faults."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding, tells
from crisp_hornet.core.evidence.findings.suggestion import lowered, raised
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.saying import quantity

DRIVES_A, CUT_S = 3.0, 0.8
TWIST, IDLE_S, PUSHES_A = 0.02, 20.0, 12.0


@finding
def brake_does_not_cut(e: Evidence) -> Finding | None:
    """The motor went on driving with the brake lever pulled."""
    if not e.has("brake", "battery_a"):
        return None
    pulled = moving_mean((e.channel("brake") > 0).astype(float), 2 * round(CUT_S / STEP_S) + 1) > 0.999
    stretch = e.longest(pulled & (e.channel("battery_a") > DRIVES_A), 0.4)
    if stretch is None:
        return None
    return tells(
        "brake-no-cut",
        stretch=quantity(_most(e, "battery_a", stretch), "A", ".0f"),
        cut=quantity(CUT_S, "s"),
        span=stretch,
    )


@finding
def drives_unasked(e: Evidence) -> Finding | None:
    """The motor drove although neither throttle nor pedals asked for it."""
    if not e.has("throttle", "battery_a"):
        return None
    silent = (e.channel("throttle") <= TWIST) & ~(e.channel("cadence_rpm") > 5) & ~(e.channel("human_nm") > 3)
    silent = moving_mean(silent.astype(float), 2 * round(1.5 / STEP_S) + 1) > 0.999
    stretch = e.longest(silent & (e.channel("battery_a") > DRIVES_A), 1.0)
    if stretch is None:
        return None
    return tells("drives-unasked", stretch=quantity(_most(e, "battery_a", stretch), "A", ".0f"), span=stretch)


def _most(e: Evidence, channel: str, stretch: tuple[float, float]) -> float:
    rows = slice(*np.searchsorted(e.smooth.time_s, stretch).tolist())
    return float(np.nanmax(e.channel(channel)[rows], initial=0.0))


@finding
def overspeed(e: Evidence) -> Finding | None:
    """The motor turned faster than it may."""
    if not e.has("motor_rpm"):
        return None
    most = e.bike.motor.max_rpm
    stretch = e.longest(e.channel("motor_rpm") > most * 1.02, 0.4)
    if stretch is None:
        return None
    return tells(
        "overspeed",
        stretch=quantity(_most(e, "motor_rpm", stretch), "rpm", ".0f"),
        most=quantity(most),
        span=stretch,
        suggest=lowered(
            e.tune, "drive.motor_rpm", min(e.tune.drive.motor_rpm, most), "no drive beyond what the motor may turn"
        ),
    )


@finding
def fault_stood(e: Evidence) -> Finding | None:
    """The controller reported a fault under way."""
    if not e.has("fault"):
        return None
    codes = np.round(e.channel("fault"))
    stretch = e.longest(codes > 0, 0.2)
    if stretch is None:
        return None
    rows = slice(*np.searchsorted(e.smooth.time_s, stretch).tolist())
    named = float(np.nanmax(codes[rows], initial=0.0))
    return tells("fault-stood", named=quantity(named, "", ".0f"), span=stretch)


@finding
def throttle_at_rest(e: Evidence) -> Finding | None:
    """A throttle that does not read nothing while the bike stands."""
    if not e.has("throttle", "wheel_speed_kmh"):
        return None
    stands = (e.channel("wheel_speed_kmh") < 0.5) & ~(
        e.channel("phase_a") > PUSHES_A
    )  # on a hill it may push and not move
    if stands.sum() * STEP_S < IDLE_S / 4:
        return None
    reads = float(np.nanmedian(e.channel("throttle")[stands]))
    if not 0.02 < reads < 0.3:
        return None
    wider = float(f"{min(max(e.tune.throttle.dead_band, reads + 0.03), 0.3):.2f}")
    return tells(
        "throttle-at-rest",
        reads=quantity(100 * reads, "%", ".0f"),
        suggest=raised(e.tune, "throttle.dead_band", wider, "the rest counts as closed"),
    )
