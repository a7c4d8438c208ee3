"""The open ride with all that can be worked out from it: its traces, in groups, by time or way, with another ride behind."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QComboBox, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.overview import Overview
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.bench.widgets.trace_rows import GROUPS, Rows
from crisp_hornet.bench.widgets.traces import Traces
from crisp_hornet.core.ride.along import Beside, beside
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import derived
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.tune import Tune
from crisp_hornet.garage.rides import KeptRide
from crisp_hornet.rides.errors import RideError


class WorkedOut:
    """Worked out once for a ride, a bike and a tune."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._made: tuple[Ride, Bike, Tune | None, Ride] | None = None

    @property
    def ride(self) -> Ride | None:
        """The open ride with what is worked out from it; shares its times."""
        ride, bike, tune = self._desk.ride.cleaned, self._desk.bike, self._desk.ride.tune
        if ride is None or bike is None:
            return ride
        made = self._made
        if made is None or made[0] is not ride or made[1] != bike or made[2] != tune:
            whole = Ride(ride.name, ride.time_s, ride.channels | derived(ride, bike, tune))
            self._made = made = ride, bike, tune, whole
        return made[3]


ALONE = "none"


class RideView(QWidget):
    """``changed``: another group, another channel or another ride behind is shown."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self.worked_out = WorkedOut(desk)
        self.besides = "wheel_speed_kmh"
        self.beside: Beside | None = None
        self._beside_of: tuple[Ride, int] | None = None
        self._kept: list[KeptRide] = []
        self._stale = True
        self._own_rows: dict[str, Rows] = {}
        self.shown_rows: Rows = ()
        self.traces, self.overview = Traces(theme), Overview(theme)
        self.groups = PageChoice(tuple(GROUPS), "traces")
        self.axis = PageChoice(("by time", "by distance"), "axis")
        self.other = Chooser("ride to compare with")
        self.other.addItem(ALONE)
        self.other.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.other.setMinimumContentsLength(14)
        self.other_row = Captioned("compare with", self.other)
        self._cursor = label("", "quiet", wrap=True)
        self._cursor.setMinimumHeight(36)
        self._laying = Background(DocumentError)
        self._laying.done.connect(self._take_beside)
        self._laying.failed.connect(self._take_failure)
        self._lay_out()
        self.groups.chosen.connect(lambda _at: self.refresh())
        self.axis.chosen.connect(lambda at: self.traces.set_by_way(at == 1))
        self.other.activated.connect(self._choose_other)
        self.traces.pointed.connect(lambda _at: self._cursor.setText(self.traces.values_at_cursor()))
        self.traces.ranged.connect(lambda: self.overview.show_view(*self.traces.in_view))
        self.overview.moved.connect(self.traces.show_between)

    def _lay_out(self) -> None:
        choices = row_of(spacing=18)
        choices.addWidget(self.groups)
        choices.addWidget(self.axis)
        choices.addStretch(1)
        column = column_of(self, margins=0, spacing=4)
        column.addLayout(choices)
        column.addWidget(self.traces, 1)
        column.addWidget(self.overview)
        column.addWidget(self._cursor)

    @property
    def group(self) -> str:
        """The group of channels that is shown."""
        return list(GROUPS)[self.groups.at]

    @property
    def every_row(self) -> Rows:
        """All rows of the group, with the channel that is looked at."""
        rows = GROUPS[self.group]
        rows = (("ahead_s",), *rows) if self.beside is not None else rows
        return rows if any(self.besides in row for row in rows) else (*rows, (self.besides,))

    def set_rows(self, rows: Rows | None) -> None:
        """Show these rows of the group, from the top; None shows its usual ones."""
        if rows is None:
            self._own_rows.pop(self.group, None)
        else:
            self._own_rows[self.group] = rows
        self.refresh()

    @property
    def shown(self) -> Ride | None:
        """The ride with all channels that can be shown of it; shares its times with the open one."""
        whole = self.worked_out.ride
        if whole is None or self.beside is None:
            return whole
        return Ride(whole.name, whole.time_s, whole.channels | {"ahead_s": self.beside.ahead_s})

    def refresh(self) -> None:
        """Show the open ride as it is now, its group, and the channel that is looked at; put off while nobody looks."""
        self._stale = not self.isVisible()
        if self._stale:
            return
        ride = self._desk.ride.cleaned
        for widget in (self.groups, self.axis, self.overview):
            widget.setVisible(ride is not None)
        self._offer_others()
        if self._beside_of is not None and self._beside_of[0] is not ride:
            self._lay_behind()
        self.shown_rows = rows = self._own_rows.get(self.group, self.every_row)
        needed = [name for row in rows for name in row]
        shown = (
            ride
            if ride is None or all(ride.has(name) or name in ("lat_deg", "lon_deg") for name in needed)
            else self.shown
        )
        self.traces.show_units(self._desk.units)
        self.traces.show_ride(shown, rows, None if self.beside is None else self.beside.ride)
        self.overview.show_ride(ride)
        self.overview.show_view(*self.traces.in_view)
        self._cursor.setText(self.traces.values_at_cursor())
        self.changed.emit()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        if self._stale:
            self.refresh()

    def look_at(self, channel: str) -> None:
        """Show one channel more than its group has."""
        self.besides = channel
        own = self._own_rows.get(self.group)
        if own is not None and not any(channel in row for row in own):
            self._own_rows[self.group] = (*own, (channel,))
        self.refresh()

    # --- another ride behind --------------------------------------------------------------------------------

    def _offer_others(self) -> None:
        every = self._desk.ride.kept()
        kept = [one for one in every if one.id != self._desk.ride.id]
        if [one.id for one in kept] == [one.id for one in self._kept]:
            return
        at = self.other.currentIndex() - 1
        chosen = self._kept[at].id if 0 <= at < len(self._kept) else 0
        self._kept = kept
        self.other.clear()
        self.other.addItems([ALONE, *(one.name for one in kept)])
        self.other.setCurrentIndex(next((at for at, one in enumerate(kept, 1) if one.id == chosen), 0))
        self.other.setEnabled(bool(kept))

    def _choose_other(self, _at: int) -> None:
        self._lay_behind()
        self.refresh()

    def _lay_behind(self) -> None:
        """Lay the chosen ride behind the open one, off the interface thread."""
        self.beside = self._beside_of = None
        at, first = self.other.currentIndex() - 1, self._desk.ride.cleaned
        if not 0 <= at < len(self._kept) or first is None or self._desk.bike is None:
            self._laying.cancel()
            return
        kept, bike, desk = self._kept[at], self._desk.bike, self._desk
        self._beside_of = (first, kept.id)

        def work() -> tuple[Ride, Beside]:
            second = desk.ride.load(kept)
            whole = Ride(second.name, second.time_s, second.channels | derived(second, bike, kept.tune))
            try:
                return first, beside(first, whole)
            except ValueError as error:
                raise RideError(kept.name, "", str(error), "Choose another ride.") from None

        self._laying.start(work)

    def _take_beside(self, found: tuple[Ride, Beside]) -> None:
        first, laid = found
        if first is not self._desk.ride.cleaned:
            return  # another ride was opened meanwhile
        self.beside = laid
        self.axis.choose(1)
        self.refresh()
        how = (
            f"found by its course ({100 * laid.fit:.0f} %)"
            if laid.fit
            else "aligned at the start: no common route found"
        )
        self._desk.said.emit("note", f"{laid.ride.name} lies behind, {how}.")

    def _take_failure(self, error: DocumentError) -> None:
        self.other.setCurrentIndex(0)
        self.beside = self._beside_of = None
        self._desk.said.emit("stop", str(error))
        self.refresh()
