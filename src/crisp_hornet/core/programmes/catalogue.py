"""The programmes."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.dyno import dyno_run
from crisp_hornet.core.programmes import judging as j
from crisp_hornet.core.programmes.run import CLOSED, FULL, Programme, Run, Step
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike

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
    must = f"full throttle must read {100 * FULL:.0f} % or more"
    return f"The throttle stands at {100 * reads:.0f} %. If that is its stop, calibrate it first: {must}."


def _pull(name: str) -> Step:
    return Step(
        name,
        "Stand on a level, straight stretch, then open the throttle fully and hold it until the bike gains no more.",
        lambda run: _full(run) and _speed(run) < 6,
        lambda run: not _full(run) or (run.lasts_s > 4 and run.steady("wheel_speed_kmh", 2.0, 0.5)),
        lambda ride, bike: (
            j.sparse(ride) + j.too_short(ride, 3) + j.throttle_open(ride) + _gained(ride, 12) + j.not_level(ride, bike)
        ),
        lambda ride, _bike: f"{j.from_to(ride)}{_most(ride, 'battery_a', ' A from the pack')}",
        _short_of_full,
    )


def _coast(name: str) -> Step:
    return Step(
        name,
        "Ride up to 30 km/h on a level stretch without wind, then let go of everything and roll until you nearly stand.",
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
        lambda ride, _bike: f"{j.speed(ride).mean():.1f} km/h held for {ride.time_s[-1]:.0f} s",
        _short_of_full,
    )


def _level(number: int) -> Step:
    def rides(run: Run) -> bool:
        set_to = run.now("level", otherwise=float(number))
        pedals = run.now("cadence_rpm") > 30 and run.now("human_nm") > 3
        return pedals and run.now("throttle") <= CLOSED and _speed(run) > 5 and set_to == number

    return Step(
        f"level {number}",
        f"Set assist level {number}, and pedal at your usual effort for half a minute on a level stretch, no throttle.",
        rides,
        lambda run: not rides(run) or run.lasts_s >= LEVEL_S,
        lambda ride, bike: j.sparse(ride) + j.too_short(ride, 0.8 * LEVEL_S) + j.braked(ride) + j.not_level(ride, bike),
        lambda ride, _bike: f"{j.speed(ride).mean():.1f} km/h, {_human_w(ride):.0f} W of the rider's{_share(ride)}",
    )


CLIMB = Step(
    "climb",
    "On a hill of at least 3 %: hold one speed with the throttle or the level, for two minutes or longer. End with the brake or stand.",
    lambda run: _speed(run) > 5 and run.now("battery_a") > 3 and run.steady("wheel_speed_kmh", 4.0, 3.0),
    lambda run: _speed(run) < 3 or run.now("brake") > 0 or run.now("battery_a") < 1,
    lambda ride, bike: (
        j.sparse(ride) + j.too_short(ride, 120) + j.uneven(ride, 0.15) + _not_steep(ride, bike) + _not_warmed(ride)
    ),
    lambda ride, _bike: f"{ride.time_s[-1] / 60:.1f} min at {j.speed(ride).mean():.0f} km/h{_warmed(ride)}",
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
        f"pull {number}",
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
    return [f"it gained {gain:.0f} km/h only, {least_kmh:.0f} are needed"] if gain < least_kmh else []


def _lost(ride: Ride, least_kmh: float) -> list[str]:
    values = j.speed(ride)
    lost = float(values[0] - values[-1]) if values.size else 0.0
    return [f"it slowed by {lost:.0f} km/h only, {least_kmh:.0f} are needed: roll further"] if lost < least_kmh else []


def _most(ride: Ride, channel: str, unit: str) -> str:
    values = ride.get(channel)
    return f", at most {np.nanmax(values):.0f}{unit}" if np.isfinite(values).any() else ""


def _human_w(ride: Ride) -> float:
    watts = ride.get("human_nm") * ride.get("cadence_rpm") * 2 * np.pi / 60
    return float(np.nanmean(watts)) if np.isfinite(watts).any() else 0.0


def _share(ride: Ride) -> str:
    electric = ride.get("pack_v") * ride.get("battery_a")
    return f" and {np.nanmean(electric):.0f} W from the pack" if np.isfinite(electric).any() else ""


def _not_steep(ride: Ride, _bike: Bike) -> list[str]:
    if not ride.has("altitude_m"):
        return []
    rise = float(np.nanmax(ride.get("altitude_m")) - np.nanmin(ride.get("altitude_m")))
    metres = float(j.speed(ride).mean()) / 3.6 * float(ride.time_s[-1])
    grade = 100 * rise / max(metres, 1.0)
    return [f"it climbs {grade:.1f} % only: choose a steeper hill"] if grade < 3 else []


def _not_warmed(ride: Ride) -> list[str]:
    warm = ride.get("motor_c")
    if not np.isfinite(warm).any():
        return ["no motor temperature was recorded: it is what this programme is for"]
    gain = float(np.nanmax(warm) - warm[np.isfinite(warm)][0])
    return [f"the motor warmed by {gain:.0f} K only: a longer or steeper hill, or a lower gear"] if gain < 8 else []


def _warmed(ride: Ride) -> str:
    warm = ride.get("motor_c")
    good = warm[np.isfinite(warm)]
    return f", motor {good[0]:.0f} to {good.max():.0f} °C" if good.size else ""


def _no_loop(ride: Ride) -> list[str]:
    found, apart = j.too_short(ride, 300), j.apart_m(ride)
    if j.used(ride) and float(j.used(ride).split(" ")[0]) < LEAST_LOOP_KM:
        found.append(f"shorter than {LEAST_LOOP_KM:g} km: its consumption says little")
    if np.isfinite(apart) and apart > 2 * LOOP_M:
        found.append(f"it ends {apart:.0f} m from where it began: heights and wind do not cancel out")
    return found


def _power(ride: Ride, bike: Bike, flywheel_kg: float | None) -> str:
    found = dyno_run(ride, bike, flywheel_kg)
    return (
        f"{found.peak[0]:.0f} W at the wheel at {found.peak[1]:.0f} km/h"
        if found is not None
        else "no power could be told"
    )


def programmes(levels: int, flywheel_kg: float | None = None) -> tuple[Programme, ...]:
    """All of them; the one by levels has a run for each of ``levels``. ``flywheel_kg``: the dyno runs are made on a stand whose flywheel
    weighs so much at the tyre; else bike and rider on the road are the mass."""
    speed = ("wheel_speed_kmh",)
    return (
        Programme("full_pull", "Full pull", "pull against the predicted edge, limits, sag", ROAD, (_pull("one way"), _pull("back")),
                  (*speed, "throttle"), True),
        Programme("coast_down", "Coast-down both ways", "rolling and air resistance", ROAD,
                  tuple(_coast(name) for name in ("one way", "back", "one way again", "back again")), (*speed, "battery_a"), True),
        Programme("climb", "Steady climb", "heat paths: minutes until a fade starts", ROAD, (CLIMB,), (*speed, "battery_a")),
        Programme("top_speed", "Top speed both ways", "what wind and slope leave of it", ROAD, (_top("one way"), _top("back")),
                  (*speed, "throttle"), True),
        Programme("levels", "Level by level", "what each assist level gives for the rider's watts", ROAD,
                  tuple(_level(number) for number in range(1, levels + 1)), (*speed, "cadence_rpm", "human_nm")),
        Programme("loop", "Range loop", "Wh per km at your pace", ROAD, (LOOP,), speed),
        Programme("dyno", "Dyno run", "wheel power from a known mass", f"{STAND} {ROAD}", tuple(_dyno(at, flywheel_kg) for at in (1, 2, 3)),
                  (*speed, "throttle")),
    )  # fmt: skip
