"""Copies of the garage by themselves: when one is due, where it goes, what stays, and what is said when it cannot be made."""

from datetime import UTC, datetime, timedelta

import pytest

from crisp_hornet.bench.desk.copies import EVERY, NEVER, Schedule, schedule_of
from crisp_hornet.garage.copies import bring_back
from crisp_hornet.garage.garage import Garage
from tests.bench.driving import click, find, press_keys

NOW = datetime(2026, 11, 29, 9, tzinfo=UTC)


@pytest.mark.parametrize(
    "every, ago, due",
    [(NEVER, None, False), ("each day", None, True), ("each day", 23, False), ("each day", 24, True), ("each week", 160, False),
     ("each week", 169, True), ("each hour", 400, False)],
)  # fmt: skip
def test_when_one_is_due(every, ago, due):
    last = "" if ago is None else (NOW - timedelta(hours=ago)).isoformat()
    assert Schedule("/copies", every, 3, last).due(NOW) is due
    assert not Schedule("", every, 3, last).due(NOW)
    for odd in (
        "2026-11-28T08:00",
        (NOW + timedelta(days=3)).isoformat(),
    ):  # without a zone; of a clock that was set back
        assert Schedule("/copies", every, 3, odd).due(NOW) == (every in EVERY)
    assert Schedule("/copies", every, 3, "yesterday").due(NOW) == (every in EVERY)


@pytest.mark.parametrize("kept", [None, 3, {}, {"to": 3, "every": "each day", "keep": 2, "last": ""},
                                  {"to": "/x", "every": "each day", "keep": 0, "last": ""}])  # fmt: skip
def test_a_preference_that_is_none_copies_nothing(kept):
    assert schedule_of(kept) == Schedule()


def test_it_is_copied_once_it_is_asked_for_and_at_each_start_after_a_day(qtbot, demo_window, tmp_path):
    desk, to = demo_window.desk, tmp_path / "disk"
    demo_window.show_station("start")
    page = demo_window.stations["start"]
    page.show_sharing()
    panel = page.sharing.copies
    assert "No copy was made yet" in panel.said.text() and not panel.now.isEnabled()
    desk.copies.begin()
    panel.every.setCurrentText("each day")
    panel.every.activated.emit(panel.every.currentIndex())
    assert "Choose the folder" in demo_window.notice.text
    qtbot.keyClicks(panel.to, str(to))
    panel.to.editingFinished.emit()
    qtbot.waitUntil(lambda: "The newest: " in panel.said.text())
    assert len(list(to.glob("garage-*.sqlite"))) == 1
    panel.keep.setText("0")
    panel.keep.editingFinished.emit()
    assert desk.copies.schedule.keep == 14 and "1" in demo_window.notice.text
    panel.keep.setText("2")
    panel.keep.editingFinished.emit()
    assert desk.copies.schedule.keep == 2
    desk.copies.look()
    assert not desk.copies.running  # one day has not passed
    old = desk.copies.schedule
    for step in range(3):  # days later, the window is opened again
        (to / f"garage-2026112{step}-020000.sqlite").write_bytes(next(to.glob("garage-*.sqlite")).read_bytes())
    desk.active.remember("copies", vars(old) | {"last": (datetime.now().astimezone() - timedelta(days=2)).isoformat()})
    desk.copies.look()
    qtbot.waitUntil(lambda: not desk.copies.running)
    copies = sorted(to.glob("garage-*.sqlite"))
    assert len(copies) == 2
    bring_back(copies[-1], tmp_path / "again")
    again = Garage(tmp_path / "again")
    assert [bike.name for bike in again.glance.bikes()] == [bike.name for bike in desk.bikes()]
    again.close()
    desk.copies.finish()


def test_what_cannot_be_copied_is_said_once_and_shown(qtbot, demo_window, tmp_path):
    (tmp_path / "file").write_text("")
    desk = demo_window.desk
    demo_window.show_station("start")
    demo_window.stations["start"].show_sharing()
    panel = demo_window.stations["start"].sharing.copies
    desk.copies.set(Schedule(str(tmp_path / "file"), NEVER, 3))
    said = []
    desk.said.connect(lambda kind, words: said.append((kind, words)))
    for _ in range(2):
        click(qtbot, find(demo_window, "Copy the garage now"))
        qtbot.waitUntil(lambda: not desk.copies.running)
        assert "could not be copied" in panel.said.text()
    assert len(said) == 1 and said[0][0] == "warn"
    press_keys(qtbot, panel.to)
