"""Files dropped on the window, or opened by a double click, go to the station that takes their kind."""

import shutil

import pytest
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDragEnterEvent, QDropEvent

from crisp_hornet.bench.opening import open_file
from crisp_hornet.bench.place import keep, take_up
from crisp_hornet.demo import HERON
from crisp_hornet.documents.store import read_bike
from crisp_hornet.garage.garage import Garage

DEMO = HERON.parent


def drop(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    where, act, button, none = (
        QPointF(300, 300),
        Qt.DropAction.CopyAction,
        Qt.MouseButton.LeftButton,
        Qt.KeyboardModifier.NoModifier,
    )
    entered = QDragEnterEvent(where.toPoint(), act, data, button, none)
    window.dragEnterEvent(entered)
    assert entered.isAccepted()
    window.dropEvent(QDropEvent(where, act, data, button, none))


def test_a_bike_a_tune_and_a_log_are_dropped_one_after_the_other(qtbot, empty_window):
    window, desk = empty_window, empty_window.desk
    drop(window, HERON, DEMO / "heron-daily.tune.json", DEMO / "bakery-round.csv")
    assert desk.bike == read_bike(HERON) and desk.draft.tune is not None and window.current == "rides"
    qtbot.waitUntil(lambda: desk.ride.cleaned is not None)


@pytest.mark.parametrize(
    ("name", "text", "why"),
    [
        ("a.json", '{"format": "crisp-hornet/route"}', "none of a bike"),
        ("a.json", "{", "JSON"),
        ("none.json", None, "no such file"),
        ("a.toml", "format = 1", "format"),
    ],
)
def test_what_no_station_takes_is_said(qtbot, demo_window, tmp_path, name, text, why):
    if text is not None:
        (tmp_path / name).write_text(text)
    open_file(demo_window, tmp_path / name)
    assert why in demo_window.notice.text


def test_an_archive_is_taken_by_the_logbook(qtbot, demo_window, tmp_path):
    shutil.copy(HERON, tmp_path / "x.zip")  # no archive at all
    open_file(demo_window, tmp_path / "x.zip")
    assert demo_window.current == "logbook"
    qtbot.waitUntil(lambda: "x.zip" in demo_window.notice.text)


def test_the_window_opens_as_it_was_left(qtbot, own_demo_garage, open_window):
    window = open_window(own_demo_garage)
    take_up(window)  # nothing is known yet
    assert window.current == "build" and window.theme.name == "light"
    window.resize(900, 611)  # no wider than the least: the unseen screen is small
    window.switch_theme()
    window.show_station("rides")
    keep(window)
    folder = own_demo_garage.folder
    open_window.close(window)
    again = open_window(Garage(folder))
    take_up(again)
    assert again.current == "rides" and again.theme.name == "dark" and again.height() == 611
    for name, value in (("window", "no geometry"), ("station", "moon"), ("theme", 7)):
        again.desk.active.remember(name, value)
    take_up(again)  # what makes no sense changes nothing
    assert again.current == "rides" and again.theme.name == "dark"
