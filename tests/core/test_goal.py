"""Settings sought for wishes, against every setting of a grid; ``benchmarks/bench_seek.py`` takes a hundred asks."""

import itertools
import math

import numpy as np
import pytest
from scipy.interpolate import RegularGridInterpolator

from crisp_hornet.core.drive.no_load import fastest_kmh
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.goal.cases import EVERY
from crisp_hornet.core.goal.on_road import Roads
from crisp_hornet.core.goal.parts import instead
from crisp_hornet.core.goal.pulls import pulls
from crisp_hornet.core.goal.reached import met_by
from crisp_hornet.core.goal.seek import Seeker
from crisp_hornet.core.goal.space import Space
from crisp_hornet.core.goal.watched import HELPED_BY
from crisp_hornet.core.goal.wish_map import wish_map
from crisp_hornet.core.goal.wishes import FINE, Measured
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.road.performance import front_wheel_keeps, launch, steady_speed_kmh
from crisp_hornet.core.rules import Strength
from crisp_hornet.core.rules.watch import watch_list
from crisp_hornet.core.virtual_ride.band import Ends
from crisp_hornet.core.virtual_ride.ride import Stopped
from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces
from crisp_hornet.documents.goals import FREE, Goals
from crisp_hornet.documents.store import dump
from tests.amount import of
from tests.bikes import a_bike, a_tune
from tests.core.brute_asks import a_random_ask, judged, keeps_to_the_list, meets

PHASE, BATTERY, WEAKENING = FREE
LANE = from_pieces("lane", [RoadPiece(500), RoadPiece(400, 0.07, None, 10), RoadPiece(300, -0.04, 30)])


def asked(free, *goals):
    return Goals.model_validate(
        {"format": "crisp-hornet/goals", "version": 1, "name": "ask", "free": list(free), "goals": list(goals)}
    )


@pytest.mark.parametrize("seed", of([14, 20], [1, 5, 43]))
def test_no_setting_of_a_grid_meets_the_wishes_with_less_strain(seed):
    assert judged(seed, (129, 21, 9)).faults == []


@pytest.mark.parametrize("gears", [None, [1.0, 1.5]])
def test_many_pulls_at_once_are_those_of_single_curves(gears):
    bike = a_bike(motor__lq_h=2.4e-4, drivetrain__gears=gears)
    tunes = [a_tune(drive__phase_current_a=a, drive__battery_current_a=b, drive__field_weakening_a=c)
             for a, b, c in [(40, 10, 0), (120, 45, 30), (0, 0, 0), (170, 60, 90)]]  # fmt: skip
    speeds = np.linspace(0, fastest_kmh(bike), 60)
    found = pulls(bike, tunes, speeds, 58.0)
    for row, tune in enumerate(tunes):
        curve = pull_curve(bike, tune, speeds, Conditions(58.0))
        np.testing.assert_allclose(found.force_n[row], curve.wheel_force_n, rtol=1e-9, atol=1e-9)
        np.testing.assert_allclose(found.pack_v[row], curve.pack_v, rtol=1e-9)
        np.testing.assert_allclose(found.turns[row], np.broadcast_to(curve.motor_turns, speeds.shape))


@pytest.mark.long
def test_what_the_watch_list_forbids_it_forbids_of_greater_limits_too():
    rng = np.random.default_rng(4)
    light = a_bike(
        chassis__cargo_kg=0.0, chassis__cg_from_rear_m=0.45, battery__bms_discharge_a=42.0, battery__resistance_ohm=0.2
    )
    spoken = set()
    for at in range(16):
        bike, tops = (a_bike(), light)[at % 2], np.array([180.0, 60.0, 90.0])
        low = rng.uniform(0.05, 0.8, 3)
        high = low + rng.uniform(0, 1, 3) * (1 - low)
        said = []
        for shares in (low, high):
            lists = watch_list(bike, a_tune().with_settings(dict(zip(FREE, (shares * tops).tolist(), strict=True))))
            said.append({one.id for one in lists if one.strength is not Strength.NOTE})
        spoken |= said[1]
        assert said[0] - said[1] <= set(HELPED_BY)
    assert {"battery-over-bms", "front-wheel", "weakening-large"} <= spoken


@pytest.mark.long
def test_a_road_s_wishes_are_met_with_the_least_strain():
    bike, tune = a_bike(chassis__cargo_kg=5.0), a_tune()
    goals = asked(
        (PHASE, BATTERY), {"what": "route", "route": dump(LANE), "hold_kmh": 40.0, "most_s": 190.0, "fades": False}
    )
    answer = Seeker(bike, tune, goals).answer()
    roads = Roads(bike, goals.goals)
    assert answer.found and roads.ridden(0, bike, answer.tune).slack >= -1e-9
    for phase, battery in itertools.product(np.linspace(0, 180, 25), np.linspace(0, 60, 25)):
        if (phase / 180) ** 2 + (battery / 60) ** 2 < answer.strain / 1.02:
            one = tune.with_settings({PHASE: float(phase), BATTERY: float(battery)})
            assert not roads.meets(0, one)


@pytest.mark.long
def test_what_no_road_allows_ends_soon_and_names_the_wish():
    steep = from_pieces("wall", [RoadPiece(100), RoadPiece(800, 0.3)])
    goals = asked((PHASE, BATTERY), {"what": "route", "route": dump(steep), "hold_kmh": 20.0},
                  {"what": "sag", "rested_v": 60.0, "least_v": 50.0})  # fmt: skip
    answer = Seeker(a_bike(), a_tune(), goals).answer()
    assert (answer.found, answer.conflict) == (False, [0])
    assert answer.goals[0].met == "no" and answer.goals[0].name == "arrives"


def test_a_stop_that_no_setting_mends_is_named_as_why():
    answer = Seeker(
        a_bike(controller__max_voltage_v=60), a_tune(), asked((PHASE,), {"what": "top", "least_kmh": 5.0})
    ).answer()
    assert (answer.found, answer.conflict) == (False, []) and "pack-over-controller" in answer.against


@pytest.mark.long
def test_parts_are_told_with_what_they_meet_and_that_is_true():
    bike, tune = a_bike(), a_tune()
    goals = asked(
        (PHASE, BATTERY),
        {"what": "climb", "grade": 0.06, "least_kmh": 15.0},
        {"what": "launch", "to_kmh": 25.0, "most_s": 3.45},
    )
    answer = Seeker(bike, tune, goals).answer()
    found = {one.path: one for one in instead(bike, tune, goals, answer.conflict)}
    assert answer.conflict == [1] and "battery.capacity_ah" in found
    for one in found.values():
        assert set(answer.conflict) <= set(one.meets) and one.to != one.from_
        slacks = Seeker(one.bike, tune, goals).exactly.slacks([one.tune])[0]
        assert all(slacks[at] >= -2e-3 for at in one.meets)
    assert found["battery.capacity_ah"].kg > 5


def test_the_search_can_be_stopped():
    with pytest.raises(Stopped):
        Seeker(a_bike(), a_tune(), asked((PHASE,), {"what": "top", "least_kmh": 30.0}), tick=lambda: False).answer()


@pytest.mark.parametrize("at_most", [False, True])
def test_met_for_sure_likely_or_not(at_most):
    sign = -1 if at_most else 1
    for value, low, high, told in [
        (12, 11, 13, "yes"),
        (10.5, 9.5, 11.5, "likely"),
        (9, 8, 11, "no"),
        (-math.inf, -math.inf, 0, "no"),
    ]:
        ends = Ends(10 + sign * (value - 10), *sorted((10 + sign * (low - 10), 10 + sign * (high - 10))))
        assert met_by(ends, 10.0, at_most) == told


def test_in_more_cases_it_takes_more_and_each_case_holds_by_itself():
    bike, tune = a_bike(), a_tune()
    goals = asked((PHASE, BATTERY), {"what": "climb", "grade": 0.05, "least_kmh": 20.0},
                  {"what": "front_wheel", "least_share": 0.7}, {"what": "launch", "to_kmh": 20.0, "most_s": 7.0})  # fmt: skip
    drawn = Seeker(bike, tune, goals).answer()
    every = Seeker(bike, tune, goals, cases=EVERY).answer()
    assert drawn.found and every.found and every.strain > drawn.strain
    full = rested_or_typical_v(bike.battery, 1.0)
    for case in EVERY:
        own = case.bike(bike)
        curve = pull_curve(own, every.tune, np.linspace(0, fastest_kmh(own), 241),
                           Conditions(case.rested_v(bike, full), winding_c=case.winding_c(tune)))  # fmt: skip
        assert steady_speed_kmh(curve, 0.05) >= 20 * 0.998 and front_wheel_keeps(curve) >= 0.7 * 0.998
        assert launch(curve, 20.0).time_s <= 7 * 1.002


@pytest.mark.parametrize("seed", of([5, 22], [1, 14]))
def test_what_is_answered_can_be_set_and_stands_by_itself(seed):
    bike, tune, goals = a_random_ask(seed)
    answer = Seeker(bike, tune, goals, steps=dict.fromkeys(FREE, 2.5)).answer()
    if not answer.found:
        return
    for path in goals.free:
        assert (answer.tune.setting(path) / 2.5) % 1 == pytest.approx(0, abs=1e-6)
    had = {one.id for one in watch_list(bike, tune) if one.strength is Strength.WARN}
    assert meets(bike, answer.tune, goals, rested_or_typical_v(bike.battery, 1.0), 0.002, 361)
    assert keeps_to_the_list(bike, answer.tune, had)


@pytest.mark.long
def test_what_was_only_not_found_is_not_said_to_be_impossible():
    goals = asked((PHASE, BATTERY), {"what": "route", "route": dump(LANE), "hold_kmh": 40.0, "most_s": 60.0})
    seeker = Seeker(a_bike(chassis__cargo_kg=5.0), a_tune(), goals)
    seeker.roads.left = 0  # no ride may be taken any more
    answer = seeker.answer()
    assert not answer.found and not answer.proved
    plain = asked((PHASE, BATTERY), {"what": "launch", "to_kmh": 25.0, "most_s": 0.5})
    assert Seeker(a_bike(), a_tune(), plain).answer().proved


def test_where_the_map_says_that_all_holds_it_does():
    bike, tune = a_bike(), a_tune()
    goals = asked(
        (PHASE, BATTERY),
        {"what": "climb", "grade": 0.05, "least_kmh": 20.0},
        {"what": "front_wheel", "least_share": 0.7},
    ).goals
    made, rng = wish_map(bike, tune, goals, 62.0, BATTERY, PHASE), np.random.default_rng(2)
    space, exact = Space(bike, tune, (BATTERY, PHASE)), Measured(bike, goals, 62.0, FINE)
    points = rng.uniform(0, 1, (300, 2)) * [made.x_a[-1], made.y_a[-1]]
    drawn = np.min([RegularGridInterpolator((made.y_a, made.x_a), one)(points[:, ::-1]) for one in made.slack], axis=0)
    true = exact.slacks([space.with_amps(point) for point in points.tolist()]).min(axis=1)
    inside = drawn >= 0
    assert 20 < inside.sum() < 280 and true[inside].min() > -0.02 and true[~inside & (drawn < -0.02)].max() < 0
