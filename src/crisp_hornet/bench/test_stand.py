"""The test stand: hands on the simulated bike. Throttle, pedals, slope and the rest as rulers, switches for what is on or off,
and the wires that can be pulled. Every move is one line to the stand-in, as its tests write them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from itertools import count
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.simulated import Simulated
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Confirm
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.ruler import Ruler, Scale
from crisp_hornet.bench.widgets.text import button, label, sheet

if TYPE_CHECKING:
    from crisp_hornet.documents.job import Job

# act, scale, what it starts at, and how its figure becomes the act's
RULERS: tuple[tuple[str, Scale, float, float], ...] = (
    ("throttle", Scale("Throttle", "%", 0, 100, 5, 1, truth=False), 0, 0.01),
    ("pedal", Scale("Pedal torque", "N·m", 0, 120, 5, 1, truth=False), 0, 1),
    ("cadence", Scale("Cadence", "rpm", 0, 120, 5, 1, truth=False), 0, 1),
    ("slope", Scale("Slope", "%", -15, 20, 1, 0.5, truth=False), 0, 0.01),
    ("ambient", Scale("Air", "°C", -10, 40, 1, 0.5, truth=False), 16, 1),
    ("heat", Scale("Winding heated to", "°C", 0, 160, 5, 1, truth=False), 16, 1),
    ("dip", Scale("Supply dips by", "V", 0, 40, 2, 1, truth=False), 0, 1),
)
SWITCHES = (
    ("brake", "Brake lever pulled", False),
    ("wheel-up", "Wheel in the air", True),
    ("charger", "Charger on", False),
)
WIRES = (
    ("throttle-signal", "throttle signal"), ("throttle-ground", "throttle ground"), ("torque-signal", "torque signal"),
    ("torque-ground", "torque ground"), ("pedal", "pedal sensor"), ("speed", "speed sensor"), ("motor-temp", "motor temperature"),
    ("lever", "brake lever"),
)  # fmt: skip

KEY_OFF_MS = 6_000  # longer than any line here takes to notice that nobody answers


def _turned(act: str, on: bool) -> str:
    return f"{act} {int(on)}"


def _cut(wire: str, on: bool) -> str:
    return f"{'cut' if on else 'join'} {wire}"


class TestStand(QDialog):
    """A window beside the main one. Esc lets go of everything: throttle, pedals and brake."""

    __test__ = False  # for pytest: this is no test

    def __init__(
        self, simulated: Simulated, theme: Theme, parent: QWidget | None = None, job: Job | None = None
    ) -> None:
        super().__init__(parent)
        self._simulated, self.theme = simulated, theme
        self._tokens = count(1)
        self.setWindowTitle(tr("Test stand: the simulated bike"))
        self.setObjectName("ground")
        self.setModal(False)
        self.rulers: dict[str, Ruler] = {}
        self.switches: dict[str, Confirm] = {}
        self._said: QLabel = label("", "quiet", wrap=True)
        outer = row_of(self, margins=(18, 14, 18, 14), spacing=22)
        outer.addLayout(self._hands())
        outer.addLayout(self._bench())
        if job is not None:
            from crisp_hornet.bench.practice.tools import Tools

            self.tools = Tools(simulated, job)
            outer.addWidget(self.tools)

    def _hands(self) -> QVBoxLayout:
        column = column_of(spacing=0)
        column.addWidget(label("HANDS AND FEET", "caps"))
        for act, scale, start, factor in RULERS:
            ruler = Ruler(scale, self.theme, lambda: next(self._tokens))
            ruler.show_value(start)
            fix(ruler, wide=300)
            ruler.changed.connect(partial(self._move, act, ruler, factor))
            self.rulers[act] = ruler
            column.addWidget(ruler)
        column.addStretch(1)
        return column

    def _bench(self) -> QVBoxLayout:
        column = column_of(spacing=8)
        column.addWidget(label("THE BIKE", "caps"))
        states = column_of(spacing=0)
        for act, words, start in SWITCHES:
            states.addLayout(self._switch(act, words, start, partial(_turned, act)))
        inside = QWidget()
        inside.setLayout(states)
        column.addWidget(sheet(inside, margin=4))
        turns = row_of(spacing=8)
        for words, act in (("One wheel turn", "roll 1"), ("Five wheel turns", "roll 5")):
            turns.addWidget(button(words, partial(self.do, act), "large", words))
        self._key = button("Key off and on", self._key_off, "large", "Key off and on")
        self._key_back = QTimer(self)
        self._key_back.setSingleShot(True)
        self._key_back.setInterval(KEY_OFF_MS)
        self._key_back.timeout.connect(self._key_on)
        turns.addWidget(self._key)
        column.addLayout(turns)
        plugs = row_of(spacing=8)
        for words, act in (("Pull the plug", "unplug"), ("Plug in", "plug")):
            plugs.addWidget(button(words, partial(self.do, act), "large", words))
        plugs.addStretch(1)
        column.addLayout(plugs)
        column.addWidget(label("BROKEN WIRES", "caps"))
        wires = QGridLayout()
        wires.setSpacing(0)
        for index, (wire, words) in enumerate(WIRES):
            row = self._switch(f"cut {wire}", words, False, partial(_cut, wire))
            wires.addLayout(row, index // 2, index % 2)
        inside = QWidget()
        inside.setLayout(wires)
        column.addWidget(sheet(inside, margin=4))
        column.addWidget(button("Release everything", self.let_go, "large"))
        column.addWidget(self._said)
        column.addStretch(1)
        return column

    def _switch(self, key: str, words: str, start: bool, act: Callable[[bool], str]) -> QHBoxLayout:
        box = Confirm(self.theme, words)
        box.setChecked(start)
        box.toggled.connect(lambda on: self.do(act(on)))
        self.switches[key] = box
        row = QHBoxLayout()
        row.addWidget(box)
        row.addWidget(label(words), 1)
        return row

    def do(self, act: str) -> None:
        """Do one thing to the bike; says so if it did not work."""
        answer = self._simulated.act(act)
        self._said.setText("" if answer.startswith("ok") else f"{act}: {answer.removeprefix('no ')}")

    def _key_off(self) -> None:
        """Off for as long as a hand would leave it: a link that saw nothing go has seen no power cycle."""
        self._key.setEnabled(False)
        self.do(_turned("key", False))
        if not self._said.text():
            self._said.setText("The key is off. It comes on again by itself in a few seconds.")
        self._key_back.start()

    def _key_on(self) -> None:
        self.do(_turned("key", True))
        self._key.setEnabled(True)

    def let_go(self) -> None:
        """Throttle, pedals and brake are let go of."""
        for act in ("throttle", "pedal", "cadence"):
            self.rulers[act].show_value(0.0)
            self.do(f"{act} 0")
        self.switches["brake"].setChecked(False)

    def _move(self, act: str, ruler: Ruler, factor: float, value: float | None, _token: int) -> None:
        ruler.show_value(value)
        self.do(f"{act} {(value or 0.0) * factor:.4g}")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Escape:
            self.let_go()
        else:
            super().keyPressEvent(event)
