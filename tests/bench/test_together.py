"""A bike comes home from the road in the real window: what both sides changed stands as two stories, and one is chosen."""

import pytest

from crisp_hornet.garage.archive import export_bike, import_bike
from crisp_hornet.garage.garage import Garage
from tests.bench.driving import click, find, go, texts

BATTERY = "drive.battery_current_a"


@pytest.fixture
def away(demo_window, tmp_path):
    """The demo's bike in a garage of the road, where its draft and its tyres were changed; the archive it comes home with."""
    desk, road = demo_window.desk, Garage(tmp_path / "road")
    desk.draft.keep()
    export_bike(desk.garage, desk.bike_id, tmp_path / "off.zip")
    number = import_bike(road, tmp_path / "off.zip").number
    road.tunes.save_draft(number, desk.draft.tune.with_settings({BATTERY: 24.0}))
    chassis = desk.bike.chassis.model_copy(update={"crr": 0.012, "rider_kg": 71.0})
    road.bikes.update(number, desk.bike.model_copy(update={"chassis": chassis}))
    road.book.log(number, "ride", "Over the pass with a full box")
    export_bike(road, number, tmp_path / "home.zip")
    road.close()
    return tmp_path / "home.zip"


def test_what_both_changed_is_asked_and_chosen(qtbot, demo_window, away):
    desk = demo_window.desk
    desk.draft.change(BATTERY, 29.0)
    desk.active.change(
        desk.bike.model_copy(update={"chassis": desk.bike.chassis.model_copy(update={"crr": 0.011})}), "crr"
    )
    desk.log("note", "New tyres ordered")
    go(qtbot, demo_window, "logbook")
    page = demo_window.stations["logbook"]
    page.import_bike(away)
    qtbot.waitUntil(page.together.isVisible)
    assert desk.bike.chassis.rider_kg == 71.0 and desk.bike.chassis.crr == 0.011  # what only one side changed came
    qtbot.waitUntil(lambda: "The draft" in texts(page.together))
    said = texts(page.together)
    assert "Over the pass with a full box" in said and "New tyres ordered" in said
    assert "battery current: 29 A here, 24 A elsewhere" in said and "0.011 here, 0.012 elsewhere" in said
    click(qtbot, find(demo_window, "The bike: keep what is here"))
    assert page.together.isVisible() and desk.draft.tune.setting(BATTERY) == 29
    click(qtbot, find(demo_window, "The draft: take what came"))
    qtbot.waitUntil(lambda: not page.together.isVisible())
    assert desk.draft.tune.setting(BATTERY) == 24 and desk.bike.chassis.crr == 0.011
    assert any(tune.setting(BATTERY) == 29 for tune in desk.draft.named().values())  # what was not chosen is kept
    demo_window.notice.clear()
    page.import_bike(away)  # once more
    qtbot.waitUntil(lambda: "nothing new was written elsewhere" in demo_window.notice.text)
    assert not page.together.isVisible()
