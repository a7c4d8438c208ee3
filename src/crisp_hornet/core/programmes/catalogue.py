"""The programmes."""

from __future__ import annotations

import numpy as np

from crisp_hornet.core.evidence.dyno import dyno_run
from crisp_hornet.core.programmes import judging as j
from crisp_hornet.core.programmes.run import CLOSED, FULL, Programme, Run, Step
from crisp_hornet.core.programmes.wordings import TOLD, does, shows, spoils, spoilt
from crisp_hornet.core.ride.along import way_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import Place, Symbol, quantity, worded

ROAD, STAND = TOLD["caution"]["road"], TOLD["caution"]["stand"]
LOOP_M, LEAST_LOOP_KM = 40.0, 2.0
LEVEL_S = 30.0
LEAST_GRADE, LEAST_WARMED_K = 3, 8


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
    return spoils("short-of-full", reads=quantity(100 * reads, "%", ".0f"), full=quantity(100 * FULL, "%", ".0f"))


def _pull(name: str) -> Step:
    return Step(
        name,
        does("pull"),
        lambda run: _full(run) and _speed(run) < 6,
        lambda run: not _full(run) or (run.lasts_s > 4 and run.steady("wheel_speed_kmh", 2.0, 0.5)),
        lambda ride, bike: (
            j.sparse(ride) + j.too_short(ride, 3) + j.throttle_open(ride) + _gained(ride, 12) + j.not_level(ride, bike)
        ),
        lambda ride, _bike: j.from_to(ride) + _most(ride),
        _short_of_full,
    )


def _coast(name: str) -> Step:
    return Step(
        name,
        does("coast", at=quantity(30, "km/h")),
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
        does("top"),
        lambda run: _full(run) and _speed(run) > 15 and run.steady("wheel_speed_kmh", 3.0, 0.8),
        lambda run: not _full(run) or run.lasts_s >= 10,
        lambda ride, bike: (
            j.sparse(ride)
            + j.too_short(ride, 8)
            + j.throttle_open(ride)
            + j.uneven(ride, 0.02)
            + j.not_level(ride, bike)
        ),
        lambda ride, _bike: shows(
            "held", speed=quantity(j.speed(ride).mean(), "km/h", ".1f"), time=quantity(ride.time_s[-1], "s", ".0f")
        ),
        _short_of_full,
    )


def _level(number: int) -> Step:
    def rides(run: Run) -> bool:
        set_to = run.now("level", otherwise=float(number))
        pedals = run.now("cadence_rpm") > 30 and run.now("human_nm") > 3
        return pedals and run.now("throttle") <= CLOSED and _speed(run) > 5 and set_to == number

    return Step(
        shows("level", number=number),
        does("level", number=number),
        rides,
        lambda run: not rides(run) or run.lasts_s >= LEVEL_S,
        lambda ride, bike: j.sparse(ride) + j.too_short(ride, 0.8 * LEVEL_S) + j.braked(ride) + j.not_level(ride, bike),
        lambda ride, _bike: (
            shows(
                "ridden",
                speed=quantity(j.speed(ride).mean(), "km/h", ".1f"),
                rider=quantity(_human_w(ride), "W", ".0f"),
            )
            + _electric(ride)
        ),
    )


CLIMB = Step(
    "climb",
    does("climb"),
    lambda run: _speed(run) > 5 and run.now("battery_a") > 3 and run.steady("wheel_speed_kmh", 4.0, 3.0),
    lambda run: _speed(run) < 3 or run.now("brake") > 0 or run.now("battery_a") < 1,
    lambda ride, bike: (
        j.sparse(ride) + j.too_short(ride, 120) + j.uneven(ride, 0.15) + _not_steep(ride, bike) + _not_warmed(ride)
    ),
    lambda ride, _bike: (
        shows(
            "climbed",
            time=quantity(ride.time_s[-1] / 60, "min", ".1f"),
            speed=quantity(j.speed(ride).mean(), "km/h", ".0f"),
        )
        + _warmed(ride)
    ),
)
LOOP = Step(
    "loop",
    does("loop"),
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
        shows("pull", number=number),
        does("dyno"),
        lambda run: _full(run) and _speed(run) < 12,
        lambda run: not _full(run) or (run.lasts_s > 3 and run.steady("wheel_speed_kmh", 1.5, 0.4)),
        lambda ride, bike: j.sparse(ride, 9) + j.throttle_open(ride) + _gained(ride, 15) + j.not_level(ride, bike),
        lambda ride, bike: _power(ride, bike, flywheel_kg),
        _short_of_full,
    )


def _gained(ride: Ride, least_kmh: float) -> list[str]:
    values = j.speed(ride)
    gain = float(values.max() - values[0]) if values.size else 0.0
    return spoilt(
        gain < least_kmh,
        "gained",
        gain=quantity(gain, "km/h", ".0f"),
        least=quantity(least_kmh, "km/h", ".0f"),
    )


def _lost(ride: Ride, least_kmh: float) -> list[str]:
    values = j.speed(ride)
    lost = float(values[0] - values[-1]) if values.size else 0.0
    return spoilt(
        lost < least_kmh, "lost", lost=quantity(lost, "km/h", ".0f"), least=quantity(least_kmh, "km/h", ".0f")
    )


def _most(ride: Ride) -> str:
    amps = ride.get("battery_a")
    return shows("battery", most=quantity(np.nanmax(amps), "A", ".0f")) if np.isfinite(amps).any() else ""


def _human_w(ride: Ride) -> float:
    watts = ride.get("human_nm") * ride.get("cadence_rpm") * 2 * np.pi / 60
    return float(np.nanmean(watts)) if np.isfinite(watts).any() else 0.0


def _electric(ride: Ride) -> str:
    watts = ride.get("pack_v") * ride.get("battery_a")
    return shows("electric", power=quantity(np.nanmean(watts), "W", ".0f")) if np.isfinite(watts).any() else ""


def _not_steep(ride: Ride, _bike: Bike) -> list[str]:
    if not ride.has("altitude_m"):
        return []
    rise = float(np.nanmax(ride.get("altitude_m")) - np.nanmin(ride.get("altitude_m")))
    metres = float(j.speed(ride).mean()) / 3.6 * float(ride.time_s[-1])
    grade = 100 * rise / max(metres, 1.0)
    return spoilt(grade < LEAST_GRADE, "flat", grade=quantity(grade, "%", ".1f"))


def _not_warmed(ride: Ride) -> list[str]:
    warm = ride.get("motor_c")
    if not np.isfinite(warm).any():
        return [spoils("no-warmth")]
    gain = float(np.nanmax(warm) - warm[np.isfinite(warm)][0])
    return spoilt(gain < LEAST_WARMED_K, "cool", gain=quantity(gain, "K", ".0f"))


def _warmed(ride: Ride) -> str:
    warm = ride.get("motor_c")
    good = warm[np.isfinite(warm)]
    if not good.size:
        return ""
    return shows("warmed", first=quantity(good[0], "°C", ".0f", bare=True), most=quantity(good.max(), "°C", ".0f"))


def _no_loop(ride: Ride) -> list[str]:
    way, apart = way_km(ride), j.apart_m(ride)
    return (
        j.too_short(ride, 300)
        + spoilt(way is not None and way[-1] < LEAST_LOOP_KM, "short-way", least=quantity(LEAST_LOOP_KM, "km"))
        + spoilt(apart > 2 * LOOP_M, "open-loop", apart=quantity(apart, "m", ".0f"))  # not known is not open
    )


def _power(ride: Ride, bike: Bike, flywheel_kg: float | None) -> str:
    found = dyno_run(ride, bike, flywheel_kg)
    if found is None:
        return shows("no-power")
    return shows("power", most=quantity(found.peak[0], "W", ".0f"), at=quantity(found.peak[1], "km/h", ".0f"))


def _programme(
    id_: str,
    steps: tuple[Step, ...],
    needs: tuple[str, ...],
    both_ways: bool = False,
    caution: str = ROAD,
    **places: Place,
) -> Programme:
    """One of them, with its words."""
    title, purpose = worded((TOLD[id_]["title"], TOLD[id_]["purpose"]), places)
    return Programme(id_, title, purpose, caution, steps, needs, both_ways)


def programmes(levels: int, flywheel_kg: float | None = None) -> tuple[Programme, ...]:
    """All of them; the one by levels has a run for each of ``levels``. ``flywheel_kg``: the dyno runs are made on a stand whose flywheel
    weighs so much at the tyre; else bike and rider on the road are the mass."""
    speed = ("wheel_speed_kmh",)
    rolls = ("one way", "back", "one way again", "back again")
    by_level = tuple(_level(number) for number in range(1, levels + 1))
    by_mass = tuple(_dyno(at, flywheel_kg) for at in (1, 2, 3))
    return (
        _programme("full_pull", (_pull("one way"), _pull("back")), (*speed, "throttle"), both_ways=True),
        _programme("coast_down", tuple(map(_coast, rolls)), (*speed, "battery_a"), both_ways=True),
        _programme("climb", (CLIMB,), (*speed, "battery_a")),
        _programme("top_speed", (_top("one way"), _top("back")), (*speed, "throttle"), both_ways=True),
        _programme("levels", by_level, (*speed, "cadence_rpm", "human_nm")),
        _programme("loop", (LOOP,), speed, way=Symbol("km")),
        _programme("dyno", by_mass, (*speed, "throttle"), caution=f"{STAND} {ROAD}"),
    )
