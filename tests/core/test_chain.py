"""Who is in charge, the key-in card and the gauge: against sums done another way."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from crisp_hornet.core.drive.chain import conflicts, key_in_card, who_is_in_charge
from crisp_hornet.core.drive.limits import effective_limits
from crisp_hornet.core.pack.cells import charge_at, gauge_table, rested_v
from crisp_hornet.core.pack.nominal import called_v
from crisp_hornet.core.rules.watch import watch_list
from tests.amount import some
from tests.bikes import a_bike, a_tune, cases

DISPLAY = {"name": "Display", "battery_current_a": 12, "speed_kmh": 25, "wheel_circumference_m": 2.1, "nominal_v": 48}


@seed(6)
@settings(max_examples=some(60), deadline=None, database=None)
@given(cases())
def test_what_is_said_to_have_effect_is_the_least_of_what_is_said(case):
    bike, tune = case[0], case[1]
    limits = effective_limits(bike, tune)
    for one in who_is_in_charge(bike, tune):
        limiting = [say for say in one.says if not say.trips]
        assert one.effective == (min(say.value for say in limiting) if limiting else None)
        if limiting:
            assert one.owner in {say.link for say in limiting if say.value == one.effective}
    assert who_is_in_charge(bike, tune)[0].effective == limits.phase_current_a.value


def test_conflicts_are_explained_and_an_agreed_chain_has_none():
    assert conflicts(a_bike(), a_tune()) == []
    told = conflicts(a_bike(chain=[DISPLAY, {"name": "Lever", "nominal_v": 60}]), a_tune(drive__battery_current_a=30))
    assert any("sets battery current to 30 A, but Display allows 12 A" in one for one in told)
    assert any("is set to a 2.1 m wheel" in one and "its 25 km/h are really" in one for one in told)
    assert any("set to different nominal voltages: 48 V, 60 V" in one for one in told)
    over = conflicts(a_bike(battery__bms_discharge_a=20), a_tune(drive__battery_current_a=30))
    assert any("BMS cuts off at 20 A, the limits allow 30 A" in one for one in over)


def test_the_card_says_what_to_key_in():
    card = {line.what: line.value for line in key_in_card(a_bike(), a_tune(drive__speed_kmh=25.0), 1)}
    wheel = a_bike().drivetrain.wheel_circumference_m
    assert card["wheel, circumference"] == f"{1000 * wheel:.0f} mm" and card["speed limit"] == "25 km/h"
    assert card["magnets of the speed sensor"] == "1" and "cells" in card["pack, nominal"]


@pytest.mark.parametrize("bars", [4, 5, 10])
@pytest.mark.parametrize("cutoff_v", [None, 52.0])
@pytest.mark.parametrize("chemistry", ["nmc", "lfp"])
def test_equal_bars_hold_equal_energy(bars, cutoff_v, chemistry):
    battery = a_bike(battery__chemistry=chemistry).battery
    cutoff = cutoff_v if chemistry == "nmc" else (None if cutoff_v is None else 49.0)
    table = gauge_table(battery, bars, cutoff)
    assert len(table) == bars and np.all(np.diff(table) < 0)
    charges = [1.0, *(charge_at(battery, float(volts)).value for volts in table)]
    energy = [quad(lambda c: float(rested_v(battery, c)), low, high, limit=200)[0] for high, low in pairwise(charges)]
    assert np.ptp(energy) < 0.02 * np.mean(energy)
    if cutoff is not None:
        assert table[-1] == pytest.approx(cutoff, abs=0.02)


def test_a_gauge_that_cannot_be_is_refused():
    battery = a_bike().battery
    with pytest.raises(ValueError, match="at least 2 bars"):
        gauge_table(battery, 1)
    with pytest.raises(ValueError, match="above a full pack"):
        gauge_table(battery, 5, 90.0)


def test_the_mode_at_start_and_the_lever_come_last():
    modes = [
        {"name": "Guest", "starts": True, "phase_current_a": 60.0, "speed_kmh": 22.0, "throttle_maximum": 0.5},
        {"name": "Full"},
    ]
    found = {one.name: one for one in who_is_in_charge(a_bike(), a_tune(modes=modes))}
    assert (found["phase current"].effective, found["phase current"].owner) == (30.0, "full throttle")
    assert (found["speed"].effective, found["speed"].owner) == (22.0, "mode Guest")
    assert found["battery current"].owner == "tune"
    plain = {one.name: one for one in who_is_in_charge(a_bike(), a_tune())}
    assert plain["phase current"].owner == "tune" and plain["speed"].effective is None


@pytest.mark.parametrize(
    ("chemistry", "series", "called", "means", "another"),
    [
        ("nmc", 13, 48, [46.8, 48, 48.1], [36, 52, 60]), ("nmc", 14, 52, [50.4, 51.8, 52], [48, 58, 60]),
        ("nca", 16, 60, [57.6, 58, 60], [52, 54, 72]), ("nmc", 20, 72, [72, 74], [60, 67, 84]),
        ("lfp", 16, 48, [48, 51.2], [44, 60]), ("lfp", 24, 72, [72, 76.8], [60, 84]), ("nmc", 24, 88, [86.4, 88], [72]),
    ],
)  # fmt: skip
def test_a_pack_is_called_as_builders_call_it(chemistry, series, called, means, another):
    bike = a_bike(battery__series=series, battery__chemistry=chemistry)
    assert called_v(bike.battery) == called
    for volts in means + another:
        set_so = a_bike(
            battery__series=series, battery__chemistry=chemistry, chain=[{"name": "Display", "nominal_v": volts}]
        )
        warned = any(one.id == "nominal-differs" for one in watch_list(set_so, a_tune()))
        assert warned == (volts in another), volts


KEYS = ("phase_current_a", "battery_current_a", "power_w", "speed_kmh")
FIGURE = st.none() | st.floats(1, 200)
DEVICE = st.fixed_dictionaries(dict.fromkeys(KEYS, FIGURE) | {"replaces": st.lists(st.sampled_from(KEYS), unique=True)})


@pytest.mark.long
@seed(165)
@settings(max_examples=some(120), deadline=None, database=None)
@given(st.lists(DEVICE, max_size=4), st.floats(5, 150), st.floats(5, 90), FIGURE, FIGURE)
def test_the_last_device_that_replaces_a_figure_counts_instead_of_all_before_it(devices, phase, battery, power, speed):
    bike = a_bike(chain=[one | {"name": f"D{at}"} for at, one in enumerate(devices)])
    tune = a_tune(
        drive__phase_current_a=phase, drive__battery_current_a=battery, drive__power_w=power, drive__speed_kmh=speed
    )
    limits = effective_limits(bike, tune)
    ratings = {
        "phase_current_a": bike.controller.max_phase_current_a,
        "battery_current_a": bike.controller.max_battery_current_a,
    }
    for key, tuned in zip(KEYS, (phase, battery, power, speed), strict=True):
        told = [tuned] if tuned is not None else []
        for one in devices:
            if one[key] is not None:
                told = [one[key]] if key in one["replaces"] else [*told, one[key]]
        told += [ratings[key]] if key in ratings else []
        assert getattr(limits, key).value == (min(told) if told else None)
    raised = any(getattr(limits, key).value > tuned for key, tuned in zip(KEYS, (phase, battery, power, speed), strict=True)
                 if tuned is not None)  # fmt: skip
    warnings = watch_list(bike, tune)
    assert raised == any(one.id == "device-raises" for one in warnings)
    replaced = {f"drive.{key}" for one in devices for key in one["replaces"] if one[key] is not None}
    assert not replaced & {one.setting for one in warnings}, "what a device replaces is not mended in the tune"


def test_a_gauge_under_load_reads_what_the_pack_shows_while_riding():
    battery = a_bike().battery
    rest, loaded = (gauge_table(battery, 5, 48.0, amps) for amps in (0.0, 12.0))
    assert loaded[-1] == pytest.approx(48.0, abs=0.05) == rest[-1], (
        "both end where the voltage that is read meets the cutoff"
    )
    # by hand: each bar is a fifth of the energy given at 12 A between the full pack and the cutoff under load
    charge = np.linspace(charge_at(battery, 48.0 + 12 * battery.resistance_ohm).value, 1, 20001)
    volts = rested_v(battery, charge) - 12 * battery.resistance_ohm
    energy = np.cumsum(volts)
    by_hand = [float(np.interp(share * energy[-1], energy, volts)) for share in (0.8, 0.6, 0.4, 0.2)]
    assert loaded[:-1] == pytest.approx(by_hand, abs=0.05)
