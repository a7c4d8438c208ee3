"""Rules about the assist: its levels, how it starts and stops, and whether a rider reaches it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

from crisp_hornet.core.rider.assist import STRONG_RIDER_W, TYPICAL_RIDER_W, Motive, watts_to_full
from crisp_hornet.core.road.vehicle import effective_mass_kg
from crisp_hornet.core.rules.kinds import Situation, Warning_, rule, says
from crisp_hornet.documents.assist import Level
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

CADENCE_RPM, TOWN_KMH = 70.0, 15.0
TOO_ALIKE, JUMP = 1.08, 2.5
STRONG_START_MPS2 = 1.0


def _told(s: Situation) -> bool:
    return s.draft.holds("assist.levels.count")


@dataclass(frozen=True)
class _Levels:
    """A table of levels: the tune's, or a mode's own; ``where`` as it is told and as a path."""

    levels: list[Level]
    where: str
    path: str

    def strengths(self, tune: Tune) -> list[float]:
        """What makes a level strong: its multiplier, or with cadence only its power share."""
        return [getattr(level, _strong_key(tune)) for level in self.levels]


def _tables(s: Situation) -> list[_Levels]:
    """The tables of levels that can be ridden; none where the tune says nothing of levels."""
    own = [
        _Levels(mode.levels, say(" in {name}", name=mode.name), f"modes.{at}.levels")
        for at, mode in enumerate(s.draft.modes, start=1)
        if mode.levels is not None
    ]
    return [*([_Levels(s.draft.assist.levels, "", "assist.levels")] if _told(s) else []), *own]


def _strong_key(tune: Tune) -> str:
    return "power_share" if tune.assist.style == "cadence" else "multiplier"


@rule
def levels_alike(s: Situation) -> Warning_ | None:
    """Two neighbouring levels that nobody can tell apart."""
    for table in _tables(s):
        for at, (low, high) in enumerate(pairwise(table.strengths(s.draft)), start=1):
            same_speed = table.levels[at - 1].speed_share == table.levels[at].speed_share
            if low > 0 and 1 <= high / low < TOO_ALIKE and same_speed:
                step = quantity(100 * (high / low - 1), "%", ".0f")
                return says("levels-alike", at=at, at_2=at + 1, low=step, where=table.where)
    return None


@rule
def level_jumps(s: Situation) -> Warning_ | None:
    """One level is much stronger than the one below."""
    for table in _tables(s):
        strong = table.strengths(s.draft)
        for at, (low, high) in enumerate(pairwise(strong), start=1):
            if low > 0 and high / low > JUMP and high - low > 0.2 * max(strong):
                times = quantity(high / low, "", ".1f")
                return says("level-jumps", at=at + 1, low=times, at_2=at, where=table.where)
    return None


@rule
def levels_fall(s: Situation) -> Warning_ | None:
    """A higher level that is weaker."""
    for table in _tables(s):
        strong = table.strengths(s.draft)
        weaker = next((at for at in range(1, len(strong)) if strong[at] < strong[at - 1]), None)
        if weaker is not None:
            return says(
                "levels-fall",
                weaker=weaker + 1,
                weaker_2=weaker,
                where=table.where,
                setting=f"{table.path}.{weaker + 1}.{_strong_key(s.draft)}",
                value=strong[weaker - 1],
            )
    return None


@rule
def lowest_level_strong(s: Situation) -> Warning_ | None:
    """The lowest level already jumps away under a usual rider."""
    if s.curve is None:
        return None
    motive, torque = Motive.of(s.curve, s.draft), TYPICAL_RIDER_W / (CADENCE_RPM * 2 * math.pi / 60)
    for table in _tables(s):
        force = float(motive.force_n(table.levels[0], torque, CADENCE_RPM, 5.0))
        gain = force / float(effective_mass_kg(s.curve.bike_at(5.0)))
        if gain > STRONG_START_MPS2:
            return says(
                "lowest-level-strong",
                gain=quantity(gain, "m/s²", ".1f"),
                typical_rider=quantity(TYPICAL_RIDER_W, "W", ".0f"),
                where=table.where,
                setting=f"{table.path}.1.multiplier",
            )
    return None


@rule
def full_assist_unreachable(s: Situation) -> Warning_ | None:
    """Not even a strong rider gets all the top level may give."""
    if not _told(s) or s.curve is None:
        return None
    needs = watts_to_full(Motive.of(s.curve, s.draft), s.draft.assist.levels[-1], CADENCE_RPM, TOWN_KMH)
    if needs <= 1.6 * STRONG_RIDER_W:
        return None
    told = say("{needs}", needs=quantity(needs, "W", ".0f")) if math.isfinite(needs) else "more than anyone gives"
    return says(
        "full-assist-unreachable",
        told=told,
        town=quantity(TOWN_KMH, "km/h"),
        cadence=quantity(CADENCE_RPM, "rpm"),
        setting=f"assist.levels.{len(s.draft.assist.levels)}.multiplier",
    )


@rule
def assist_runs_on(s: Situation) -> Warning_ | None:
    """The motor pushes on after the feet rest."""
    assist = s.draft.assist
    late = assist.hold_s + assist.stop_s
    if not s.draft.holds("assist.hold_s") or late <= 1.0:
        return None
    return says(
        "assist-runs-on",
        late=quantity(late, "s", ".1f"),
        town=quantity(TOWN_KMH + 10, "km/h"),
        town_2=quantity(late * (TOWN_KMH + 10) / 3.6, "m", ".0f"),
        value=0.2,
    )


@rule
def starts_under_a_foot(s: Situation) -> Warning_ | None:
    """A foot that rests on the pedal starts the motor."""
    assist = s.draft.assist
    if not s.draft.holds("assist.start_nm") or assist.style == "cadence":
        return None
    if assist.start_nm >= 3 or assist.start_deg >= 20:
        return None
    return says(
        "starts-under-a-foot",
        start=quantity(assist.start_nm, "N·m"),
        start_deg=quantity(assist.start_deg),
        at=quantity(5, "N·m"),
        value=5.0,
    )


@rule
def assist_over_drive_speed(s: Situation) -> Warning_ | None:
    """Assist is to end above the speed at which the drive ends."""
    ends, drive = s.draft.assist.speed_kmh, s.draft.drive.speed_kmh
    if ends is None or drive is None or ends <= drive:
        return None
    return says(
        "assist-over-drive-speed",
        ends=quantity(ends, "km/h"),
        drive=quantity(drive, "km/h", bare=True),
        drive_2=quantity(drive, "km/h"),
        value=drive,
    )
