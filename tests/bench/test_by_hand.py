"""A bike that is set by hand, through the real window: a sheet is made, its display read, a draft carried to it, and read back."""

from pathlib import Path

import pytest
from PyQt6.QtWidgets import QLineEdit

from crisp_hornet.documents.map_file import read_map
from tests.bench.driving import find, go, press, texts

SHOWN = {
    "battery current": "30", "phase current": "90", "speed limit": "99", "low-voltage cutoff start": "50",
    "regen battery current": "0", "max throttle current": "100",
}  # fmt: skip


def fill(window, shown):
    for label, text in shown.items():
        find(window, f"{label} shows", QLineEdit).setText(text)


def make_sheet(qtbot, window):
    go(qtbot, window, "hookup")
    page = window.stations["hookup"]
    page.show_view(6)
    press(qtbot, window, "Make a sheet")
    maker = page.by_hand.maker
    maker.name.setText("Towpath display")
    by_setting = {card._before.setting: card for card in maker.rows}
    by_setting["drive.battery_current_a"].step.setText("0,5")
    by_setting["drive.speed_kmh"].off.setText("99")
    by_setting["drive.speed_kmh"].most.setText("90")
    by_setting["battery_guard.fade_start_v"].most.setText("80")
    for row in by_setting.values():
        row.menu.setText("P 1")
    press(qtbot, window, "Keep the sheet")
    return page.by_hand


def test_from_a_sheet_to_what_the_display_shows_afterwards(qtbot, demo_window, tmp_path):
    window, desk = demo_window, demo_window.desk
    panel = make_sheet(qtbot, window)
    assert desk.by_hand.sheet.name == "Towpath display" and len(panel.reading.fields) == 6
    go(qtbot, window, "send")
    assert "First type what Towpath display shows now" in texts(window)
    press(qtbot, window, "Type what the display shows")
    fill(window, SHOWN | {"battery current": "30.2"})
    press(qtbot, window, "The display shows this")
    assert not desk.by_hand.raws  # nothing between the display's steps is taken
    photo = tmp_path / "seen.png"
    window.grab().save(str(photo))
    panel.reading.photo = photo
    fill(window, SHOWN)
    press(qtbot, window, "The display shows this")
    assert desk.held.tune.drive.battery_current_a == 30 and desk.held.tune.drive.speed_kmh is None
    assert "entered by hand" in panel._words.text() and desk.story.backups()[0][1].by_hand
    assert any(line.file for line in desk.story.lines()[:6])
    desk.draft.set(
        desk.held.tune.model_copy(update={"name": "Milder"}).with_settings(
            {"drive.battery_current_a": 26.8, "drive.phase_current_a": 81}
        )
    )
    go(qtbot, window, "send")
    page = window.stations["send"]
    assert page._title.text() == "2 changes to enter at Towpath display"
    assert [(line.before, line.after) for line in page.hand.lines()] == [("90 A", "81 A"), ("30.0 A", "26.5 A")] or [
        (line.before, line.after) for line in page.hand.lines()
    ] == [("30.0 A", "26.5 A"), ("90 A", "81 A")]
    assert "rounded to what the display holds" in texts(window) or any(
        "rounded" in line.note for line in page.hand.lines()
    )
    desk.draft.change("drive.power_w", 900.0)
    assert [line.note for line in page.change_list.lines if line.grey] == ["not on this display: it stays as it is"]
    desk.draft.change("drive.power_w", None)
    for box in page.questions.boxes.values():
        box.setChecked(True)
    page.hand.print_to(tmp_path / "nowhere" / "sheet.pdf")
    assert not desk.by_hand.carried and "nowhere" in window.notice.text  # nothing is called made that was not
    page.hand.print_to(tmp_path / "sheet.pdf")
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF") and desk.by_hand.carried
    press(qtbot, window, "Show the sheet large")
    assert (
        page.hand.large.isVisible()
        and "26.5 A" in page.hand.large.findChild(type(page.hand.large.children()[-1])).toPlainText()
    )
    page.hand.large.close()
    press(qtbot, window, "Type what the display shows")
    qtbot.waitUntil(lambda: window.current == "hookup")
    fill(window, SHOWN | {"phase current": "81", "battery current": "27"})
    press(qtbot, window, "The display shows this")
    qtbot.waitUntil(lambda: "battery current shows 27.0 A, not 26.5 A" in texts(window))
    fill(window, SHOWN | {"phase current": "81", "battery current": "26.5"})
    press(qtbot, window, "The display shows this")
    desk.draft.set(desk.draft.tune.model_copy(update={"name": "Another"}))
    press(qtbot, window, "Change the sheet")  # other steps: what was typed would mean something else
    panel.maker.rows[0].step.setText("1")
    press(qtbot, window, "Keep the sheet")
    assert not desk.by_hand.raws and panel.reading.fields["drive.battery_current_a"].text() == ""
    assert panel.reading.fields["drive.phase_current_a"].text() == "81"
    assert desk.held.tune.name == "Milder" and not desk.by_hand.carried and desk.held.sent()[0][1].name == "Milder"
    assert any("entered by hand" in line.title for line in desk.story.lines()[:3])


def test_a_stop_of_the_watch_list_keeps_the_sheet_from_being_made(qtbot, demo_window):
    window, desk = demo_window, demo_window.desk
    make_sheet(qtbot, window)
    fill(window, SHOWN)
    press(qtbot, window, "The display shows this")
    desk.draft.set(desk.held.tune.with_setting("drive.battery_current_a", 60))
    go(qtbot, window, "send")
    page = window.stations["send"]
    if page.hand.stops:
        assert not page.act_enabled() and not page.hand.acts.isEnabled()
    else:
        assert page.questions.boxes and not page.act_enabled()


@pytest.mark.long
def test_what_the_line_does_not_have_is_left_to_the_hand(qtbot, demo_window, threaded):
    from crisp_hornet.documents.maps import shipped_map
    from tests.link.inprocess import InProcess

    window, desk = demo_window, demo_window.desk
    standin = InProcess(threaded, shipped_map("Sluice 40"))
    try:
        make_sheet(qtbot, window)
        fill(window, SHOWN | {"max throttle current": "80"})
        press(qtbot, window, "The display shows this")
        window.stations["hookup"].connect_to(standin.port)
        qtbot.waitUntil(lambda: window.link.contact is not None, timeout=20_000)
        assert desk.held.tune.throttle.maximum == 0.8  # what no line tells is as the display showed it
        desk.draft.set(desk.held.tune.with_settings({"throttle.maximum": 0.9, "drive.battery_current_a": 24}))
        go(qtbot, window, "send")
        page = window.stations["send"]
        assert [line.after for line in page.hand.lines()] == ["90 %"]
        assert [change.register.name for change in page.target().changes] == ["drive.battery_current_a"]
        assert page.confirmations and not page.hand.acts.isEnabled()  # both parts are confirmed together
        for box in page.confirmations.values():
            box.setChecked(True)
        assert page.hand.acts.isEnabled()
    finally:
        window.link.disconnect_now()
        standin.close()


def test_a_sheet_goes_out_and_comes_in_and_is_put_away(qtbot, demo_window, tmp_path):
    panel, desk = make_sheet(qtbot, demo_window), demo_window.desk
    panel.write(tmp_path / "sheet.toml")
    assert read_map(tmp_path / "sheet.toml") == desk.by_hand.sheet
    desk.by_hand.keep_sheet(desk.by_hand.sheet)  # once more is the same file
    folder = desk.folder / "controllers"
    assert [path.name for path in folder.glob("*.toml")] == ["towpath-display.toml"]
    press(qtbot, demo_window, "Put the sheet away")
    assert desk.by_hand.sheet is None
    panel.read(tmp_path / "sheet.toml")  # another bike's may lie there under that name
    assert desk.by_hand.sheet is not None and (folder / "towpath-display-2.toml").exists()
    panel.read(Path("src/crisp_hornet/documents/controllers/weir-60.toml"))
    assert desk.by_hand.sheet.name == "Towpath display"
    panel.make()
    rows = len(panel.maker.rows)
    panel.maker.adding.setCurrentIndex(panel.maker.adding.findText("field weakening"))
    panel.maker.add_chosen()
    press(qtbot, demo_window, "Move up: field weakening")
    panel.maker.rows[0].step.setText("x")
    press(qtbot, demo_window, "Keep the sheet")
    assert desk.by_hand.sheet.register("drive.field_weakening_a") is None and len(panel.maker.rows) == rows + 1
    panel.maker.rows[0].step.setText("1")
    press(qtbot, demo_window, "Keep the sheet")
    assert [one.name for one in desk.by_hand.sheet.register_list][-2] == "drive.field_weakening_a"
