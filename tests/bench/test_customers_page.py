"""Customers on the Logbook: named, handed a bike, asked, handed over, erased; the window goes on with what is left."""

import zipfile

from PyQt6.QtCore import Qt

from crisp_hornet.documents.customer import CALLED, POSITIONS
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.garage import erasing
from tests.bench.driving import click, find, go, press_keys, texts


def opened(qtbot, window):
    go(qtbot, window, "logbook")
    click(qtbot, find(window, "logbook customers"))
    return window.stations["logbook"].customers


def named(qtbot, window, view, name, contact=""):
    click(qtbot, find(window, "New customer"))
    assert view.name.hasFocus() and view.name.selectedText().startswith("New customer")
    qtbot.keyClicks(view.name, name)
    press_keys(qtbot, view.name, Qt.Key.Key_Tab)
    if contact:
        qtbot.keyClicks(view.contact, contact)
        press_keys(qtbot, view.contact, Qt.Key.Key_Return)
    assert (view.customer.name, view.customer.contact) == (name, contact)


def choose(chooser, words):
    chooser.setCurrentIndex(chooser.findText(words))
    chooser.activated.emit(chooser.currentIndex())


def test_a_customer_is_named_given_a_bike_asked_handed_over_and_erased(qtbot, demo_window, tmp_path):
    window, desk = demo_window, demo_window.desk
    view = opened(qtbot, window)
    assert view.customer is None and view.owner.currentText() == "the workshop's own"
    named(qtbot, window, view, "Orla Fenwick", "Ferry Lane 3")
    named(qtbot, window, view, "Piet Amsel")
    bike, rides = desk.bike.name, len(desk.ride.kept())
    choose(view.owner, "Orla Fenwick")
    assert view.customer.name == "Orla Fenwick" and f"Their bikes: {bike}" in texts(window)
    view.name.setText(" ")
    press_keys(qtbot, view.name, Qt.Key.Key_Return)
    assert "needs a name" in window.notice.text and view.customer.name == "Orla Fenwick"
    press_keys(qtbot, view.consents[CALLED], Qt.Key.Key_Space)
    assert view.customer.allows(CALLED) and "yes, " in texts(window) and texts(window).count("never asked") == 2
    assert "kept without where they went" in texts(window) and not desk.garage.rides.keeps_positions(desk.bike_id)
    press_keys(qtbot, view.consents[POSITIONS], Qt.Key.Key_Space)
    assert desk.garage.rides.keeps_positions(desk.bike_id) and "kept without where they went" not in texts(window)
    press_keys(qtbot, view.consents[POSITIONS], Qt.Key.Key_Space)
    click(qtbot, find(window, "Erase where they rode"))
    qtbot.waitUntil(lambda: "Where they rode is erased" in window.notice.text)
    assert not any(desk.ride.load(one).has("lat_deg") for one in desk.ride.kept())
    view.export(tmp_path / "orla.zip")
    qtbot.waitUntil(lambda: "with nothing of anybody else" in window.notice.text)
    with zipfile.ZipFile(tmp_path / "orla.zip") as packed:
        assert b"Ferry Lane 3" in packed.read("customer.json")
    # what goes is said, seen, and only then done
    click(qtbot, find(window, "Erase this customer"))
    assert not view.erasing.act.isEnabled() and "stay, without where they were ridden" in view.erasing.goes.text()
    press_keys(qtbot, view.erasing.whole, Qt.Key.Key_Space)
    assert f"1 bike with {rides} rides" in view.erasing.goes.text()
    click(qtbot, find(window, "Do not erase this customer"))
    assert view.customer.name == "Orla Fenwick" and not view.erasing.isVisible()
    click(qtbot, find(window, "Erase this customer"))
    press_keys(qtbot, view.erasing.whole, Qt.Key.Key_Space)
    press_keys(qtbot, view.erasing.seen, Qt.Key.Key_Space)
    desk.pin("a send")
    click(qtbot, view.erasing.act)
    assert "once this is over: a send" in window.notice.text and desk.bike.name == bike
    desk.unpin("a send")
    click(qtbot, view.erasing.act)
    qtbot.waitUntil(lambda: "Erased for good: the customer, 1 bike" in window.notice.text)
    assert desk.bike.name != bike and bike not in [one.name for one in desk.bikes()]
    assert view.customer.name == "Piet Amsel" and view.owner.currentText() == "the workshop's own"
    desk.draft.keep()
    desk.log("note", "work goes on")
    assert desk.story.lines()[0].title == "work goes on"


def test_what_cannot_be_erased_is_said(qtbot, demo_window, monkeypatch):
    view = opened(qtbot, demo_window)
    named(qtbot, demo_window, view, "Orla Fenwick")

    def held(_garage):
        raise DocumentError("garage", "", "what was erased lies there still in part", "Close the other window.")

    monkeypatch.setattr(erasing, "finish", held)
    click(qtbot, find(demo_window, "Erase this customer"))
    press_keys(qtbot, view.erasing.seen, Qt.Key.Key_Space)
    click(qtbot, view.erasing.act)
    qtbot.waitUntil(lambda: "still in part" in demo_window.notice.text)
    monkeypatch.undo()
    demo_window.desk.finish_erasing()
    assert not demo_window.desk.garage.unfinished
