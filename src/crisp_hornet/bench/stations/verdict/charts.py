"""The charts of a ride, one of them shown: pull against its prediction, energy along the way, power by speed over its pulls."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from crisp_hornet.bench.charts.force_chart import ForceChart
from crisp_hornet.bench.charts.plain_chart import PlainChart
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.stations.verdict.laid_against import Against
from crisp_hornet.bench.stations.verdict.pictures import along_the_way, dyno, picture_on_paper, pull_on_paper
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import Pages, column_of
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.bench.widgets.truth_legend import TruthLegend
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import PullCurve
from crisp_hornet.core.evidence.dyno import DynoRuns
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.documents.saying import Symbol, quantity, say
from crisp_hornet.documents.units import Units

LEAST_KG, MOST_KG = 1.0, 2000.0
NO_WAY = "The ride has no speed, or no voltage and battery current, to lay along its way."
NO_WEIGHT = say(
    "Flywheel: {least} to {most} is needed, or nothing on the road.",
    least=quantity(LEAST_KG, "kg", bare=True),
    most=quantity(MOST_KG, "kg"),
)
ON_THE_ROAD = "Full pulls, by what the known mass gained; on a stand the flywheel is that mass."
NO_PULLS = say(
    "No pull at full throttle that gains {at} and more: Rides leads through a dyno run.", at=quantity(8, "km/h")
)


PULL, ROUTE, DYNO = range(3)


class Charts(QWidget):
    """``flywheel``: another flywheel was typed."""

    refused = pyqtSignal(str)

    flywheel = pyqtSignal()

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.pull = ForceChart(theme)
        self.plain = PlainChart(theme)
        self._legend = TruthLegend(
            theme,
            {
                "controller": "predicted for the tune it was ridden on",
                "measured": "crosses: from current; bars: from motion, 95 %",
            },
        )
        self._at = PULL
        self.kg = NumberField(unit="kg", least=LEAST_KG, most=MOST_KG, width=110)
        self.kg.setAccessibleName(tr(say("flywheel at the tyre, {unit}; empty on the road", unit=Symbol("kg"))))
        self.kg.setToolTip(tr("what the stand's flywheel weighs at the tyre; leave it empty for pulls on the road"))
        self.kg.editingFinished.connect(self.flywheel)
        self._flywheel = Captioned("flywheel", self.kg)
        self._told = label("", "quiet", wrap=True)
        self._stack = Pages()
        self._stack.addWidget(self._page(self.pull, self._legend))
        self._stack.addWidget(self._page(self.plain, self._told, self._flywheel))
        column = column_of(self, margins=0, spacing=2)
        column.addWidget(self._stack, 1)
        self._way: tuple[Ride, Units] | None = None
        self._runs: tuple[DynoRuns | None, PullCurve] | None = None
        self.against: Against | None = None
        self.choose(PULL)

    def _page(self, chart: QWidget, *head: QWidget) -> QWidget:
        page, row = QWidget(), QHBoxLayout()
        row.addWidget(head[0], 1)
        for one in head[1:]:
            row.addWidget(one)
        column = column_of(page, margins=0, spacing=2)
        column.addLayout(row)
        column.addWidget(chart, 1)
        return page

    @property
    def flywheel_kg(self) -> float | None:
        """What was typed, None for the road or where it is no weight."""
        if self.kg.blank:
            return None
        try:
            return self.kg.read()
        except Misread as why:
            self.kg.setToolTip(tr(f"{why}."))
            self.refused.emit(f"Flywheel: {why}.")
            return None

    def show_ride(self, whole: Ride | None, runs: DynoRuns | None, curve: PullCurve | None, units: Units) -> None:
        """Show a ride with its derived channels and its pulls."""
        self._way = (whole, units) if whole is not None else None
        self._runs = (runs, curve) if curve is not None else None
        self.show_against(None)

    def show_against(self, against: Against | None) -> None:
        """Lay something else behind it."""
        self.against = against
        self.pull.show_also(against.name if against else "", against.curve if against else None)
        self._draw()

    def on_paper(self) -> list[tuple[str, QPixmap]]:
        """The charts for the page that is handed over, each with its caption: the pull, and the way or, where there are pulls before and
        after, those."""
        if self._way is None:
            return []
        whole, units = self._way
        shown: list[tuple[str, QPixmap]] = [
            (
                say("wheel force, N, over {unit}: predicted, and measured at full throttle", unit=Symbol("km/h")),
                pull_on_paper(self.pull, units),
            )
        ]
        name, way, other_runs = self._laid_against()
        runs, curve = self._runs if self._runs is not None else (None, None)
        picture, words = along_the_way(whole, way, name, units), "energy along the route"
        if other_runs is not None and runs is not None:
            picture, words = dyno(runs, other_runs, name, curve, units), "power at the wheel, before and after"
        return [*shown, (words, picture_on_paper(picture))] if picture is not None else shown

    def _laid_against(self) -> tuple[str, tuple[Array, Array] | None, DynoRuns | None]:
        one = self.against
        return ("", None, None) if one is None else (one.name, one.way, one.runs)

    def choose(self, at: int) -> None:
        """Show the pull, the energy along the route, or the dyno."""
        self._at = at
        self._stack.setCurrentIndex(min(at, ROUTE))
        self._flywheel.setVisible(at == DYNO)
        self._draw()

    def _draw(self) -> None:
        if self._way is None or self._at == PULL:
            self.plain.show_picture(None)
            return
        whole, units = self._way
        name, way, other_runs = self._laid_against()
        if self._at == ROUTE:
            picture = along_the_way(whole, way, name, units)
            self._told.setText("" if picture is not None else NO_WAY)
        else:
            runs, curve = self._runs if self._runs is not None else (None, None)
            picture = dyno(runs, other_runs, name, curve, units)
            wrong = bool(self.kg.text().strip()) and self.flywheel_kg is None
            self._told.setText(NO_WEIGHT if wrong else ON_THE_ROAD if picture is not None else NO_PULLS)
        self._told.setVisible(bool(self._told.text()))
        self.plain.show_picture(picture)
