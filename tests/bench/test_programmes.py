"""Test programmes, ride card and rested voltages in the real window, with the simulated bike under the hands."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox

from crisp_hornet.documents.units import Units
from crisp_hornet.link.contact import Live
from tests.bench.driving import click, find, go, texts
from tests.bench.linking import beside, connect
from tests.bench.test_looking import choose


@pytest.fixture
def rides(qtbot, demo_window):
    go(qtbot, demo_window, 6)
    return demo_window.stations["rides"]


@pytest.mark.long
def test_a_programme_leads_through_its_runs_and_the_card_holds_the_rested_voltages(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    go(qtbot, window, 6)
    bar, page = window.stations["rides"].recording, window.stations["rides"]
    click(qtbot, find(window, "Rides Record"))
    choose(find(window, "test programme to be guided through", QComboBox), "Full pull")
    assert "Local codes decide" in texts(bar) and "pull against the predicted edge" in texts(bar)
    assert not bar.flywheel.isVisible()
    choose(bar.programme, "Dyno run")
    assert bar.flywheel.isVisible() and "Wheel and flywheel guarded" in texts(bar)
    for typed, watts in (("95", 95.0), ("heavy", None), ("", None)):
        bar.flywheel.setText(typed)
        assert bar.flywheel.value() == watts
    choose(bar.programme, "Full pull")
    bar.fields["wind"].setText("none")
    click(qtbot, window.act_button)
    standin.do("wheel-up 0")
    standin.do("throttle 1")
    # the simulated throttle is not calibrated: its stop reads too little, and that is told instead of waiting for ever
    qtbot.waitUntil(lambda: "If fully open, calibrate it first" in texts(bar))
    standin.do("throttle 0")
    standin.do("brake 1")
    qtbot.waitUntil(lambda: window.link.live.values["wheel_speed_kmh"] < 0.5)
    standin.do("brake 0")
    standin.do("set calibration.throttle_full_v 3.7")
    standin.do("throttle 1")
    qtbot.waitUntil(lambda: "under way" in texts(bar))
    rows = bar.recorder.rows
    qtbot.waitUntil(lambda: bar.recorder.rows > rows + 220)
    standin.do("throttle 0")
    qtbot.waitUntil(lambda: len(bar.lead.results) == 1)
    told = texts(bar)
    assert "Usable: one way:" in told and "Run 2 of 2, back. Stand on a level" in told
    click(qtbot, window.act_button)
    qtbot.waitUntil(lambda: desk.ride.cleaned is not None and desk.ride.cleaned.name.startswith("Recorded "))
    assert (
        desk.ride.card.programme == "Full pull" and desk.ride.card.wind == "none" and desk.ride.card.rested_start_v > 55
    )
    entry = next(one for one in desk.garage.book.of(desk.bike_id) if one.kind == "ride")
    assert "Full pull, one way:" in entry.detail and "rested start v" in entry.detail
    qtbot.waitUntil(lambda: page.rest.isVisible())
    qtbot.waitUntil(lambda: "The pack rests" in texts(page.rest))
    click(qtbot, find(window, "Use the pack voltage as voltage at rest"))
    assert not page.rest.isVisible() and desk.ride.card.rested_end_v is not None
    kept = next(one for one in desk.garage.rides.of(desk.bike_id) if one.name == desk.ride.cleaned.name)
    assert kept.card == desk.ride.card  # it is in the garage


def test_the_rested_voltage_is_taken_by_itself_once_it_stands(qtbot, demo_window, rides):
    rides.rest.watch()
    for at in np.arange(0, 400, 0.5):
        demo_window.link.live_changed.emit(Live(float(at), {"pack_v": 60.0 - 0.5 * np.exp(-at / 60), "battery_a": 0.1}))
    assert demo_window.desk.ride.card.rested_end_v == pytest.approx(60.0, abs=0.03) and not rides.rest.isVisible()
    assert "is on the ride's card" in demo_window.notice.text


def test_the_card_of_any_ride_can_be_filled_in_and_nonsense_is_told(qtbot, demo_window, rides):
    desk = demo_window.desk
    click(qtbot, find(demo_window, "beside the traces Card"))
    fields = rides.beside.card.fields
    for key, words in (("tyres", "3.2 bar"), ("rested_start_v", "65,9 V"), ("rested_end_v", "nine")):
        fields[key].setFocus()
        qtbot.keyClicks(fields[key], words)
        qtbot.keyClick(fields[key], Qt.Key.Key_Return)
    assert (
        desk.ride.card.tyres == "3.2 bar"
        and desk.ride.card.rested_start_v == 65.9
        and desk.ride.card.rested_end_v is None
    )
    assert "5 to 200 V is needed" in texts(rides.beside.card)
    assert "tyres 3.2 bar" in desk.ride.card.in_words() and "65.9 V at rest before" in desk.ride.card.in_words()
    desk.ride.open(desk.garage.rides.of(desk.bike_id)[0])
    assert desk.ride.card.tyres == "3.2 bar" and fields["rested_start_v"].text() == "65.9"


@pytest.mark.long
def test_the_runs_of_a_programme_are_found_in_a_ride_and_shown(qtbot, demo_window, rides):
    click(qtbot, find(demo_window, "beside the traces Runs"))
    qtbot.waitUntil(lambda: "2 of " in texts(rides.beside.runs))
    run = next(one for one in rides.beside.runs.results if one.usable)
    click(qtbot, find(demo_window, "Show the run at"))
    low, high = rides.traces.in_view
    assert low == pytest.approx(run.from_s - 3, abs=0.5) and high == pytest.approx(run.to_s + 3, abs=0.5)
    choose(rides.beside.runs.choice, "Range loop")
    qtbot.waitUntil(
        lambda: "The ride holds no such run" in texts(rides.beside.runs) or "can be used" in texts(rides.beside.runs)
    )
    demo_window.desk.switch_units()
    assert demo_window.desk.units == Units(metric=False)
    click(qtbot, find(demo_window, "beside the traces Card"))
    assert not rides.beside.runs.isVisible() and rides.beside.card.isVisible()
