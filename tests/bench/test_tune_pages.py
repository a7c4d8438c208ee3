"""Feel, Assist, Guards, Modes and Drafts in the real window, by mouse and by keyboard: what is dragged, typed and drafted is the
same figure, and undo returns it exactly."""

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QComboBox, QLineEdit

from crisp_hornet.bench.stations.tune.tune_page import PAGES
from crisp_hornet.core.rider.throttle import family_shares
from crisp_hornet.documents.companions import CURVE
from crisp_hornet.documents.maps import shipped_map
from tests.bench.driving import click, drag, find, go, press, press_keys, texts
from tests.bench.linking import beside, connect, work_the_lever

KEY = Qt.Key


@pytest.fixture
def tune(qtbot, demo_window):
    go(qtbot, demo_window, 4)
    return demo_window.stations["tune"]


def show(qtbot, window, name):
    click(qtbot, find(window, f"page {name}"))
    tune = window.stations["tune"]
    qtbot.waitUntil(lambda: tune.page == PAGES.index(name))
    return tune


def handle_to(chart, setting, dx, dy, release=True):
    start = chart.place(setting)
    drag(chart, start, [start + QPointF(dx / 2, dy / 2), start + QPointF(dx, dy)], release)


def typed(qtbot, ruler, text):
    ruler.setFocus()
    qtbot.keyClick(ruler, KEY.Key_Return)
    editor = next(one for one in ruler.findChildren(QLineEdit) if one.isVisible())
    editor.clear()
    qtbot.keyClicks(editor, text)
    qtbot.keyClick(editor, KEY.Key_Return)


@pytest.mark.long
def test_the_pages_are_reached_by_keyboard_and_none_hides_its_chart(qtbot, demo_window, tune):
    tune.switch.setFocus()
    seen = []
    for _ in PAGES:
        seen.append(tune.page)
        qtbot.keyClick(tune.switch, KEY.Key_Right)
    assert seen == list(range(len(PAGES))) and tune.page == 0
    for name, charts in (
        ("Feel", ("curve", "launch", "speed")),
        ("Assist", ("levels", "watts", "start", "stroke")),
        ("Modes", ("chart",)),
    ):
        view = getattr(show(qtbot, demo_window, name), name.lower())
        for chart in charts:
            widget = getattr(view, chart)
            assert widget.visibleRegion().boundingRect().height() == widget.height() >= 90, (name, chart)
    view = show(qtbot, demo_window, "Guards").guards
    assert all(one.visibleRegion().boundingRect().height() == one.height() > 90 for one in (*view.fades, *view.effects))


def test_the_throttle_curve_by_hand_family_and_keys(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Feel").feel
    before = desk.draft.tune
    handle_to(view.curve, CURVE[1], 0, 40)
    dragged = desk.draft.tune.throttle.share_50
    assert 0.05 < dragged < 0.5 and f"{100 * dragged:.0f} %" in view.curve.accessibleName()
    assert desk.draft.tune.throttle.share_25 <= dragged  # its neighbour was pushed along
    desk.undo_stack.undo()
    assert desk.draft.tune == before and not desk.undo_stack.canUndo()
    view.curve.setFocus()
    press_keys(qtbot, view.curve, KEY.Key_Right, KEY.Key_Down)
    assert view.curve.chosen == CURVE[2] and desk.draft.tune.throttle.share_75 == 0.7
    press_keys(qtbot, view.curve, KEY.Key_Up, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert desk.draft.tune.throttle.share_75 == 0.71
    qtbot.keyClicks(view.curve, "6")
    field = next(one for one in view.curve.findChildren(QLineEdit) if one.isVisible())
    qtbot.keyClicks(field, "6,5")
    qtbot.keyClick(field, KEY.Key_Return)
    assert desk.draft.tune.throttle.share_75 == 0.665
    press_keys(qtbot, view.curve, KEY.Key_Delete)
    assert desk.draft.tune.throttle.share_75 == 0.75  # back to what is on the controller
    handle_to(view.curve, CURVE[3], 0, 60, release=False)
    assert desk.draft.tune.throttle.maximum < 1
    press_keys(qtbot, view.curve, KEY.Key_Escape)
    assert desk.draft.tune.throttle.maximum == 1 and desk.draft.tune.throttle.share_75 == 0.75
    click(qtbot, find(demo_window, "Throttle curve: gentle start, full end"))
    assert desk.draft.tune.throttle.shares == family_shares("gentle start, full end", 1.0)
    assert "throttle" in {path.partition(".")[0] for path in desk.draft.differing} and "drafted" in tune.caption()


@pytest.mark.long
def test_feel_says_when_the_throttle_works_and_lays_a_kept_draft_beside(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Feel").feel
    rulers = view.rulers.rulers
    typed(qtbot, rulers["throttle.ramp_s"], "1,25")
    assert desk.draft.tune.throttle.ramp_s == 1.25
    rulers["throttle.start"].setFocus()
    press_keys(qtbot, rulers["throttle.start"], KEY.Key_Right)
    assert desk.draft.tune.throttle.start == "pedalling" and "only while pedalling" in view.meaning()[1]
    assert not rulers["throttle.rolling_kmh"].isEnabled()
    typed(qtbot, rulers["throttle.start"], "rolling")
    assert desk.draft.tune.throttle.start == "rolling" and rulers["throttle.rolling_kmh"].isEnabled()
    typed(qtbot, rulers["throttle.walk_kmh"], "7")
    qtbot.waitUntil(lambda: "Walk assist runs at 7 km/h" in texts(demo_window.watch_list))
    press_keys(qtbot, rulers["throttle.walk_kmh"], KEY.Key_Delete)
    assert desk.draft.tune.throttle.walk_kmh is None
    now = view.figures.now[0].text
    view.beside.setCurrentIndex(view.beside.findText("Gentle levels"))
    assert view.figures.now[0].text != now  # the launch of another draft
    desk.switch_units()
    qtbot.waitUntil(lambda: rulers["throttle.rolling_kmh"].scale.unit == "mph")
    typed(qtbot, rulers["throttle.rolling_kmh"], "5")
    assert desk.draft.tune.throttle.rolling_kmh == pytest.approx(8.04672, rel=1e-4)


@pytest.mark.long
def test_levels_by_family_by_hand_and_by_number(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Assist").assist
    before, rulers = desk.draft.tune, view.rulers.rulers
    typed(qtbot, rulers["assist.levels.count"], "8")
    assert len(desk.draft.tune.assist.levels) == 8 and len(view.levels.handles) == 8
    assert [one.multiplier for one in desk.draft.tune.assist.levels] == sorted(
        one.multiplier for one in desk.draft.tune.assist.levels
    )
    typed(qtbot, rulers["family.lowest"], "0.8")
    typed(qtbot, rulers["family.exponent"], "2")
    levels = desk.draft.tune.assist.levels
    assert levels[0].multiplier == 0.8 and levels[-1].multiplier == 6.8
    assert levels[4].multiplier == pytest.approx(0.8 + 6.0 * (4 / 7) ** 2, abs=0.01)
    handle_to(view.levels, "assist.levels.5.multiplier", 0, -30)
    by_hand = desk.draft.tune.assist.levels[4].multiplier
    assert by_hand > levels[4].multiplier and "Drawn by hand: level 5" in view.words.text()
    assert f"{by_hand:.3g}" in view.levels.accessibleName()
    click(qtbot, find(demo_window, "levels drawn by speed share"))
    view._shares.setFocus()
    press_keys(qtbot, view._shares, KEY.Key_Down, KEY.Key_Down)
    assert desk.draft.tune.assist.levels[0].speed_share == 0.9
    assert "41 km/h" in view.table.texts() or "42 km/h" in view.table.texts()
    while desk.undo_stack.canUndo():
        desk.undo_stack.undo()
    assert desk.draft.tune == before


@pytest.mark.long
def test_the_rider_and_the_style_decide_what_a_level_gives(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Assist").assist
    weak = view.table.texts()
    rider = view.rulers._rider_rulers["watts"]
    typed(qtbot, rider, "200")
    assert view.rulers.rider.watts == 200 and view.table.texts() != weak and not desk.undo_stack.canUndo()
    qtbot.waitUntil(lambda: "…" not in view.table.texts())  # the energy comes once the hands rest
    assert "A RIDER OF 200 W" in view.meaning()[0]
    typed(qtbot, view.rulers.rulers["assist.style"], "cadence")
    assert desk.draft.tune.assist.style == "cadence"
    assert not view.rulers.rulers["assist.start_nm"].isEnabled() and "0 W" in view.table.texts()
    typed(qtbot, view.rulers.rulers["assist.style"], "blend")
    assert view.rulers.rulers["assist.handover_rpm"].isEnabled()
    typed(qtbot, view.rulers.rulers["assist.hold_s"], "1.5")
    qtbot.waitUntil(lambda: "after pedalling stops" in texts(demo_window.watch_list))


@pytest.mark.long
def test_guards_by_drag_and_key_push_their_other_end_and_say_what_they_cost(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Guards").guards
    chart, start = view.fades[0], "battery_guard.fade_start_v"
    handle_to(chart, start, 60, 0)
    value = desk.draft.tune.battery_guard.fade_start_v
    assert value > 52 and f"{value:g} V" in chart.accessibleName()
    handle_to(chart, start, -160, 0)
    guard = desk.draft.tune.battery_guard
    assert guard.fade_start_v == guard.fade_end_v < 47  # the other end is pushed, never crossed
    desk.undo_stack.undo()
    desk.undo_stack.undo()
    assert desk.draft.tune.battery_guard.fade_start_v == 50 and desk.draft.tune.battery_guard.fade_end_v == 47
    chart.setFocus()
    chart.chosen = "battery_guard.fade_end_v"
    press_keys(qtbot, chart, *[KEY.Key_Up] * 6)
    assert desk.draft.tune.battery_guard.fade_end_v == 50
    press_keys(qtbot, chart, *[KEY.Key_Up] * 14)
    assert "Wh" in view.words[0].text() and desk.draft.tune.battery_guard.fade_start_v == 57
    qtbot.waitUntil(lambda: "derating begins after" in view.words[1].text())
    typed(qtbot, view.rulers.rulers["heat_guard.motor_fade_start_c"], "70")
    now = view.words[1].text()
    qtbot.waitUntil(lambda: view.words[1].text() != now)
    typed(qtbot, view.rulers.rulers["regen.battery_current_a"], "14")
    qtbot.waitUntil(lambda: "exceeds the BMS charge limit" in texts(demo_window.watch_list))
    typed(qtbot, view.rulers.rulers["regen.battery_current_a"], "0")
    assert "Regen brakes with up to 0." in view.words[2].text() and "current limit" in view.meaning()[1]
    desk.draft.change("drive.power_w", 1500.0)
    assert "1500 W" in view.meaning()[1]


@pytest.mark.long
def test_modes_are_added_named_limited_and_taken_out(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Modes").modes
    whole = desk.draft.tune
    for name in ("Guest", "Round"):
        click(qtbot, find(demo_window, f"mode {name}"))
        click(qtbot, find(demo_window, "Delete the chosen mode"))
    for kind in ("guest", "full", "reverse"):
        view.rulers.kind.setCurrentText(kind)
        click(qtbot, find(demo_window, "Add a mode"))
    assert [mode.name for mode in desk.draft.tune.modes] == ["Guest", "Full", "Reverse"]
    assert desk.draft.tune.modes[0].starts and desk.draft.tune.modes[2].reverse and view.rulers.chosen == 2
    click(qtbot, find(demo_window, "mode Guest"))
    typed(qtbot, view.rulers.rulers["mode.phase_current_a"], "48")
    assert desk.draft.tune.modes[0].phase_current_a == 48
    qtbot.waitUntil(lambda: "48 A" in texts(view))
    view.lever.setFocus()
    qtbot.keyClicks(view.lever, "switch left")
    qtbot.keyClick(view.lever, KEY.Key_Return)
    assert desk.draft.tune.modes[0].selected_by == "switch left"
    view.name.selectAll()
    qtbot.keyClicks(view.name, "Full")
    qtbot.keyClick(view.name, KEY.Key_Return)
    assert "already" in demo_window.notice.text and desk.draft.tune.modes[0].name == "Guest"
    click(qtbot, find(demo_window, "mode Full"))
    click(qtbot, find(demo_window, "start-up mode"))
    assert [mode.starts for mode in desk.draft.tune.modes] == [False, True, False]
    qtbot.waitUntil(lambda: "starts at full power" in texts(demo_window.watch_list))
    click(qtbot, find(demo_window, "Delete the chosen mode"))
    assert [mode.name for mode in desk.draft.tune.modes] == ["Guest", "Reverse"]
    assert len(view.chart.picture.lines) == 3
    while desk.undo_stack.canUndo():
        desk.undo_stack.undo()
    assert desk.draft.tune == whole


@pytest.mark.long
def test_local_rules_from_an_example_are_judged_in_each_road_mode(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Modes").modes
    panel = view.local
    panel.example.setCurrentIndex(1)
    panel.example.activated.emit(1)
    assert desk.bike.local.assist_ends_kmh == 25
    qtbot.waitUntil(lambda: "local limit 25" in texts(demo_window.watch_list))
    panel.fields["assist_ends_kmh"].setText("x")
    click(qtbot, find(demo_window, "Save the local rules"))
    assert "is no figure" in demo_window.notice.text and desk.bike.local.assist_ends_kmh == 25
    panel.fields["assist_ends_kmh"].setText("60")
    panel.fields["power_w"].setText("")
    find(demo_window, "throttle by local rules", QComboBox).setCurrentIndex(0)
    click(qtbot, find(demo_window, "Save the local rules"))
    assert desk.bike.local.assist_ends_kmh == 60 and desk.bike.local.power_w is None
    qtbot.waitUntil(lambda: "is the end" not in texts(demo_window.watch_list))
    desk.undo_stack.undo()
    desk.undo_stack.undo()
    assert desk.bike.local is None


def test_drafts_are_kept_with_why_taken_up_and_let_go_and_steps_lead_to_the_goal(qtbot, demo_window, tune):
    desk, view = demo_window.desk, show(qtbot, demo_window, "Drafts").drafts
    goal = desk.draft.tune
    view.name.setFocus()
    view.name.selectAll()
    qtbot.keyClicks(view.name, "Hill days")
    view.notes.setFocus()
    qtbot.keyClicks(view.notes, "Quarry Lane with a full box")
    click(qtbot, find(demo_window, "Save the draft"))
    assert desk.draft.tune.name == "Hill days" and set(desk.draft.named()) == {"Gentle levels", "Hill days"}
    click(qtbot, find(demo_window, "Load Gentle levels as draft"))
    assert len(desk.draft.tune.modes) == 3
    desk.undo_stack.undo()
    qtbot.waitUntil(lambda: "Load step 1 as draft" in texts(view))
    click(qtbot, find(demo_window, "Load step 1 as draft"))
    assert 90 < desk.draft.tune.drive.phase_current_a < goal.drive.phase_current_a
    assert "step 1 of" in desk.draft.tune.name and desk.draft.named()["Hill days"].drive == goal.drive
    qtbot.waitUntil(lambda: "Delete Hill days" in texts(view))
    click(qtbot, find(demo_window, "Delete Hill days"))
    assert set(desk.draft.named()) == {"Gentle levels"}
    view.name.setText("  ")
    view.keep()
    assert "Give the draft a name" in demo_window.notice.text


@pytest.mark.long
def test_speed_caps_and_regen_are_dragged_on_the_pull_chart_and_earlier_tunes_shown(qtbot, demo_window, tune):
    desk, chart = demo_window.desk, tune.chart
    edge = next(one for one in chart.edges if one.setting == "drive.motor_rpm")
    start = chart.point(edge.kmh, edge.force_n)
    drag(chart, start, [start - QPointF(80, 0), start - QPointF(160, 0)])
    assert desk.draft.tune.drive.motor_rpm < 500 and desk.draft.tune.drive.motor_rpm % 10 == 0
    reached = next(one for one in chart.edges if one.setting == "drive.motor_rpm")
    assert reached.sets and reached.kmh == pytest.approx(chart.value(start - QPointF(160, 0))[0], abs=0.5)
    desk.undo_stack.undo()
    edge = next(one for one in chart.edges if one.setting == "regen.phase_current_a")
    start = chart.point(edge.kmh, edge.force_n)
    aim = chart.value(start + QPointF(0, -20))
    drag(chart, start, [start + QPointF(0, -10), start + QPointF(0, -20)])
    assert desk.draft.tune.regen.phase_current_a < 20
    regen = desk.draft.prediction.regen
    at = abs(regen.speed_kmh - aim[0]).argmin()
    assert regen.wheel_force_n[at] == pytest.approx(aim[1], rel=0.06)
    chart.setFocus()
    press_keys(qtbot, chart, KEY.Key_C, KEY.Key_Up)
    assert desk.draft.tune.regen.battery_current_a == 6
    desk.draft.keep_named("Another", "")
    qtbot.waitUntil(lambda: tune.also_too.findText("Another") > 0)
    tune.also.setCurrentText("Gentle levels")
    tune.also.activated.emit(tune.also.currentIndex())
    assert chart.also is not None and chart.also[0] == "Gentle levels"
    tune.also_too.setCurrentText("Another")
    tune.also_too.activated.emit(tune.also_too.currentIndex())
    assert chart.also[0] == "Gentle levels" and chart.also_too[0] == "Another"
    tune.show_page(PAGES.index("Assist"))
    beside = tune.assist.beside
    beside.first.setCurrentText("Gentle levels")
    beside.second.setCurrentText("Another")
    lines = {line.name: line for line in tune.assist.levels.picture.lines}
    assert list(lines) == ["drafted", "Gentle levels", "Another"]
    assert lines["Another"].y[0] == desk.draft.named()["Another"].assist.levels[0].multiplier
    tune.show_page(0)
    tune.also.setCurrentText("from current, open ride")
    tune.also.activated.emit(tune.also.currentIndex())
    assert chart.also is None and chart.measured is not None
    desk.draft.change("drive.field_weakening_a", 30.0)
    qtbot.waitUntil(lambda: tune.gain is not None and "Weakening brings" in tune.meaning()[1])
    assert any(stop.name.startswith("no gain over") for stop in tune.rulers["drive.field_weakening_a"].scale.stops)


@pytest.mark.long
def test_a_warning_leads_to_its_page(qtbot, demo_window, tune):
    desk = demo_window.desk
    for level in range(1, 6):
        desk.draft.change(f"assist.levels.{level}.multiplier", 14.0 + level)
    qtbot.waitUntil(lambda: "Level 1 pulls away" in texts(demo_window.watch_list))
    press(qtbot, demo_window, "Show the setting: lowest-level-strong")
    assert tune.page == PAGES.index("Assist") and tune.assist.levels.hasFocus()
    assert tune.assist.levels.chosen == "assist.levels.1.multiplier"
    demo_window.switch_theme()
    assert tune.assist.levels.theme.name == "dark"


def test_the_pages_stand_empty_without_a_bike(qtbot, empty_window):
    go(qtbot, empty_window, 4)
    tune = empty_window.stations["tune"]
    for at in range(len(PAGES)):
        tune.show_page(at)
    assert tune.meaning()[1]


def test_what_is_dragged_on_a_page_is_what_the_controller_then_holds(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    go(qtbot, window, 4)
    desk.draft.open(desk.held.tune)
    view = show(qtbot, window, "Assist").assist
    handle_to(view.levels, "assist.levels.2.multiplier", 0, 18)
    drafted = desk.draft.tune.assist.levels[1].multiplier
    assert drafted != desk.held.tune.assist.levels[1].multiplier and desk.draft.differing == [
        "assist.levels.2.multiplier"
    ]
    go(qtbot, window, 5)
    work_the_lever(qtbot, window)
    send = window.stations["send"]
    for box in send.confirmations.values():
        click(qtbot, box)
    click(qtbot, send.keep)
    qtbot.waitUntil(window.act_button.isEnabled)
    click(qtbot, window.act_button)
    qtbot.waitUntil(lambda: send.report is not None)
    assert send.report.outcome.value == "proved", send.report
    assert standin.shows("assist.levels.2.multiplier") == (str(drafted), str(drafted))
    assert desk.draft.tune.assist.levels[1].multiplier == drafted and desk.draft.differing == []


def test_the_hand_s_words_and_who_protects_the_pack_are_true_and_in_the_units_chosen(demo_window, tune):
    desk = demo_window.desk
    desk.draft.change("throttle.speed_kmh", 25.0)
    desk.draft.change("throttle.walk_kmh", 5.0)
    assert "ends at 25 km/h" in desk.units.text(tune.feel.meaning()[1])
    desk.switch_units()
    said = desk.units.text(tune.feel.meaning()[1])
    assert "mph" in said and "km/h" not in said
    # the pack: full 67.2 V, cutoff 47 V; what a limit in watts lets through at either
    desk.draft.change("drive.battery_current_a", 36.0)
    for watts, words in (
        (None, "the power falls as it empties"), (2600.0, "36 A, always reached before"), (1800.0, "27 A of a full pack and more"),
        (1200.0, "up to 26 A at the cutoff"),
    ):  # fmt: skip
        desk.draft.change("drive.power_w", watts)
        said = desk.units.text(tune.guards.meaning()[1])
        assert words in said, said
        assert ("watts protect no pack" in said) == (watts == 1200.0)


def test_what_a_level_is_a_share_of_is_taken_from_the_description_said_and_undone(demo_window):
    desk, heard = demo_window.desk, []
    desk.said.connect(lambda _strength, words: heard.append(words))
    controller = desk.bike.controller.model_copy(update={"level_share": "torque"})
    desk.active.change(desk.bike.model_copy(update={"controller": controller}), "share")
    desk._take_description(shipped_map("Sluice 40"))
    assert desk.bike.controller.level_share == "torque", "a description that does not say changes nothing"
    desk._take_description(shipped_map("Weir 60"))
    assert desk.bike.controller.level_share == "battery_current" and any(
        "share of battery current" in one for one in heard
    )
    desk.undo_stack.undo()
    assert desk.bike.controller.level_share == "torque"
