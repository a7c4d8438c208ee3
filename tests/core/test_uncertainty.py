"""The band against brute sampling, and the efficiency map against its own power balance."""

import numpy as np
import pytest

from crisp_hornet.core.drive.efficiency import efficiency_map
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.drive.uncertainty import UNCERTAIN, forces, possible_bikes, pull_band, relative_spread
from crisp_hornet.core.road.performance import operating_point, steady_speed_kmh
from crisp_hornet.documents.bike import Bike
from tests.bikes import BIKE, a_bike, a_tune, changed

SPEEDS = np.array([0.0, 8, 16, 24, 32, 40, 48])


def with_sources(**sources):
    return Bike.model_validate(changed(BIKE) | {"sources": sources})


def test_spread_comes_from_the_document_else_from_the_kind_of_source():
    bike = with_sources(
        **{"motor.flux_linkage_wb": {"from": "measured", "spread": 0.00038}, "motor.ld_h": {"from": "assumed"}}
    )
    assert relative_spread(bike, "motor.flux_linkage_wb") == pytest.approx(0.02)
    assert relative_spread(bike, "motor.ld_h") == 0.12 and relative_spread(bike, "motor.phase_resistance_ohm") == 0.04
    assert relative_spread(bike, "drivetrain.wheel_circumference_m") == 0.01


def test_possible_bikes_scatter_as_they_should_and_stay_possible():
    bike = with_sources(**{path: {"from": "assumed"} for path in UNCERTAIN})
    made = possible_bikes(bike, 400)
    for path in UNCERTAIN:
        values = np.array([one.figure(path) for one in made]) / bike.figure(path)
        spread = relative_spread(bike, "motor.ld_h" if path == "motor.lq_h" else path)
        assert values.mean() == pytest.approx(1, abs=0.01) and values.std() == pytest.approx(spread, rel=0.1)
        assert values.min() > 0
    assert all(one.motor.ld_h == pytest.approx(one.motor.lq_h) for one in made)
    assert possible_bikes(bike, 5) == possible_bikes(bike, 5)


@pytest.mark.parametrize("lq", [1.4e-4, 2.6e-4])
def test_the_band_holds_what_a_large_sample_says(lq):
    bike = with_sources(**{path: {"from": "assumed"} for path in UNCERTAIN})
    bike = bike.model_copy(update={"motor": bike.motor.model_copy(update={"lq_h": lq})})
    tune = a_tune(drive__battery_current_a=35, drive__field_weakening_a=15)
    band = pull_band(bike, tune, SPEEDS, Conditions(62.0))
    many = np.array(
        [pull_curve(one, tune, SPEEDS, Conditions(62.0)).wheel_force_n for one in possible_bikes(bike, 400, seed=9)]
    )
    middle = pull_curve(bike, tune, SPEEDS, Conditions(62.0)).wheel_force_n
    assert np.all(band.low_n <= middle + 1e-9) and np.all(middle <= band.high_n + 1e-9)
    inside = ((many >= band.low_n) & (many <= band.high_n)).mean(axis=0)
    assert np.all(inside > 0.9)
    few = possible_bikes(bike, 30)
    singly = [pull_curve(one, tune, SPEEDS, Conditions(62.0)).wheel_force_n for one in few]
    assert np.allclose(forces(few, tune, SPEEDS, Conditions(62.0)), singly, rtol=1e-5, atol=1e-3)
    exact = pull_band(
        with_sources(**{path: {"from": "measured", "spread": 0.0} for path in UNCERTAIN}),
        tune,
        SPEEDS,
        Conditions(62.0),
    )
    assert np.allclose(exact.low_n, exact.high_n)


@pytest.mark.parametrize("lq", [1.4e-4, 3e-4])
def test_the_efficiency_map_balances_and_agrees_with_single_points(lq):
    bike = a_bike(motor__lq_h=lq, drivetrain__efficiency=0.92)
    speeds, forces = np.array([6.0, 20, 34]), np.array([40.0, 120, 260])
    found = efficiency_map(bike, speeds, forces, 62.0)
    for row, force in enumerate(forces):
        for column, speed in enumerate(speeds):
            point = operating_point(bike, float(speed), float(force), 62.0)
            if np.isnan(point.from_cells_w):
                assert np.isnan(found.efficiency[row, column])
            else:
                assert found.efficiency[row, column] == pytest.approx(
                    force * speed / 3.6 / point.from_cells_w, rel=1e-9
                )


def test_a_headwind_takes_speed():
    curve = pull_curve(a_bike(), a_tune(), np.linspace(0, 60, 300), Conditions(62.0))
    assert steady_speed_kmh(curve, 0.0, 20.0) < steady_speed_kmh(curve, 0.0) < steady_speed_kmh(curve, 0.0, -20.0)
