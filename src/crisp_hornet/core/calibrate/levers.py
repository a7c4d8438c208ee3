"""Brake and regen levers: each state seen to change, and the motor cut proved."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.arrays import Array
from crisp_hornet.core.calibrate.judgement import Judgement, doubtful, failed, passed
from crisp_hornet.documents.saying import quantity, say

PULLS = 2
CUT_S, CUT_A = 0.35, 3.0


def judge_lever(brake: Array) -> Judgement:
    """Whether a lever was seen free and pulled (``brake`` 0 to 1, (n,)): a switch, or proportional where it lingers in between."""
    pulled = brake > 0.5
    pulls = int(np.sum(np.diff(pulled.astype(int)) == 1))
    between = float(np.mean((brake > 0.1) & (brake < 0.9)))
    figures = {
        "pulls": float(pulls),
        "proportional": float(between > 0.1),
        "least": float(brake.min()),
        "most": float(brake.max()),
    }
    if pulls == 0 and pulled.all():
        return failed(
            "It reads pulled all the time",
            "Its magnet has moved, or it is shorted: the motor would never run.",
            **figures,
        )
    if pulls == 0:
        return failed(
            "It never read pulled", "Plug, wire and magnet of the lever: without it nothing cuts the motor.", **figures
        )
    if pulls < PULLS or pulled[-1]:
        return doubtful("Pulled once only, or still pulled", "Pull it twice and release it.", **figures)
    if figures["proportional"] and (figures["least"] > 0.05 or figures["most"] < 0.95):
        return doubtful(
            say(
                "It reads {figures} to {figures_2} instead of 0 to 100 %",
                figures=quantity(100 * figures["least"], "", ".0f"),
                figures_2=quantity(100 * figures["most"], "%", ".0f"),
            ),
            "Set its rest and full voltage where the controller takes them.",
            **figures,
        )
    kind = ", proportional" if figures["proportional"] else ""
    return passed(say("Pulled and released {pulls} times{kind}", pulls=pulls, kind=kind), **figures)


def judge_cut(time_s: Array, brake: Array, phase_a: Array, throttle: Array) -> Judgement:
    """Whether pulling the lever cuts the motor while the throttle is open (all (n,)): within a third of a second."""
    pulled: list[int] = (np.flatnonzero(np.diff((brake > 0.5).astype(int)) == 1) + 1).tolist()
    driven = [at for at in pulled if throttle[max(at - 2, 0)] > 0.05 and _largest(phase_a[max(at - 6, 0) : at]) > CUT_A]
    if not driven:
        return doubtful(
            "The lever was not pulled while the motor drove", "Hold the throttle a little open, then pull the lever."
        )
    worst = 0.0
    for at in map(int, driven):
        after = np.flatnonzero((time_s >= time_s[at]) & (np.abs(phase_a) < CUT_A))
        gone = float(time_s[after[0]] - time_s[at]) if after.size else float("inf")
        worst = max(worst, gone)
    if worst > CUT_S:
        return failed(
            "The motor keeps driving with the brake pulled",
            "Stop here: the brake lever does not cut the motor.",
            cut_s=min(worst, 99.0),
        )
    return passed(say("The lever cuts the motor within {worst}", worst=quantity(worst, "s", ".2f")), cut_s=worst)


def _largest(current_a: Array) -> float:
    return float(np.max(np.abs(current_a), initial=0.0))
