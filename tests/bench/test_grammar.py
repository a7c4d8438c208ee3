"""One grammar: every control of every station is of the kit, has its name, is not cut, can be read and reached by few keys."""

import re
from itertools import combinations, count

import numpy as np
import pytest
from hypothesis import given, seed, settings
from hypothesis import strategies as st
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QShortcut
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QRadioButton,
)

from crisp_hornet.bench import keys
from crisp_hornet.bench.charts.force_chart import ForceChart
from crisp_hornet.bench.charts.lettering import settle
from crisp_hornet.bench.charts.plain_chart import PlainChart
from crisp_hornet.bench.number_field import LaidField
from crisp_hornet.bench.theme import contrast
from crisp_hornet.bench.widgets.choice import Choice, Confirm
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.keys_card import KeysCard
from crisp_hornet.bench.widgets.sentence import LINE_PX, Sentence
from tests.amount import LONG, of, some
from tests.bench.driving import find, go
from tests.bench.seen import lacking, shown, visible

ROLES = {"", "act", "large", "small", "place", "fold", "several"}
RAW_KEY = re.compile(
    r"\b(motor|controller|battery|drivetrain|chassis|drive|regen|throttle|assist|heat_guard|battery_guard)\.[a-z_]+"
)
READ, SEEN, MOST_KEYS = 4.5, 3.0, 6


def pages(window, part=0):
    """Every page of every station, one after the other, in view; every third one but in a long run, from ``part`` on."""
    places = count(part)
    for key in window.stations:
        window.show_station(key)
        station = window.stations[key]
        choice = getattr(station, "pages", None) or getattr(station, "switch", None) or getattr(station, "kinds", None)
        for at in range(choice.count() if choice is not None else 1):
            if next(places) % 3 and not LONG:
                continue
            if choice is not None:
                choice.choose(at)
            for _ in range(3):
                QApplication.processEvents()
            window.grab()
            yield f"{key} {at}"


def outside_the_kit(window):
    named = {id(one.buddy()) for one in visible(window, QLabel) if one.buddy() is not None and one.text()}
    for one in visible(window, QAbstractButton):
        if (
            type(one).__module__.startswith("PyQt6")
            and isinstance(one, QPushButton)
            and (one.property("role") or "") not in ROLES
        ):
            yield f"button {one.text()!r}"
    for one in visible(window, QCheckBox) + visible(window, QRadioButton):
        if not isinstance(one, (Confirm, Choice)):
            yield f"box {one.text()!r}"
    for one in visible(window, QComboBox):
        in_a_grid = one.accessibleName().startswith(("channel of", "unit of"))  # its column has a head
        if not isinstance(one, Chooser) or (id(one) not in named and not in_a_grid):
            yield f"chooser {one.accessibleName()!r}"
    for one in visible(window, QLineEdit):
        if one.placeholderText() or (id(one) not in named and not isinstance(one, LaidField)):
            yield f"field {one.accessibleName()!r}"
    if len([one for one in visible(window, QPushButton) if one.property("role") == "act"]) > 1:
        yield "two main acts"


def distances(window):
    """How many keys each control is away from where the focus is when its station is shown: F6, Tab and back, Page Down and Up."""
    parts = [keys.stops(part) for part in window.parts]
    ring = [stop for part in parts for stop in part]
    firsts = [part[0] for part in parts if part]
    start = QApplication.focusWidget()
    far, edge = {start: 0}, [start]
    while edge:
        beyond = []
        for one in edge:
            at = ring.index(one)
            here = keys.part_of(one, window.parts)
            following = [part[0] for part in parts[here + 1 :] + parts[: here + 1] if part]
            mine, place = parts[here], parts[here].index(one)
            leaps = (mine[max(place - keys.LEAP, 0)], mine[min(place + keys.LEAP, len(mine) - 1)])
            turns = (following[0], following[-2] if len(firsts) > 1 else one)
            for other in (ring[at - 1], ring[(at + 1) % len(ring)], *turns, *leaps):
                if other not in far:
                    far[other] = far[one] + 1
                    beyond.append(other)
        edge = beyond
    return far, ring


def test_every_control_is_of_the_kit_has_name_role_and_value_and_is_a_few_keys_away(qtbot, demo_window):
    for page in pages(demo_window, 1):
        assert list(lacking(demo_window)) == [], page
        assert list(outside_the_kit(demo_window)) == [], page
        words = [one.text() for one in visible(demo_window) if callable(getattr(one, "text", None))]
        assert [word for word in words if isinstance(word, str) and RAW_KEY.search(word)] == [], page
        demo_window.focus_page()
        far, ring = distances(demo_window)
        assert set(ring) <= set(far) and max(far.values()) <= MOST_KEYS, (page, max(far.values()))


def cut(window):
    """What is not seen whole, once what has just got other words is laid out."""
    QApplication.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)
    for one in visible(window, QLabel):
        if shown(one) and not one.wordWrap() and one.fontMetrics().horizontalAdvance(shown(one)) > one.width() + 2:
            yield f"label {shown(one)!r}"
        if shown(one) and one.wordWrap() and one.heightForWidth(one.width()) > one.height() + 3:
            yield f"lines {shown(one)!r}"
    for one in visible(window, QLabel) + visible(window, QPushButton):
        seen = one.visibleRegion().boundingRect()
        if shown(one) and not seen.isEmpty() and seen.width() < one.width() - 1:
            yield f"hidden at its side: {shown(one)!r}"
    for one in visible(window, QPushButton):
        if shown(one) and one.fontMetrics().horizontalAdvance(shown(one)) + 2 > one.width():
            yield f"button {shown(one)!r}"
    for one in visible(window, Sentence):
        if one.lines() * LINE_PX > one.height() + 3:
            yield f"sentence {one.text()!r}"


@pytest.mark.long
def test_a_small_window_scrolls_its_pages_and_page_and_side_take_turns(qtbot, demo_window):
    demo_window.resize(900, 560)
    for _ in pages(demo_window):
        assert (demo_window.width(), demo_window.height()) == (900, 560)
    go(qtbot, demo_window, "verdict")
    turn = find(demo_window, "Show the page or what stands beside it")
    assert demo_window._pages.isVisible() and not demo_window._right.isVisible()
    turn.click()
    assert not demo_window._pages.isVisible() and demo_window._right.isVisible()
    demo_window.resize(1280, 800)
    assert demo_window._pages.isVisible() and demo_window._right.isVisible() and not turn.isVisible()


@pytest.mark.long
def test_text_grows_and_shrinks_with_everything_and_is_kept(qtbot, demo_window):
    ruler = demo_window.stations["tune"]
    go(qtbot, demo_window, "tune")
    ruler = next(iter(demo_window.stations["tune"].rulers.values()))
    high, value = ruler.sizeHint().height(), demo_window.desk.draft.tune
    for _ in range(3):
        qtbot.keyClick(demo_window, Qt.Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    assert ruler.sizeHint().height() == pytest.approx(1.3 * high, abs=1) and demo_window.desk.scale == 1.3
    for key in ("tune", "build", "verdict", "logbook")[:: 1 if LONG else 3]:
        go(qtbot, demo_window, key)
        QApplication.processEvents()
        demo_window.grab()
        assert [one for one in cut(demo_window) if not one.startswith("sentence")] == [], key
    demo_window.set_scale(0.1)
    assert demo_window.desk.scale == 0.8 and demo_window.desk.draft.tune == value and demo_window.current == "logbook"
    qtbot.keyClick(demo_window, Qt.Key.Key_0, Qt.KeyboardModifier.ControlModifier)
    assert ruler.sizeHint().height() == high


# --- what is painted -------------------------------------------------------------------------------------------


def painted(widget, monkeypatch):
    """(words, colour, box) of all that a widget paints by hand, as far as it has not been scrolled away."""
    found, plain = [], QPainter.drawText

    def heard(painter, *arguments):
        at, words = arguments[0], arguments[-1]
        if isinstance(at, QPointF) and isinstance(words, str) and words.strip():
            box = QFontMetricsF(painter.font()).boundingRect(words).translated(at)
            color = painter.pen().color()
            color.setAlphaF(color.alphaF() * painter.opacity())
            found.append((words, color, painter.transform().mapRect(box)))
        return plain(painter, *arguments)

    with monkeypatch.context() as patch:
        patch.setattr(QPainter, "drawText", heard)
        widget.grab()
    return [one for one in found if widget.visibleRegion().contains(one[2].center().toPoint())]


def painters(window):
    """What paints itself."""
    for one in visible(window):
        if type(one).__module__.startswith("crisp_hornet") and "paintEvent" in vars(type(one)) and one.isEnabled():
            yield one


def painted_words(widget, behind, monkeypatch):
    """(words, colour, what is behind them) of all that a widget paints by hand."""
    corner = widget.mapTo(widget.window(), QPoint(0, 0))
    for words, color, box in painted(widget, monkeypatch):
        box = box.translated(corner.x(), corner.y())
        xs = np.linspace(box.left() + 1, box.right() - 1, 9).astype(int)
        ys = np.linspace(box.top() + 2, box.bottom() - 2, 5).astype(int)
        inside = [behind.pixelColor(x, y) for x in xs for y in ys if behind.valid(int(x), int(y))]
        if inside:
            parts = np.median([(c.redF(), c.greenF(), c.blueF()) for c in inside], axis=0)
            mixed = [
                color.alphaF() * a + (1 - color.alphaF()) * b for a, b in zip(color.getRgbF()[:3], parts, strict=True)
            ]
            yield words, QColor.fromRgbF(*mixed), QColor.fromRgbF(*parts)


def illegible(window, monkeypatch, read):
    """What is painted with too little contrast; ``read`` gets all words."""
    with monkeypatch.context() as patch:
        patch.setattr(QPainter, "drawText", lambda *_: None)
        behind = window.grab().toImage()
    for one in painters(window):
        for words, color, below in painted_words(one, behind, monkeypatch):
            read.append(words)
            if contrast(color, below) < READ - 0.05:
                yield type(one).__name__, words, color.name(), below.name()


def overlaps(window, monkeypatch):
    """Painted words that are cut at their right, or lie on others."""
    for one in painters(window):
        boxes = [(words, box.adjusted(1, 3, -1, -3)) for words, _, box in painted(one, monkeypatch)]
        seen = one.visibleRegion().boundingRect()
        yield from ((type(one).__name__, words) for words, box in boxes if box.right() > seen.right() + 4)
        for (words, box), (other, there) in combinations(boxes, 2):
            if box.intersects(there):
                yield type(one).__name__, words, other


def names_on_charts(window):
    """Names that charts have placed on each other, or beyond their edges."""
    for chart in visible(window, PlainChart) + visible(window, ForceChart):
        for (one, at), (other, there) in combinations(chart.lettering.boxes, 2):
            if not at.adjusted(1, 2, -1, -2).intersected(there.adjusted(1, 2, -1, -2)).isEmpty():
                yield one, other
        yield from (
            name
            for name, at in chart.lettering.boxes
            if not chart.rect().adjusted(-1, -1, 1, 1).contains(at.toAlignedRect())
        )


@pytest.mark.parametrize("size, plain", of([((1100, 700), False)], [((1280, 800), True)]))
def test_nothing_is_cut_illegible_or_on_another_and_no_page_scrolls(qtbot, demo_window, monkeypatch, size, plain):
    """Light and metric, or dark and imperial."""
    words, read, drawn = set(), [], QPainter.drawText
    monkeypatch.setattr(
        QPainter, "drawText", lambda p, *a: (words.update(x for x in a if isinstance(x, str)), drawn(p, *a))[1]
    )
    demo_window.resize(*size)
    if not plain:
        demo_window.desk.switch_units()
        demo_window.switch_theme()
    for page in pages(demo_window):
        demo_window._refresh()
        QApplication.processEvents()
        assert (demo_window.width(), demo_window.height()) == size
        assert [*cut(demo_window), *overlaps(demo_window, monkeypatch)] == [], page
        assert list(illegible(demo_window, monkeypatch, read)) == [], page
        if plain:  # in a low chart there is no room for all
            assert list(names_on_charts(demo_window)) == [], page
        assert [word for word in words if word.endswith("…")] == [], page
        station = demo_window.stations[demo_window.current]
        room = next(one for one in demo_window._scrolls if one.widget() is station).viewport().size()
        need = station.minimumSizeHint()
        assert need.width() <= room.width() and need.height() <= room.height(), (page, need, room)
    assert len(read) > 600
    theme = demo_window.theme
    for token in ("mark", "quiet", "drafted", "controller", "measured", "stop", "warn", "note", "settled"):
        for ground in ("ground", "sheet"):
            assert contrast(theme.color(token), theme.color(ground)) >= SEEN, (token, ground)


@seed(3)
@settings(max_examples=some(60), deadline=None, database=None)
@given(st.lists(st.tuples(st.floats(20, 480), st.floats(20, 280)), min_size=1, max_size=7), st.integers(0, 10_000))
def test_names_cover_neither_marks_nor_names_where_there_is_room(anchors, drawn):
    rng, box = np.random.default_rng(drawn), QRectF(0, 0, 500, 300)
    sizes = [(float(rng.uniform(20, 70)), 16.0) for _ in anchors]
    marks = np.array([(x - 7, y - 7, x + 7, y + 7) for x, y in anchors])
    apart = [(x, y) for at, (x, y) in enumerate(anchors) if all(np.hypot(x - a, y - b) > 60 for a, b in anchors[:at])]
    if len(apart) != len(anchors):
        return  # crowded: then the least is covered, not nothing
    places = settle(sizes, [(x, y, 7.0) for x, y in anchors], box, marks, np.zeros((0, 2)))
    assert all(box.contains(place) for place in places)
    for one, other in combinations(places, 2):
        assert not one.intersects(other)
    for place in places:
        assert not any(
            place.intersects(QRectF(left, top, right - left, bottom - top)) for left, top, right, bottom in marks
        )


# --- keys ------------------------------------------------------------------------------------------------------


@pytest.mark.long
def test_tab_goes_as_it_is_read_f6_goes_round_enter_presses_and_esc_closes(qtbot, demo_window):
    go(qtbot, demo_window, "verdict")
    assert demo_window._pages.isAncestorOf(QApplication.focusWidget())
    seen = []
    for _ in range(len(demo_window.parts)):
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_F6)
        seen.append(keys.part_of(QApplication.focusWidget(), demo_window.parts))
    assert len(set(seen)) >= 4
    go(qtbot, demo_window, "tune")
    order = keys.stops(demo_window._pages)
    order[0].setFocus()
    for wanted in order[1:5]:
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
        assert QApplication.focusWidget() is wanted
    theme = find(demo_window, "switch between light and dark")
    theme.setFocus()
    qtbot.keyClick(theme, Qt.Key.Key_Return)
    assert demo_window.theme.name == "dark"
    demo_window.notice.say("note", "something happened")
    qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Escape)
    assert not demo_window.notice.isVisible()


def test_the_keys_are_listed_and_each_shortcut_is_one_of_them(qtbot, demo_window):
    card = KeysCard(demo_window)
    qtbot.addWidget(card)
    card.show()
    listed = " ".join(keys_ for keys_, _ in keys.SCHEME).replace("Plus", "+").replace("Minus", "-")
    for one in demo_window.findChildren(QShortcut):
        for key in one.key().toString().split(", "):
            told = {"Ctrl+Y": "Ctrl+Shift+Z", "Ctrl+=": "Ctrl++", "Ctrl+Return": "Ctrl+Enter"}.get(key, key)
            assert told in listed or re.fullmatch(r"Ctrl\+[1-8]", told), key


def test_the_focus_stays_in_its_part_when_what_has_it_goes(qtbot, demo_window):
    go(qtbot, demo_window, "build")
    demo_window.stations["build"].choose("motor.pole_pairs")
    field = QApplication.focusWidget()
    qtbot.keyClick(field, Qt.Key.Key_Escape)
    QApplication.processEvents()
    assert demo_window._pages.isAncestorOf(QApplication.focusWidget())
    go(qtbot, demo_window, "tune")
    act = find(demo_window, "Turn the throttle off at level zero")
    act.setFocus()
    qtbot.keyClick(act, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: not any("level zero" in one.text for one in demo_window.watch_list._warnings))
    QApplication.processEvents()
    assert not isinstance(QApplication.focusWidget(), type(demo_window.job_line.buttons["build"]))
