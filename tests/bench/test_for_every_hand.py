"""What a screen reader gets of every control: a name that holds the words that are seen, a role that Qt knows, a value; what is copied."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QAbstractSlider,
    QApplication,
    QComboBox,
    QLabel,
    QLineEdit,
    QSplitterHandle,
    QTabBar,
    QTextEdit,
)

from crisp_hornet.bench.app import MOTIONS
from crisp_hornet.bench.charts.drawn import HasFigures
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.spoken import words_of
from crisp_hornet.bench.widgets.text import label
from tests.bench.test_grammar import pages, shown, visible

ROLES = (QAbstractButton, QAbstractSlider, QAbstractItemView, QComboBox, QLineEdit, QTextEdit, QTabBar)


def lacking(window):
    """Controls without a name, whose name leaves out what is seen, without a role, or without a value."""
    labelled = {id(one.buddy()): shown(one) for one in visible(window, QLabel) if one.buddy() is not None}
    for one in visible(window):
        if (
            not one.focusPolicy() & Qt.FocusPolicy.TabFocus
            or not one.isEnabled()
            or isinstance(one, QSplitterHandle)
            or one.focusProxy()
        ):
            continue
        name = one.accessibleName() or labelled.get(id(one), "")
        kind = f"{type(one).__name__} {name!r} in {type(one.parentWidget()).__name__}"
        if not name:
            yield f"no name: {kind}"
        if isinstance(one, QAbstractButton) and one.text() and not words_of(one.text()) <= words_of(name):
            yield f"{one.text()!r} is not in its name: {kind}"
        if (
            not isinstance(one, ROLES)
            and not isinstance(one, HasFigures)
            and not one.accessibleDescription()
            and len(name) < 12
        ):
            yield f"neither a role nor words for it: {kind}"
        if isinstance(one, QAbstractSlider) and not one.minimum() <= QAbstractSlider.value(one) <= one.maximum():
            yield f"no value: {kind}"
        if isinstance(one, QComboBox) and one.count() and not one.currentText():
            yield f"nothing chosen: {kind}"
        if isinstance(one, QTabBar) and not one.tabText(one.currentIndex()):
            yield f"no page: {kind}"


def test_every_control_has_a_name_that_holds_its_words_a_role_and_a_value(qtbot, demo_window):
    found = {(page.split()[0], fault) for page in pages(demo_window) for fault in lacking(demo_window)}
    assert not found, "\n".join(map(str, sorted(found)))


def test_pages_are_tabs_and_what_is_said_can_be_copied(qtbot, demo_window):
    demo_window.show_station("tune")
    bar = next(one for one in visible(demo_window, PageChoice) if one.count() == 8)
    assert (bar.accessibleName(), bar.tabText(0)) == ("page", "Pull")
    said = label("to be copied")
    qtbot.addWidget(said)
    assert said.textInteractionFlags() & Qt.TextInteractionFlag.TextSelectableByMouse


def test_nothing_moves_by_itself(qapp):
    assert not any(QApplication.isEffectEnabled(effect) for effect in MOTIONS)
