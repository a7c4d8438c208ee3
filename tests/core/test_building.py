"""Conversions and their inverses, plausibility with its reasons, and bikes to start from."""

import math

import numpy as np
import pytest

from crisp_hornet.core.build import conversions as c
from crisp_hornet.core.build.kinds import KINDS, bike_of_kind
from crisp_hornet.core.build.plausible import USUAL, implausible
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.rules import Situation, Strength, judge
from crisp_hornet.core.tunes.starting import starting_tune
from tests.bikes import a_bike


def test_kv_and_flux_from_each_way_of_measuring_agree_on_one_motor():
    """A motor with 20 pole pairs and 0.025 Wb, measured in three ways by hand calculation."""
    p, psi = 20, 0.025
    emf_peak_per_rpm = math.sqrt(3) * psi * p * 2 * math.pi / 60
    kv = 1 / emf_peak_per_rpm
    assert c.flux_from_kv(kv, p) == pytest.approx(psi) and c.kv_from_flux(psi, p) == pytest.approx(kv)
    angle = np.linspace(0, 2 * math.pi, 36000, endpoint=False)
    # 120°: the pack sees whichever EMF between two leads is greatest, and its mean meets the pack's voltage
    emf_over_pack = 1 / np.max([np.cos(angle - k * math.pi / 3) for k in range(6)], axis=0).mean()
    # 180°: the fundamental of what stands between two leads, a third of the time nothing
    six_step = np.abs(np.fft.rfft(np.repeat([1, 1, 0, -1, -1, 0], 6000))[1]) / 18000
    for expected, factor in ((emf_over_pack, c.BLOCK_120), (six_step, c.SIX_STEP_180), (0.95, 0.95)):
        assert factor == pytest.approx(expected, rel=1e-6)
        assert c.flux_from_no_load(kv * expected * 60, 60, p, factor) == pytest.approx(psi)
    assert c.flux_from_emf(emf_peak_per_rpm * 150 / math.sqrt(2), 150, p) == pytest.approx(psi)


def test_leads_show_two_phases():
    """Between two leads of a salient star machine the inductance swings from 2·ld to 2·lq as the rotor turns."""
    ld, lq = 1e-4, 2.2e-4
    angle = np.linspace(0, math.pi, 721)
    phases = [
        (ld + lq) / 3 + (ld - lq) / 3 * np.cos(2 * (angle - k * 2 * math.pi / 3)) for k in (0, 1)
    ]  # self, 2/3 of the dq values
    mutual = -(ld + lq) / 6 + (ld - lq) / 3 * np.cos(2 * angle - 2 * math.pi / 3)
    between = phases[0] + phases[1] - 2 * mutual
    assert c.inductance_from_leads(between.min()) == pytest.approx(ld, rel=1e-3)
    assert c.inductance_from_leads(between.max()) == pytest.approx(lq, rel=1e-3)
    assert c.phase_from_leads(0.116) == 0.058


def test_wheels_sprockets_magnets_and_cells():
    assert c.pole_pairs_from_magnets(46) == 23
    assert c.ratio_from_teeth(12, 48, 2.0) == 8
    free_m = math.pi * (0.406 + 2 * 0.047)
    assert 0.985 * free_m < c.circumference_from_label(47, 406) < 0.993 * free_m
    assert c.circumference_from_roll_out(6.36, 4) == pytest.approx(1.59)
    assert c.circumference_from_gps(1.59, 30.0, 30.9) == pytest.approx(1.6377)
    assert c.pack_resistance(0.025, 16, 5, 0.01) == pytest.approx(0.09)
    assert c.pack_capacity(3.5, 5) == 17.5


def test_usual_figures_pass_and_each_nonsense_meets_its_reason():
    bike = a_bike()
    for path, usual in USUAL.items():
        assert implausible(bike, path, bike.figure(path)) == "", path
        for end, words, value in (("high", "above", usual["high"] * 1.5), ("low", "below", usual["low"] / 3)):
            if end == "high" or usual["low"] > 0:
                told, told_end = implausible(bike, path, value), f"{usual[end]:g} {usual.get('unit', '')}"
                assert told == usual[words].replace(f"{{{end}}}", told_end) != ""
    assert implausible(bike, "motor.flux_linkage_wb", 0.019) == ""
    assert "electrical speed" in implausible(bike, "motor.flux_linkage_wb", 1e-5)
    assert "rare" in implausible(bike, "motor.flux_linkage_wb", 1.0)
    assert "headline" in implausible(bike, "controller.max_battery_current_a", 200)
    assert "exchanged" in implausible(bike, "motor.ld_h", 3e-4)
    assert implausible(bike, "battery.nothing", 1) == ""


@pytest.mark.parametrize("kind", KINDS)
def test_a_bike_of_each_kind_is_whole_assumed_and_rides(kind):
    bike = bike_of_kind(kind, "New")
    assert len(bike.assumed) > 30 and not any(implausible(bike, path, bike.figure(path)) for path in USUAL)
    tune = starting_tune(bike)
    curve = pull_curve(bike, tune, np.linspace(0, 60, 100), Conditions(3.9 * 14))
    assert curve.wheel_force_n[0] > 60
    assert {warning.strength for warning in judge(Situation(bike, tune, curve))} <= {Strength.NOTE}


def test_a_figure_by_hand_notes_its_source_and_lets_listed_masses_go():
    bike = a_bike(chassis__masses=[{"name": "a", "kg": 30, "x_m": 0.1, "z_m": 0.5}])
    changed = bike.with_figure("motor.ld_h", 2e-4, "measured")
    assert (
        changed.figure("motor.ld_h") == 2e-4
        and changed.sources["motor.ld_h"].origin == "measured"
        and changed.chassis.masses
    )
    assert bike.with_figure("chassis.rider_kg", 90.0, "entered").chassis.masses is None
    rider = {"name": "Rider", "kg": 78, "x_m": 0.4, "z_m": 1.1}
    seated = a_bike(chassis__masses=[rider]).with_figure("chassis.rider_kg", 90.0, "entered")
    assert seated.chassis.masses[0].kg == 90 and seated.mass_kg == 178
    assert bike.with_figure("battery.series", 14.0, "entered").battery.series == 14
    with pytest.raises(ValueError, match="greater than or equal"):
        bike.with_figure("motor.ld_h", -1.0, "entered")
    for path in ("motor.nothing", "name", "motor.thermal"):
        with pytest.raises(KeyError):
            bike.figure(path)


@pytest.mark.parametrize(
    ("kind", "copper_kg", "iron_kg", "aluminium_kg", "area_m2", "length_m"),
    [
        ("hub, direct drive", 1.4, 3.0, 2.6, 0.15, 0.25), ("hub, geared", 0.3, 0.9, 0.5, 0.08, 0.16),
        ("mid motor", 0.4, 1.0, 1.2, 0.095, 0.15), ("chain reduction", 0.6, 1.5, 1.4, 0.12, 0.18),
    ],
)  # fmt: skip
def test_heat_figures_of_a_kind_agree_with_masses_surfaces_and_textbook_convection(
    kind, copper_kg, iron_kg, aluminium_kg, area_m2, length_m
):
    bike = bike_of_kind(kind, "New")
    heat = bike.motor.thermal
    assert heat.winding_j_per_k == pytest.approx(385 * copper_kg, rel=0.15)
    assert heat.housing_j_per_k == pytest.approx(460 * iron_kg + 900 * aluminium_kg, rel=0.15)
    assert heat.housing_to_air_w_per_k == pytest.approx(10.5 * area_m2, rel=0.15)
    nusselt = 0.037 * (8.0 * length_m / 1.5e-5) ** 0.8 * 0.71 ** (1 / 3)  # a turbulent plate at 8 m/s
    at_8 = heat.housing_to_air_w_per_k + 8 * heat.airflow_w_per_k_per_mps
    assert at_8 == pytest.approx(nusselt * 0.026 / length_m * area_m2, rel=0.35)
    assert bike.sources["motor.thermal.winding_to_housing_w_per_k"].spread == pytest.approx(
        0.35 * heat.winding_to_housing_w_per_k
    )


def test_scales_under_the_axles_tell_where_the_weight_is():
    """Three masses placed somewhere, the bike turned about its rear axle, and what two scales then carry by moments."""
    rng, wheelbase, circumference = np.random.default_rng(5), 1.4, 2.1
    radius = circumference / 2 / math.pi
    for _ in range(20):
        kg, x, z = rng.uniform(5, 80, 3), rng.uniform(0, wheelbase, 3), rng.uniform(0.2, 1.3, 3)

        def front_kg(lift, kg=kg, x=x, z=z):
            angle = math.asin(lift / wheelbase)
            forward = x * math.cos(angle) - (z - radius) * math.sin(angle)
            return float(np.sum(kg * forward)) / (wheelbase * math.cos(angle))

        level, total = front_kg(0.0), float(kg.sum())
        assert c.cg_from_rear(wheelbase, level, total - level) == pytest.approx(float(np.sum(kg * x)) / total)
        height = c.cg_height(wheelbase, circumference, level, total - level, front_kg(0.5), 0.5)
        assert height == pytest.approx(float(np.sum(kg * z)) / total)
    with pytest.raises(ValueError, match="raised"):
        c.cg_height(1.4, 2.1, 40, 60, 30, 1.5)
