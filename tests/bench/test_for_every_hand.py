"""What the toolkit tells those who cannot see or do not want motion; what can be copied. Names, roles and values: ``test_grammar``."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication

from crisp_hornet.bench.app import MOTIONS
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import label
from tests.bench.seen import visible


def test_pages_are_tabs_and_what_is_said_can_be_copied(qtbot, demo_window):
    demo_window.show_station("tune")
    bar = next(one for one in visible(demo_window, PageChoice) if one.count() == 8)
    assert (bar.accessibleName(), bar.tabText(0)) == ("page", "Pull")
    said = label("to be copied")
    qtbot.addWidget(said)
    assert said.textInteractionFlags() & Qt.TextInteractionFlag.TextSelectableByMouse


def test_nothing_moves_by_itself(qapp):
    assert not any(QApplication.isEffectEnabled(effect) for effect in MOTIONS)


def test_what_a_screen_reader_toggles_is_chosen_once(qtbot, demo_window):
    """Qt's bridge toggles what can be checked; a mouse clicks it. Either brings the page up, once."""
    line, heard = demo_window.job_line, []
    line.chosen.connect(heard.append)
    line.buttons["tune"].toggle()
    assert demo_window.current == "tune" and heard == ["tune"]
    qtbot.mouseClick(line.buttons["send"], Qt.MouseButton.LeftButton)
    assert demo_window.current == "send" and heard == ["tune", "send"]
    demo_window.show_station("build")
    assert line.buttons["build"].isChecked() and heard == ["tune", "send"]
