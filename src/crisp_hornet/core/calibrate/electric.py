"""Current sensor, and what motor detection found."""

from __future__ import annotations

import math

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, doubtful, failed, passed
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say

MOST_ZERO_A = 1.5
LEAST_RPM, SLOW_RPM = 40.0, 300.0
TOLERANCES = {"resistance": 0.25, "inductance": 0.35, "flux": 0.12}


def judge_zero(battery_a: Array, idle_w: float, pack_v: float) -> Judgement:
    """The zero of the battery current sensor at standstill ((n,)), the controller's own draw taken off."""
    zero = float(np.mean(battery_a)) - idle_w / max(pack_v, 1.0)
    noise = float(np.std(battery_a))
    figures = {"zero_a": zero, "noise_a": noise}
    if abs(zero) > MOST_ZERO_A:
        return failed(
            say("At standstill it shows {zero}", zero=quantity(zero, "A", "+.2f")),
            "Zero it; if it comes back, the sensor is damaged.",
            **figures,
        )
    if abs(zero) > 0.3:
        return doubtful(
            say("At standstill it shows {zero}", zero=quantity(zero, "A", "+.2f")),
            "Zero it, then look again.",
            **figures,
        )
    return passed(say("Zero offset {zero}", zero=quantity(zero, "A", "+.2f")), **figures)


def judge_gain(shown_a: float, meter_a: float, zero_a: float) -> Judgement:
    """The gain against an external meter in the pack's lead, at a steady draw."""
    if meter_a < 2.0:
        return doubtful(
            "The current was too small to check", "Let it draw at least 5 A: wheel in the air, brake rubbing lightly."
        )
    gain = (shown_a - zero_a) / meter_a
    if abs(gain - 1) > 0.05:
        return failed(
            say("Reads {gain} against the meter", gain=quantity(100 * (gain - 1), "%", "+.0f")),
            "Enter the gain where the controller takes one; limits are off by as much.",
            gain=gain,
        )
    return passed(say("It shows {gain} against the meter", gain=quantity(100 * (gain - 1), "%", "+.1f")), gain=gain)


def judge_detection(found: dict[str, float], bike: Bike) -> Judgement:
    """What the controller's own detection found (``resistance_ohm``, ``ld_h``, ``lq_h``, ``flux_linkage_wb``, ``pole_pairs``)
    against the bike document."""
    if any(not math.isfinite(value) or value <= 0 for value in found.values()):
        return failed("No valid motor found", "Are all three phases plugged in? Then run it again.", **found)
    motor = bike.motor
    expected = {
        "resistance_ohm": (motor.phase_resistance_ohm, TOLERANCES["resistance"]),
        "ld_h": (motor.ld_h, TOLERANCES["inductance"]),
        "lq_h": (motor.lq_h, TOLERANCES["inductance"]),
        "flux_linkage_wb": (motor.flux_linkage_wb, TOLERANCES["flux"]),
        "pole_pairs": (float(motor.pole_pairs), 0.0),
    }
    off = [
        name
        for name, (value, share) in expected.items()
        if name in found and abs(found[name] / value - 1) > share + 1e-9
    ]
    if "pole_pairs" in off:
        return doubtful(
            say(
                "It found {found} pole pairs, the bike says {pole_pairs}",
                found=quantity(found["pole_pairs"], "", ".0f"),
                pole_pairs=motor.pole_pairs,
            ),
            "Count the magnets, then run it again.",
            **found,
        )
    if off:
        return doubtful(
            say(
                "{off} differ from the bike's figures",
                off=", ".join(one.rpartition("_")[0].replace("_", " ") for one in off),
            ),
            "Take the found figures over if the bike's were assumed; else check plugs and run it again.",
            **found,
        )
    return passed("It agrees with the bike's figures", **found)


def roughness(rpm: Array) -> float:
    """How rough it gathers speed below :data:`SLOW_RPM` (rpm, (n,), evenly sampled): the root mean square of what is left of the
    speed once its course is taken off, relative to that course. The course is the quadratic fitted to five samples
    (Savitzky and Golay, 1964)."""
    course = np.convolve(rpm, np.array([-3.0, 12.0, 17.0, 12.0, -3.0]) / 35, mode="same")
    # while slowing down under the brake it says nothing; the first moments after standstill are no even course either
    slow = (course > LEAST_RPM) & (course < SLOW_RPM) & (np.gradient(course) > 0) & (np.roll(rpm, 2) > LEAST_RPM / 2)
    slow[:2] = slow[-2:] = False
    if int(slow.sum()) < 20:
        return float("nan")
    return float(np.sqrt(np.mean(((rpm - course)[slow] / course[slow]) ** 2)))


def judge_running(rpm: Array) -> Judgement:
    """Whether it starts smoothly, over a few gentle starts from standstill; a bad position offset makes it rough."""
    share = roughness(rpm)
    if not math.isfinite(share):
        return doubtful(
            "It hardly turned at low speed",
            "Open the throttle a little from standstill, a few times, wheel in the air.",
        )
    if share > 0.10:
        return failed(
            say("It runs rough: {share} ripple", share=quantity(100 * share, "%", ".0f")),
            "The position sensor's offset is wrong: run the detection again.",
            ripple=share,
        )
    if share > 0.05:
        return doubtful(
            say("It runs a little rough: {share} ripple", share=quantity(100 * share, "%", ".0f")),
            "Run the detection again and compare.",
            ripple=share,
        )
    return passed(say("It runs smoothly: {share} ripple", share=quantity(100 * share, "%", ".1f")), ripple=share)
