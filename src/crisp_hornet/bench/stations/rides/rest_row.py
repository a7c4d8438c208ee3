"""After a recording: the pack comes to rest, and its voltage then goes onto the ride's card."""

from __future__ import annotations

import math

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.link_worker import Link
from crisp_hornet.bench.widgets.layouts import row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.core.pack.resting import Resting
from crisp_hornet.link.contact import Live


class RestRow(QWidget):
    """Watches from :meth:`watch` on until the voltage is taken, by itself or by hand."""

    def __init__(self, desk: Desk, link: Link) -> None:
        super().__init__()
        self._desk = desk
        self._resting: Resting | None = None
        self._ride_id = 0
        self._told = label("", "quiet")
        self._take_now = button("Take it now", self.take, "small", "Use the pack voltage as voltage at rest")
        row = row_of(self, margins=0)
        row.addWidget(self._told)
        row.addWidget(self._take_now)
        row.addWidget(button("Not for this ride", self.leave, "small", "Do not wait for the voltage at rest"))
        row.addStretch(1)
        link.live_changed.connect(self._take_live)
        self.hide()

    def watch(self) -> None:
        """Wait for the pack of the open ride to come to rest."""
        if self._desk.bike is None:
            return
        self._resting, self._ride_id = Resting(self._desk.bike.battery.series), self._desk.ride.id
        self._told.setText("Waiting for the pack to rest: keep it connected, throttle closed.")
        self._take_now.setEnabled(False)
        self.show()

    def leave(self) -> None:
        """Wait no longer."""
        self._resting = None
        self.hide()

    def _take_live(self, live: Live) -> None:
        resting = self._resting
        if resting is None:
            return
        resting.take(live.at_s, live.values.get("pack_v", math.nan), live.values.get("battery_a", math.nan))
        volts = resting.volts
        if math.isnan(volts):
            return
        self._take_now.setEnabled(True)
        self._told.setText(
            f"The pack rests: {clock(resting.lasts_s)}, {volts:.2f} V. It is taken once it no longer rises."
        )
        if resting.settled:
            self.take()

    def take(self) -> None:
        """Put the voltage onto the card of the ride that was recorded."""
        if self._resting is None or math.isnan(self._resting.volts):
            return
        volts, lasted = round(self._resting.volts, 2), self._resting.lasts_s
        if self._ride_id == self._desk.ride.id:
            self._desk.ride.keep_card(self._desk.ride.card.model_copy(update={"rested_end_v": volts}))
            self._desk.said.emit("settled", f"Voltage at rest {volts:g} V after {clock(lasted)} is on the ride's card.")
        self.leave()
