"""Roads: drawn by hand, from a ride, turned, repeated, joined; and bad ones told in a line."""

import json

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.virtual_ride.roads import (
    UNLIMITED_KMH,
    RoadPiece,
    climb_m,
    from_pieces,
    from_ride,
    joined,
    repeated,
    turned,
    with_point,
)
from crisp_hornet.documents import store
from crisp_hornet.documents.errors import DocumentError
from tests.amount import some

PIECES = [RoadPiece(400), RoadPiece(600, 0.1, 30, 20), RoadPiece(300, -0.05), RoadPiece(500, 0.12, 45)]
pieces = st.lists(
    st.builds(
        RoadPiece,
        st.floats(20, 2000),
        st.floats(-0.2, 0.2),
        st.none() | st.floats(10, 60),
        st.none() | st.floats(1, 60),
    ),
    min_size=1,
    max_size=8,
)


def limits_along(route, places):
    """The limit at each place, by hand."""
    at = np.searchsorted([one.at_m for one in route.points], places, "right") - 1
    held, found = np.inf, []
    for one in route.points:
        held = one.limit_kmh if one.limit_kmh is not None else held
        found.append(held if held < UNLIMITED_KMH else np.inf)
    return np.array(found)[at]


def heights(route, places):
    return np.interp(places, [one.at_m for one in route.points], [one.altitude_m for one in route.points])


@seed(3)
@settings(max_examples=some(60), deadline=None, database=None)
@given(pieces, pieces)
def test_turned_and_joined_roads_are_the_same_roads(first, second):
    one, other = from_pieces("one", first), from_pieces("other", second, 300.0)
    places = np.linspace(0.5, one.length_m - 0.5, 97)
    back = turned(one)
    np.testing.assert_allclose(heights(back, one.length_m - places), heights(one, places), atol=1e-6)
    np.testing.assert_array_equal(limits_along(back, one.length_m - places), limits_along(one, places))
    rises = np.diff([point.altitude_m for point in one.points])
    assert climb_m(back) == pytest.approx(-rises[rises < 0].sum()) and climb_m(one) == pytest.approx(
        rises[rises > 0].sum()
    )
    both = joined(one, other)
    assert both.length_m == pytest.approx(one.length_m + other.length_m) and climb_m(both) == pytest.approx(
        climb_m(one) + climb_m(other)
    )
    there = np.linspace(0.5, other.length_m - 0.5, 61)
    np.testing.assert_array_equal(limits_along(both, one.length_m + there), limits_along(other, there))
    assert sum(point.stop_s or 0 for point in back.points) == pytest.approx(
        sum(point.stop_s or 0 for point in one.points)
    )


def test_stops_and_limits_are_added_and_a_road_is_ridden_again():
    road = with_point(with_point(from_pieces("Quarry", PIECES), 700.0, stop_s=15.0), 0.0, limit_kmh=25.0)
    assert len(road.points) == 6 and road.points[0].limit_kmh == 25 and heights(road, 700.0) == pytest.approx(30.0)
    assert with_point(road, 700.2, limit_kmh=20.0).points[2].stop_s == 15  # on the point that is there
    twice = repeated(road, 2)
    assert twice.length_m == 3600 and climb_m(twice) == pytest.approx(2 * climb_m(road)) and twice.name == "Quarry"
    for wrong in (
        lambda: with_point(road, 5000.0, stop_s=3.0),
        lambda: repeated(road, 0),
        lambda: from_pieces("x", []),
    ):
        with pytest.raises(ValueError):
            wrong()


def logged(road, rng, wander=0.6, noise=0.25):
    """A ride over a road with a barometer that wanders and reads coarsely, standing at its stops."""
    way, time, rows = 0.0, 0.0, []
    stops = [(one.at_m, one.stop_s) for one in road.points if one.stop_s]
    while way < road.length_m:
        v = 6 + 2 * np.sin(time / 40)
        if stops and way >= stops[0][0]:
            rows += [(time + k, stops[0][0], 0.0) for k in range(int(stops[0][1]))]
            time += stops.pop(0)[1]
        rows.append((time, way, v))
        way, time = way + v, time + 1.0
    table = np.array(rows)
    drift = np.cumsum(rng.normal(0, wander / np.sqrt(60), len(table)))
    height = np.round(heights(road, table[:, 1]) + drift + rng.normal(0, noise, len(table)), 1)
    return Ride("round", table[:, 0], {"gps_speed_kmh": 3.6 * table[:, 2], "altitude_m": height})


def test_a_road_is_found_in_a_ride_with_its_climbs_and_stops():
    road = from_pieces(
        "Quarry",
        [
            RoadPiece(900),
            RoadPiece(900, 0.1, stop_s=20),
            RoadPiece(1200, -0.03),
            RoadPiece(700, 0.12, stop_s=15),
            RoadPiece(900, -0.05),
        ],
    )
    for number in range(12):
        found = from_ride(logged(road, np.random.default_rng(number)))
        assert found.route.length_m == pytest.approx(road.length_m, rel=0.01) and len(found.route.points) < 200
        assert (
            found.climb_m == pytest.approx(climb_m(road), rel=0.08) and found.logged_climb_m > found.climb_m
        )  # noise is no climb
        places = np.linspace(100, road.length_m - 100, 200)
        off = heights(found.route, places) - heights(road, places)
        assert np.std(off) < 4.0
        assert [round(one.stop_s) for one in found.route.points if one.stop_s] == pytest.approx([20, 15], abs=2)


def test_a_long_log_becomes_a_short_road_and_bad_ones_are_told_in_a_line():
    count = 200_000
    hilly = Ride(
        "long",
        np.arange(count) * 1.0,
        {"gps_speed_kmh": np.full(count, 25.0), "altitude_m": 300 + 200 * np.sin(np.arange(count) / 900)},
    )
    assert len(from_ride(hilly).route.points) < 20_000
    still = Ride("still", np.arange(50.0), {"gps_speed_kmh": np.zeros(50), "altitude_m": np.full(50, 300.0)})
    flat = Ride("flat", np.arange(500.0), {"gps_speed_kmh": np.full(500, 20.0)})
    for ride, words in ((still, "less than 100 m"), (flat, "no heights")):
        with pytest.raises(ValueError, match=words):
            from_ride(ride)


WRONG = {
    "one point": [{"at_m": 0, "altitude_m": 1}],
    "going back": [{"at_m": 0, "altitude_m": 1}, {"at_m": 50, "altitude_m": 2}, {"at_m": 40, "altitude_m": 2}],
    "a wall": [{"at_m": 0, "altitude_m": 1}, {"at_m": 5, "altitude_m": 60}],
    "not from 0": [{"at_m": 3, "altitude_m": 1}, {"at_m": 5, "altitude_m": 1}],
    "a word": [{"at_m": 0, "altitude_m": 1}, {"at_m": "5", "altitude_m": 1}],
    "an absurd limit": [{"at_m": 0, "altitude_m": 1, "limit_kmh": -4}, {"at_m": 5, "altitude_m": 1}],
}


@pytest.mark.parametrize("wrong", WRONG)
def test_a_route_that_is_none_is_one_line(wrong, tmp_path):
    (tmp_path / "r.json").write_text(
        json.dumps({"format": "crisp-hornet/route", "version": 1, "name": "x", "points": WRONG[wrong]})
    )
    with pytest.raises(DocumentError) as told:
        store.read_route(tmp_path / "r.json")
    assert "\n" not in str(told.value) and "points" in str(told.value)


def test_a_route_is_written_and_read_again(tmp_path):
    road = with_point(from_pieces("Quarry round", PIECES), 900.0, stop_s=15.0, headwind_kmh=-8.0)
    store.write(tmp_path / "r.json", road)
    assert store.read_route(tmp_path / "r.json") == road
