"""Rulers with words, percent and other units; charts with handles; painted tables; words to choose from."""

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLineEdit

from crisp_hornet.bench.charts.force_chart import ForceChart
from crisp_hornet.bench.charts.handle_chart import Handle, HandleChart
from crisp_hornet.bench.charts.plain_chart import Level, Line, Picture, PlainChart
from crisp_hornet.bench.theme import DARK, LIGHT
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.painted_table import PaintedTable
from crisp_hornet.bench.widgets.ruler import Ruler, Scale, Stop
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.demo import FACTORY, HERON
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.store import read_bike, read_tune
from crisp_hornet.documents.units import Units
from tests.bench.driving import drag, press_keys
from tests.bench.test_handling import wheel

KEY = Qt.Key


@pytest.fixture
def ruler_of(qtbot, qapp):
    def make(scale, value):
        tokens = iter(range(1, 10_000))
        ruler = Ruler(scale, LIGHT, lambda: next(tokens))
        qtbot.addWidget(ruler)
        ruler.resize(240, 68)
        ruler.changed.connect(lambda new, _token: ruler.show_value(new))
        ruler.show_value(value)
        ruler.show()
        return ruler

    return make


def type_in(qtbot, ruler, text):
    qtbot.keyClick(ruler, KEY.Key_Return)
    editor = next(one for one in ruler.findChildren(QLineEdit) if one.isVisible())
    editor.clear()
    qtbot.keyClicks(editor, text)
    qtbot.keyClick(editor, KEY.Key_Return)


def test_a_ruler_of_words(qtbot, ruler_of):
    ruler = ruler_of(Scale("Style", "", 0, 3, 1, 1, words=("torque", "power", "cadence", "blend")), 0.0)
    ruler.setFocus()
    press_keys(qtbot, ruler, KEY.Key_Right)
    assert ruler.value == 1 and ruler.value_text() == "power" and "power" in ruler.accessibleName()
    type_in(qtbot, ruler, "cad")
    assert ruler.value == 2
    for nonsense in ("zebra", "7", ""):
        type_in(qtbot, ruler, nonsense)
        assert ruler.value == 2
    press_keys(qtbot, ruler.findChild(QLineEdit), KEY.Key_Escape)
    drag(ruler, QPointF(ruler._mark_x(), 38), [QPointF(200, 38), QPointF(228, 38)])
    assert ruler.value == 3
    wheel(ruler, -1)
    assert ruler.value == 2
    assert not ruler.grab().isNull()


def test_a_ruler_of_shares_tells_percent_and_one_of_miles_steps_in_miles(qtbot, ruler_of):
    share = ruler_of(Scale("Dead band", "%", 0, 0.5, 1, 0.5, factor=100), 0.05)
    share.setFocus()
    press_keys(qtbot, share, KEY.Key_Up)
    assert share.value == pytest.approx(0.06) and share.value_text() == "6"
    type_in(qtbot, share, "12,5 %")
    assert share.value == 0.125
    press_keys(qtbot, share, KEY.Key_PageDown, KEY.Key_PageDown)
    assert share.value == 0
    miles = ruler_of(Scale("Speed", "mph", 0, 80, 1, 0.5, [Stop(40, "frame")], "no limit", factor=1 / 1.609344), None)
    miles.setFocus()
    assert miles.value_text() == "no limit"
    type_in(qtbot, miles, "20")
    assert miles.value == pytest.approx(32.18688, rel=1e-5) and miles.value_text() == "20.0"
    press_keys(qtbot, miles, KEY.Key_Right, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert miles.value == pytest.approx(20.5 * 1.609344, rel=1e-5)
    press_keys(qtbot, miles, KEY.Key_Delete)
    assert miles.value is None
    fahrenheit = Scale("Fade", "°F", 40, 180, 5, 1, factor=1.8, offset=32)
    assert fahrenheit.shown(100) == 212 and fahrenheit.back(212) == 100 and fahrenheit.told(100) == "212"


@pytest.fixture
def chart(qtbot, qapp):
    tokens = iter(range(1, 10_000))
    made = HandleChart(LIGHT, lambda: next(tokens), "Levels")
    qtbot.addWidget(made)
    made.resize(400, 220)
    x = np.array([1.0, 2.0, 3.0])
    made.show_picture(
        Picture("level", "times", [Line("drafted", x, x, truth="drafted")], y_from=0.0, y_to=5.0, x_from=0.5, x_to=3.5)
    )
    made.show_handles([Handle(f"l{at}", float(at), float(at), f"{at}", (float(at), at + 0.5)) for at in (1, 2, 3)])
    made.show()
    return made


def heard(chart):
    said = []
    for name in ("dragged", "stepped", "returned", "cancelled", "typed"):
        getattr(chart, name).connect(lambda *what, name=name: said.append((name, *what)))
    return said


def test_handles_by_mouse(qtbot, chart):
    said, start = heard(chart), chart.place("l2")
    drag(chart, start, [start + QPointF(0, -10), start + QPointF(3, -40)], release=False)
    assert chart.chosen == "l2" and [one[:2] for one in said] == [("dragged", "l2")] * 2
    rise = 40 / chart.frame().box.height() * 5
    assert said[-1][3] == pytest.approx(2 + rise, abs=0.05) and said[0][4] == said[1][4]  # one gesture, one token
    press_keys(qtbot, chart, KEY.Key_Escape)
    assert said[-1][:2] == ("cancelled", "l2") and chart.dragging is None
    qtbot.mouseDClick(chart, Qt.MouseButton.LeftButton, pos=chart.place("l3").toPoint())
    assert said[-1] == ("returned", "l3")
    drag(chart, QPointF(200, 190), [QPointF(210, 180)])  # nothing there
    assert said[-1] == ("returned", "l3")


def test_handles_by_key_and_wheel(qtbot, chart):
    said = heard(chart)
    chart.clearFocus()
    wheel(chart, 1)
    assert said == []  # never by a passing scroll
    chart.setFocus()
    wheel(chart, 2)
    assert said[-1][:4] == ("stepped", "l1", 2.0, False)
    press_keys(qtbot, chart, KEY.Key_Right, KEY.Key_Right, KEY.Key_Right)
    assert chart.chosen == "l3"
    press_keys(qtbot, chart, KEY.Key_Down, modifier=Qt.KeyboardModifier.ShiftModifier)
    assert said[-1][:4] == ("stepped", "l3", -1.0, True)
    press_keys(qtbot, chart, KEY.Key_Delete)
    assert said[-1] == ("returned", "l3")
    for text, value in (("4,5", 4.5), ("2.25 ×", 2.25)):
        qtbot.keyClicks(chart, text[0])
        editor = next(one for one in chart.findChildren(QLineEdit) if one.isVisible())
        qtbot.keyClicks(editor, text[1:])
        qtbot.keyClick(editor, KEY.Key_Return)
        assert said[-1] == ("typed", "l3", value) and chart.hasFocus()
    qtbot.keyClick(chart, KEY.Key_Return)
    qtbot.keyClick(next(one for one in chart.findChildren(QLineEdit) if one.isVisible()), KEY.Key_Escape)
    assert said[-1] == ("typed", "l3", 2.25)
    chart.theme = DARK
    assert not chart.grab().isNull() and "left and right choose" in chart.accessibleName()
    chart.show_handles([])
    assert chart.chosen == ""


def test_a_painted_table_turns_units_and_keeps_its_height(qtbot, qapp):
    table = PaintedTable(LIGHT, "ON THE ROAD", ("level", "top, 25 km/h"))
    qtbot.addWidget(table)
    table.resize(300, 120)
    table.show_rows(
        [["1", "20 km/h"], ["changes nothing at all, however long this line may be, it is cut off"]], Units()
    )
    high = table.sizeHint().height()
    table.show_rows([["1", say("{v}", v=quantity(30, "km/h", ".0f"))], ["changes nothing"]], Units(metric=False))
    assert table.texts() == ["1", "19 mph", "changes nothing"] and table.sizeHint().height() == high
    assert "19 mph" in table.accessibleName() and not table.grab().isNull()


def test_a_plain_chart_names_line_ends_apart(qtbot, qapp):
    chart = PlainChart(LIGHT)
    qtbot.addWidget(chart)
    chart.resize(300, 160)
    x = np.linspace(0, 10, 20)
    lines = [Line(str(at), x, x + 0.01 * at, at_end=True) for at in range(12)]
    chart.show_picture(Picture("s", "km/h", lines, [Level("front wheel lifts", 9.0, danger=True)], y_from=0.0))
    assert not chart.grab().isNull()
    frame = chart.frame()
    assert frame.back(frame.at(5.0, 5.0)) == pytest.approx((5.0, 5.0)) and frame.back(QPointF(-50, 900)) == (
        frame.x[0],
        frame.y[0],
    )
    chart.show_picture(None)
    assert chart.frame() is None and not chart.grab().isNull()


def test_words_to_choose_from_go_round_by_key(qtbot, qapp):
    choice = PageChoice(("one", "two", "three"), "page")
    qtbot.addWidget(choice)
    choice.show()
    chosen = []
    choice.chosen.connect(chosen.append)
    press_keys(qtbot, choice, KEY.Key_Right, KEY.Key_Right, KEY.Key_Right, KEY.Key_Left)
    assert chosen == [1, 2, 0, 2] and choice.at == 2
    qtbot.mouseClick(choice, Qt.MouseButton.LeftButton, pos=choice.tabRect(1).center())
    assert choice.at == 1 and choice.tabText(0) == "one"


def test_a_pack_too_low_to_pull_still_has_a_force_chart(qtbot):
    curve = pull_curve(read_bike(HERON), read_tune(FACTORY), np.linspace(0, 60, 61), Conditions(5.0))
    assert not curve.wheel_force_n.any()
    chart = ForceChart(LIGHT)
    qtbot.addWidget(chart)
    chart.show_curves(None, curve)
    assert chart.value(chart.point(30, 50))[1] == pytest.approx(50)
