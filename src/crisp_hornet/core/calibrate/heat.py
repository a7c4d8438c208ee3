"""The motor's temperature sensor: which kind it is, and whether the controller reads it as that."""

from __future__ import annotations

from crisp_hornet.core.calibrate.judgement import Judgement, doubtful, failed, passed
from crisp_hornet.core.calibrate.thermistors import KINDS, USUAL_BETA_K, beta_of, fitting, has_beta, sensor_c
from crisp_hornet.documents.saying import quantity, say

COLD_K = 8.0  # a sensor after a cold night may be so far off the air


def judge_temperature(
    ohm: float, known_c: float, said_c: float, kind: str | None = None, beta_k: float = USUAL_BETA_K
) -> Judgement:
    """Which kind of sensor a resistance at a known temperature is, and whether the controller reads it as such.

    ``kind`` is one of :data:`~crisp_hornet.core.calibrate.thermistors.KINDS` that the user knows it to be, None to find it out; ``beta_k``
    what an NTC is taken for so far. Figures: the place of the kind among them, and its beta.
    """
    if ohm > 1e6 or ohm < 20:
        words = "broken or unplugged" if ohm > 1e6 else "shorted"
        return failed(
            say("The sensor is {words}: {ohm}", words=words, ohm=quantity(ohm, "Ω", ".0f")),
            "Measure it at the motor's plug.",
            ohm=ohm,
        )
    fits = fitting(ohm, known_c, COLD_K, beta_k)
    figures = {"ohm": ohm, "said_c": said_c, "fitting": float(len(fits))}
    if not fits or (kind is not None and kind not in fits):
        return _strange(ohm, known_c, kind, figures)
    taken = kind or fits[0]
    sure = kind is not None or len(fits) == 1
    if sure:
        figures |= {"kind": float(KINDS.index(taken))}
    beta = beta_of(taken, ohm, known_c) if sure else None
    if has_beta(taken) and sure:
        figures |= {"beta_k": round(beta_k if beta is None else beta)}
    told = " or ".join(fits) if not sure else _kind_words(taken, beta)
    shown = say("{said} at {known}", said=quantity(said_c, "°C", ".0f"), known=quantity(known_c, "°C", ".0f"))
    if abs(said_c - known_c) > COLD_K:
        return failed(
            say("The controller says {shown}: it takes the sensor for another kind", shown=shown),
            say("Set the kind: {told}.", told=told),
            **figures,
        )
    return passed(say("{shown}; fits {told}", shown=shown, told=told), **figures)


def _kind_words(kind: str, beta_k: float | None) -> str:
    return (
        kind if beta_k is None else say("{kind}, beta {beta}", kind=kind, beta=quantity(beta_k, "K", ".0f", bare=True))
    )


def _strange(ohm: float, known_c: float, kind: str | None, figures: dict[str, float]) -> Judgement:
    at = {"ohm": quantity(ohm, "Ω", ".0f"), "known": quantity(known_c, "°C", ".0f")}
    if kind is None:
        return doubtful(
            say("{ohm} fits no usual sensor at {known}", **at),
            "Is the motor really at that temperature? Else look up its sensor.",
            **figures,
        )
    read = quantity(sensor_c(kind, ohm), "°C", ".0f")
    return doubtful(
        say("{ohm} would be {read} with {kind}, not {known}", read=read, kind=kind, **at),
        "Choose another kind, or let it be found out.",
        **figures,
    )
