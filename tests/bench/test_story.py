"""The whole story of a change through the real window: a ride finds it, it is sent and proved, a second ride shows it, and all of it goes
into another garage."""

import numpy as np
import pytest
from PyQt6.QtWidgets import QComboBox, QPushButton

from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.garage.garage import Garage
from crisp_hornet.link.report import Outcome
from crisp_hornet.rides.exchange import write_csv
from tests.bench.driving import click, find, go, texts
from tests.bench.linking import beside, connect, send_and_wait
from tests.bench.test_looking import choose
from tests.garage.test_archive import alike, story

BATTERY = "drive.battery_current_a"


def test_ride_finding_draft_send_second_ride_compare_report_export_import(
    qtbot, tmp_path, own_demo_garage, open_window, standin
):
    window = open_window(own_demo_garage, standin.port)
    beside(window, standin)
    desk = window.desk

    # a ride is there; its finding goes into the draft
    go(qtbot, window, 7)
    click(qtbot, find(window, "Draft the change of battery_a-reached"))
    assert desk.draft.tune.setting(BATTERY) == 33

    # sent and proved
    connect(qtbot, window, standin.port)
    report = send_and_wait(qtbot, window, keep=True)
    assert report.outcome is Outcome.PROVED and standin.shows(BATTERY) == ("33.0", "33.0")

    # the second ride, on what was sent: imported through the window, with less used
    first = desk.ride.cleaned
    second = Ride(
        "after",
        first.time_s,
        first.channels | {"battery_a": first.get("battery_a") * 0.86, "phase_a": first.get("phase_a") * 0.9},
    )
    write_csv(second, tmp_path / "after.csv")
    go(qtbot, window, 6)
    window.stations["rides"].import_file(tmp_path / "after.csv")
    qtbot.waitUntil(lambda: desk.ride.cleaned is not None and desk.ride.cleaned.name == "after")
    assert desk.ride.tune.setting(BATTERY) == 33

    # compared, and reported
    go(qtbot, window, 7)
    choose(find(window, "compare the ride with", QComboBox), "the ride Bakery round")
    page = window.stations["verdict"]
    qtbot.waitUntil(lambda: "% less per km than the other" in page.against.told.text())
    page.save_report(tmp_path / "report.pdf")
    assert (tmp_path / "report.pdf").read_bytes().startswith(b"%PDF")

    # the logbook holds it, filtered too; the earlier tune can be drafted again
    go(qtbot, window, 8)
    book = window.stations["logbook"]
    qtbot.waitUntil(lambda: "Into the draft: battery current" in texts(book))
    click(qtbot, find(window, "logbook tunes"))
    qtbot.waitUntil(lambda: "Ride imported: after" not in texts(book) and "Sent with proof" in texts(book))
    assert "on the bike: " in texts(book)
    sent = desk.draft.tune
    desk.draft.change(BATTERY, 20.0)
    click(qtbot, find(window, "Draft On Weir 60" if "Draft On Weir 60" in texts(window) else "Draft "))
    assert desk.draft.tune.setting(BATTERY) == sent.setting(BATTERY) == 33

    # out of this garage, into an empty one
    book.export_bike(tmp_path / "heron.zip")
    qtbot.waitUntil(lambda: (tmp_path / "heron.zip").exists() and "Written with tunes" in window.notice.text)
    told = story(desk.garage, desk.bike_id)
    open_window.close(window)
    other = open_window(Garage(tmp_path / "empty"))
    go(qtbot, other, 8)
    other.stations["logbook"].import_bike(tmp_path / "heron.zip")
    qtbot.waitUntil(lambda: "is here with its whole story" in other.notice.text)
    assert other.desk.bike.name == "Heron" and np.nanmax(other.desk.ride.cleaned.get("wheel_speed_kmh")) > 40
    alike(told, story(other.desk.garage, other.desk.bike_id))


def test_an_archive_that_is_none_is_told(qtbot, empty_window, tmp_path):
    go(qtbot, empty_window, 8)
    (tmp_path / "text.zip").write_text("nothing")
    empty_window.stations["logbook"].import_bike(tmp_path / "text.zip")
    qtbot.waitUntil(lambda: "not an archive of a bike" in empty_window.notice.text)
    assert empty_window.desk.bike is None


def test_a_picture_is_attached_to_a_note_and_shown(qtbot, demo_window, tmp_path):
    go(qtbot, demo_window, 8)
    book = demo_window.stations["logbook"]
    demo_window.grab().scaledToWidth(400).save(str(tmp_path / "plug.png"))
    book.note.setText("the new plug, crimped")
    book.attach(tmp_path / "plug.png")
    qtbot.waitUntil(lambda: "attached picture" in texts(book) and "the new plug, crimped" in texts(book))
    assert find(demo_window, "Open the attached png") and book.note.text() == ""
    kept = demo_window.desk.garage.book.of(demo_window.desk.bike_id)[0].file
    assert kept.read_bytes() == (tmp_path / "plug.png").read_bytes() and kept.parent.name == "attachments"
    kept.unlink()
    book._read()
    qtbot.waitUntil(lambda: "the attached file is gone" in texts(book))
    (tmp_path / "run.sh").write_text("#!")
    book.attach(tmp_path / "run.sh")
    assert ".sh is not attached" in demo_window.notice.text
    book.attach(tmp_path / "none.png")
    assert "no such file" in demo_window.notice.text


def test_tunes_stand_in_their_family_with_what_each_step_did(qtbot, demo_window):
    desk = demo_window.desk
    first = desk.held.tune
    stronger = first.with_setting("drive.battery_current_a", 36.0)
    gentle = first.with_setting("throttle.ramp_s", 0.9).model_copy(update={"name": "Gentle"})
    for tune in (first, stronger, gentle):
        desk.garage.tunes.keep_sent(desk.bike_id, tune)
    desk.held._sent = None
    go(qtbot, demo_window, 8)
    book = demo_window.stations["logbook"]
    click(qtbot, find(demo_window, "logbook tunes by family"))
    qtbot.waitUntil(lambda: "the first that was sent" in texts(book.family))
    told = texts(book.family)
    assert "battery current 30 A to 36 A" in told and "km/h (before " in told
    assert "Gentle, from " in told and "throttle ramp-up 0.4 s to 0.9 s" in told and "no predicted figure moved" in told
    again = next(one for one in book.family.findChildren(QPushButton) if "Gentle" in one.accessibleName())
    click(qtbot, again)
    assert desk.draft.tune.throttle.ramp_s == 0.9 and desk.draft.tune.name == "Gentle"


@pytest.mark.long
@pytest.mark.parametrize("kind", ["tunes", "rides", "bike", "contacts", "notes"])
def test_the_logbook_is_filtered_by_kind(qtbot, demo_window, kind):
    go(qtbot, demo_window, 8)
    book = demo_window.stations["logbook"]
    click(qtbot, find(demo_window, f"logbook {kind}"))
    qtbot.waitUntil(lambda: book.kinds.words[book.kinds.at] == kind)
    shown = {
        "rides": "Ride imported: Bakery round",
        "notes": "Customer: too slow",
        "bike": "Heron taken in",
        "tunes": "Backup of Weir 60 kept",
    }
    if kind in shown:
        qtbot.waitUntil(lambda: shown[kind] in texts(book))
    assert not any(words in texts(book) for other, words in shown.items() if other != kind)
