"""Several packs: in parallel against the currents of a circuit solved on its own, in turn with what is known of each; how they age."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.evidence.estimate import Estimate, around, refused
from crisp_hornet.core.evidence.learning import learn
from crisp_hornet.core.evidence.pack_life import PackReading, lives, read_pack
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.battery import shares, together
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.store import dump
from tests.amount import some
from tests.bikes import a_bike, a_tune, two_packs

DAY = datetime(2026, 3, 1, tzinfo=UTC)


@seed(95)
@settings(max_examples=some(60), deadline=None, database=None)
@given(
    st.lists(st.tuples(st.floats(0.02, 0.4), st.floats(8.0, 60.0), st.floats(5.0, 90.0)), min_size=2, max_size=4),
    st.floats(5.0, 60.0),
)
def test_packs_in_parallel_share_the_current_as_the_circuit_says(packs, amps):
    made = [
        a_bike(battery__resistance_ohm=ohm, battery__capacity_ah=ah, battery__bms_discharge_a=most).battery
        for ohm, ah, most in packs
    ]
    # one common voltage behind each resistance: E - Ik Rk = V for all k, the currents add up
    count = len(packs)
    system = np.zeros((count + 1, count + 1))
    for at, (ohm, _, _) in enumerate(packs):
        system[at, at], system[at, count] = ohm, 1.0
    system[count, :count] = 1.0
    solved = np.linalg.solve(system, np.array([60.0] * count + [amps]))
    assert [share * amps for share in shares(made)] == pytest.approx(list(solved[:count]), rel=1e-9)
    whole = together(made)
    assert 60.0 - amps * whole.resistance_ohm == pytest.approx(solved[count], rel=1e-9)
    assert whole.capacity_ah == pytest.approx(sum(ah for _, ah, _ in packs))
    # at its limit together exactly one of them is at its own, and none beyond
    each = [share * whole.bms_discharge_a / most for share, (_, _, most) in zip(shares(made), packs, strict=True)]
    assert max(each) == pytest.approx(1.0)


def test_a_bike_runs_on_its_packs_and_keeps_what_is_known_of_each():
    bike = a_bike(packs=two_packs("in turn", second={"resistance_ohm": 0.12, "capacity_ah": 12}))
    assert bike.battery.resistance_ohm == 0.09
    learned = learn(bike, "battery.resistance_ohm", "round", around(0.1, 0.002, 100, "Ω"))
    other = learned.with_pack("Blue")
    assert other.battery.capacity_ah == 12 and "battery.resistance_ohm" not in other.sources
    assert other.with_figure("battery.capacity_ah", 11.5, "measured").packs.each[1].battery.capacity_ah == 11.5
    back = other.with_pack("Grey")
    assert (
        back.battery.resistance_ohm == pytest.approx(0.1)
        and back.sources["battery.resistance_ohm"].rides[0].ride == "round"
    )
    assert Bike.model_validate(dump(back)) == back and back.with_pack("Red") is back
    assert back.with_packs(None).battery == back.battery and back.with_packs(None).packs is None
    by_hand = dump(back) | {"battery": a_bike(battery__series=10).battery.model_dump()}  # what it runs on decides
    assert Bike.model_validate(by_hand).battery == back.battery


def test_a_table_of_cells_and_what_is_known_go_to_the_pack_they_are_of():
    bike = a_bike(packs=two_packs("in turn")).with_value("battery.rested_v_table", [[0.0, 3.0], [1.0, 4.2]], "entered")
    assert bike.battery.chemistry == bike.packs.each[0].battery.chemistry == "custom"
    assert bike.battery.rested_v_table == [[0.0, 3.0], [1.0, 4.2]] and bike.packs.each[1].battery.chemistry == "nmc"
    alone = learn(a_bike(packs=two_packs("in turn")), "battery.resistance_ohm", "round", around(0.1, 0.002, 100, "Ω"))
    joined = alone.with_packs(alone.packs.model_copy(update={"how": "in parallel"}))
    assert "battery.resistance_ohm" not in joined.sources  # one ride on one pack says nothing of both together
    assert joined.with_packs(None).sources["battery.resistance_ohm"].rides[0].ride == "round"
    single = learn(a_bike(), "battery.resistance_ohm", "round", around(0.1, 0.002, 100, "Ω"))
    assert "battery.resistance_ohm" not in single.with_packs(joined.packs).sources
    together_ = learn(joined, "battery.resistance_ohm", "both", around(0.05, 0.001, 100, "Ω"))
    assert together_.with_packs(None).sources["battery.resistance_ohm"].rides[0].ride == "round"


def test_in_parallel_a_learned_figure_goes_to_all_in_proportion_and_unlike_packs_are_refused():
    bike = a_bike(packs=two_packs("in parallel", second={"resistance_ohm": 0.18, "capacity_ah": 12}))
    assert bike.battery.resistance_ohm == pytest.approx(0.06) and bike.battery.capacity_ah == 36
    more = bike.with_figure("battery.resistance_ohm", 0.066, "learned")
    assert [one.battery.resistance_ohm for one in more.packs.each] == pytest.approx([0.099, 0.198])
    assert more.battery.resistance_ohm == pytest.approx(0.066)
    stronger = pull_curve(bike, a_tune(), np.array([20.0, 30.0]), Conditions(60.0)).pack_v
    alone = pull_curve(a_bike(), a_tune(), np.array([20.0, 30.0]), Conditions(60.0)).pack_v
    assert np.all(stronger > alone)
    with pytest.raises(ValidationError, match="as many cells in series"):
        bike.with_packs(bike.packs.model_copy(update={"each": [bike.packs.each[0], a_pack(bike, series=13)]}))


def a_pack(bike, **battery):
    second = bike.packs.each[1]
    return second.model_copy(update={"battery": second.battery.model_copy(update=battery)})


def readings(rng, growth, count, spread, pack="Grey", air=None):
    """Rides of a pack whose resistance grows by a share in 100 cycles."""
    found, cycles = [], 0.0
    for at in range(count):
        drawn = float(rng.uniform(6, 20))
        ohm = 0.09 * (1 + growth * (cycles + drawn / 48) / 100) * (1 + rng.normal(0, spread))
        seen = Estimate(ohm, ohm * (1 - 1.96 * spread), ohm * (1 + 1.96 * spread), "Ω")
        found.append(PackReading(f"ride {at}", DAY + timedelta(days=at), pack, drawn, seen, air))
        cycles += drawn / 24
    return found


def test_growth_over_the_cycles_lies_in_its_interval_as_often_as_it_says_and_none_is_seen_where_none_is():
    rng = np.random.default_rng(96)
    held = wrong = 0
    for _ in range(120):
        growth = float(rng.choice([0.0, 0.1, 0.3]))
        life = lives(readings(rng, growth, 24, 0.02), {"Grey": 24.0})[0]
        held += life.growth.low <= 100 * growth <= life.growth.high
        wrong += growth == 0 and life.growth.low > 0
    assert held >= 107 and wrong <= 6


def test_packs_are_told_apart_and_too_little_says_so():
    rng = np.random.default_rng(97)
    grey, blue = readings(rng, 0.2, 12, 0.01), readings(rng, 0.0, 2, 0.01, "Blue")
    found = lives([*grey, *blue], {"Grey": 24.0, "Blue": 24.0, "Red": 24.0})
    assert [len(one.readings) for one in found] == [12, 2, 0]
    assert found[0].cycles[-1] == pytest.approx((sum(one.drawn_ah for one in grey) - grey[-1].drawn_ah / 2) / 24)
    assert "2 of 3 rides" in found[1].growth.reason and "0 of 3" in found[2].growth.reason
    short = [PackReading(one.ride, one.at, "Grey", 0.5, one.ohm) for one in grey]
    assert "within" in lives(short, {"Grey": 24.0})[0].growth.reason
    unsaid = PackReading("x", DAY, "Grey", 3.0, refused("no"))
    assert lives([unsaid], {"Grey": 24.0})[0].cycles[0] == pytest.approx(3 / 48)
    cold = PackReading("x", DAY, "Grey", 3.0, around(0.18, 0.001, 100, "Ω"), 0.0)
    assert cold.ohm_at_25.value == pytest.approx(0.09, rel=0.03) and cold.ohm_at_25.half_width > cold.ohm.half_width / 2


def test_what_a_ride_draws_is_summed_and_holes_count_as_nothing():
    time = np.concatenate([np.arange(0, 360.0), np.arange(3600, 3960.0)])
    ride = Ride("r", time, {"battery_a": np.where(np.arange(720) % 10 < 5, 20.0, -10.0)})
    read = read_pack(ride, a_bike(), "r", DAY, "Grey", None)
    assert read.drawn_ah == pytest.approx(720 * 10 / 3600, rel=0.02) and not read.ohm.known
