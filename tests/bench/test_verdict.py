"""The Verdict station in the real window: estimates learned and forgotten, changes into the draft, the report."""

import numpy as np
import pytest
from PyQt6.QtGui import QTextDocument
from PyQt6.QtWidgets import QComboBox

from crisp_hornet.core.evidence.channels import Ride
from tests.bench.driving import click, find, go, texts
from tests.bench.test_looking import choose

WHEEL = "drivetrain.wheel_circumference_m"


@pytest.fixture
def verdict(qtbot, demo_window):
    go(qtbot, demo_window, 7)
    return demo_window.stations[7]


def test_a_wheel_is_learned_shown_in_all_speeds_forgotten_and_undone(qtbot, demo_window, verdict):
    desk = demo_window.desk
    fastest = desk.ride.get("wheel_speed_kmh").max()
    click(qtbot, find(demo_window, "verdict what it says"))
    assert "1.636 m" in texts(verdict) and "bike document 1.59 m" in texts(verdict)
    click(qtbot, find(demo_window, "Learn wheel, rolled"))
    assert desk.bike.figure(WHEEL) == pytest.approx(1.636, abs=0.001) and desk.bike.sources[WHEEL].origin == "learned"
    assert desk.ride.get("wheel_speed_kmh").max() == pytest.approx(fastest * 1.636 / 1.59, rel=1e-3)
    qtbot.waitUntil(lambda: "learned from 1 ride" in texts(verdict))
    assert "wheel-off" not in {one.id for one in verdict.found}
    assert verdict.verdict.circumference_m.value == pytest.approx(1.636, abs=0.001)  # not stretched once more
    assert any(entry.title.startswith(WHEEL) for entry in desk.garage.logbook(desk.bike_id))
    click(qtbot, find(demo_window, "Forget what this ride says of wheel"))
    assert desk.bike.figure(WHEEL) == pytest.approx(1.59) and desk.ride.get("wheel_speed_kmh").max() == pytest.approx(
        fastest
    )
    desk.undo_stack.undo()
    assert desk.bike.figure(WHEEL) == pytest.approx(1.636, abs=0.001)


def test_a_findings_change_goes_into_the_draft_with_its_ride_and_can_be_undone(qtbot, demo_window, verdict):
    desk = demo_window.desk
    before = desk.draft.drive.battery_current_a
    click(qtbot, find(demo_window, "Take the change of battery_a-reached into the draft"))
    assert desk.draft.drive.battery_current_a == 33 and "Into the draft: battery current" in demo_window.notice.text
    entry = desk.garage.logbook(desk.bike_id)[0]
    assert "battery current" in entry.title and "By the ride Bakery round" in entry.detail
    click(qtbot, find(demo_window, "Take the change of battery_a-reached into the draft"))
    assert "The draft has it already" in demo_window.notice.text
    desk.undo_stack.undo()
    assert desk.draft.drive.battery_current_a == before


def test_a_finding_is_learned_from_its_card(qtbot, demo_window, verdict):
    click(qtbot, find(demo_window, "Learn from wheel-off"))
    assert demo_window.desk.bike.sources[WHEEL].origin == "learned"


def test_the_report_stands_alone(qtbot, demo_window, verdict, tmp_path):
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
    ):
        assert words in html, words
    assert "http" not in html.replace("https://www.w3.org", "")
    demo_window.switch_theme()
    verdict.save_report(tmp_path / "dark.html")
    document = QTextDocument()
    document.setHtml((tmp_path / "dark.html").read_text())
    assert "Findings" in document.toPlainText()
    verdict.save_report(tmp_path / "r.pdf")
    assert (tmp_path / "r.pdf").read_bytes().startswith(b"%PDF")
    verdict.save_report(tmp_path / "no" / "r.pdf")
    assert "r.pdf" in demo_window.notice.text and "Written" not in demo_window.notice.text


def test_two_rounds_are_compared_and_it_is_said_what_can_be_shown(qtbot, demo_window, verdict):
    desk = demo_window.desk
    assert not verdict.compared.isVisible()
    saving = Ride("thrifty", desk.ride.time_s, desk.ride.channels | {"battery_a": desk.ride.get("battery_a") * 0.8})
    desk.take_ride(saving, [])
    choose(find(demo_window, "ride to compare with", QComboBox), "compared with Bakery round")
    qtbot.waitUntil(lambda: "% less per km than the other" in verdict.compared.told.text(), timeout=8_000)
    assert verdict.compared.told.text().startswith("20 ± ")
    same = Ride("again", desk.ride.time_s, desk.raw_ride.channels)
    desk.take_ride(same, [])
    choose(find(demo_window, "ride to compare with", QComboBox), "compared with thrifty")
    qtbot.waitUntil(lambda: "No difference in consumption can be shown" in verdict.compared.told.text(), timeout=8_000)


def test_a_long_ride_is_judged_beside_the_window(qtbot, demo_window, verdict):
    desk = demo_window.desk
    ride = desk.ride
    times = 12
    long = np.concatenate([ride.time_s + k * (ride.time_s[-1] + 0.2) for k in range(times)])
    desk.take_ride(Ride("long", long, {name: np.tile(values, times) for name, values in ride.channels.items()}), [])
    assert verdict.verdict is None and "it is being judged" in texts(verdict)
    qtbot.waitUntil(lambda: verdict.verdict is not None, timeout=20_000)
    assert "wheel-off" in {one.id for one in verdict.found} and "being judged" not in texts(verdict)
    desk.open_ride(next(one for one in desk.garage.rides(desk.bike_id) if one.name == "long"))
    desk.open_ride(next(one for one in desk.garage.rides(desk.bike_id) if one.name == "Bakery round"))
    assert verdict.verdict is not None and "Bakery round" in texts(verdict)  # the long one's answer comes too late
    qtbot.waitUntil(lambda: not verdict._judging.running)
    assert "Bakery round" in texts(verdict)


def test_without_a_ride_nothing_is_offered(qtbot, empty_window):
    go(qtbot, empty_window, 7)
    page = empty_window.stations[7]
    assert page.verdict is None and "No ride to judge" in texts(page)
    page.save_report(None)  # nothing to report, nothing happens
    assert "Report" not in texts(page)
