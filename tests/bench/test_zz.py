from tests.bench.driving import go


def test_shot(demo_window, qtbot):
    w = demo_window
    w.resize(1280, 800)
    go(qtbot, w, "verdict")
    page = w.stations["verdict"]
    page.pages.choose(5)
    qtbot.waitUntil(lambda: not page.life.reading, timeout=20000)
    qtbot.wait(300)
    w.grab().save("/tmp/w/life.png")
    w.resize(1100, 700)
    page.pages.choose(4)
    qtbot.wait(1500)
    w.grab().save("/tmp/w/est_small.png")
    w.switch_theme()
    w.resize(1280, 800)
    qtbot.wait(1500)
    w.grab().save("/tmp/w/est_dark.png")
