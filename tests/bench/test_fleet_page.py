"""All bikes on the Logbook: asked beside the window, stopped, asked of a part, and never told more than there is."""

from crisp_hornet.bench.stations.logbook import fleet_view
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import fleet as of_fleet
from crisp_hornet.garage.fleet import Fleet
from tests.bench.driving import click, find, go

WHEN = "rides of"


def test_all_rides_are_asked_stopped_and_asked_of_a_part(qtbot, demo_window, monkeypatch):
    go(qtbot, demo_window, "logbook")
    click(qtbot, find(demo_window, "logbook all bikes"))
    view = demo_window.stations["logbook"].fleet
    qtbot.waitUntil(lambda: view.fleet is not None)
    assert view.words.text() == "4 rides of 2 bikes. Where they went is not read."
    assert "Heron, the pack: fewer than 6 rides (2)" not in view.tables["ageing"].texts()
    assert "fewer than 6 rides" in view.tables["ageing"].texts() and view.tables["promises"].texts() == [
        fleet_view.NOTHING
    ]
    asked = []

    def endless(_garage, asked_, tick):
        asked.append(asked_)
        while tick(0.5):
            pass

    monkeypatch.setattr(of_fleet, "asked_of_all", endless)
    view.since.setCurrentText("the last 90 days")
    view.since.activated.emit(view.since.currentIndex())
    qtbot.waitUntil(lambda: "50 %" in view.words.text())
    assert asked[0].since is not None and view.reading
    click(qtbot, find(demo_window, "Ask all rides again"))
    assert not view.reading and "Stopped" in view.words.text()
    lines = [of_fleet.share(f"Bike {at}", 1, 3) for at in range(20)]
    monkeypatch.setattr(of_fleet, "asked_of_all", lambda *_: Fleet(20, 60, 2, {"promises": lines}))
    click(qtbot, find(demo_window, "Ask all rides again"))
    qtbot.waitUntil(lambda: "60 rides of 20 bikes" in view.words.text())
    assert (
        "2 more could not be read" in view.words.text()
        and "8 more: crisp-hornet fleet" in view.tables["promises"].texts()
    )
    assert "33 %" in view.tables["promises"].texts() and "6 to 79 %" in view.tables["promises"].texts()

    def broken(*_):
        raise DocumentError("garage", "", "cannot be read", "Look at the disk.")

    monkeypatch.setattr(of_fleet, "asked_of_all", broken)
    click(qtbot, find(demo_window, "Ask all rides again"))
    qtbot.waitUntil(lambda: "Look at the disk." in demo_window.notice.text)
    assert view.words.text() == "The rides could not be read."
