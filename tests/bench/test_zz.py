from tests.bench.driving import go
from crisp_hornet.demo import HERON, ROUND
from crisp_hornet.documents import store
from crisp_hornet.rides.registry import read_ride


def test_shot(empty_window, qtbot):
    w = empty_window
    w.resize(1280, 800)
    w.desk.open_bike(store.read_bike(HERON))
    w.desk.ride.take(read_ride(ROUND).ride, [])
    go(qtbot, w, "verdict")
    page = w.stations["verdict"]
    page.ridden_on._show_typed()
    f = list(page.ridden_on.fields.values())
    f[0].setText("30")
    page.ridden_on.take_typed()
    qtbot.waitUntil(lambda: page.verdict is not None)
    qtbot.wait(600)
    w.grab().save("/tmp/w/typed.png")
    w.resize(1100, 700)
    qtbot.wait(400)
    w.grab().save("/tmp/w/typed_small.png")
