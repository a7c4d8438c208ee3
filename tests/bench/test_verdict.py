"""The Verdict station in the real window: estimates learned and forgotten, changes into the draft, the report."""

import numpy as np
import pytest
from PyQt6.QtGui import QTextDocument
from PyQt6.QtPdf import QPdfDocument
from PyQt6.QtWidgets import QComboBox

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.demo import DRAFT, FACTORY, HERON, ROUND
from crisp_hornet.documents import store
from crisp_hornet.documents.customer import Customer
from crisp_hornet.documents.ride_card import RideCard
from crisp_hornet.rides.registry import read_ride
from tests.bench.driving import click, find, go, texts
from tests.bench.test_every_text import METRIC
from tests.bench.test_looking import choose

WHEEL = "drivetrain.wheel_circumference_m"


@pytest.fixture
def verdict(qtbot, demo_window):
    go(qtbot, demo_window, 7)
    return demo_window.stations["verdict"]


@pytest.mark.long
def test_a_wheel_is_learned_shown_in_all_speeds_forgotten_and_undone(qtbot, demo_window, verdict):
    desk = demo_window.desk
    fastest = desk.ride.cleaned.get("wheel_speed_kmh").max()
    click(qtbot, find(demo_window, "verdict Estimates"))
    assert "1.636 m" in texts(verdict) and "1.59 m" in texts(verdict)
    click(qtbot, find(demo_window, "Learn wheel circumference"))
    assert desk.bike.figure(WHEEL) == pytest.approx(1.636, abs=0.001) and desk.bike.sources[WHEEL].origin == "learned"
    assert desk.ride.cleaned.get("wheel_speed_kmh").max() == pytest.approx(fastest * 1.636 / 1.59, rel=1e-3)
    qtbot.waitUntil(lambda: "learned from 1 ride" in texts(verdict))
    assert "wheel-off" not in {one.id for one in verdict.found}
    assert verdict.verdict.circumference_m.value == pytest.approx(1.636, abs=0.001)  # not stretched once more
    assert any(entry.title.startswith(WHEEL) for entry in desk.garage.book.of(desk.bike_id))
    click(qtbot, find(demo_window, "Forget what this ride says of wheel"))
    assert desk.bike.figure(WHEEL) == pytest.approx(1.59) and desk.ride.cleaned.get(
        "wheel_speed_kmh"
    ).max() == pytest.approx(fastest)
    desk.undo_stack.undo()
    assert desk.bike.figure(WHEEL) == pytest.approx(1.636, abs=0.001)


def test_a_findings_change_goes_into_the_draft_with_its_ride_and_can_be_undone(qtbot, demo_window, verdict):
    desk = demo_window.desk
    before = desk.draft.tune.drive.battery_current_a
    click(qtbot, find(demo_window, "Draft the change of battery_a-reached"))
    assert (
        desk.draft.tune.drive.battery_current_a == 33 and "Into the draft: battery current" in demo_window.notice.text
    )
    entry = desk.garage.book.of(desk.bike_id)[0]
    assert "battery current" in entry.title and "By the ride Bakery round" in entry.detail
    click(qtbot, find(demo_window, "Draft the change of battery_a-reached"))
    assert "The draft has it already" in demo_window.notice.text
    desk.undo_stack.undo()
    assert desk.draft.tune.drive.battery_current_a == before


@pytest.mark.long
def test_a_finding_is_learned_from_its_card(qtbot, demo_window, verdict):
    click(qtbot, find(demo_window, "Learn from wheel-off"))
    assert demo_window.desk.bike.sources[WHEEL].origin == "learned"


def test_the_report_stands_alone(qtbot, demo_window, verdict, tmp_path):
    desk = demo_window.desk
    desk.garage.customers.keep(Customer(name="Orla Fenwick"))
    card = desk.ride.card.model_copy(update={"purpose": "as Orla Fenwick asked, beside Thistle"})
    desk.ride.keep_card(card)
    verdict.save_report(tmp_path / "r.html")
    html = (tmp_path / "r.html").read_text()
    for words in (
        "Heron",
        "Bakery round",
        "1.636 m",
        "battery peak",
        "The speed shown is 2.8 % too low",
        "data:image/png;base64",
        "local code",
        "as another customer asked, beside another bike",
    ):
        assert words in html, words
    assert "Orla" not in html and "Thistle" not in html
    assert "http" not in html.replace("https://www.w3.org", "")
    demo_window.desk.switch_units()
    verdict.save_report(tmp_path / "miles.html")
    document = QTextDocument()
    document.setHtml((tmp_path / "miles.html").read_text())
    assert METRIC.findall(document.toPlainText()) == [] and "Wh/mi" in document.toPlainText()
    demo_window.desk.switch_units()
    demo_window.switch_theme()
    verdict.save_report(tmp_path / "dark.html")
    document = QTextDocument()
    document.setHtml((tmp_path / "dark.html").read_text())
    assert "Findings" in document.toPlainText()
    verdict.save_report(tmp_path / "r.pdf")
    printed = QPdfDocument(None)
    printed.load(str(tmp_path / "r.pdf"))
    assert (
        printed.pageCount() <= 2
        and html.count("data:image/png") == 2 + html.count('<img width="11"')
        and "energy along the route" in html
    )
    laid_against(demo_window, "its prediction")
    qtbot.waitUntil(lambda: verdict.charts.against is not None)
    verdict.save_report(tmp_path / "against.html")
    assert "Compared with its prediction" in (tmp_path / "against.html").read_text()
    verdict.save_report(tmp_path / "no" / "r.pdf")
    assert "r.pdf" in demo_window.notice.text and "Written" not in demo_window.notice.text


def laid_against(window, words):
    box = find(window, "compare the ride with", QComboBox)
    choose(box, next(box.itemText(at) for at in range(box.count()) if words in box.itemText(at)))


@pytest.mark.long
def test_two_rounds_are_compared_and_it_is_said_what_can_be_shown(qtbot, demo_window, verdict):
    desk, told = demo_window.desk, verdict.against.told
    saving = Ride(
        "thrifty",
        desk.ride.cleaned.time_s,
        desk.ride.cleaned.channels | {"battery_a": desk.ride.cleaned.get("battery_a") * 0.8},
    )
    desk.ride.take(saving, [])
    desk.ride.keep_card(RideCard(air="19 °C", wind="calm", load="40 kg of bread"))
    laid_against(demo_window, "the ride Bakery round")
    qtbot.waitUntil(lambda: "% less per km than the other" in told.text())
    assert told.text().startswith("19 ± 3 %") and "This day: 19 °C, no wind; the other: 14 °C" in told.text()
    qtbot.waitUntil(lambda: "consumption as ridden" in texts(verdict.differences))
    shown = texts(verdict.differences)
    assert "consumption, same road, pace, load and day" in shown and "battery current, peak" in shown
    assert shown.index("consumption, same road") < shown.index("no difference can be shown")
    same = Ride("again", desk.ride.cleaned.time_s, desk.ride.recorded.channels)
    desk.ride.take(same, [])
    laid_against(demo_window, "the ride thrifty")
    qtbot.waitUntil(lambda: "No difference in consumption can be shown" in told.text())


@pytest.mark.long
def test_a_ride_is_laid_along_its_prediction_and_a_tune_against_another(qtbot, demo_window, verdict):
    laid_against(demo_window, "its prediction")
    qtbot.waitUntil(lambda: "While driving it used 17 ± 3 % more" in verdict.against.told.text())
    qtbot.waitUntil(lambda: "on 2 to 5 %" in texts(verdict.differences))
    click(qtbot, find(demo_window, "verdict Along the route"))
    lines = {one.name: one for one in verdict.charts.plain.picture.lines}
    assert set(lines) == {"measured", "predicted"}
    above = lines["measured"].y > lines["predicted"].y
    assert np.nanmax(lines["measured"].y) > 60 and above.mean() > 0.8
    laid_against(demo_window, "its tune: the draft")
    qtbot.waitUntil(lambda: "settings apart" in verdict.against.told.text())
    qtbot.waitUntil(lambda: "0 to 25 km/h" in texts(verdict.differences))
    assert verdict.chart.also[0] == "the draft"
    laid_against(demo_window, "none")
    assert verdict.against.told.text() == "" and verdict.chart.also is None
    qtbot.waitUntil(lambda: "Choose above" in texts(verdict.differences))


@pytest.mark.long
def test_pulls_become_a_dyno_chart_with_a_band_before_and_after(qtbot, demo_window, verdict):
    desk = demo_window.desk
    weaker = Ride("before", desk.ride.cleaned.time_s * 1.3, desk.ride.cleaned.channels)
    desk.ride.take(weaker, [])
    desk.ride.open(next(one for one in desk.garage.rides.of(desk.bike_id) if one.name == "Bakery round"))
    laid_against(demo_window, "the ride before")
    qtbot.waitUntil(lambda: "power at the wheel, full throttle" in texts(verdict.differences))
    click(qtbot, find(demo_window, "verdict Dyno"))
    picture = verdict.charts.plain.picture
    named = {one.name: one for one in picture.lines}
    assert set(named) == {"measured, 4 pulls", "before", "predicted"} and len(picture.bands) == 1
    at_40 = [float(np.interp(40, one.x, one.y)) for one in (named["measured, 4 pulls"], named["before"])]
    assert 1350 < at_40[0] < 1600 and at_40[1] < 0.96 * at_40[0]
    verdict.charts.kg.setText("a lot")
    verdict.charts.kg.editingFinished.emit()
    assert "1 to 2000 kg is needed" in texts(verdict.charts)
    verdict.charts.kg.setText("80")
    verdict.charts.kg.editingFinished.emit()
    on_a_stand = {one.name: one for one in verdict.charts.plain.picture.lines}["measured, 4 pulls"]
    assert float(np.interp(40, on_a_stand.x, on_a_stand.y)) < 0.6 * at_40[0]  # 80 kg at the tyre, not the whole bike


@pytest.mark.long
def test_a_long_ride_is_judged_beside_the_window(qtbot, demo_window, verdict):
    desk = demo_window.desk
    ride = desk.ride.cleaned
    times = 12
    long = np.concatenate([ride.time_s + k * (ride.time_s[-1] + 0.2) for k in range(times)])
    desk.ride.take(Ride("long", long, {name: np.tile(values, times) for name, values in ride.channels.items()}), [])
    assert verdict.verdict is None and "analysing" in texts(verdict)
    qtbot.waitUntil(lambda: verdict.verdict is not None)
    assert "wheel-off" in {one.id for one in verdict.found} and "being judged" not in texts(verdict)
    desk.ride.open(next(one for one in desk.garage.rides.of(desk.bike_id) if one.name == "long"))
    desk.ride.open(next(one for one in desk.garage.rides.of(desk.bike_id) if one.name == "Bakery round"))
    assert verdict.verdict is not None and "Bakery round" in texts(verdict)  # the long one's answer comes too late
    qtbot.waitUntil(lambda: not verdict._judging.running)
    assert "Bakery round" in texts(verdict)


def test_without_a_ride_nothing_is_offered(qtbot, empty_window):
    go(qtbot, empty_window, 7)
    page = empty_window.stations["verdict"]
    assert page.verdict is None and "No ride to analyse" in texts(page)
    page.save_report(None)  # nothing to report, nothing happens
    assert "Report" not in texts(page)


def test_a_ride_without_contact_is_judged_on_the_tune_its_rider_names(qtbot, empty_window, tmp_path):
    window, desk = empty_window, empty_window.desk
    desk.open_bike(store.read_bike(HERON))
    desk.ride.take(read_ride(ROUND).ride, [])
    go(qtbot, window, "verdict")
    page = window.stations["verdict"]
    assert page.verdict is None and "Which tune was it ridden on" in page._about.text() and page.ridden_on.isVisible()
    (tmp_path / "none.json").write_text("{}")
    page.ridden_on.read(tmp_path / "none.json")
    assert page.verdict is None and "none.json" in window.notice.text
    page.ridden_on.read(FACTORY)
    qtbot.waitUntil(lambda: page.verdict is not None)
    told = page.verdict.resistance_ohm
    assert told.known and "as entered: " in page._title.toolTip()
    assert desk.ride.kept()[0].tune.name.startswith("as entered: ")
    desk.draft.set(store.read_tune(DRAFT))
    page.ridden_on.refresh()
    page.ridden_on.take()  # another one: the page asks as long as only its rider has told
    assert "as entered: " in desk.ride.tune.name and desk.ride.tune.drive.battery_current_a == 36
    desk.active.undo_stack.undo()
    assert desk.ride.tune.drive.battery_current_a == 30
    desk.active.undo_stack.undo()
    assert desk.ride.tune is None and page.verdict is None


@pytest.mark.long
def test_three_typed_figures_will_do_and_what_is_not_known_widens_the_prediction(qtbot, empty_window):
    window, desk = empty_window, empty_window.desk
    desk.open_bike(store.read_bike(HERON))
    desk.ride.take(read_ride(ROUND).ride, [])
    go(qtbot, window, "verdict")
    page = window.stations["verdict"]
    click(qtbot, find(window, "Type what is known of the tune"))
    click(qtbot, find(window, "Use the typed figures"))
    assert "Enter at least one figure" in window.notice.text and page.verdict is None
    battery, phase, cutoff = page.ridden_on.fields.values()
    battery.setText("thirty")
    click(qtbot, find(window, "Use the typed figures"))
    assert page.verdict is None and battery.toolTip()
    battery.setText("30")
    click(qtbot, find(window, "Use the typed figures"))
    qtbot.waitUntil(lambda: page.verdict is not None)
    assert desk.ride.tune.drive.battery_current_a == 30 and desk.ride.tune.name == "as entered: figures 30"
    wide = page.chart.band
    told = {peak.channel: peak.limit for peak in page.peaks}
    assert told["battery_a"] == 30 and told["phase_a"] is None and told["motor_c"] is None  # nobody knows these limits
    assert not {"phase_a-reached", "phase_a-not-reached", "motor_c-room"} & {one.id for one in page.found}
    phase.setText("90")
    cutoff.setText("50")
    click(qtbot, find(window, "Use the typed figures"))
    qtbot.waitUntil(lambda: desk.ride.tune.drive.phase_current_a == 90 and page.chart.band is not wide)
    slow = wide.speed_kmh < 20
    assert (wide.high_n - wide.low_n)[slow].mean() > 1.3 * (page.chart.band.high_n - page.chart.band.low_n)[slow].mean()


@pytest.mark.long
def test_figures_over_time_and_the_run_that_would_teach_most(qtbot, demo_window, verdict):
    desk = demo_window.desk
    click(qtbot, find(demo_window, "verdict Over time"))
    qtbot.waitUntil(lambda: not verdict.life.reading and bool(verdict.life.courses))
    qtbot.waitUntil(lambda: "pack resistance at 25" in texts(verdict.life))  # it comes into view a moment later
    shown = texts(verdict.life)
    assert "2 rides, all on one day" in shown
    click(qtbot, find(demo_window, "verdict Estimates"))
    qtbot.waitUntil(lambda: "every energy figure" in texts(verdict.teaching))
    click(qtbot, find(demo_window, "Current against a clamp meter"))
    assert (
        demo_window.current == "calibrate" and demo_window.stations["calibrate"].view.instrument.kind == "current gain"
    )
    go(qtbot, demo_window, "verdict")
    click(qtbot, find(demo_window, "Coast-down both ways"))
    assert (
        demo_window.current == "rides"
        and demo_window.stations["rides"].recording.programme.currentText() == "Coast-down both ways"
    )
    desk.open_bike(desk.bike.model_copy(update={"name": "Another"}))
    go(qtbot, demo_window, "verdict")
    click(qtbot, find(demo_window, "verdict Over time"))
    qtbot.waitUntil(lambda: "It takes two rides" in texts(verdict.life))


def test_a_guessed_figure_says_which_run_would_tell_it(qtbot, demo_window):
    go(qtbot, demo_window, "build")
    page = demo_window.stations["build"]
    page.choose("chassis.crr")
    qtbot.waitUntil(lambda: page._entry.taught.isVisible())
    assert "Coast-down both ways" in texts(page._entry) and "→" in texts(page._entry)
    click(qtbot, find(demo_window, "Start the run: Coast-down"))
    assert demo_window.current == "rides"
    go(qtbot, demo_window, "build")
    page.choose("motor.flux_linkage_wb")  # measured: nothing is offered
    assert not page._entry.taught.isVisible()
