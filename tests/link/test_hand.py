"""Devices that are set by hand: sheets there and back, what a display shows read by eyes, what is to be entered and in which order."""

import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from crisp_hornet.core.tunes.starting import starting_tune
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.map_file import read_map
from crisp_hornet.documents.setting_words import unit_of
from crisp_hornet.documents.sheets import (
    FIGURE,
    LEVELS,
    PER_CELL,
    PERCENT,
    SheetRow,
    as_toml,
    row_of,
    sheet_of,
    usual_row,
    write_sheet,
)  # fmt: skip
from crisp_hornet.link.hand import backup_of_hand, differing, in_steps, plan_by_hand, read_shown, shown_text, with_hand
from crisp_hornet.link.operations import Watched
from tests.amount import some
from tests.link.inprocess import BIKE

BASE = starting_tune(BIKE)
ROWS = [
    SheetRow("drive.battery_current_a", "Current", "P 4", step=0.5, least=5, most=45),
    SheetRow("drive.phase_current_a", "Torque", "P 5", PERCENT, step=5, least=0, most=100, whole=160),
    SheetRow("battery_guard.fade_start_v", "Low battery", "P 6", PER_CELL, step=0.05, least=2.8, most=3.6, whole=16),
    SheetRow("drive.speed_kmh", "Limit", "P 1", step=1, least=10, most=72, off=99),
    SheetRow("regen.battery_current_a", "Brake", "P 9", LEVELS, levels=(0, 3, 6, 9, 12)),
    SheetRow("throttle.maximum", "Throttle", "P 8", step=10, least=0, most=100),
    SheetRow("throttle.start", "Start", "P 7", "choice"),
]
SHEET = sheet_of("Towpath display", ROWS)


def typed(**shown):
    return {one.name: read_shown(one, shown[one.label.replace(" ", "_")]) for one in SHEET.register_list}


NOW = {
    "Current": "30",
    "Torque": "60",
    "Low_battery": "3.2",
    "Limit": "99",
    "Brake": "1",
    "Throttle": "100",
    "Start": "standstill",
}


def test_rows_make_a_sheet_and_come_back_from_its_file(tmp_path):
    write_sheet(tmp_path / "own.toml", SHEET)
    again = read_map(tmp_path / "own.toml")
    assert again == SHEET and as_toml(again) == as_toml(SHEET)
    for row, register in zip(ROWS, again.register_list, strict=True):
        back = row_of(register)
        assert (back.setting, back.label, back.menu, back.way) == (row.setting, row.label, row.menu, row.way)
        if row.way not in (LEVELS, "choice"):
            assert (back.step, back.least, back.most, back.off) == pytest.approx(
                (row.step, row.least, row.most, row.off)
            )
    for setting in (
        "drive.power_w",
        "heat_guard.motor_fade_start_c",
        "throttle.ramp_s",
        "assist.start_nm",
        "throttle.start",
    ):
        sheet_of("usual", [usual_row(setting, 1500.0 if setting.endswith("_w") else 0.3, 16)])


@settings(max_examples=some(200), derandomize=True, deadline=None)
@given(st.data())
def test_what_is_shown_reads_back_as_what_it_was(data):
    register = data.draw(st.sampled_from(SHEET.register_list))
    value = data.draw(st.floats(register.min, register.max))
    raw = register.encode(round(value) if register.choices else value)
    assert read_shown(register, shown_text(register, raw)) == raw
    held = register.decode(raw)
    if not register.choices:
        assert (
            held >= value - 1e-6 if register.safe == "higher" else held <= value + 1e-6
        )  # never rounded to the bold side


def test_percent_cells_levels_and_words_mean_what_the_display_means():
    tune = with_hand(SHEET, typed(**NOW), BASE)
    assert tune.drive.battery_current_a == 30 and tune.drive.phase_current_a == pytest.approx(96)
    assert tune.battery_guard.fade_start_v == pytest.approx(51.2) and tune.drive.speed_kmh is None
    assert tune.regen.battery_current_a == 0 and tune.throttle.maximum == 1.0
    assert tune.heat_guard == BASE.heat_guard  # what it does not show is as it was
    for label, text, why in (
        ("Current", "30.3", "between the display's steps"),
        ("Current", "60", "outside"),
        ("Current", "", "no figure"),
        ("Current", "1e300", "outside"),
        ("Torque", "nan", "no figure|outside|between"),
        ("Brake", "6", "outside"),
        ("Start", "sideways", "one of"),
    ):
        with pytest.raises(ValueError, match=why):
            typed(**NOW | {label: text})
    assert typed(**NOW | {"Current": "30,5 A"})["drive.battery_current_a"] == 61
    assert typed(**NOW | {"Limit": "off"})["drive.speed_kmh"] == 99


def test_the_plan_is_in_the_display_s_steps_and_judged_as_rounded():
    raws = typed(**NOW)
    running = with_hand(SHEET, raws, BASE)
    draft = running.with_settings(
        {"drive.battery_current_a": 36.4, "drive.phase_current_a": 110, "battery_guard.fade_start_v": 52.3}
    )
    plan = plan_by_hand(SHEET, raws, draft, running, BIKE, Watched(BIKE))
    told = {
        one.register.label: (shown_text(one.register, one.raw_before), shown_text(one.register, one.raw_after))
        for one in plan.changes
    }
    assert told == {
        "Low battery": ("3.20 V per cell", "3.30 V per cell"),
        "Torque": ("60 %", "65 %"),
        "Current": ("30.0 A", "36.0 A"),
    }
    assert plan.changes[0].eases and plan.ordered and plan.tune.drive.phase_current_a == pytest.approx(104)
    reached = {one.register.name: one.raw_after for one in plan.changes}
    wrong = raws | reached | {"drive.battery_current_a": 70}
    assert differing(SHEET, raws | reached, wrong) == ["Current shows 35.0 A, not 36.0 A"]
    out = plan_by_hand(SHEET, raws, running.with_setting("drive.battery_current_a", 80), running, BIKE, Watched(BIKE))
    assert "lies outside what this controller takes" in out.misfit
    stops = [
        one.id
        for one in plan_by_hand(
            SHEET, raws, draft.with_setting("battery_guard.fade_start_v", 47), running, BIKE, Watched(BIKE)
        ).warnings
    ]
    assert stops


def test_random_drafts_are_held_on_the_safe_side_and_arrive_where_they_should():
    rng, raws = random.Random(8), typed(**NOW)
    for _ in range(24):
        names = rng.sample([one.name for one in SHEET.register_list if not one.choices], 3)
        draft = with_hand(SHEET, raws, BASE)
        try:
            for name in names:
                one = SHEET.register(name)
                draft = draft.with_setting(name, rng.uniform(one.min, one.max))
            rounded, _ = in_steps(SHEET, draft)
        except ValueError:  # no tune, or none once it is rounded
            continue
        for one in SHEET.register_list:
            asked, held = draft.setting(one.name), rounded.setting(one.name)
            if asked is None or one.choices:
                assert asked == held
            else:
                assert held >= asked - 1e-6 if one.safe == "higher" else held <= asked + 1e-6
        plan = plan_by_hand(SHEET, raws, draft, draft, BIKE, Watched(BIKE))
        entered = raws | {one.register.name: one.raw_after for one in plan.changes}
        assert not with_hand(SHEET, entered, BASE).differing(with_hand(SHEET, entered, rounded))
        assert plan.misfit or plan.tune == rounded


def test_what_was_typed_is_a_backup_that_says_so(tmp_path):
    backup = backup_of_hand(SHEET, typed(**NOW))
    assert backup.by_hand and backup.raws() == typed(**NOW) and backup.values(True)["drive.battery_current_a"] == 30
    assert backup.product == "Towpath display" and backup.serial == ""


@pytest.mark.parametrize(
    ("row", "why"),
    [
        (SheetRow("drive.battery_current_a", " "), "what the display calls it"),
        (SheetRow("drive.battery_current_a", "I", step=0), "step is above 0"),
        (SheetRow("drive.battery_current_a", "I", least=5, most=5), "greatest above the least"),
        (SheetRow("regen.battery_current_a", "B", way=LEVELS, levels=(3,)), "at least two"),
        (SheetRow("drive.phase_current_a", "T", way=PERCENT, whole=0), "100 % is"),
        (SheetRow("drive.speed_kmh", "L", step=1, least=0, most=50, off=20), "limit of that size"),
    ],
)
def test_a_row_that_makes_no_sense_is_told(row, why):
    with pytest.raises(DocumentError, match=why):
        sheet_of("x", [row])


def test_the_names_of_ways_are_what_a_file_may_hold():
    assert unit_of("throttle.maximum") == "%" and FIGURE in {row_of(one).way for one in SHEET.register_list}
