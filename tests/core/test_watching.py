"""The whole watch list on any machine: it never fails, its mends hold, and a stop is a stop."""

from hypothesis import given, seed, settings

from crisp_hornet.core.rules import Strength, judge
from crisp_hornet.core.rules.kinds import Situation
from crisp_hornet.core.watch import typical_v, watch_list
from tests.bikes import cases


@seed(31)
@settings(max_examples=150, deadline=None, database=None)
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
@settings(max_examples=80, deadline=None, database=None)
@given(cases())
def test_a_mend_with_a_value_takes_its_warning_away(case):
    bike, tune = case[0], case[1]
    for one in judge(Situation(bike, tune)):
        if one.mended_value is None:
            continue
        try:
            mended = tune.with_setting(one.setting, one.mended_value)
        except ValueError:  # another setting of the pair stands in the way: the window says so
            continue
        assert one.id not in {left.id for left in judge(Situation(bike, mended))}, one


def test_typical_volts_lie_inside_the_pack():
    from tests.bikes import a_bike

    bike = a_bike()
    assert bike.battery.bms_trip_v < typical_v(bike) < 4.2 * bike.battery.series
