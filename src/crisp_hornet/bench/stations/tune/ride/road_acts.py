"""What can be done with roads: drawn anew, imported, taken from a ride, turned, repeated, joined, deleted."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from crisp_hornet.bench.background import Background
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.core.virtual_ride.roads import Smoothed, from_ride, joined, repeated, turned
from crisp_hornet.documents.errors import DocumentError
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.rides.roads import read_road

ROADS = "Roads and rides (*.json *.gpx *.tcx *.fit *.csv *.parquet *.xlsx);;All files (*)"
MOST_NAME, MOST_TIMES = 150, 20


class RoadActs(QObject):
    """Each changes the road of the ask. ``draw_asked``: a new one is to be drawn. ``again_asked``: the open ride is to be ridden again."""

    draw_asked = pyqtSignal()
    again_asked = pyqtSignal()

    def __init__(self, desk: Desk, over: QWidget) -> None:
        super().__init__(over)
        self._desk, self._over = desk, over
        self._reading = Background(DocumentError)
        self._reading.done.connect(self._take_read)
        self._reading.failed.connect(lambda error: desk.said.emit("stop", str(error)))

    def named(self) -> list[tuple[str, Callable[[], object]]]:
        """All of them, as a list shows them."""
        return [
            ("Draw a new road", self.draw_asked.emit), ("Import a road or a ride", self.import_road),
            ("Take it from the open ride", self.take_ride), ("Ride it the other way", self.turn),
            ("Ride it again and again", self.repeat), ("Join another road to it", self.join), ("Delete the road", self.drop),
            ("Ride the open ride again on the draft", self.again_asked.emit),
        ]  # fmt: skip

    def import_road(self) -> None:
        """Take a road from a file."""
        name, _ = QFileDialog.getOpenFileName(self._over, tr("Import a road or a ride"), "", ROADS)
        if name:
            self.take_file(Path(name))

    def take_file(self, path: Path) -> None:
        """Read a road beside the window, keep it, ride it."""
        self._reading.start(lambda: read_road(path))

    def _take_read(self, road: Smoothed) -> None:
        self._desk.ask.add_road(road.route)
        name = self._desk.ask.road.name if self._desk.ask.road is not None else road.route.name
        words = say(
            "Imported: {name}, {way}.",
            name=name,
            way=quantity(road.route.length_m / 1000, "km", ".1f"),
        )
        if road.logged_climb_m > road.climb_m + 1:
            words = say(
                "{words} Heights smoothed: it climbs {climb}, {logged} as logged.", words=words,
                climb=quantity(road.climb_m, "m", ".0f"), logged=quantity(road.logged_climb_m, "m", ".0f"),
            )  # fmt: skip
        self._desk.said.emit("settled", self._desk.units.text(words))

    def take_ride(self) -> None:
        """The road that the open ride went."""
        ride_ = self._desk.ride.cleaned
        if ride_ is None:
            self._desk.said.emit("note", "Open a ride on Rides first.")
            return
        try:
            road = from_ride(ride_, ride_.name[:MOST_NAME] or "ride")
        except ValueError as error:
            self._desk.said.emit("stop", f"The open ride: {error}.")
            return
        self._desk.ask.add_road(road.route)

    def turn(self) -> None:
        """The same road the other way."""
        self._change_road(turned)

    def repeat(self) -> None:
        """The road several times in a row, as one."""
        times, good = QInputDialog.getInt(self._over, "Ride it again and again", "times in a row", 2, 2, MOST_TIMES)
        if good:
            self._change_road(
                lambda road: repeated(road, times).model_copy(
                    update={"name": f"{road.name[: MOST_NAME - 10]}, {times} times"}
                )
            )

    def join(self) -> None:
        """Another road of the garage behind it."""
        names = [
            name for name in self._desk.ask.roads() if self._desk.ask.road is None or name != self._desk.ask.road.name
        ]
        if not names or self._desk.ask.road is None:
            self._desk.said.emit("note", "There is no other road to join.")
            return
        name, good = QInputDialog.getItem(self._over, "Join another road to it", "road", names, 0, False)
        other = self._desk.ask.road_named(name) if good else None
        if other is not None:
            self._change_road(lambda road: joined(road, other))

    def _change_road(self, change: Callable[[Route], Route]) -> None:
        road = self._desk.ask.road
        if road is None:
            self._desk.said.emit("note", "Choose a road first.")
            return
        try:
            made = change(road)
        except (ValueError, DocumentError) as error:
            self._desk.said.emit("stop", f"{road.name}: {error}.")
            return
        self._desk.ask.add_road(made.model_copy(update={"name": made.name[:MOST_NAME]}))

    def drop(self) -> None:
        """Delete the road; it is said."""
        road = self._desk.ask.road
        if road is not None:
            self._desk.ask.drop_road(road.name)
            self._desk.said.emit("note", f"Deleted: {road.name}.")
