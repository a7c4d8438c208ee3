"""Rides in the real window: a messy log, its columns, what is wrong with it, joining, export."""

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QComboBox

from crisp_hornet.core.ride.channels import CHANNELS, Ride
from crisp_hornet.demo import MESSY
from crisp_hornet.rides.recorder import ENDING, Recorder
from crisp_hornet.rides.registry import read_ride, write_ride
from tests.amount import some
from tests.bench.driving import click, find, go, texts
from tests.bench.linking import beside, connect
from tests.rides.layouts import LAYOUTS, C, Layout, text_of, true_ride
from tests.rides.test_layouts import DERIVED, agrees


@pytest.fixture
def rides(qtbot, demo_window):
    go(qtbot, demo_window, 6)
    return demo_window.stations["rides"]


def open_log(qtbot, rides, path):
    rides.import_file(path)
    qtbot.waitUntil(lambda: rides.mapping)


def test_the_messy_log_needs_no_correction_and_its_flaws_are_mended(qtbot, demo_window, rides):
    desk = demo_window.desk
    open_log(qtbot, rides, MESSY)
    shown = texts(rides.panel)
    assert "Uhrzeit: a clock" in shown and "90 %, by its name and unit" in shown and rides.panel.unsure == 0
    assert demo_window.act_button.text() == "Import this ride"
    click(qtbot, demo_window.act_button)
    qtbot.waitUntil(lambda: desk.ride.cleaned is not None and desk.ride.cleaned.name == "messy-round")
    ride = desk.ride.cleaned
    assert not rides.mapping and 14 * 60 < ride.time_s[-1] < 15.1 * 60
    assert np.nanmax(ride.get("pack_v")) < 64 and np.nanmin(ride.get("pack_v")) > 50  # 3.1 V and 99 V are mended
    assert 40 < np.nanmax(ride.get("wheel_speed_kmh")) < 48 and 60 < np.nanmax(ride.get("motor_c")) < 70
    click(qtbot, find(demo_window, "beside the traces Errors"))
    said = texts(rides.beside.flaws)
    for words in ("1 gap", "2 spikes", "falls to 0 2 times", "recorded every 4 rows"):
        assert words in said, words
    box = find(demo_window, "fix spike of pack voltage")
    click(qtbot, box)
    qtbot.waitUntil(lambda: np.nanmax(desk.ride.cleaned.get("pack_v")) > 90)  # left as it is
    assert desk.ride.recorded.get("pack_v").max() > 90
    click(qtbot, find(demo_window, "Show dropout of speed, wheel"))
    assert rides.traces.at_s == pytest.approx(205, abs=1)
    kept = next(one for one in desk.garage.rides.of(desk.bike_id) if one.name == "messy-round")
    desk.ride.open(kept)
    assert desk.ride.left_flaws == {"spike pack_v"} and np.nanmax(desk.ride.cleaned.get("pack_v")) > 90


def test_generated_logs_of_many_layouts_need_no_correction(qtbot, demo_window, rides, tmp_path):
    desk, truth = demo_window.desk, true_ride()
    before = len(desk.garage.rides.of(desk.bike_id))
    for layout in LAYOUTS[: some(20, 10)]:
        path = tmp_path / f"{layout.name.replace(' ', '-')}.csv{'.gz' if layout.packed else ''}"
        path.write_bytes(text_of(layout, truth))
        name = path.name.removesuffix(".gz").removesuffix(".csv")
        rides.import_file(path)
        qtbot.waitUntil(lambda name=name: rides.mapping or desk.ride.cleaned.name == name)
        if rides.mapping:  # the exchange form, and columns known from an earlier log, are taken at once
            click(qtbot, demo_window.act_button)
        qtbot.waitUntil(lambda name=name: desk.ride.cleaned.name == name)
        channels = {DERIVED.get(one[0], one[0]) for one in layout.columns} & set(CHANNELS)
        assert agrees(desk.ride.recorded, truth, channels, layout.tolerance) == {}, layout.name
    assert len(desk.garage.rides.of(desk.bike_id)) == before + some(20, 10)


def test_a_column_set_by_hand_is_remembered_for_its_source(qtbot, demo_window, rides, tmp_path):
    layout = Layout("strange", [C("wheel_speed_kmh", "A1", 1 / 1.609344), C("pack_v", "B2"), C("battery_a", "C3")])
    path = tmp_path / "one.csv"
    path.write_bytes(text_of(layout, true_ride(4)))
    open_log(qtbot, rides, path)
    for name, channel in (("A1", "speed, wheel"), ("B2", "pack voltage"), ("C3", "battery current")):
        box = find(demo_window, f"channel of {name}", QComboBox)
        box.setCurrentText(channel)
        box.activated.emit(box.currentIndex())
    unit = find(demo_window, "unit of A1", QComboBox)
    unit.setCurrentText("mph")
    unit.activated.emit(unit.currentIndex())
    qtbot.waitUntil(lambda: "set by hand" in texts(rides.panel) and demo_window.settled)
    qtbot.keyClick(demo_window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    desk = demo_window.desk
    qtbot.waitUntil(lambda: desk.ride.cleaned.name == "one")
    assert desk.ride.cleaned.get("wheel_speed_kmh") == pytest.approx(true_ride(4)["wheel_speed_kmh"], abs=0.02)
    again = tmp_path / "two.csv"
    again.write_bytes(text_of(layout, true_ride(5)))
    rides.import_file(again)
    qtbot.waitUntil(lambda: desk.ride.cleaned.name == "two")  # at once, with no panel
    assert desk.ride.cleaned.get("pack_v") == pytest.approx(true_ride(5)["pack_v"], abs=0.01)


def test_a_log_can_be_left_and_columns_without_a_time_are_refused(qtbot, demo_window, rides, tmp_path):
    path = tmp_path / "no-time.csv"
    path.write_text("Speed (km/h),Volt (V)\n" + "\n".join(f"{20 + k % 3},{50 - k % 2}" for k in range(20)))
    open_log(qtbot, rides, path)
    click(qtbot, demo_window.act_button)
    qtbot.waitUntil(lambda: "no column could be a time" in demo_window.notice.text)
    assert rides.mapping
    click(qtbot, find(demo_window, "Discard this log"))
    assert not rides.mapping and demo_window.desk.ride.cleaned.name == "Bakery round"


def test_a_gps_track_is_joined_and_the_whole_exported(qtbot, demo_window, rides, tmp_path):
    desk, truth = demo_window.desk, true_ride(6, rows=900)
    names = ("wheel_speed_kmh", "pack_v", "battery_a")
    write_ride(Ride("a", truth["time_s"], {name: truth[name] for name in names}), tmp_path / "log.csv")
    late = truth["time_s"] >= 25
    track = {name: truth[name][late] for name in ("lat_deg", "lon_deg", "altitude_m")}
    write_ride(Ride("b", truth["time_s"][late] - 25, track), tmp_path / "watch.gpx")
    rides.import_file(tmp_path / "log.csv")
    qtbot.waitUntil(lambda: desk.ride.cleaned.name == "log")
    rides.join_file(tmp_path / "watch.gpx")
    qtbot.waitUntil(lambda: desk.ride.cleaned.name == "log, joined")
    assert (
        "joined at a shift of +25" in demo_window.notice.text or "joined at a shift of +24" in demo_window.notice.text
    )
    assert np.nanmax(np.abs(desk.ride.cleaned.get("altitude_m") - truth["altitude_m"])) < 2
    rides.export_file(tmp_path / "out.parquet")
    assert read_ride(tmp_path / "out.parquet").ride.get("pack_v") == pytest.approx(truth["pack_v"])
    rides.export_file(tmp_path / "out.abc")
    assert "no writer" in demo_window.notice.text
    (tmp_path / "other.csv").write_text(
        "time_s,wheel_speed_kmh\n" + "\n".join(f"{k},{20 + 9 * (k % 5 == 0)}" for k in range(200))
    )
    rides.join_file(tmp_path / "other.csv")
    qtbot.waitUntil(lambda: "do not fit anywhere" in demo_window.notice.text)


def test_a_clock_that_was_set_is_mended_or_left_by_choice(qtbot, demo_window, rides, tmp_path):
    """The second half was written with a clock set back: mended all rows count, left as it is those that lie behind do not."""
    rows = ["Zeit (s);Speed (km/h);Voltage (V)"]
    rows += [
        f"{1000 + at * 0.5 - (300 if at >= 400 else 0):.1f};{20 + at % 7};{60 - at / 500:.2f}" for at in range(800)
    ]
    path = tmp_path / "set clock.csv"
    path.write_text("\n".join(rows))
    lengths = []
    for mended in (True, False):
        open_log(qtbot, rides, path)
        assert "was set back by 300 s" in texts(rides.panel) and "Unticked, rows that lie behind are left out" in texts(
            rides.panel
        )
        if rides.panel.steady.isChecked() != mended:
            click(qtbot, find(demo_window, "fix the timestamps"))
        rides.take_mapped()
        lengths.append((len(demo_window.desk.ride.cleaned), float(demo_window.desk.ride.cleaned.time_s[-1])))
    assert lengths[0] == (800, 399.5) and 400 <= lengths[1][0] < 800 and lengths[1][1] < 399


def test_long_rides_are_drawn_by_their_extremes(qtbot, demo_window, rides):
    desk, time = demo_window.desk, np.arange(300_000) * 0.1
    channels = {name: np.sin(time / 50) * 10 + 20 for name in ("wheel_speed_kmh", "pack_v", "battery_a")}
    channels["pack_v"] = channels["pack_v"].copy()
    channels["pack_v"][123_456:123_460] = 48.0  # longer than a spike
    assert set(channels) <= set(CHANNELS)
    desk.ride.take(Ride("long", time, channels), [])
    curve = rides.traces._curves[1][0]
    assert len(curve.xData) < 5_000 and np.nanmax(curve.yData) == 48.0
    rides.traces._plots[0].setXRange(12_340, 12_350, padding=0)
    assert len(curve.xData) < 400 and np.nanmax(curve.yData) == 48.0


@pytest.mark.long
def test_a_ride_is_recorded_from_the_link_with_laps_notes_and_card(qtbot, demo_window, standin):
    window, desk = demo_window, demo_window.desk
    beside(window, standin)
    connect(qtbot, window, standin.port)
    go(qtbot, window, 6)
    bar = window.stations["rides"].recording
    click(qtbot, find(window, "Rides Record"))
    bar.fields["tyres"].setText("3.5 bar")
    click(qtbot, window.act_button)
    qtbot.waitUntil(lambda: "waits for the first movement" in texts(bar))
    standin.do("wheel-up 0")
    standin.do("throttle 0.8")
    qtbot.waitUntil(lambda: bar.recorder is not None and bar.recorder.rows > 30)
    qtbot.keyClick(window, Qt.Key.Key_F2)
    qtbot.keyClick(window, Qt.Key.Key_F3)
    pressed_s = bar.recorder.lasts_s
    qtbot.keyClicks(bar.note, "gate of the mill")
    qtbot.keyClick(bar.note, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: bar.recorder.rows > 60)
    standin.do("throttle 0")
    click(qtbot, window.act_button)
    qtbot.waitUntil(lambda: desk.ride.cleaned is not None and desk.ride.cleaned.name.startswith("Recorded "))
    assert (
        np.nanmax(desk.ride.cleaned.get("wheel_speed_kmh")) > 2
        and desk.ride.cleaned.has("battery_a")
        and desk.ride.tune is not None
    )
    entry = next(one for one in desk.garage.book.of(desk.bike_id) if one.kind == "ride")
    noted_s = float(entry.detail.split("note at ")[1].split(" s")[0])
    assert noted_s <= pressed_s + 0.6  # it counts from the key, not from when it was typed
    assert "lap at" in entry.detail and "gate of the mill" in entry.detail and "tyres 3.5 bar" in entry.detail
    assert bar.left() == []


def test_a_recording_left_behind_by_a_crash_is_offered(qtbot, demo_window, rides):
    desk, folder = demo_window.desk, rides.recording.folder
    recorder = Recorder(folder / f"Recorded 2026-11-01 10-00-00{ENDING}")
    for step in range(400):
        recorder.take(step / 50, {"wheel_speed_kmh": 20.0, "pack_v": 60 - step / 100})
    recorder._file.close()  # what a crash does
    rides._show()
    click(qtbot, find(demo_window, "Import a recording that was not finished"))
    qtbot.waitUntil(lambda: desk.ride.cleaned.name == "Recorded 2026-11-01 10-00-00")
    assert desk.ride.cleaned.time_s[-1] > 6 and rides.recording.left() == []


def test_beside_the_traces_stand_track_histogram_and_the_figures_of_what_is_in_view(qtbot, demo_window, rides):
    desk, truth = demo_window.desk, true_ride(8, rows=1200)
    desk.ride.take(
        Ride("lake", truth["time_s"], {name: values for name, values in truth.items() if name in CHANNELS}), []
    )
    side = rides.beside.pictures
    qtbot.waitUntil(lambda: side.track.isVisible())
    side.channel.setCurrentText("pack voltage")
    side.channel.activated.emit(side.channel.currentIndex())
    assert (
        "darker where pack voltage" in side.track.accessibleName()
        and "histogram: most at" in side.bars.accessibleName()
    )
    rides.traces._plots[0].setXRange(100, 200, padding=0)
    inside = truth["pack_v"][(truth["time_s"] >= 100) & (truth["time_s"] < 200)]
    qtbot.waitUntil(lambda: side.figures.text().startswith("1:40 to 3:20"))
    assert f"{inside.min():.4g} to {inside.max():.4g} V" in side.figures.text()
    desk.switch_units()
    side.channel.setCurrentText("motor temperature")
    side.channel.activated.emit(side.channel.currentIndex())
    assert "°F" in side.figures.text() and "°F" in side.bars._unit


@pytest.mark.long
def test_what_is_worked_out_is_shown_besides_and_leaves_the_view_where_it_was(qtbot, demo_window, rides):
    desk, side, traces = demo_window.desk, rides.beside.pictures, rides.traces
    lines, ride = len(traces.channels), desk.ride.cleaned
    traces._plots[0].setXRange(100, 300, padding=0)
    traces.setFocus()
    qtbot.keyClick(traces, Qt.Key.Key_Right)
    at, view = traces.at_s, traces.in_view
    side.channel.setFocus()
    qtbot.keyClicks(side.channel, "electric power")  # a list is typed in
    qtbot.keyClick(side.channel, Qt.Key.Key_Return)
    side.channel.activated.emit(side.channel.currentIndex())
    assert traces.channels[lines:] == ["battery_w"] and traces.in_view == pytest.approx(view) and traces.at_s == at
    row = int(np.argmin(np.abs(ride.time_s - at)))
    watts = ride.get("pack_v")[row] * ride.get("battery_a")[row]
    assert f"electric {watts:.0f} W" in traces.values_at_cursor()
    inside = (ride.time_s >= view[0]) & (ride.time_s < view[1])
    assert f"to {np.nanmax((ride.get('pack_v') * ride.get('battery_a'))[inside]):.4g} W" in side.figures.text()
    demo_window.desk.switch_units()  # all is drawn anew, the channel stays
    assert traces.channels[lines:] == ["battery_w"] and len(traces._plots) == lines + 1
    side.channel.setCurrentText("speed, wheel")
    side.channel.activated.emit(side.channel.currentIndex())
    assert len(traces.channels) == lines
    side.channel.setCurrentText("power on the road, estimated")
    side.channel.activated.emit(side.channel.currentIndex())
    light, bike = traces.values_at_cursor(), desk.bike
    heavier = bike.chassis.model_copy(update={"cargo_kg": bike.chassis.cargo_kg + 60})
    desk.active.change(bike.model_copy(update={"chassis": heavier}), "a heavier load")
    assert traces.values_at_cursor() != light  # it is worked out for the bike as it is now
    demo_window.switch_theme()
    QApplication.processEvents()
    assert traces._plots[0].getViewBox().width() > 0.8 * traces.width()  # drawn anew as wide as before
