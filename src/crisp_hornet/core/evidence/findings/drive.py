"""What the controller did that nobody asked for: drive with the brake pulled or nothing asked, overspeed, faults."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.findings.kinds import Evidence, Finding, finding
from crisp_hornet.core.evidence.findings.suggestion import Suggestion
from crisp_hornet.core.ride.even import STEP_S, moving_mean
from crisp_hornet.documents.saying import quantity, say

DRIVES_A, CUT_S = 3.0, 0.8
TWIST, IDLE_S = 0.02, 20.0


@finding
def brake_does_not_cut(e: Evidence) -> Finding | None:
    """The motor went on driving with the brake lever pulled."""
    if not e.has("brake", "battery_a"):
        return None
    pulled = moving_mean((e.channel("brake") > 0).astype(float), 2 * round(CUT_S / STEP_S) + 1) > 0.999
    stretch = e.longest(pulled & (e.channel("battery_a") > DRIVES_A), 0.4)
    if stretch is None:
        return None
    return Finding(
        "brake-no-cut",
        "warn",
        "The motor drove on with the brake pulled",
        say(
            "{stretch} flowed {cut} and more after the lever was pulled. Prove the brake cut on "
            "Calibrate before the next ride.",
            stretch=quantity(_most(e, "battery_a", stretch), "A", ".0f"),
            cut=quantity(CUT_S, "s"),
        ),
        *stretch,
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
    return Finding(
        "drives-unasked",
        "warn",
        "The motor drove although nothing asked for it",
        say(
            "{stretch} with a closed throttle and still pedals. A torque sensor that reads too much "
            "at rest, or a hold time that is too long, does this: calibrate it.",
            stretch=quantity(_most(e, "battery_a", stretch), "A", ".0f"),
        ),
        *stretch,
    )


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
    return Finding(
        "overspeed",
        "warn",
        say(
            "The motor turned {stretch}; it may turn {most}",
            stretch=quantity(_most(e, "motor_rpm", stretch), "rpm", ".0f"),
            most=quantity(most),
        ),
        "Downhill or with weakening. If weakening fails there, the back-EMF meets the power stage.",
        *stretch,
        Suggestion("drive.motor_rpm", min(e.tune.drive.motor_rpm, most), "no drive beyond what the motor may turn"),
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
    return Finding(
        "fault-stood",
        "warn",
        say("The controller reported fault {named}", named=quantity(named, "", ".0f")),
        "Hook-up explains it for this controller, with what to check next.",
        *stretch,
    )


@finding
def throttle_at_rest(e: Evidence) -> Finding | None:
    """A throttle that does not read nothing while the bike stands."""
    if not e.has("throttle", "wheel_speed_kmh"):
        return None
    stands = e.channel("wheel_speed_kmh") < 0.5
    if stands.sum() * STEP_S < IDLE_S / 4:
        return None
    reads = float(np.nanmedian(e.channel("throttle")[stands]))
    if not 0.02 < reads < 0.3:
        return None
    wider = float(f"{min(max(e.tune.throttle.dead_band, reads + 0.03), 0.3):.2f}")
    return Finding(
        "throttle-at-rest",
        "warn",
        say("Standing, the throttle reads {reads}", reads=quantity(100 * reads, "%", ".0f")),
        "Its rest is set too low, or it does not return: calibrate it; a wider dead band only hides it.",
        suggest=Suggestion("throttle.dead_band", wider, "the rest counts as closed"),
    )
