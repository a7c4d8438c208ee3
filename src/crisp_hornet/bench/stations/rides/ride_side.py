"""Beside the traces, of one channel: the track coloured by a channel, small pictures of it, and the figures of what is in view."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.desk.prediction import axis_speeds
from crisp_hornet.bench.stations.rides.profile import Profile
from crisp_hornet.bench.stations.rides.ride_view import RideView
from crisp_hornet.bench.stations.rides.time_bars import TimeAt
from crisp_hornet.bench.stations.rides.track_map import TrackMap
from crisp_hornet.bench.stations.rides.two_channels import Against
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.page_choice import PageChoice
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.bench.widgets.trace_parts import clock
from crisp_hornet.bench.widgets.trace_rows import limit_word, turned, unit_of
from crisp_hornet.core.arrays import Array
from crisp_hornet.core.drive.pull import pull_curve
from crisp_hornet.core.ride.along import way_km
from crisp_hornet.core.ride.channels import Ride
from crisp_hornet.core.ride.derived import WORKED_OUT, derivable
from crisp_hornet.core.ride.model_channels import model_channels
from crisp_hornet.core.ride.rested import conditions_at_start
from crisp_hornet.core.ride.spread import stretch, time_at
from crisp_hornet.documents.channels import UNITS, long_name

PICTURES = ("histogram", "scatter", "profile")
UNSEEN = ("lat_deg", "lon_deg")


class RideSide(QWidget):
    """Pictures and figures of the channel that is looked at."""

    def __init__(self, desk: Desk, theme: Theme, view: RideView) -> None:
        super().__init__()
        self._desk, self._view = desk, view
        self._way: tuple[Ride, Array | None] | None = None
        self.channel, self.across = Chooser("channel to look at"), Chooser("channel across")
        self.channel.activated.connect(lambda _at: view.look_at(self._name))
        self.across.activated.connect(lambda _at: self._show_picture())
        self.track, self.bars, self.against, self.profile = (
            TrackMap(theme),
            TimeAt(theme),
            Against(theme),
            Profile(theme),
        )
        self.pictures = PageChoice(PICTURES, "picture")
        self.pictures.chosen.connect(lambda _at: self._show_picture())
        self.figures = label("", "quiet", wrap=True)
        self._lay_out()
        view.changed.connect(self.refresh)
        view.traces.pointed.connect(self._point_at)
        view.traces.ranged.connect(self._show_view)

    def _lay_out(self) -> None:
        against = QWidget()
        both = column_of(against, margins=0)
        both.addWidget(Captioned("across", self.across))
        both.addWidget(self.against)
        self._stack = QStackedWidget()
        self._pages = (self.bars, against, self.profile)
        for page in self._pages:
            self._stack.addWidget(page)
        outer = column_of(self, margins=0)
        self._inside = QWidget()  # the window shows and hides the whole of it
        outer.addWidget(self._inside)
        column = QVBoxLayout(self._inside)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(Captioned("channel", self.channel))
        column.addWidget(self.track)
        column.addWidget(self.pictures)
        column.addWidget(self._stack)
        column.addWidget(label("IN VIEW", "caps"))
        column.addWidget(self.figures)
        column.addStretch(1)

    # --- what is shown --------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the open ride."""
        ride = self._desk.ride.cleaned
        self.offer(ride is not None)
        if ride is None:
            return
        names = [_in_words(name) for name in self._names(ride)]
        for box, usual in ((self.channel, self._view.besides), (self.across, "battery_a")):
            if [box.itemText(at) for at in range(box.count())] != names:
                now = box.currentText() or _in_words(usual)
                box.clear()
                box.addItems(names)
                box.setCurrentIndex(names.index(now) if now in names else 0)
        self._view.besides = self._name
        self.track.show_track(self._ride(self._name), self._name)
        self._show_picture()
        self._show_figures()

    def offer(self, offered: bool) -> None:
        """Whether there is anything to look at."""
        self._inside.setVisible(offered)

    def _names(self, ride: Ride) -> list[str]:
        present = [name for name in UNITS if name not in UNSEEN and ride.has(name)]
        known = self._desk.bike is not None
        return present + (derivable(ride, self._desk.ride.tune is not None) if known else [])

    def _ride(self, *names: str) -> Ride:
        """The ride, with what is worked out from it where one of the channels is."""
        ride = self._desk.ride.cleaned
        assert ride is not None
        whole = self._view.worked_out.ride if any(name not in UNITS for name in names) else ride
        return whole if whole is not None else ride

    @property
    def _name(self) -> str:
        return _named(self.channel.currentText())

    def _show_picture(self) -> None:
        self._stack.setCurrentIndex(self.pictures.at)
        self._stack.setFixedHeight(self._pages[self.pictures.at].sizeHint().height())
        if self._desk.ride.cleaned is None:
            return
        (self._show_bars, self._show_against, self._show_profile)[self.pictures.at]()

    def _show_bars(self) -> None:
        if self._name == "limit":
            ride = self._ride("limit")
            self.bars.show_kinds(_held_by(ride, 0.0, float(ride.time_s[-1]) + 1.0))
            return
        edges, seconds = time_at(self._ride(self._name), self._name)
        self.bars.show_bars(self._turned(edges), seconds, self._unit)

    def _show_against(self) -> None:
        across, name = _named(self.across.currentText()), self._name
        ride = self._ride(across, name)
        rows = slice(*np.searchsorted(ride.time_s, self._view.traces.in_view).tolist())
        units, model = self._desk.units, self._model(across, name)
        words = tuple(f"{_in_words(one)} {unit_of(one, units)}".strip() for one in (across, name))
        curve = None if model is None else (turned(across, model[0], units), turned(name, model[1], units))
        x, y = (turned(one, ride.get(one)[rows], units) for one in (across, name))
        self.against.show_points(x, y, curve, (words[0], words[1]))

    def _model(self, across: str, name: str) -> tuple[Array, Array] | None:
        """The full pull of the tune it was ridden on, as these two channels; None where the model does not know both."""
        bike, tune, ride = self._desk.bike, self._desk.ride.tune, self._desk.ride.cleaned
        conditions = conditions_at_start(ride, bike) if ride is not None and bike is not None else None
        if bike is None or tune is None or conditions is None:
            return None
        columns = model_channels(pull_curve(bike, tune, axis_speeds(bike), conditions))
        return (columns[across], columns[name]) if across in columns and name in columns and across != name else None

    def _show_profile(self) -> None:
        ride = self._ride("grade")
        way = self._way_of(ride)
        nothing = np.zeros(0)
        if way is None or not ride.has("altitude_m"):
            self.profile.show_profile(nothing, nothing, nothing, self._desk.units)
            return
        self.profile.show_profile(way, ride.get("altitude_m"), ride.get("grade"), self._desk.units)
        self._point_at(self._view.traces.at_s)

    def _way_of(self, ride: Ride) -> Array | None:
        if self._way is None or self._way[0].time_s is not ride.time_s:
            self._way = ride, way_km(ride)
        return self._way[1]

    # --- cursor and view ------------------------------------------------------------------------------------

    def _point_at(self, at_s: float) -> None:
        self.track.point_at(at_s)
        ride = self._desk.ride.cleaned
        if (
            self.pictures.at == PICTURES.index("profile")
            and ride is not None
            and (way := self._way_of(ride)) is not None
        ):
            self.profile.point_at(float(np.interp(at_s, ride.time_s, way)))

    def _show_view(self) -> None:
        if self.isVisible():
            self._show_figures()
            if self.pictures.at == PICTURES.index("scatter"):
                self._show_against()

    @property
    def _unit(self) -> str:
        return unit_of(self._name, self._desk.units)

    def _turned(self, values: Array) -> Array:
        return turned(self._name, values, self._desk.units)

    def _show_figures(self) -> None:
        if self._desk.ride.cleaned is None:
            return
        low, high = self._view.traces.in_view
        told = f"{clock(low)} to {clock(high)}: {self._figures(self._ride(self._name), low, high)}"
        laid = self._view.beside
        if laid is not None and laid.ride.has(self._name):
            told += f"\nother ride: {self._figures(laid.ride, low, high)}"
        self.figures.setText(told)

    def _figures(self, ride: Ride, from_s: float, to_s: float) -> str:
        if self._name == "limit":
            return (
                ", ".join(f"{word} {clock(spent)}" for word, spent in _held_by(ride, from_s, to_s))
                or "not driven in view"
            )
        found = stretch(ride, self._name, from_s, to_s)
        if found is None:
            return "nothing was recorded in view"
        least, mean, most = self._turned(np.array([found.least, found.mean, found.most])).tolist()
        shown = [f"{round(one, 2):.4g}" for one in (least, most, mean)]
        return f"{shown[0]} to {shown[1]} {self._unit}, on average {shown[2]}"


def _held_by(ride: Ride, from_s: float, to_s: float) -> list[tuple[str, float]]:
    """How long (s) each limit held the motor back, the longest first."""
    rows = slice(*np.searchsorted(ride.time_s, [from_s, to_s]).tolist())
    codes, steps = ride.get("limit")[rows], np.diff(ride.time_s[rows], append=ride.time_s[rows][-1:])
    kinds = np.unique(codes[np.isfinite(codes)]).tolist()
    spent = [(word, float(steps[codes == code].sum())) for code in kinds if (word := limit_word(code))]
    return sorted(spent, key=lambda one: -one[1])


def _in_words(name: str) -> str:
    return long_name(name)


def _named(words: str) -> str:
    every = {name: long_name(name) for name in (*WORKED_OUT, *UNITS)}
    return next((name for name, told in every.items() if told == words), "wheel_speed_kmh")
