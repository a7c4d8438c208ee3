"""Two windows on one shared garage through a day's work, with a real PostgreSQL that dies in between."""

import threading

import pytest

from crisp_hornet import cli
from crisp_hornet.bench import shared as shared_module
from crisp_hornet.bench.sharing import share
from crisp_hornet.documents.customer import Customer
from crisp_hornet.garage.garage import Garage
from crisp_hornet.garage.workshop import Workshop
from tests import postgres
from tests.bench.driving import click, find, texts
from tests.bikes import a_bike, a_tune

BATTERY = "drive.battery_current_a"
pytestmark = [
    pytest.mark.skipif(
        postgres.binaries() is None, reason="no PostgreSQL here: scripts/test installs it (package postgresql)"
    ),
    pytest.mark.realtime,
]


@pytest.fixture
def benches(tmp_path, address, open_window, monkeypatch):
    """Two windows; the bike of one of them is in the shared garage, and came to the other."""
    monkeypatch.setattr(shared_module, "EVERY_MS", 200)
    windows = []
    first = Garage(tmp_path / "a")
    first.tunes.save_draft(first.bikes.save(a_bike()), a_tune())
    for garage in (first, Garage(tmp_path / "b")):
        windows.append(open_window(garage))
        share(windows[-1], address)
    yield windows
    for window in windows:
        window.desk.shared.finish()


def test_a_day_with_two_benches_and_a_server_that_dies(qtbot, benches, server, address, capsys):
    one, other = benches
    qtbot.waitUntil(lambda: other.desk.bikes() != [])
    other.desk.open_kept_bike(other.desk.bikes()[0].id)
    assert other.desk.draft.tune.setting(BATTERY) == one.desk.draft.tune.setting(BATTERY)

    # who is where is seen
    one.show_station("build")
    qtbot.waitUntil(lambda: "open elsewhere: " in texts(one))

    # what one does appears at the other without asking
    one.desk.draft.change(BATTERY, 24.0)
    one.desk.log("note", "New plug fitted")
    qtbot.waitUntil(lambda: other.desk.draft.tune.setting(BATTERY) == 24)
    other.show_station("logbook")
    qtbot.waitUntil(lambda: "New plug fitted" in texts(other))

    # the server dies; both go on, and say so
    server.kill()
    qtbot.waitUntil(lambda: one.desk.shared.lost and other.desk.shared.lost)
    assert "Work goes on here" in one.notice.text
    one.show_station("build")
    assert "open elsewhere" not in texts(one)  # nobody knows
    one.desk.draft.change(BATTERY, 21.0)
    other.desk.draft.change(BATTERY, 33.0)
    other.desk.log("note", "Ridden without a line")
    server.start()
    qtbot.waitUntil(lambda: not one.desk.shared.lost and not other.desk.shared.lost)

    # both changed the same draft: the one who comes second is asked, and nobody's work is lost
    qtbot.waitUntil(lambda: bool(one.desk.shared.conflicts) or bool(other.desk.shared.conflicts))
    asked, told = (one, other) if one.desk.shared.conflicts else (other, one)
    mine = asked.desk.draft.tune.setting(BATTERY)
    asked.show_station("logbook")
    page = asked.stations["logbook"]
    qtbot.waitUntil(lambda: page.together.isVisible() and "The draft" in texts(page.together))
    click(qtbot, find(asked, "The draft: keep what is here"))
    qtbot.waitUntil(lambda: told.desk.draft.tune.setting(BATTERY) == mine and not page.together.isVisible())
    kept = {21.0, 33.0} - {mine}
    for window in benches:
        qtbot.waitUntil(
            lambda window=window: kept <= {tune.setting(BATTERY) for tune in window.desk.draft.named().values()}
        )
        lines = [line.title for line in window.desk.story.lines()]
        assert lines.count("Ridden without a line") == 1 and lines.count("New plug fitted") == 1

    assert cli.main(["workshop", address]) == 0
    assert "1 bikes, 2 benches" in capsys.readouterr().out
    assert cli.main(["workshop", "postgresql://u@shop.example/g?sslmode=disable"]) == 2


def test_while_something_is_sent_nothing_of_others_comes_in(qtbot, benches):
    one, other = benches
    qtbot.waitUntil(lambda: other.desk.bikes() != [])
    other.desk.open_kept_bike(other.desk.bikes()[0].id)
    steps, busy = [], [True]
    shared = one.desk.shared
    qtbot.waitUntil(lambda: not shared.running)
    shared._busy = lambda: busy[0]
    shared._work.done.connect(steps.append)
    other.desk.draft.change(BATTERY, 24.0)  # perhaps while its own first step is still under way
    for _ in range(3):
        with qtbot.waitSignal(other.desk.shared._work.done):
            pass
        shared.step()
    assert steps == [] and one.desk.draft.tune.setting(BATTERY) != 24
    busy[0] = False
    qtbot.waitUntil(lambda: one.desk.draft.tune.setting(BATTERY) == 24)


def test_a_customer_erased_on_one_bench_is_gone_from_the_other_while_their_bike_is_open_there(qtbot, benches):
    one, other = benches
    qtbot.waitUntil(lambda: other.desk.bikes() != [])
    other.desk.open_kept_bike(other.desk.bikes()[0].id)
    people = one.desk.people
    uid = people.keep(Customer(name="Orla Fenwick"))
    people.hand(uid)
    qtbot.waitUntil(lambda: [one.customer.name for one in other.desk.people.all()] == ["Orla Fenwick"])
    assert other.desk.people.of_bike() == uid
    people.erase(uid, with_bikes=True)()
    one.desk.reload()
    qtbot.waitUntil(lambda: other.desk.bike is None)
    assert other.desk.people.all() == [] and other.desk.bikes() == [] == one.desk.bikes()
    assert "another bench" in other.notice.text.lower()


@pytest.mark.parametrize("kept", [False, True], ids=["it still waits", "it was just written"])
def test_a_change_made_while_another_s_comes_in_is_not_lost_nor_is_the_other(qtbot, benches, monkeypatch, kept):
    one, other = benches
    qtbot.waitUntil(lambda: other.desk.bikes() != [])
    other.desk.open_kept_bike(other.desk.bikes()[0].id)
    shared, came, go_on = other.desk.shared, threading.Event(), threading.Event()
    shared._timer.stop()
    qtbot.waitUntil(lambda: not shared.running)
    shared.step()
    qtbot.waitUntil(lambda: not shared.running)
    one.desk.draft.change(BATTERY, 24.0)
    with qtbot.waitSignals([one.desk.shared._work.done] * 3):
        pass
    plain = Workshop.bring_in_step

    def slow(workshop, *more):
        told = plain(workshop, *more)
        if workshop is shared.workshop:
            came.set()
            assert go_on.wait(30)
        return told

    with monkeypatch.context() as patch:
        patch.setattr(Workshop, "bring_in_step", slow)
        shared.step()
        qtbot.waitUntil(came.is_set)
        other.desk.draft.change(BATTERY, 33.0)
        if kept:
            other.desk.draft.keep()
        go_on.set()
        qtbot.waitUntil(lambda: not shared.running)
    drafts = other.desk.draft
    qtbot.waitUntil(lambda: drafts.tune.setting(BATTERY) == 33)
    assert [tune.setting(BATTERY) for name, tune in drafts.named().items() if name.endswith("from elsewhere")] == [24]
    shared._timer.start()
    qtbot.waitUntil(lambda: one.desk.draft.tune.setting(BATTERY) == 33)
