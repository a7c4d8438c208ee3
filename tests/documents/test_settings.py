"""Settings as numbers at paths: every one can be set, read back and told; lists grow and shrink; what a tune leaves out stays out."""

import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from crisp_hornet.documents.companions import companions
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.setting_words import in_words, label_of, unit_of
from crisp_hornet.documents.settings import ASSIST, FEEL, FURTHER, MODE_LEVELS, choices
from crisp_hornet.documents.store import dump
from crisp_hornet.documents.tune import KNOWN, SETTINGS, Tune
from tests.amount import some
from tests.bikes import a_tune

LISTS = {"assist.levels.count": 12.0, "modes.count": 8.0, "throttle.response.count": 8.0}
WHOLE = a_tune().with_settings(LISTS | {f"modes.{at}.levels.count": 12.0 for at in range(1, 9)})
EACH = [path for path in FURTHER if path not in MODE_LEVELS or path.startswith(("modes.1.", "modes.8.levels.12"))]


@pytest.mark.parametrize("path", [*SETTINGS, *EACH])
def test_each_setting_is_read_set_told_and_has_a_name(path):
    value = WHOLE.setting(path)
    assert label_of(path) and isinstance(unit_of(path), str) and in_words(path, value)
    for word in range(len(choices(path))):
        changed = WHOLE.with_setting(path, float(word))
        assert changed.setting(path) == word and in_words(path, float(word)) == choices(path)[word]
    assert WHOLE.with_setting(path, value) == WHOLE or path.endswith("count")


@seed(71)
@settings(max_examples=some(80), deadline=None, database=None)
@given(
    st.sampled_from([one for one in (*FEEL, *ASSIST) if not choices(one) and "response" not in one]),
    st.floats(0.02, 0.49),
    st.integers(2, 12),
    st.integers(0, 8),
)
def test_numbers_and_lists_survive_document_and_path(path, value, levels, modes):
    tune = a_tune()
    assert not tune.holds(path)
    try:
        changed = tune.with_settings({"assist.levels.count": float(levels), "modes.count": float(modes)}).with_setting(
            path, value
        )
    except ValidationError:
        assert (
            path.startswith("throttle.share") or path == "throttle.maximum"
        )  # a neighbour of the curve stands in the way
        pushed = companions(tune, path, value)
        assert pushed and tune.with_settings({path: value, **pushed}).setting(path) == value
        return
    again = Tune.model_validate(dump(changed))
    assert again == changed and again.setting(path) == value and again.holds(path)
    assert (len(again.assist.levels), len(again.modes)) == (levels, modes)
    assert again.setting("modes.count") == modes and len({mode.name for mode in again.modes}) == modes
    assert "throttle" not in dump(tune) and tune.differing(changed) == []  # one says nothing: nothing differs
    if not path.startswith(("throttle.share", "throttle.maximum")):
        assert path in changed.with_setting(path, value / 2).differing(changed)


def test_what_no_tune_has_is_told_and_one_mode_starts():
    for path in ("throttle.colour", "assist.levels.3", "modes.1.name", "drive.nothing"):
        assert path not in KNOWN
        with pytest.raises(KeyError):
            WHOLE.setting(path)
        with pytest.raises(KeyError):
            WHOLE.with_setting(path, 1.0)
    with pytest.raises(KeyError):
        a_tune().setting("modes.1.speed_kmh")  # a mode it does not have
    with pytest.raises(KeyError):
        WHOLE.with_setting("throttle.start", 7.0)
    both = WHOLE.with_setting("modes.1.starts", 1.0)
    with pytest.raises(ValidationError, match="only one"):
        both.with_setting("modes.2.starts", 1.0)
    with pytest.raises(DocumentError, match="same name"):
        a_tune(modes=[{"name": "A"}, {"name": "A"}])
    with pytest.raises(DocumentError, match="never gives less"):
        a_tune(throttle={"share_25": 0.8})
    for levels in ([{"multiplier": 1}], [{"multiplier": 1}] * 13, [{"multiplier": 21}, {"multiplier": 1}]):
        with pytest.raises(DocumentError):
            a_tune(assist={"levels": levels})


def test_a_controllers_tune_is_completed_by_the_draft_it_cannot_hold():
    draft = a_tune(
        throttle={"ramp_s": 0.9, "share_25": 0.1}, modes=[{"name": "Guest", "selected_by": "left", "off_road": True}]
    )
    held = a_tune(throttle={"ramp_s": 0.5}, modes=[{"name": "Mode 1", "speed_kmh": 20.0}, {"name": "Mode 2"}])
    whole = held.completed_from(draft)
    assert (whole.throttle.ramp_s, whole.throttle.share_25) == (0.5, 0.1)
    assert [(mode.name, mode.speed_kmh, mode.off_road) for mode in whole.modes] == [
        ("Guest", 20.0, True),
        ("Mode 2", None, False),
    ]
    assert a_tune().completed_from(draft) == draft.model_copy(update={"name": "Test tune"})
    assert held.completed_from(a_tune()) == held


def test_a_mode_has_levels_of_its_own_and_a_response_map_its_points_and_both_can_be_left_out():
    plain = a_tune(modes=[{"name": "Trail"}])
    assert plain.setting("modes.1.levels.count") == 0 and not plain.holds("modes.1.levels.1.multiplier")
    own = plain.with_settings({"modes.1.levels.count": 3.0, "modes.1.levels.2.multiplier": 1.7})
    assert [level.multiplier for level in own.modes[0].levels] == [1.0, 1.7, 1.0]
    assert {"modes.1.levels.count", "modes.1.levels.2.multiplier"} <= set(plain.differing(own))
    assert own.with_setting("modes.1.levels.count", 0.0) == plain
    assert Tune.model_validate(dump(own)) == own
    mapped = a_tune().with_settings({"throttle.response.count": 3.0})
    points = {"throttle.response.2.volts": 1.0, **companions(mapped, "throttle.response.2.volts", 1.0)}
    assert mapped.with_settings(points).setting("throttle.response.2.volts") == 1.0
    high = mapped.with_settings(
        {"throttle.response.1.share": 0.4, **companions(mapped, "throttle.response.1.share", 0.4)}
    )
    assert [point.share for point in high.throttle.response] == [0.4, 0.4, 0.4]
    with pytest.raises(ValidationError, match="higher voltage"):
        mapped.with_setting("throttle.response.1.volts", 4.9)
    assert mapped.with_setting("throttle.response.count", 1.0).throttle.response is None


def test_a_fade_pushes_its_other_end():
    tune = a_tune()
    assert companions(tune, "battery_guard.fade_start_v", 40.0) == {"battery_guard.fade_end_v": 40.0}
    assert companions(tune, "heat_guard.motor_fade_end_c", 60.0) == {"heat_guard.motor_fade_start_c": 60.0}
    assert companions(tune, "drive.power_w", 60.0) == {}
