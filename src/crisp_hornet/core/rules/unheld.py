"""Rules about what drives, or cuts, without the hand on the throttle: cruise, and the shift sensor."""

from __future__ import annotations

from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule, says
from crisp_hornet.documents.saying import quantity

PUSHED_KMH = 10.0  # below it a bike is pushed, or ridden among people on foot
USUAL_LEAST_KMH = 15.0
BY_CHANCE_S = 4.0  # a hand holds a throttle still for so long without meaning anything by it
LONG_CUT_S = 0.6


@rule
def cruise_slow(s: Situation) -> Warning_ | None:
    """Cruise can begin at a speed at which the bike is pushed."""
    throttle = s.draft.throttle
    if throttle.cruise_s is None or throttle.cruise_least_kmh >= PUSHED_KMH:
        return None
    return says(
        "cruise-slow",
        least=quantity(throttle.cruise_least_kmh, "km/h"),
        pushed=quantity(PUSHED_KMH, "km/h"),
        strength=Strength.STOP if throttle.cruise_least_kmh <= 0 else None,
        usual=quantity(USUAL_LEAST_KMH, "km/h"),
        value=USUAL_LEAST_KMH,
    )


@rule
def cruise_by_chance(s: Situation) -> Warning_ | None:
    """Cruise begins before anyone has meant it to."""
    after = s.draft.throttle.cruise_s
    if after is None or after >= BY_CHANCE_S:
        return None
    return says("cruise-by-chance", after=quantity(after, "s"), value=6.0)


@rule
def cruise_brake_alone(s: Situation) -> Warning_ | None:
    """Only the brake ends it: a rider who opens the throttle to take over does not."""
    if s.draft.throttle.cruise_s is None or s.draft.throttle.cruise_ends != "brake":
        return None
    return says("cruise-brake-alone", value=1.0)


@rule
def cruise_drives_on(s: Situation) -> Warning_ | None:
    """Cruise relies on the brake's cut-off: a note where it was proved, a warning where it never was, or failed."""
    if s.draft.throttle.cruise_s is None:
        return None
    proved = s.sensors.get("brake cut") == "passed"
    told = (
        "was tested" if proved else "failed its test" if s.sensors.get("brake cut") == "failed" else "was never tested"
    )
    return says("cruise-drives-on", strength=Strength.NOTE if proved else Strength.WARN, told=told)


@rule
def cruise_without_pedalling(s: Situation) -> Warning_ | None:
    """The throttle is to work only while pedalling, or may locally only then; cruise drives on without."""
    throttle, local = s.draft.throttle, s.bike.local
    by_law = local is not None and local.throttle != "any"
    if throttle.cruise_s is None or not (throttle.start == "pedalling" or by_law):
        return None
    told = "the throttle is to work only then" if throttle.start == "pedalling" else "the local code asks for it"
    return says("cruise-without-pedalling", told=told)


@rule
def shift_cut_missing(s: Situation) -> Warning_ | None:
    """The motor pulls through gears, and nothing eases it while they change."""
    if not s.bike.drivetrain.gears or not s.draft.holds("assist.shift_cut_s") or s.draft.assist.shift_cut_s:
        return None
    if s.curve is None or not float(s.curve.wheel_force_n.max(initial=0.0)):
        return None
    return says("shift-cut-missing", pull=quantity(float(s.curve.wheel_force_n.max()), "N", ".0f"))


@rule
def shift_cut_idle(s: Situation) -> Warning_ | None:
    """The motor does not pull through gears: a cut only interrupts it."""
    if s.bike.drivetrain.gears or not s.draft.assist.shift_cut_s:
        return None
    return says("shift-cut-idle")


@rule
def shift_cut_long(s: Situation) -> Warning_ | None:
    """So long a cut that the bike loses its way on a hill."""
    cut = s.draft.assist.shift_cut_s
    if not s.bike.drivetrain.gears or cut is None or cut <= LONG_CUT_S:
        return None
    return says("shift-cut-long", cut=quantity(cut, "s"), hill=quantity(8, "%"),
                lost=quantity(9.8 * 0.08 * cut * 3.6, "km/h", ".1f"), value=0.3)  # fmt: skip
