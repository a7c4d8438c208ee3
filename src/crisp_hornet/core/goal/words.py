"""Wishes in words: what is asked, what is reached, and the fields that hold the figures."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from crisp_hornet.core.goal.reached import Reached
from crisp_hornet.documents.goals import Climb, FrontWheel, Goal, Launch, Minutes, OnRoute, Power, Sag, Top
from crisp_hornet.documents.saying import Quantity, quantity, say


@dataclass(frozen=True)
class Figure:
    """A figure of a wish: its key, what it is called, its unit as shown, how much the shown one is of the document's, and its ends."""

    key: str
    name: str
    unit: str
    scale: float
    least: float
    most: float
    optional: bool = False


@dataclass(frozen=True)
class Kind:
    """A kind of wish: how it is listed, what it begins with, and its figures."""

    what: str
    listed: str
    begins: dict[str, Any] = field(default_factory=dict)
    figures: tuple[Figure, ...] = ()


PARTS = {
    "drivetrain.ratio": "gear ratio", "drivetrain.wheel_circumference_m": "wheel circumference",
    "motor.flux_linkage_wb": "turns of the winding, as flux linkage", "battery.capacity_ah": "packs, as capacity",
    "controller.max_phase_current_a": "controller rating, as phase current",
}  # fmt: skip
_GRADE = Figure("grade", "grade", "%", 100, -30, 50)
KINDS = {
    kind.what: kind
    for kind in (
        Kind("climb", "climb at a speed", {"grade": 0.1, "least_kmh": 20.0}, (_GRADE, Figure("least_kmh", "at least", "km/h", 1, 1, 200))),
        Kind("launch", "launch", {"to_kmh": 25.0, "most_s": 5.0},
             (Figure("to_kmh", "to", "km/h", 1, 1, 200), Figure("most_s", "within", "s", 1, 0.3, 300))),
        Kind("top", "top speed", {"least_kmh": 40.0}, (Figure("least_kmh", "at least", "km/h", 1, 1, 200),)),
        Kind("minutes", "hold a speed for minutes", {"grade": 0.05, "kmh": 20.0, "least_min": 10.0},
             (_GRADE, Figure("kmh", "speed", "km/h", 1, 1, 200), Figure("least_min", "at least", "min", 1, 0.1, 1000))),
        Kind("front_wheel", "front wheel keeps its load", {"least_share": 0.7}, (Figure("least_share", "at least", "%", 100, 0.1, 100),)),
        Kind("sag", "pack voltage under load", {"rested_v": 58.0, "least_v": 52.0},
             (Figure("rested_v", "from, at rest", "V", 1, 1, 2000), Figure("least_v", "at least", "V", 1, 1, 2000))),
        Kind("power", "power at the wheel, as local rules limit it", {"most_w": 1000.0},
             (Figure("most_w", "at most", "W", 1, 1, 1e6),)),
        Kind("route", "the road above", {"fades": False},
             (Figure("most_s", "within", "min", 1 / 60, 0.1, 1e5, True), Figure("least_end_charge", "charge left", "%", 100, 0, 100, True),
              Figure("most_wh_per_km", "at most", "Wh/km", 1, 0.1, 1000, True), Figure("times", "times in a row", "", 1, 1, 50))),
    )
}  # fmt: skip


def title_of(goal: Goal) -> str:
    """What is wished for, without how much of it."""
    match goal:
        case Climb():
            return say("{grade} uphill", grade=_percent(goal.grade))
        case Launch():
            return say("0 to {kmh}", kmh=quantity(goal.to_kmh, "km/h"))
        case Top():
            return "top speed, flat"
        case Minutes():
            return say("{kmh} on {grade}", kmh=quantity(goal.kmh, "km/h"), grade=_percent(goal.grade))
        case FrontWheel():
            return "front wheel keeps its load"
        case Sag():
            return say("pack, from {volts} at rest", volts=quantity(goal.rested_v, "V"))
        case Power():
            return "power at the wheel"
        case OnRoute():
            name = goal.route if isinstance(goal.route, str) else goal.route.name
            return say("{name}, {times} times", name=name, times=quantity(goal.times)) if goal.times > 1 else name
    raise TypeError(goal)


def wanted_of(goal: Goal) -> str:
    """How much of it."""
    match goal:
        case Climb() | Top():
            return say("at least {kmh}", kmh=quantity(goal.least_kmh, "km/h"))
        case Launch():
            return say("within {seconds}", seconds=quantity(goal.most_s, "s"))
        case Minutes():
            return say("at least {minutes}", minutes=quantity(goal.least_min, "min"))
        case FrontWheel():
            return say("at least {share}", share=_percent(goal.least_share))
        case Sag():
            return say("at least {volts}", volts=quantity(goal.least_v, "V"))
        case Power():
            return say("at most {watts}", watts=quantity(goal.most_w, "W"))
        case OnRoute():
            return _of_road(goal)
    raise TypeError(goal)


def _of_road(goal: OnRoute) -> str:
    asked = ["arrives"]
    if goal.most_s is not None:
        asked.append(say("within {minutes}", minutes=quantity(goal.most_s / 60, "min", ".4g")))
    if goal.least_end_charge is not None:
        asked.append(say("with {share} charge", share=_percent(goal.least_end_charge)))
    if goal.most_wh_per_km is not None:
        asked.append(say("at most {use}", use=quantity(goal.most_wh_per_km, "Wh/km", ".3g")))
    if not goal.fades:
        asked.append("no derating by heat")
    words = asked[0]
    for one in asked[1:]:
        words = say("{before}, {one}", before=words, one=one)
    return words


UNITS = {
    "climb": ("km/h", 1.0, ".1f"), "top": ("km/h", 1.0, ".1f"), "launch": ("s", 1.0, ".1f"), "front_wheel": ("%", 100.0, ".0f"),
    "sag": ("V", 1.0, ".1f"), "minutes": ("min", 1.0, ".1f"), "power": ("W", 1.0, ".0f"), "arrives": ("%", 100.0, ".0f"),
    "most_s": ("min", 1 / 60, ".1f"), "most_wh_per_km": ("Wh/km", 1.0, ".1f"), "least_end_charge": ("%", 100.0, ".0f"),
    "fades": ("s", 1.0, ".0f"),
}  # fmt: skip
OF_ROAD = {
    "most_s": "",
    "most_wh_per_km": "",
    "least_end_charge": "charge left ",
    "fades": "derating for ",
    "arrives": "goes ",
}


def reached_of(one: Reached) -> str:
    """What is reached, with its band; of a road each of its figures."""
    if one.parts:
        told = [part for part in one.parts if part.name != "arrives" or part.met != "yes"] or one.parts
        words = _figure_of(told[0])
        for part in told[1:]:
            words = say("{before}; {one}", before=words, one=_figure_of(part))
        return words
    return _figure_of(one)


def _figure_of(one: Reached) -> str:
    unit, scale, spec = UNITS[one.name]
    ends = one.reached
    if one.name == "arrives":
        if one.met == "no":
            return say("does not arrive: {share} of the way", share=quantity(100 * ends.value, "%", ".0f"))
        return "arrives" if one.met == "yes" else "arrives, though not every such bike would"
    if one.name == "fades":
        words: str = "no derating"
        if ends.value > 0:
            words = say("derates for {time}", time=quantity(ends.value, "s", ".0f"))
        elif one.spare_k is not None:
            words = say("no derating, {spare} to spare", spare=quantity(one.spare_k, "K", ".0f", difference=True))
        return (
            words
            if ends.high <= ends.value + 0.5
            else say("{words} (up to {most})", words=words, most=quantity(ends.high, "s", ".0f"))
        )
    if ends.value == float("inf"):
        return "for good" if one.name == "minutes" else "never"
    figures = {
        name: quantity(scale * value, unit, spec, bare=name != "value") if value != float("inf") else "never"
        for name, value in (("value", ends.value), ("low", ends.low), ("high", ends.high))
    }
    return say("reaches {value} ({low} to {high})", **figures)


def _percent(share: float) -> Quantity:
    return quantity(100 * share, "%", ".3g")
