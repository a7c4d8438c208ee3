"""Where the energy went, against sums made by hand."""

import numpy as np
import pytest

from crisp_hornet.core.evidence.consumption import range_km, shares
from crisp_hornet.core.evidence.estimate import around, refused
from crisp_hornet.core.ride.channels import Ride
from tests.bikes import a_bike, a_tune


def a_ride():
    """Ten minutes at 20 km/h on level 1 with 200 W, ten at 40 km/h on level 3 with 800 W up 3 %."""
    time = np.arange(0, 1200, 0.5)
    first = time < 600
    speed = np.where(first, 20.0, 40.0)
    height = np.where(first, 400.0, 400 + (time - 600) * 40 / 3.6 * 0.03)
    return Ride("two", time, {
        "wheel_speed_kmh": speed, "pack_v": np.full(len(time), 50.0), "battery_a": np.where(first, 4.0, 16.0),
        "level": np.where(first, 1.0, 3.0), "altitude_m": height,
    })  # fmt: skip


PARTS = [
    ("speed", ("15 to 25 km/h", "35 to 45 km/h")),
    ("level", ("level 1", "level 3")),
    ("grade", ("-2 to 2 %", "2 to 5 %")),
]


@pytest.mark.parametrize(("kind", "parts"), PARTS)
def test_parts_hold_their_way_and_energy(kind, parts):
    found = {one.what: one for one in shares(a_ride(), kind)}
    assert tuple(found) == parts
    slow, fast = (found[what] for what in parts)
    assert slow.km == pytest.approx(20 / 6, rel=0.02) and slow.wh_per_km == pytest.approx(10.0, rel=0.05)
    assert fast.km == pytest.approx(40 / 6, rel=0.02) and fast.wh_per_km == pytest.approx(20.0, rel=0.05)


def test_what_is_not_recorded_gives_no_parts():
    ride = a_ride()
    assert shares(Ride("bare", ride.time_s, {"wheel_speed_kmh": ride.get("wheel_speed_kmh")}), "speed") == []
    flat = Ride(
        "no heights", ride.time_s, {name: ride.get(name) for name in ("wheel_speed_kmh", "pack_v", "battery_a")}
    )
    assert shares(flat, "grade") == [] and shares(flat, "level") == [] and shares(flat, "speed")


def test_range_is_the_packs_energy_over_the_consumption():
    bike, tune = a_bike(), a_tune()
    found = range_km(bike, tune, around(20.0, 0.5, 50, "Wh/km"), 25.0)
    whole = bike.battery.series * 3.68 * bike.battery.capacity_ah  # Wh, by a mean cell voltage
    assert 0.8 * whole / 20 < found.value < 1.05 * whole / 20 and found.low < found.value < found.high
    assert "no volts" in range_km(bike, tune, refused("no volts"), 25.0).reason
    assert "more than it used" in range_km(bike, tune, around(-3.0, 0.5, 50), 25.0).reason
