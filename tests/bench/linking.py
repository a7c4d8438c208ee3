"""What a user does on Hook-up and Send."""

from PyQt6.QtCore import Qt

from crisp_hornet.bench.simulated import Simulated
from tests.bench.driving import click, find, go


def beside(window, standin):
    """The stand-in runs beside the window: offered as a port, with hands on it."""
    simulated = Simulated(ports=tuple(standin.ports), act=standin.do)
    window.stations["hookup"].offer(simulated)
    window.stations["send"].offer(simulated)


def connect(qtbot, window, port):
    go(qtbot, window, 2)
    click(qtbot, find(window, f"Connect to {port}"))
    qtbot.waitUntil(lambda: window.link.contact is not None and window.link.live is not None)


def work_the_lever(qtbot, window):
    """Twice, with the simulated hands, as Send asks before the first write of a contact."""
    link = window.link
    for pulls in (1, 2):
        lever = find(window, "Pull the simulated brake lever")
        qtbot.mousePress(lever, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda pulls=pulls: link.lever_pulls >= pulls)
        qtbot.mouseRelease(lever, Qt.MouseButton.LeftButton)
        qtbot.waitUntil(lambda: link.live.values["brake"] == 0)
    assert link.contact.shown


def show_bike(qtbot, window, standin):
    """The wheel turned back by hand."""
    standin.do("turn-back 1")
    qtbot.waitUntil(lambda: bool(window.link.contact.shown))
    standin.do("turn-back 0")
    qtbot.waitUntil(lambda: window.link.live.values["motor_rpm"] > -3)


def send_and_wait(qtbot, window, keep):
    page = window.stations["send"]
    go(qtbot, window, 5)
    qtbot.waitUntil(lambda: bool(page.confirmations))
    if not window.link.contact.shown:
        assert not window.act_button.isEnabled()
        work_the_lever(qtbot, window)
    click(qtbot, page.keep if keep else page.trial)
    for box in page.confirmations.values():
        click(qtbot, box)
    qtbot.waitUntil(lambda: window.act_button.isEnabled())
    click(qtbot, window.act_button)
    qtbot.waitUntil(lambda: page.report is not None and not window.link.busy)
    return page.report
