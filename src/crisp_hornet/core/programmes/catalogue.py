"""The programmes."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.dyno import dyno_run
from crisp_hornet.core.programmes import judging as j
from crisp_hornet.core.programmes.run import CLOSED, FULL, Programme, Run, Step
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Symbol, quantity, say

ROAD = "Only where it is allowed and clear; protective gear on; the brakes tried before. Local codes decide what may be ridden where."
STAND = "Wheel and flywheel guarded, hands and clothes clear, the stop within reach."
LOOP_M, LEAST_LOOP_KM = 40.0, 2.0
LEVEL_S = 30.0


def _speed(run: Run) -> float:
    return run.now("wheel_speed_kmh")


def _full(run: Run) -> bool:
    return run.now("throttle") >= FULL and run.now("brake") == 0


def _free(run: Run) -> bool:
    pushed = run.now("throttle") > CLOSED or run.now("brake") > 0 or run.now("human_nm") > 8
    return not pushed and abs(run.now("battery_a")) < 2.5


def _short_of_full(run: Run) -> str:
    """A throttle that stands still short of its full reading while the bike moves: held at its stop, but not calibrated."""
    reads = run.now("throttle")
    if not 0.75 <= reads < FULL or _speed(run) < 3 or not run.steady("throttle", 1.5, 0.04):
        return ""
    must = say("full throttle must read {full} or more", full=quantity(100 * FULL, "%", ".0f"))
    return say(
        "The throttle stands at {reads}. If that is its stop, calibrate it first: {must}.",
        reads=quantity(100 * reads, "%", ".0f"),
        must=must,
    )


def _pull(name: str) -> Step:
    return Step(
        name,
        "Stand on a level, straight stretch, then open the throttle fully and hold it until the bike gains no more.",
        lambda run: _full(run) and _speed(run) < 6,
        lambda run: not _full(run) or (run.lasts_s > 4 and run.steady("wheel_speed_kmh", 2.0, 0.5)),
        lambda ride, bike: (
            j.sparse(ride) + j.too_short(ride, 3) + j.throttle_open(ride) + _gained(ride, 12) + j.not_level(ride, bike)
        ),
        lambda ride, _bike: j.from_to(ride) + _most(ride, "battery_a", " A from the pack"),
        _short_of_full,
    )


def _coast(name: str) -> Step:
    return Step(
        name,
        say(
            "Ride up to {at} on a level stretch without wind, then let go of everything and roll "
            "until you nearly stand.",
            at=quantity(30, "km/h"),
        ),
        lambda run: (
            _free(run)
            and _speed(run) > 20
            and run.lasts_s > 0.5
            and run.last("throttle", 0.5).max(initial=0.0) <= CLOSED
        ),
        lambda run: not _free(run) or _speed(run) < 5,
        lambda ride, bike: (
            j.sparse(ride) + j.driven(ride) + j.too_short(ride, 8) + _lost(ride, 10) + j.not_level(ride, bike)
        ),
        lambda ride, _bike: j.from_to(ride),
    )


def _top(name: str) -> Step:
    return Step(
        name,
        "Full throttle on a level stretch until the speed no longer rises, then hold it ten seconds longer.",
        lambda run: _full(run) and _speed(run) > 15 and run.steady("wheel_speed_kmh", 3.0, 0.8),
        lambda run: not _full(run) or run.lasts_s >= 10,
        lambda ride, bike: (
            j.sparse(ride)
            + j.too_short(ride, 8)
            + j.throttle_open(ride)
            + j.uneven(ride, 0.02)
            + j.not_level(ride, bike)
        ),
        lambda ride, _bike: say(
            "{ride} held for {time}",
            ride=quantity(j.speed(ride).mean(), "km/h", ".1f"),
            time=quantity(ride.time_s[-1], "s", ".0f"),
        ),
        _short_of_full,
    )


def _level(number: int) -> Step:
    def rides(run: Run) -> bool:
        set_to = run.now("level", otherwise=float(number))
        pedals = run.now("cadence_rpm") > 30 and run.now("human_nm") > 3
        return pedals and run.now("throttle") <= CLOSED and _speed(run) > 5 and set_to == number

    return Step(
        say("level {number}", number=number),
        say(
            "Set assist level {number}, and pedal at your usual effort for half a minute on a level "
            "stretch, no throttle.",
            number=number,
        ),
        rides,
        lambda run: not rides(run) or run.lasts_s >= LEVEL_S,
        lambda ride, bike: j.sparse(ride) + j.too_short(ride, 0.8 * LEVEL_S) + j.braked(ride) + j.not_level(ride, bike),
        lambda ride, _bike: say(
            "{ride}, {ride_2} of the rider's{ride_3}",
            ride=quantity(j.speed(ride).mean(), "km/h", ".1f"),
            ride_2=quantity(_human_w(ride), "W", ".0f"),
            ride_3=_share(ride),
        ),
    )


CLIMB = Step(
    "climb",
    "On a hill of at least 3 %: hold one speed with the throttle or the level, for two minutes or longer. End with the brake or stand.",
    lambda run: _speed(run) > 5 and run.now("battery_a") > 3 and run.steady("wheel_speed_kmh", 4.0, 3.0),
    lambda run: _speed(run) < 3 or run.now("brake") > 0 or run.now("battery_a") < 1,
    lambda ride, bike: (
        j.sparse(ride) + j.too_short(ride, 120) + j.uneven(ride, 0.15) + _not_steep(ride, bike) + _not_warmed(ride)
    ),
    lambda ride, _bike: say(
        "{time} at {ride}{ride_2}",
        time=quantity(ride.time_s[-1] / 60, "min", ".1f"),
        ride=quantity(j.speed(ride).mean(), "km/h", ".0f"),
        ride_2=_warmed(ride),
    ),
)
LOOP = Step(
    "loop",
    "Ride your usual loop at your usual pace, back to where you began; mark the end with Lap. Rested voltage before and after.",
    lambda run: _speed(run) > 3,
    lambda run: (
        run.lasts_s > 120
        and _speed(run) < 1
        and run.steady("wheel_speed_kmh", 5.0, 0.5)
        and j.apart_m(run.ride("")) <= LOOP_M  # not known without positions: then Lap ends it
    ),
    lambda ride, _bike: j.sparse(ride, 0.9) + _no_loop(ride),
    lambda ride, _bike: j.used(ride),
)


def _dyno(number: int, flywheel_kg: float | None) -> Step:
    return Step(
        say("pull {number}", number=number),
        "From walking pace: throttle fully open in one go, held until the speed stands. The same gear and the same place each time.",
        lambda run: _full(run) and _speed(run) < 12,
        lambda run: not _full(run) or (run.lasts_s > 3 and run.steady("wheel_speed_kmh", 1.5, 0.4)),
        lambda ride, bike: j.sparse(ride, 9) + j.throttle_open(ride) + _gained(ride, 15) + j.not_level(ride, bike),
        lambda ride, bike: _power(ride, bike, flywheel_kg),
        _short_of_full,
    )


def _gained(ride: Ride, least_kmh: float) -> list[str]:
    values = j.speed(ride)
    gain = float(values.max() - values[0]) if values.size else 0.0
    return (
        [
            say(
                "it gained {gain} only, {least} are needed",
                gain=quantity(gain, "km/h", ".0f"),
                least=quantity(least_kmh, "", ".0f"),
            )
        ]
        if gain < least_kmh
        else []
    )


def _lost(ride: Ride, least_kmh: float) -> list[str]:
    values = j.speed(ride)
    lost = float(values[0] - values[-1]) if values.size else 0.0
    return (
        [
            say(
                "it slowed by {lost} only, {least} are needed: roll further",
                lost=quantity(lost, "km/h", ".0f"),
                least=quantity(least_kmh, "", ".0f"),
            )
        ]
        if lost < least_kmh
        else []
    )


def _most(ride: Ride, channel: str, unit: str) -> str:
    values = ride.get(channel)
    return (
        say(", at most {values}{unit}", values=quantity(np.nanmax(values), "", ".0f"), unit=unit)
        if np.isfinite(values).any()
        else ""
    )


def _human_w(ride: Ride) -> float:
    watts = ride.get("human_nm") * ride.get("cadence_rpm") * 2 * np.pi / 60
    return float(np.nanmean(watts)) if np.isfinite(watts).any() else 0.0


def _share(ride: Ride) -> str:
    electric = ride.get("pack_v") * ride.get("battery_a")
    return (
        say(" and {electric} from the pack", electric=quantity(np.nanmean(electric), "W", ".0f"))
        if np.isfinite(electric).any()
        else ""
    )


def _not_steep(ride: Ride, _bike: Bike) -> list[str]:
    if not ride.has("altitude_m"):
        return []
    rise = float(np.nanmax(ride.get("altitude_m")) - np.nanmin(ride.get("altitude_m")))
    metres = float(j.speed(ride).mean()) / 3.6 * float(ride.time_s[-1])
    grade = 100 * rise / max(metres, 1.0)
    return (
        [say("it climbs {grade} only: choose a steeper hill", grade=quantity(grade, "%", ".1f"))] if grade < 3 else []
    )


def _not_warmed(ride: Ride) -> list[str]:
    warm = ride.get("motor_c")
    if not np.isfinite(warm).any():
        return ["no motor temperature was recorded: it is what this programme is for"]
    gain = float(np.nanmax(warm) - warm[np.isfinite(warm)][0])
    return (
        [
            say(
                "the motor warmed by {gain} only: a longer or steeper hill, or a lower gear",
                gain=quantity(gain, "K", ".0f"),
            )
        ]
        if gain < 8
        else []
    )


def _warmed(ride: Ride) -> str:
    warm = ride.get("motor_c")
    good = warm[np.isfinite(warm)]
    return (
        say(
            ", motor {good} to {good_2}",
            good=quantity(good[0], "°C", ".0f", bare=True),
            good_2=quantity(good.max(), "°C", ".0f"),
        )
        if good.size
        else ""
    )


def _no_loop(ride: Ride) -> list[str]:
    found, apart = j.too_short(ride, 300), j.apart_m(ride)
    if j.used(ride) and float(j.used(ride).split(" ")[0]) < LEAST_LOOP_KM:
        found.append(
            say("shorter than {least_loop}: its consumption says little", least_loop=quantity(LEAST_LOOP_KM, "km"))
        )
    if np.isfinite(apart) and apart > 2 * LOOP_M:
        found.append(
            say(
                "it ends {apart} from where it began: heights and wind do not cancel out",
                apart=quantity(apart, "m", ".0f"),
            )
        )
    return found


def _power(ride: Ride, bike: Bike, flywheel_kg: float | None) -> str:
    found = dyno_run(ride, bike, flywheel_kg)
    return (
        say(
            "{peak} at the wheel at {peak_2}",
            peak=quantity(found.peak[0], "W", ".0f"),
            peak_2=quantity(found.peak[1], "km/h", ".0f"),
        )
        if found is not None
        else "no power could be told"
    )


def programmes(levels: int, flywheel_kg: float | None = None) -> tuple[Programme, ...]:
    """All of them; the one by levels has a run for each of ``levels``. ``flywheel_kg``: the dyno runs are made on a stand whose flywheel
    weighs so much at the tyre; else bike and rider on the road are the mass."""
    speed = ("wheel_speed_kmh",)
    return (
        Programme(
            "full_pull",
            "Full pull",
            "pull against the predicted edge, limits, sag",
            ROAD,
            (_pull("one way"), _pull("back")),
            (*speed, "throttle"),
            True,
        ),
        Programme(
            "coast_down",
            "Coast-down both ways",
            "rolling and air resistance",
            ROAD,
            tuple(_coast(name) for name in ("one way", "back", "one way again", "back again")),
            (*speed, "battery_a"),
            True,
        ),
        Programme(
            "climb", "Steady climb", "heat paths: minutes until a fade starts", ROAD, (CLIMB,), (*speed, "battery_a")
        ),
        Programme(
            "top_speed",
            "Top speed both ways",
            "what wind and slope leave of it",
            ROAD,
            (_top("one way"), _top("back")),
            (*speed, "throttle"),
            True,
        ),
        Programme(
            "levels",
            "Level by level",
            "what each assist level gives for the rider's watts",
            ROAD,
            tuple(_level(number) for number in range(1, levels + 1)),
            (*speed, "cadence_rpm", "human_nm"),
        ),
        Programme("loop", "Range loop", say("Wh per {unit} at your pace", unit=Symbol("km")), ROAD, (LOOP,), speed),
        Programme(
            "dyno",
            "Dyno run",
            "wheel power from a known mass",
            f"{STAND} {ROAD}",
            tuple(_dyno(at, flywheel_kg) for at in (1, 2, 3)),
            (*speed, "throttle"),
        ),
    )
