"""The open ride once more on another tune: the same road, the same wish, what resisted kept."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.stations.tune.road_view import RoadTable, Rows
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.virtual_ride.again import RiddenAgain, ride_again
from crisp_hornet.core.virtual_ride.ride import Stopped
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.tune import Tune

DRAFT, HELD = "the draft", "on the controller"
HOW = (
    "The same road and the same wish: what the ride held back from is kept, what it asked for fully is asked again. What resisted "
    "beyond the bike's figures, wind or a soft road, is taken from the log."
)
FIGURES = (
    ("time_s", "time", "s", ".0f"), ("wh_cells", "from the cells", "Wh", ".0f"), ("winding_c", "hottest winding", "°C", ".0f"),
    ("controller_c", "hottest controller", "°C", ".0f"), ("min_pack_v", "lowest pack", "V", ".1f"),
    ("max_battery_a", "battery current, most", "A", ".0f"), ("max_phase_a", "phase current, most", "A", ".0f"),
)  # fmt: skip


class RiddenAgainView(QWidget):
    """Choose a tune, ride it again, read the change with its band."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.choice = Chooser("tune to ride it again on")
        self.choice.be_narrow()
        self.choice.activated.connect(lambda _at: self._forget())
        self._tunes: dict[str, Tune] = {}
        self.act = button("Ride it again", self.start, "small", "Ride it again on this tune")
        self.sentence = label("", wrap=True)
        self.table = RoadTable("AS IT WAS AND AS IT WOULD HAVE BEEN", ("", "as it was", "on this tune", "95 %"))
        self._state = label(HOW, "quiet", wrap=True)
        self.found: RiddenAgain | None = None
        self._stop = [False]
        self._work = Background(ValueError, Stopped)
        self._work.done.connect(self._take)
        self._work.failed.connect(self._refuse)
        row = row_of(spacing=8)
        row.addWidget(Captioned("on", self.choice))
        row.addWidget(self.act)
        row.addStretch(1)
        column = column_of(self, margins=(0, 4, 8, 0), spacing=8)
        column.addLayout(row)
        column.addWidget(self._state)
        column.addWidget(self.sentence)
        column.addWidget(self.table)
        column.addStretch(1)
        self._of: object = None
        self.table.hide()

    def look(self) -> None:
        """List the tunes there are; what was found for another ride is forgotten."""
        desk = self._desk
        draft, held = desk.draft.tune, desk.held.tune
        sent = {f"{tune.name}, sent {at:%d %b}": tune for at, tune in desk.held.sent()} if desk.bike is not None else {}
        own = {DRAFT: draft, HELD: held}
        self._tunes = {name: tune for name, tune in own.items() if tune is not None} | sent | desk.draft.named()
        self.choice.offer(list(self._tunes))
        if self._of is not desk.ride.cleaned:
            self._of = desk.ride.cleaned
            self._forget()
        elif self.found is not None:
            self._show(self.found)

    def stop(self) -> None:
        """Nobody waits for it any more: it ends at its next step."""
        self._stop[0] = True

    def _forget(self) -> None:
        self.stop()
        self._work.cancel()
        self.found = None
        self.act.setText("Ride it again")
        self.sentence.setText("")
        self._state.setText(HOW)
        self.table.hide()

    def start(self) -> None:
        """Ride it; once more ends that."""
        if self._work.running:
            self._forget()
            return
        desk, tune = self._desk, self._tunes.get(self.choice.currentText())
        log, ridden, bike = desk.ride.cleaned, desk.ride.tune, desk.bike
        if log is None or bike is None or tune is None:
            desk.said.emit("note", "Open a ride on Rides first.")
            return
        if ridden is None:
            desk.said.emit("note", "Say above which tune it was ridden on: only then can another be told from it.")
            return
        bike = bike.with_pack(desk.ride.card.pack)
        stop = self._stop = [False]
        self._work.start(lambda: ride_again(log, ridden, tune, bike, tick=lambda _share: not stop[0]))
        self.act.setText("Stop")
        self._state.setText("Riding it again …")

    def _refuse(self, error: Exception) -> None:
        self._forget()
        self._state.setText(f"It cannot be ridden again: {error}." if isinstance(error, ValueError) else "Stopped.")

    def _take(self, found: RiddenAgain) -> None:
        self.found = found
        self.act.setText("Ride it again")
        self._state.setText(HOW)
        self._show(found)

    def _show(self, found: RiddenAgain) -> None:
        units = self._desk.units
        self.sentence.setText(units.text(found.sentence))
        rows: Rows = []
        for name, words, unit, spec in FIGURES:
            ends = found.foreseen.figures[name]
            rows.append(
                [
                    words, say("{value}", value=quantity(found.before[name], unit, spec)),
                    say("{value}", value=quantity(ends.value, unit, spec)),
                    say("{low} to {high}", low=quantity(ends.low, unit, spec, bare=True), high=quantity(ends.high, unit, spec)),
                ]
            )  # fmt: skip
        self.table.show_rows(rows, units)
        self.table.show()
