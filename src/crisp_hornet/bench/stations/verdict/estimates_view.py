"""What the ride says of the bike, each figure with its interval beside what the bike document says; learned, or taken back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QWidget

from crisp_hornet.bench.marks import paint_truth
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.text import button, clear, label, scrolled_rows
from crisp_hornet.core.evidence.estimate import Estimate, refused
from crisp_hornet.core.evidence.hill_seen import hill_words
from crisp_hornet.core.evidence.verdict import Verdict
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import joined, quantity, say
from crisp_hornet.documents.units import Units

Take = Callable[[Verdict], Estimate]


@dataclass(frozen=True)
class Figure:
    """A row: its words, its figure in the bike document ("" for none), how many digits, and by what factor it is shown."""

    words: str
    path: str
    take: Take
    digits: int = 3
    factor: float = 1.0
    unit: str = ""


def _weakening(verdict: Verdict, name: str) -> Estimate:
    one: Estimate = getattr(verdict.weakening, name, refused("it was not set, or not seen at work at full throttle"))
    return one


FIGURES = (
    Figure("pack resistance", "battery.resistance_ohm", lambda v: v.resistance_ohm, 3, 1000.0, "mΩ"),
    Figure("wheel, rolled", "drivetrain.wheel_circumference_m", lambda v: v.circumference_m, 4),
    Figure("consumption", "", lambda v: v.energy.wh_per_km),
    Figure("range at this style", "", lambda v: v.range_km, 2),
    Figure("energy, net", "", lambda v: v.energy.wh_net),
    Figure("charge, net", "", lambda v: v.energy.ah_net),
    Figure("came back", "", lambda v: v.energy.regen_share, 2, 100.0, "%"),
    Figure("rolling, Crr", "chassis.crr", lambda v: v.road.crr, 2),
    Figure("air, CdA", "chassis.cda_m2", lambda v: v.road.cda_m2, 2),
    Figure("motor constant", "motor.flux_linkage_wb", lambda v: v.motor.flux_linkage_wb, 3, 1000.0, "mWb"),
    Figure(
        say("winding at {at}", at=quantity(25, "°C")),
        "motor.phase_resistance_ohm",
        lambda v: v.motor.winding_ohm,
        3,
        1000.0,
        "mΩ",
    ),
    Figure("reaches the road, full throttle", "", lambda v: v.motor.efficiency, 2, 100.0, "%"),
    Figure("weakening, more pull", "", lambda v: _weakening(v, "gain_n"), 2),
    Figure("weakening, more speed", "", lambda v: _weakening(v, "gain_kmh"), 2),
    Figure("weakening, more heat", "", lambda v: _weakening(v, "heat_w"), 2),
    Figure("winding to housing", "motor.thermal.winding_to_housing_w_per_k", lambda v: v.heat.winding_to_housing, 2),
    Figure("housing to air", "motor.thermal.housing_to_air_w_per_k", lambda v: v.heat.housing_to_air, 2),
    Figure("controller to air", "controller.thermal.to_air_w_per_k", lambda v: v.heat.controller_to_air, 2),
)


class Interval(QWidget):
    """The interval on a scale of its own, with the document's figure as a ring."""

    def __init__(self, theme: Theme, one: Estimate, told: float | None) -> None:
        super().__init__()
        self._theme, self._one, self._told = theme, one, told
        self.setFixedHeight(14)
        self.setMinimumWidth(120)

    def sizeHint(self) -> QSize:
        return QSize(160, 14)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        one, told = self._one, self._told
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        places = [one.low, one.high] + ([told] if told is not None else [])
        low, high = min(places), max(places)
        room = (high - low) or abs(high) or 1.0
        low, high = low - 0.15 * room, high + 0.15 * room

        def x(value: float) -> float:
            return 6 + (value - low) / (high - low) * (self.width() - 12)

        painter.setPen(QPen(self._theme.color("rule"), 1))
        painter.drawLine(QPointF(0, 7), QPointF(self.width(), 7))
        painter.fillRect(
            QRectF(x(one.low), 4, max(x(one.high) - x(one.low), 1.5), 6), self._theme.color("measured", 0.45)
        )
        paint_truth(painter, self._theme, "measured", QPointF(x(one.value), 7), 4)
        if told is not None:
            painter.setPen(QPen(self._theme.color("text"), 1.5))
            painter.drawLine(QPointF(x(told), 1), QPointF(x(told), 13))


class EstimatesView(QWidget):
    """``learn`` carries a figure's path and its estimate; ``forget`` the path alone."""

    learn = pyqtSignal(str, object)
    forget = pyqtSignal(str)

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self._rows = scrolled_rows(self, 3)

    def show_verdict(self, verdict: Verdict | None, bike: Bike | None, ride: str, units: Units) -> None:
        """Show a ride's estimates."""
        clear(self._rows)
        if verdict is None or bike is None:
            self._rows.addWidget(label("No ride to judge.", "quiet"))
            return
        for figure in FIGURES:
            self._add(figure, figure.take(verdict), bike, ride, units)
        for timed in verdict.timed:
            self._add_words("by stopwatch", units.text(timed.in_words))
        if verdict.hill is not None:
            self._add_words("how long the hill could last", units.text(hill_words(verdict.hill)))
        for kind, parts in verdict.shares.items():
            words = joined(
                "; ",
                (
                    say("{what} {wh_per}", what=one.what, wh_per=quantity(one.wh_per_km, "Wh/km", ".0f"))
                    for one in parts
                ),
            )
            if parts:
                self._add_words(f"consumption by {kind}", units.text(words))
        for level in verdict.levels:
            self._add_words(f"level {level.level}", units.text(level.in_words))
        self._rows.addStretch(1)

    def _add(self, figure: Figure, one: Estimate, bike: Bike, ride: str, units: Units) -> None:
        if not one.known:
            self._add_words(units.text(figure.words), units.text(one.reason))
            return
        told = bike.figure(figure.path) if figure.path else None
        shown = one.times(figure.factor, figure.unit or one.unit)
        head = QHBoxLayout()
        head.addWidget(label(units.text(figure.words), "quiet"))
        head.addStretch(1)
        if figure.path:
            head.addWidget(self._act(figure, one, bike, ride))
        self._rows.addLayout(head)
        value = label(units.text(shown.in_words(figure.digits)))
        value.setStyleSheet("font-weight: 600;")
        self._rows.addWidget(value)
        self._rows.addWidget(Interval(self.theme, one, told))
        if told is not None:
            words = (
                f"bike document {told * figure.factor:.{figure.digits + 1}g} {shown.unit}{_learned(bike, figure.path)}"
            )
            self._rows.addWidget(label(units.text(words), "quiet"))
        self._rows.addSpacing(9)

    def _act(self, figure: Figure, one: Estimate, bike: Bike, ride: str) -> QPushButton:
        source = bike.sources.get(figure.path)
        if source is not None and any(said.ride == ride for said in source.rides):
            forget = partial(self.forget.emit, figure.path)
            return button("Forget", forget, "link", f"Forget what this ride says of {figure.words}")
        return button(
            "Learn", partial(self.learn.emit, figure.path, one), "link", f"Learn {figure.words} from this ride"
        )

    def _add_words(self, head: str, words: str) -> None:
        self._rows.addWidget(label(head, "quiet"))
        self._rows.addWidget(label(words, "quiet", wrap=True))


def _learned(bike: Bike, path: str) -> str:
    source = bike.sources.get(path)
    count = len(source.rides) if source is not None else 0
    return f", learned from {count} ride{'s' if count != 1 else ''}" if count else ""
