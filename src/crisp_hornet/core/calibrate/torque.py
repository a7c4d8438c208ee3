"""The torque sensor at the crank: rest and drift, span by a known weight, both sides, broken wires."""

from __future__ import annotations

import math
from typing import get_args

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, at_a_rail, doubtful, failed, passed
from crisp_hornet.core.road.vehicle import G_MPS2
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.sensors import TorqueSides

MOST_NOISE_V, MOST_DRIFT_V_PER_MIN, LEAST_STEP_V = 0.03, 0.05, 0.08
SIDES: tuple[TorqueSides, ...] = get_args(TorqueSides)
USUAL_NM_PER_V = (15.0, 300.0)


def judge_torque_rest(time_s: Array, volts: Array) -> Judgement:
    """Judge the sensor with nobody on the pedals (both (n,)): where it rests, its noise and its drift."""
    if (rail := at_a_rail(volts, "torque sensor")) is not None:
        return rail
    slope, _ = np.polyfit(time_s - time_s.mean(), volts, 1)
    drift = 60 * float(slope)
    noise = float(np.median(np.abs(np.diff(volts)))) / 0.954
    # standard error of a slope fitted to white noise: sigma·√(12/n)/T
    unsure = 60 * noise * float(np.sqrt(12 / len(volts))) / max(float(np.ptp(time_s)), 1e-9)
    figures = {"rest_v": float(np.median(volts)), "noise_v": noise, "drift_v_per_min": drift}
    if float(np.ptp(volts)) > 0.25 + 8 * noise:
        return doubtful("It moved: somebody was on the pedals", "Feet off, cranks still, then again.", **figures)
    if noise > MOST_NOISE_V:
        return doubtful(
            say("It is noisy at rest: {noise} mV", noise=quantity(1000 * noise, "", ".0f")),
            "Check its ground and the plug for water.",
            **figures,
        )
    if abs(drift) - 3 * unsure > MOST_DRIFT_V_PER_MIN:
        return doubtful(
            say("Its rest drifts {drift} mV a minute", drift=quantity(1000 * drift, "", "+.0f")),
            "Let it warm up, then again; a sensor that goes on is worn.",
            **figures,
        )
    return passed(say("Rest voltage {figures}, stable", figures=quantity(figures["rest_v"], "V", ".2f")), **figures)


def judge_torque_span(rest_v: float, loaded_v: float, weight_kg: float, crank_m: float) -> Judgement:
    """The span (N·m/V) from a known weight hung on a level pedal: ``weight·g·crank / (loaded − rest)``."""
    if weight_kg <= 0 or crank_m <= 0:
        return failed("Weight and crank length must be above 0", "Measure both.")
    step = loaded_v - rest_v
    if abs(step) < LEAST_STEP_V:
        return failed(
            say("The weight moved it by only {step} mV", step=quantity(1000 * step, "", ".0f")),
            "Is the crank level, and on the side the sensor feels? Some feel only one.",
            step_v=step,
        )
    span = weight_kg * G_MPS2 * crank_m / step
    figures = {"nm_per_v": span, "step_v": step}
    if span < 0:
        return failed(
            "More load gives less signal: the sensor is wired or mounted the other way round",
            "Turn it round.",
            **figures,
        )
    if not USUAL_NM_PER_V[0] <= span <= USUAL_NM_PER_V[1]:
        return doubtful(
            say("{span} a volt is unusual", span=quantity(span, "N·m", ".0f")),
            "Check the weight, and the crank from axle to pedal axle.",
            **figures,
        )
    return passed(say("{span} a volt", span=quantity(span, "N·m", ".1f")), **figures)


def judge_sides(left_nm_per_v: float, right_nm_per_v: float) -> Judgement:
    """Which pedals the sensor feels, and whether both sides agree within a tenth. A side whose sensitivity is 0 is one it does not
    feel: what it shows counts for both feet then, and the controller must count it twice."""
    if left_nm_per_v <= 0 and right_nm_per_v <= 0:
        return failed("It feels neither pedal", "Measure the sensitivity with the weight on each pedal first.")
    if left_nm_per_v <= 0 or right_nm_per_v <= 0:
        felt = "left" if left_nm_per_v > 0 else "right"
        return passed(f"It feels the {felt} pedal only: counted for both", sides=float(SIDES.index("one side")))
    ratio = left_nm_per_v / right_nm_per_v
    both = float(SIDES.index("both sides"))
    if abs(ratio - 1) > 0.1:
        return doubtful(
            say("Left and right differ by {ratio}", ratio=quantity(100 * abs(ratio - 1), "%", ".0f")),
            "Usual where the sensor sits on one side; else a bent axle.",
            ratio=ratio,
            sides=both,
        )
    return passed("Left and right agree", ratio=ratio, sides=both)


def human_w(torque_nm: float, cadence_rpm: float) -> float:
    """Pedalling power (W) from crank torque and cadence."""
    return torque_nm * cadence_rpm * 2 * math.pi / 60


def judge_human(torque_nm: Array, cadence_rpm: Array, known_w: float) -> Judgement:
    """What the controller makes of the rider's work against what the rider knows (a trainer, a habit); means over the recording."""
    pedalling = cadence_rpm > 10
    if int(pedalling.sum()) < 10:
        return doubtful("No pedalling was seen", "Pedal evenly for ten seconds.")
    shown = human_w(float(np.mean(torque_nm[pedalling])), float(np.mean(cadence_rpm[pedalling])))
    figures = {"human_w": shown, "known_w": known_w, "cadence_rpm": float(np.mean(cadence_rpm[pedalling]))}
    if known_w <= 0:
        return doubtful(
            say("It shows {shown}", shown=quantity(shown, "W", ".0f")),
            "Say what you know it to be, to compare.",
            **figures,
        )
    if abs(shown / known_w - 1) > 0.2:
        return doubtful(
            say(
                "It shows {shown} where you give {known}",
                shown=quantity(shown, "W", ".0f"),
                known=quantity(known_w, "W", ".0f"),
            ),
            "Do the span by a known weight again; some sensors feel one side only.",
            **figures,
        )
    return passed(
        say(
            "It shows {shown} where you give {known}",
            shown=quantity(shown, "W", ".0f"),
            known=quantity(known_w, "W", ".0f"),
        ),
        **figures,
    )
