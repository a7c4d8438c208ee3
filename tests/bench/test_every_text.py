"""Every text that the window shows or paints, of all stations, in both unit systems and both themes."""

import re

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QApplication, QComboBox, QListWidget

from tests.amount import LONG, of
from tests.bench.driving import go
from tests.bench.seen import visible

METRIC = re.compile(r"(?<![\w/·])(km/h|Wh/km|km|°C|kg|N·m)(?![\w/·])|\d (m|K)(?![\w/·])")
OTHER = re.compile(r"(?<![\w/·])(mph|Wh/mi|mi|°F|lb|lbf·ft|ft)(?![\w/·])")
AS_TYPED = (
    "comparisons take it into account",
    "in 6.2 s",
    "Example: ",
    "mph",
)  # examples of what may be typed, names of documents


def said_by(widget):
    """What a widget says in words: its own text, and what it tells those who point at it or cannot see it."""
    for take in ("text", "toolTip", "accessibleName", "placeholderText", "title"):
        told = getattr(widget, take, None)
        if callable(told):
            yield told()
    if isinstance(widget, QComboBox):
        yield from (widget.itemText(at) for at in range(widget.count()))
    if isinstance(widget, QListWidget):
        yield from (widget.item(at).text() for at in range(widget.count()))


@pytest.fixture
def painted(monkeypatch):
    """All words that are painted from now on."""
    words, plain = set(), QPainter.drawText

    def heard(painter, *arguments):
        words.update(one for one in arguments if isinstance(one, str))
        return plain(painter, *arguments)

    monkeypatch.setattr(QPainter, "drawText", heard)
    return words


def pages_of(station):
    """Every view of a station comes up once."""
    yield
    for index in range(8):
        for name in ("show_view", "show_page"):
            if hasattr(station, name):
                try:
                    getattr(station, name)(index)
                except (IndexError, KeyError):
                    continue
                yield


def everything_said(qtbot, window, painted):
    found = set()
    for key, station in window.stations.items():
        go(qtbot, window, key)
        for _ in pages_of(station):
            QApplication.processEvents()
            window.grab()
            found |= {(key, word) for one in visible(window) for word in said_by(one) if isinstance(word, str)}
    return found | {("painted", word) for word in painted}


def strays(found, foreign):
    return sorted(
        {(key, word) for key, word in found if foreign.search(word) and not any(one in word for one in AS_TYPED)}
    )


@pytest.mark.parametrize(("name", "dark"), of([("Thistle", True)], [("Heron", False)]))
def test_every_text_is_in_the_units_that_were_chosen(qtbot, demo_window, painted, dark, name):
    desk = demo_window.desk
    desk.open_kept_bike(next(one.id for one in desk.bikes() if one.name == name))
    qtbot.waitUntil(lambda: desk.bike.name == name and demo_window.settled)
    if dark:
        qtbot.keyClick(demo_window, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier)
    if LONG:
        metric = everything_said(qtbot, demo_window, painted)
        assert len(metric) > 400 and strays(metric, OTHER) == []
    demo_window.desk.switch_units()
    painted.clear()
    imperial = everything_said(qtbot, demo_window, painted)
    left = strays(imperial, METRIC)
    assert len(imperial) > 400 and left == [], "\n".join(map(str, left))
