"""Parts instead of amperes: another sprocket, wheel, winding, pack or controller with which wishes can be met that fight now.

Each part is tried from its greatest change down; the smallest change that still does is told. What belongs to a part changes with it: turns
n of a winding of the same copper scale flux linkage with n, resistance and inductance with n² (Hendershot & Miller, Design of Brushless
Permanent-Magnet Machines, ch. 5); a second pack halves the resistance and adds its mass.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from crisp_hornet.core.goal.cases import Case
from crisp_hornet.core.goal.seek import COARSE_LEVELS, Seeker
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.goals import Goals
from crisp_hornet.documents.tune import Tune

PACK_WH_PER_KG = 170.0
PART_RIDES = 20  # over each road with each part: a part is looked at, not sought for


@dataclass(frozen=True)
class Part:
    """A figure of the bike by its path, how it may be changed (factors, the smallest change first), and the bike with one of them."""

    path: str
    factors: tuple[float, ...]
    fitted: Callable[[Bike, float], Bike]


@dataclass(frozen=True, eq=False)
class Instead:
    """A part that would do: its figure as it is and as it would have to be, the wishes that are met then (by place), the bike with it, the
    tune sought on it, and what it weighs more (kg)."""

    path: str
    from_: float
    to: float
    meets: list[int]
    bike: Bike
    tune: Tune
    kg: float


def _ratio(bike: Bike, factor: float) -> Bike:
    drive = bike.drivetrain
    gears = [gear * factor for gear in drive.gears] if drive.gears else drive.gears
    return _with(bike, "drivetrain", ratio=drive.ratio * factor, gears=gears)


def _wheel(bike: Bike, factor: float) -> Bike:
    return _with(bike, "drivetrain", wheel_circumference_m=bike.drivetrain.wheel_circumference_m * factor)


def _turns(bike: Bike, factor: float) -> Bike:
    motor = bike.motor
    return _with(
        bike, "motor", flux_linkage_wb=motor.flux_linkage_wb * factor, phase_resistance_ohm=motor.phase_resistance_ohm * factor**2,
        ld_h=motor.ld_h * factor**2, lq_h=motor.lq_h * factor**2,
    )  # fmt: skip


def _packs(bike: Bike, factor: float) -> Bike:
    battery = bike.battery
    bike = _with(
        bike, "battery", capacity_ah=battery.capacity_ah * factor, resistance_ohm=battery.resistance_ohm / factor,
        bms_discharge_a=battery.bms_discharge_a * factor, bms_charge_a=battery.bms_charge_a * factor,
    )  # fmt: skip
    return _with(bike, "chassis", bike_kg=bike.chassis.bike_kg + pack_kg(bike) * (1 - 1 / factor))


def _controller(bike: Bike, factor: float) -> Bike:
    controller = bike.controller
    return _with(
        bike, "controller", max_phase_current_a=controller.max_phase_current_a * factor,
        max_battery_current_a=controller.max_battery_current_a * factor, ratings_by_voltage=None,
    )  # fmt: skip


def pack_kg(bike: Bike) -> float:
    """What a pack of its energy usually weighs (kg)."""
    return bike.battery.capacity_ah * bike.battery.series * 3.6 / PACK_WH_PER_KG


def _with(bike: Bike, group: str, **figures: object) -> Bike:
    return bike.model_copy(update={group: getattr(bike, group).model_copy(update=figures)})


def parts_of(bike: Bike) -> list[Part]:
    """What may be changed on a bike: the wheel where the motor sits in it, else the gearing."""
    inside = bike.drivetrain.ratio == 1
    smaller, larger = (0.96, 0.92, 0.85), (1.08, 1.15)
    gearing = [Part("drivetrain.wheel_circumference_m", each, _wheel) for each in (smaller, larger)]
    if not inside:
        gearing = [Part("drivetrain.ratio", each, _ratio) for each in ((1.08, 1.18, 1.35, 1.6), (0.93, 0.85, 0.75))]
    return [
        *gearing,
        Part("motor.flux_linkage_wb", (1.1, 1.25, 1.5), _turns),
        Part("motor.flux_linkage_wb", (0.9, 0.8), _turns),
        Part("battery.capacity_ah", (2.0,), _packs),
        Part("controller.max_phase_current_a", (1.25, 1.6, 2.0), _controller),
    ]


def instead(
    bike: Bike,
    tune: Tune,
    goals: Goals,
    conflict: Sequence[int],
    rested_v: float | None = None,
    tick: Callable[[], bool] | None = None,
    cases: tuple[Case, ...] = (),
) -> Iterator[Instead]:
    """Parts with which all wishes can be met, or at least those that fight, each as soon as it is found."""
    every = list(range(len(goals.goals)))
    for part in parts_of(bike):
        for members in (every, list(conflict)) if len(conflict) < len(every) else (every,):
            found = _smallest(
                part, members, lambda fitted: Seeker(fitted, tune, goals, rested_v, tick, cases=cases), bike
            )
            if found is not None:
                yield found
                break


def _smallest(part: Part, members: Sequence[int], seeker_of: Callable[[Bike], Seeker], bike: Bike) -> Instead | None:
    found = None
    for factor in reversed(part.factors):
        fitted = part.fitted(bike, factor)
        seeker = seeker_of(fitted)
        seeker.roads.left = min(seeker.roads.left, PART_RIDES)
        point = seeker.search.least(members, COARSE_LEVELS)
        if point is None:
            break
        others = [at for at in seeker.every if at not in members and seeker.meets(point, [at])]
        found = Instead(
            part.path, bike.figure(part.path), fitted.figure(part.path), sorted([*members, *others]), fitted,
            seeker.space.tune_at(point), fitted.mass_kg - bike.mass_kg,
        )  # fmt: skip
    return found
