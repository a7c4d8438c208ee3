"""The packs' lives: what each ride showed of their resistance, over the cycles they have had."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from itertools import cycle
from typing import Any

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.charts.plain_chart import Line, Picture, PlainChart
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.scale import px
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.painted_table import PaintedTable
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.core.evidence.pack_life import PackLife, PackReading, lives, read_pack
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.cleaning import cleaned
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.saying import Quantity, joined, quantity, say
from crisp_hornet.garage.rides import KeptRide

MOST_RIDES = 200  # the newest
THE_PACK, ALL_PACKS, UNTOLD = "The pack", "All packs", "not told"
HEADS = ("ride", "pack", "cycles", "resistance", "at 25 °C")
WAITING = "Reading the rides …"
CHART_PX = 240
STYLES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)


@dataclass(frozen=True)
class _Wanted:
    """What was read, so that it is read again only when it changed."""

    bike_id: int
    rides: tuple[tuple[int, str, str], ...]
    capacities: tuple[tuple[str, float], ...]


class PacksView(QWidget):
    """A chart of resistance over cycles, a sentence for each pack, and a table of the rides. Rides are read off the interface thread."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._wanted: _Wanted | None = None
        self._lives: list[PackLife] = []
        self._older = 0
        self.chart = PlainChart(theme)
        self.chart.setMinimumHeight(px(CHART_PX))
        self.words = label("", wrap=True)
        self.table = PaintedTable(theme, "BY RIDE", HEADS)
        self._reading = Background(DocumentError)
        self._reading.done.connect(self._take)
        self._reading.failed.connect(lambda error: desk.said.emit("stop", str(error)))
        column = column_of(self, margins=(0, 0, 12, 0), spacing=8)
        column.addWidget(self.words)
        column.addWidget(self.chart)
        column.addWidget(self.table)
        column.addStretch(1)

    @property
    def reading(self) -> bool:
        """Whether rides are still being read."""
        return self._reading.running

    def refresh(self) -> None:
        """Show the packs as their rides are now; reads what has changed."""
        bike = self._desk.bike
        if bike is None:
            self._reading.cancel()
            self._lives, self._wanted = [], None
            self._show("There is no bike yet.")
            return
        every = self._desk.ride.kept()
        kept, self._older = every[:MOST_RIDES], max(len(every) - MOST_RIDES, 0)
        capacities = _capacities(bike)
        wanted = _Wanted(
            self._desk.bike_id,
            tuple((one.id, one.card.pack, one.card.air) for one in kept),
            tuple(capacities.items()),
        )
        if wanted == self._wanted:
            self._show()
            return
        self._wanted, self._lives = wanted, []
        self._show(WAITING)
        load = self._desk.ride.load

        def work() -> list[PackLife]:
            found = []
            for one in kept:
                try:
                    ride = cleaned(load(one))
                except DocumentError:  # its file is gone or damaged: said where it is opened
                    continue
                found.append(read_pack(ride, bike, one.name, _ridden(one, ride), _pack_of(bike, one), one.card.air_c))
            return lives(found, capacities)

        self._reading.start(work)

    def _take(self, found: Any) -> None:
        self._lives = found
        self._show()

    def _show(self, instead: str = "") -> None:
        units = self._desk.units
        told = [life for life in self._lives if life.readings]
        if instead or not told:
            self.words.setText(
                instead or "No ride says anything of the pack yet: import logs with voltage and battery current."
            )
            self.chart.show_picture(None)
            self.table.show_rows([], units)
            return
        left = [f"{self._older} older rides are not counted."] if self._older else []
        self.words.setText(units.text(joined(" ", [*(_sentence(one) for one in told), *left])))
        self.chart.show_picture(_picture(told))
        rows = [_row(life, at) for life in told for at in range(len(life.readings))]
        self.table.show_rows([cells for _, cells in sorted(rows, key=lambda one: one[0], reverse=True)], units)


def _capacities(bike: Bike) -> dict[str, float]:
    packs = bike.packs
    if packs is None:
        return {THE_PACK: bike.battery.capacity_ah}
    if packs.how == "in parallel":
        return {ALL_PACKS: bike.battery.capacity_ah}
    return {pack.name: pack.battery.capacity_ah for pack in packs.each}


def _pack_of(bike: Bike, kept: KeptRide) -> str:
    if bike.packs is None:
        return THE_PACK
    return (kept.card.pack or UNTOLD) if bike.packs.how == "in turn" else ALL_PACKS


def _ridden(kept: KeptRide, ride: Ride) -> datetime:
    """When it was ridden; where the log does not say, when it was imported."""
    return kept.at if ride.started_s is None else datetime.fromtimestamp(ride.started_s).astimezone()


def _cycles(life: PackLife, at: int) -> Quantity:
    cycles = float(life.cycles[at])
    return quantity(cycles, "", ".0f" if cycles >= 10 else ".1f" if cycles >= 1 else ".2f")


def _sentence(life: PackLife) -> str:
    cycles = _cycles(life, -1)
    head = say("{pack}: {cycles} cycles in {rides} rides.", pack=life.pack, cycles=cycles, rides=len(life.readings))
    growth = life.growth
    if not growth.known:
        return say("{head} Whether it ages cannot be told yet: {why}.", head=head, why=growth.reason)
    low, high = quantity(growth.low, "", "+.1f", bare=True), quantity(growth.high, "%", "+.1f")
    if growth.low > 0:
        return say("{head} Its resistance grows by {low} to {high} in 100 cycles.", head=head, low=low, high=high)
    return say(
        "{head} No growth of its resistance is to be seen: {low} to {high} in 100 cycles.",
        head=head,
        low=low,
        high=high,
    )


def _picture(told: list[PackLife]) -> Picture:
    lines: list[Line] = []
    for style, life in zip(cycle(STYLES), told, strict=False):
        known = [at for at, reading in enumerate(life.readings) if reading.ohm.known]
        if not known:
            continue
        seen = [life.readings[at].ohm_at_25 for at in known]
        cycles = life.cycles[known]
        lines.append(Line(life.pack, cycles, np.array([1000 * one.value for one in seen]), style))
        for at, one in zip(cycles, seen, strict=True):
            lines.append(Line("", np.array([at, at]), 1000 * np.array([one.low, one.high])))
    return Picture("cycles", "mΩ at 25 °C", lines)


def _row(life: PackLife, at: int) -> tuple[datetime, list[str]]:
    one: PackReading = life.readings[at]
    seen, warm = one.ohm.times(1000, "mΩ"), one.ohm_at_25.times(1000, "mΩ")
    told = [
        seen.in_words() if seen.known else "not shown",
        warm.in_words() if warm.known and one.air_c is not None else "",
    ]
    return one.at, [one.ride, life.pack, say("{cycles}", cycles=_cycles(life, at)), *told]
