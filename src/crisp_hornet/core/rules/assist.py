"""Rules about the assist: its levels, how it starts and stops, and whether a rider reaches it."""

from __future__ import annotations

import math
from itertools import pairwise

from crisp_hornet.core.rider.assist import STRONG_RIDER_W, TYPICAL_RIDER_W, Motive, watts_to_full
from crisp_hornet.core.road.vehicle import effective_mass_kg
from crisp_hornet.core.rules.kinds import Situation, Strength, Warning_, rule
from crisp_hornet.documents.saying import quantity, say

CADENCE_RPM, TOWN_KMH = 70.0, 15.0
TOO_ALIKE, JUMP = 1.08, 2.5
STRONG_START_MPS2 = 1.0


def _told(s: Situation) -> bool:
    return s.draft.holds("assist.levels.count")


def _strengths(s: Situation) -> list[float]:
    """What makes a level strong: its multiplier, or with cadence only its power share."""
    key = "power_share" if s.draft.assist.style == "cadence" else "multiplier"
    return [getattr(level, key) for level in s.draft.assist.levels]


@rule
def levels_alike(s: Situation) -> Warning_ | None:
    """Two neighbouring levels that nobody can tell apart."""
    if not _told(s):
        return None
    strong = _strengths(s)
    for at, (low, high) in enumerate(pairwise(strong), start=1):
        same_speed = s.draft.assist.levels[at - 1].speed_share == s.draft.assist.levels[at].speed_share
        if low > 0 and 1 <= high / low < TOO_ALIKE and same_speed:
            return Warning_(
                "levels-alike",
                Strength.NOTE,
                say(
                    "Levels {at} and {at_2} differ by {low}",
                    at=at,
                    at_2=at + 1,
                    low=quantity(100 * (high / low - 1), "%", ".0f"),
                ),
                "Nobody feels that: more levels are not more power, only finer steps.",
                "Fewer levels, or further apart",
            )
    return None


@rule
def level_jumps(s: Situation) -> Warning_ | None:
    """One level is much stronger than the one below."""
    if not _told(s):
        return None
    strong = _strengths(s)
    for at, (low, high) in enumerate(pairwise(strong), start=1):
        if low > 0 and high / low > JUMP and high - low > 0.2 * max(strong):
            return Warning_(
                "level-jumps",
                Strength.NOTE,
                say(
                    "Level {at} is {low} times as strong as level {at_2}",
                    at=at + 1,
                    low=quantity(high / low, "", ".1f"),
                    at_2=at,
                ),
                "One press of a button changes the bike's character.",
                "A level in between, or a lower exponent",
            )
    return None


@rule
def levels_fall(s: Situation) -> Warning_ | None:
    """A higher level that is weaker."""
    if not _told(s):
        return None
    strong = _strengths(s)
    weaker = next((at for at in range(1, len(strong)) if strong[at] < strong[at - 1]), None)
    if weaker is None:
        return None
    return Warning_(
        "levels-fall",
        Strength.WARN,
        say("Level {weaker} is weaker than level {weaker_2}", weaker=weaker + 1, weaker_2=weaker),
        "A rider who wants help gets less of it.",
        "Draw it above the one below",
        f"assist.levels.{weaker + 1}.{'power_share' if s.draft.assist.style == 'cadence' else 'multiplier'}",
        strong[weaker - 1],
    )


@rule
def lowest_level_strong(s: Situation) -> Warning_ | None:
    """The lowest level already jumps away under a usual rider."""
    if not _told(s) or s.curve is None:
        return None
    motive, torque = Motive.of(s.curve, s.draft), TYPICAL_RIDER_W / (CADENCE_RPM * 2 * math.pi / 60)
    force = float(motive.force_n(s.draft.assist.levels[0], torque, CADENCE_RPM, 5.0))
    gain = force / effective_mass_kg(s.bike)
    if gain <= STRONG_START_MPS2:
        return None
    return Warning_(
        "lowest-level-strong",
        Strength.WARN,
        say(
            "Level 1 pulls away with {gain} under {typical_rider}",
            gain=quantity(gain, "m/s²", ".1f"),
            typical_rider=quantity(TYPICAL_RIDER_W, "W", ".0f"),
        ),
        "It is how quickly speed comes that frightens riders and bystanders, not the speed.",
        "A lower lowest level, bowed upwards",
        "assist.levels.1.multiplier",
        None,
    )


@rule
def full_assist_unreachable(s: Situation) -> Warning_ | None:
    """Not even a strong rider gets all the top level may give."""
    if not _told(s) or s.curve is None:
        return None
    needs = watts_to_full(Motive.of(s.curve, s.draft), s.draft.assist.levels[-1], CADENCE_RPM, TOWN_KMH)
    if needs <= 1.6 * STRONG_RIDER_W:
        return None
    told = say("{needs}", needs=quantity(needs, "W", ".0f")) if math.isfinite(needs) else "more than anyone gives"
    return Warning_(
        "full-assist-unreachable",
        Strength.NOTE,
        say("All the top level may give takes {told} of the rider", told=told),
        say(
            "At {town} and {cadence}: raising the limits changes nothing for who pedals.",
            town=quantity(TOWN_KMH, "km/h"),
            cadence=quantity(CADENCE_RPM, "rpm"),
        ),
        "A larger multiplier, or as it is",
        f"assist.levels.{len(s.draft.assist.levels)}.multiplier",
        None,
    )


@rule
def assist_runs_on(s: Situation) -> Warning_ | None:
    """The motor pushes on after the feet rest."""
    assist = s.draft.assist
    late = assist.hold_s + assist.stop_s
    if not s.draft.holds("assist.hold_s") or late <= 1.0:
        return None
    return Warning_(
        "assist-runs-on",
        Strength.WARN,
        say("The motor pushes on for up to {late} after the feet rest", late=quantity(late, "s", ".1f")),
        say(
            "At {town} that is {town_2} towards whatever made the rider stop.",
            town=quantity(TOWN_KMH + 10, "km/h"),
            town_2=quantity(late * (TOWN_KMH + 10) / 3.6, "m", ".0f"),
        ),
        "Hold and stop of 0.6 s together",
        "assist.hold_s",
        0.2,
    )


@rule
def starts_under_a_foot(s: Situation) -> Warning_ | None:
    """A foot that rests on the pedal starts the motor."""
    assist = s.draft.assist
    if not s.draft.holds("assist.start_nm") or assist.style == "cadence":
        return None
    if assist.start_nm >= 3 or assist.start_deg >= 20:
        return None
    return Warning_(
        "starts-under-a-foot",
        Strength.WARN,
        say(
            "{start} and {start_deg}° of crank start the motor",
            start=quantity(assist.start_nm, "N·m"),
            start_deg=quantity(assist.start_deg),
        ),
        "A foot resting on the pedal at a red light is enough.",
        say("At least {at}, or 30°", at=quantity(5, "N·m")),
        "assist.start_nm",
        5.0,
    )


@rule
def assist_over_drive_speed(s: Situation) -> Warning_ | None:
    """Assist is to end above the speed at which the drive ends."""
    ends, drive = s.draft.assist.speed_kmh, s.draft.drive.speed_kmh
    if ends is None or drive is None or ends <= drive:
        return None
    return Warning_(
        "assist-over-drive-speed",
        Strength.NOTE,
        say(
            "Assist is to end at {ends}, the drive ends at {drive}",
            ends=quantity(ends, "km/h"),
            drive=quantity(drive, "km/h", bare=True),
        ),
        "The lower one counts; this has no effect.",
        say("{drive}", drive=quantity(drive, "km/h")),
        "assist.speed_kmh",
        drive,
    )
