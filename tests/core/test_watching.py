"""The whole watch list on any machine: it never fails, its mends hold, and a stop is a stop."""

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st

from crisp_hornet import demo
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.rules import Strength, judge
from crisp_hornet.core.rules.kinds import Situation
from crisp_hornet.core.rules.watch import typical_v, watch_list
from crisp_hornet.documents.local_rules import LocalRules
from crisp_hornet.documents.store import read_bike, read_tune
from crisp_hornet.documents.tune import Tune
from tests.amount import some
from tests.bikes import cases


@seed(31)
@settings(max_examples=some(50), deadline=None, database=None)
@given(cases())
def test_any_machine_is_judged_and_every_warning_says_all_it_should(case):
    bike, tune = case[0], case[1]
    found = watch_list(bike, tune, controller=tune)
    assert len({one.id for one in found}) == len(found)
    strengths = [list(Strength).index(one.strength) for one in found]
    assert strengths == sorted(strengths)
    for one in found:
        assert one.text and one.reason and one.mend and "nan" not in f"{one.text}{one.reason}{one.mend}".lower()
        assert (one.setting is None) or isinstance(tune.setting(one.setting), (int, float, type(None)))


@seed(32)
@settings(max_examples=some(50), deadline=None, database=None)
@given(cases())
def test_a_mend_with_a_value_takes_its_warning_away_and_breaks_nothing_else(case):
    bike, tune = case[0], case[1]
    before = judge(Situation(bike, tune, of(bike, tune)))
    strong = {one.id for one in before if one.strength is not Strength.NOTE}
    for one in before:
        if one.mended_value is None:
            continue
        try:
            mended = tune.with_setting(one.setting, one.mended_value)
        except ValueError:  # another setting of the pair stands in the way: the window says so
            continue
        after = judge(Situation(bike, mended, of(bike, mended)))
        assert one.id not in {left.id for left in after}, one
        assert {left.id for left in after if left.strength is not Strength.NOTE} <= strong, one


def of(bike, tune):
    return pull_curve(bike, tune, np.arange(0.0, 90.0, 3.0), Conditions(typical_v(bike)))


def test_typical_volts_lie_inside_the_pack():
    from tests.bikes import a_bike

    bike = a_bike()
    assert bike.battery.bms_trip_v < typical_v(bike) < 4.2 * bike.battery.series


def riding():
    share = st.floats(0, 1)
    levels = st.lists(
        st.fixed_dictionaries({"multiplier": st.floats(0, 20), "power_share": share, "speed_share": share}),
        min_size=2,
        max_size=12,
    )
    limit = lambda low, high: st.none() | st.floats(low, high)
    mode = st.fixed_dictionaries({
        "phase_current_a": limit(0, 300), "battery_current_a": limit(0, 90), "speed_kmh": limit(0, 90), "power_w": limit(0, 5000),
        "throttle_maximum": st.none() | share, "highest_level": st.none() | st.integers(1, 12), "reverse": st.booleans(),
        "off_road": st.booleans(),
    })  # fmt: skip
    return st.fixed_dictionaries({
        "throttle": st.lists(share, min_size=4, max_size=4).map(sorted), "ramp_s": st.floats(0, 10), "release_s": st.floats(0, 10),
        "dead_band": st.floats(0, 0.5), "start": st.sampled_from(["standstill", "pedalling", "rolling"]), "walk_kmh": limit(0, 10),
        "style": st.sampled_from(["torque", "power", "cadence", "blend"]), "levels": levels,
        "start_nm": st.floats(0, 40), "hold_s": st.floats(0, 2),
        "modes": st.lists(mode, max_size=4), "starts": st.integers(0, 4), "ends": limit(5, 60),
        "local": st.fixed_dictionaries({"assist_ends_kmh": limit(5, 60), "power_w": limit(100, 4000), "throttle_ends_kmh": limit(5, 60),
                                        "walk_kmh": limit(1, 8), "throttle": st.sampled_from(["any", "pedalling", "walk", "none"])}),
    })  # fmt: skip


def as_ridden(tune, drawn):
    keys = ("share_25", "share_50", "share_75", "maximum")
    throttle = dict(zip(keys, drawn["throttle"], strict=True)) | {
        key: drawn[key] for key in ("ramp_s", "release_s", "dead_band", "start", "walk_kmh")
    }
    assist = {key: drawn[key] for key in ("style", "levels", "start_nm", "hold_s")} | {"speed_kmh": drawn["ends"]}
    modes = [one | {"name": f"M{at}", "starts": at == drawn["starts"]} for at, one in enumerate(drawn["modes"])]
    data = tune.model_dump(mode="json", exclude_unset=True) | {"throttle": throttle, "assist": assist, "modes": modes}
    return Tune.model_validate(data)


@seed(33)
@settings(max_examples=some(60), deadline=None, database=None)
@given(cases(), riding())
def test_any_feel_assist_modes_and_local_rules_are_judged_and_mended(case, drawn):
    bike = case[0].model_copy(update={"local": LocalRules(name="Here", **drawn["local"])})
    tune = as_ridden(case[1], drawn)
    for one in watch_list(bike, tune, controller=case[1]):
        assert one.text and one.reason and one.mend and "nan" not in f"{one.text}{one.reason}{one.mend}".lower(), one
        if one.setting is None:
            continue
        tune.setting(one.setting)  # every warning leads to a setting there is
    for one in judge(Situation(bike, tune)):
        if one.mended_value is None or one.id in SEVERAL:
            continue
        try:
            mended = tune.with_setting(one.setting, one.mended_value)
        except ValueError:
            continue
        assert one.id not in {left.id for left in judge(Situation(bike, mended))}, one


SEVERAL = {"levels-fall", "reverse-fast", "mode-limit-idle", "local-throttle"}  # mended one place at a time


@pytest.mark.long
def test_sensible_tunes_of_both_demo_bikes_stand_without_stop_or_warning():
    """Twenty-five tunes a careful builder would ride, from gentle to strong, on what each bike carries."""
    seen = 0
    for bike_file, tunes, phases, batteries in (
        (demo.HERON, (demo.FACTORY, demo.DRAFT, demo.GENTLE), (50, 70, 90, 105, 115), (15, 20, 25, 30, 36)),
        (
            demo.THISTLE,
            (demo.THISTLE_DAILY, demo.THISTLE_GENTLE),
            (60, 80, 95, 110, 124),
            (20, 35, 50, 75, 95),
        ),
    ):
        bike = read_bike(bike_file)
        for name in tunes:
            tune = read_tune(name)
            for phase, battery in zip(phases, batteries, strict=True):
                drafted = tune.with_settings(
                    {"drive.phase_current_a": float(phase), "drive.battery_current_a": float(battery)}
                )
                found = [
                    (one.id, one.strength) for one in watch_list(bike, drafted) if one.strength is not Strength.NOTE
                ]
                assert found == [], (bike.name, tune.name, phase, battery)
                seen += 1
    assert seen >= 25
