import os
def test_shot(qtbot, demo_window, tmp_path):
    w=demo_window
    w.resize(1280,800)
    w.show_station("tune")
    page=w.stations["tune"]
    page.show_page(5)
    qtbot.waitUntil(lambda: page.road._along is not None and page.road._along.band is not None, timeout=30000)
    qtbot.waitUntil(lambda: page.road.ask_column.cards[0].mark.met != "", timeout=30000)
    w.grab().save("/tmp/w/r1.png")
    page.road.show_part(1)
    qtbot.waitUntil(lambda: page.road.wishes.chart.map is not None, timeout=60000)
    page.road.seek()
    qtbot.waitUntil(lambda: page.road.wishes.found is not None, timeout=60000)
    w.grab().save("/tmp/w/r2.png")
    page.road.show_part(2)
    qtbot.waitUntil(lambda: page.road.range.range.picture is not None, timeout=60000)
    w.grab().save("/tmp/w/r3.png")
    page.road.show_part(3); qtbot.wait(50)
    w.grab().save("/tmp/w/r4.png")
    page.road.show_part(4); qtbot.wait(300)
    w.grab().save("/tmp/w/r5.png")
