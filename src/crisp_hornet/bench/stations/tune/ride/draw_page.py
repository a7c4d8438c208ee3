"""A road drawn by hand: pieces typed in a table, corners of the profile dragged, stops and limits put at a place."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from itertools import pairwise

import numpy as np
from pydantic import ValidationError
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from crisp_hornet.bench.charts.handle_chart import Handle, HandleChart
from crisp_hornet.bench.charts.plain_chart import Line, Picture
from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.row_grid import RowGrid
from crisp_hornet.bench.widgets.text import button, column_scroll, label
from crisp_hornet.core.virtual_ride.roads import RoadPiece, from_pieces, with_point
from crisp_hornet.documents.route import Route
from crisp_hornet.documents.saying import Symbol, say
from crisp_hornet.documents.units import Units

MOST_PIECES, STEEPEST = 60, 0.4
HEADS = ("length", "grade, %", "limit from here", "stop, s", "")
PIECE = RoadPiece(500.0)


class ProfileChart(HandleChart):
    """Corners are handles: a drag moves one along and up."""

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.text() and event.text() in "0123456789.,":
            event.ignore()  # figures are typed in the table
            return
        super().keyPressEvent(event)


class DrawPage(QWidget):
    """The road as it is being drawn; kept with :meth:`keep`."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk = desk
        self._gestures = 0
        self.name = QLineEdit()
        fix(self.name, wide=220)
        self.chart = ProfileChart(theme, self._token, "The road's profile")
        self.chart.dragged.connect(lambda corner, x, y, _token: self.move_corner(int(corner), x, y))
        self.chart.stepped.connect(self._step)
        self._grid = RowGrid(5, 8, 3)
        self.fields: list[dict[str, NumberField]] = []
        self.pieces: list[RoadPiece] = []
        self._start_m = 0.0
        self._of: tuple[Route | None, Units] | None = None
        self._many = label("", "quiet", wrap=True)
        inside = QWidget()
        inside.setLayout(self._grid)
        self._scroll = column_scroll(inside)
        head = row_of(spacing=8)
        head.addWidget(Captioned("name", self.name))
        head.addWidget(button("Add a piece", self.add, "small", "Add a piece to the road"))
        head.addWidget(button("Save the road", self.keep, "small", "Save the road"))
        head.addStretch(1)
        self.at = NumberField("place on the road for a stop or a limit", "km", width=92)
        self.figures = {
            "stop_s": NumberField("how long it stops there", "s", width=76),
            "limit_kmh": NumberField("limit from there on", "km/h", width=92),
        }
        put = row_of(spacing=8)
        put.addWidget(Captioned("at", self.at))
        put.addWidget(self.figures["stop_s"])
        put.addWidget(button("Stop there", partial(self.put, "stop_s"), "small", "Put a stop there"))
        put.addWidget(self.figures["limit_kmh"])
        put.addWidget(button("Limit from there", partial(self.put, "limit_kmh"), "small", "Put a limit from there on"))
        put.addStretch(1)
        column = column_of(self, margins=(0, 4, 0, 0), spacing=6)
        column.addLayout(head)
        column.addWidget(self.chart, 1)
        column.addWidget(self._many)
        column.addWidget(self._scroll, 1)
        column.addLayout(put)

    def _token(self) -> int:
        self._gestures += 1
        return self._gestures

    # --- what is shown --------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Take up the road of the ask, where it is another one than was taken up last."""
        road, units = self._desk.ask.road, self._desk.units
        if (road, units) != self._of:
            self._of = (road, units)
            self.open(road)

    def open(self, road: Route | None) -> None:
        """Draw on a road; None begins a new one."""
        self.at.show_unit(self._desk.units.unit("km"))
        self.figures["limit_kmh"].show_unit(self._desk.units.unit("km/h"))
        if road is None:
            self.name.setText("New road")
            self.pieces, self._start_m = [PIECE, RoadPiece(400.0, 0.06), RoadPiece(400.0, -0.06)], 0.0
        else:
            self.name.setText(road.name)
            self.pieces, self._start_m = pieces_of(road), road.points[0].altitude_m
        self._build()

    @property
    def drawable(self) -> bool:
        """Whether it is short enough to be drawn piece by piece; a logged one is only given stops and limits."""
        return len(self.pieces) <= MOST_PIECES

    def _build(self) -> None:
        units = self._desk.units
        self._grid.begin([f"{HEADS[0]}, {units.unit('m')}", HEADS[1], f"{HEADS[2]}, {units.unit('km/h')}", *HEADS[3:]])
        self.fields = []
        self._scroll.setVisible(self.drawable)
        told = f"{len(self.pieces)} pieces, too many for a table: put stops and limits where you want them."
        self._many.setText("" if self.drawable else told)
        for at, piece in enumerate(self.pieces if self.drawable else []):
            shown = {
                "length_m": units.value(piece.length_m, "m"), "grade": 100 * piece.grade,
                "limit_kmh": None if piece.limit_kmh is None or piece.limit_kmh >= 300 else units.value(piece.limit_kmh, "km/h"),
                "stop_s": piece.stop_s,
            }  # fmt: skip
            row = {}
            for key, value in shown.items():
                made = row[key] = NumberField(f"piece {at + 1}, {key.split('_')[0]}", width=92)
                made.setText("" if value is None else f"{value:.5g}")
                made.editingFinished.connect(partial(self._typed, at))
            self.fields.append(row)
            drop = button("Drop", partial(self.drop, at), "small", f"Drop piece {at + 1}")
            self._grid.add([*row.values(), drop])
        self._grid.end()
        self._draw()

    def _draw(self) -> None:
        units = self._desk.units
        x = np.concatenate(([0.0], np.cumsum([piece.length_m for piece in self.pieces])))
        y = self._start_m + np.concatenate(([0.0], np.cumsum([piece.length_m * piece.grade for piece in self.pieces])))
        km, height = x / 1000 * units.value(1.0, "km"), y * units.value(1.0, "m")
        low, high = float(height.min()), float(height.max())
        room = max(0.15 * (high - low), units.value(5.0, "m"))
        axis = units.text(say("height, {unit}", unit=Symbol("m")))
        line = Line("", km, height)
        up, along = (low - room, high + room), (0.0, float(km[-1]) * 1.02)
        self.chart.show_picture(
            Picture(units.unit("km"), axis, [line], y_from=up[0], y_to=up[1], x_from=along[0], x_to=along[1])
        )
        corners = zip(km[1:], height[1:], strict=True) if self.drawable else []
        self.chart.show_handles(
            [
                Handle(str(at), float(a), float(b), f"{100 * self.pieces[at].grade:+.1f} %")
                for at, (a, b) in enumerate(corners)
            ]
        )

    # --- hands ----------------------------------------------------------------------------------------------

    def move_corner(self, corner: int, shown_km: float, shown_m: float) -> None:
        """Drag the end of a piece; what lies behind it goes along."""
        units = self._desk.units
        end = shown_km / units.value(1.0, "km") * 1000
        begins = sum(piece.length_m for piece in self.pieces[:corner])
        base = self._start_m + sum(piece.length_m * piece.grade for piece in self.pieces[:corner])
        length = max(round(end - begins, -1), 10.0)
        grade = (shown_m / units.value(1.0, "m") - base) / length
        self._set(corner, length_m=length, grade=min(max(round(grade, 3), -STEEPEST), STEEPEST))

    def _step(self, corner: str, steps: float, fine: bool, _token: int) -> None:
        at = int(corner)
        grade = self.pieces[at].grade + steps * (0.001 if fine else 0.01)
        self._set(at, grade=min(max(round(grade, 4), -STEEPEST), STEEPEST))

    def _set(self, at: int, **figures: float | None) -> None:
        piece = self.pieces[at]
        self.pieces[at] = replace(piece, **figures)  # type: ignore[arg-type]
        for key, made in self.fields[at].items():
            value = getattr(self.pieces[at], key)
            if key in figures and value is not None:
                made.setText(f"{100 * value if key == 'grade' else self._desk.units.value(value, 'm'):.5g}")
        self._draw()

    def _typed(self, at: int) -> None:
        units, row = self._desk.units, self.fields[at]
        try:
            length, grade = units.back(row["length_m"].read(), "m"), row["grade"].read() / 100
            limit = None if row["limit_kmh"].blank else units.back(row["limit_kmh"].read(), "km/h")
            stop = None if row["stop_s"].blank else row["stop_s"].read()
        except Misread as why:
            self._desk.said.emit("note", f"Piece {at + 1}: {why}.")
            return
        fits = 1 <= length <= 1e6 and abs(grade) <= STEEPEST
        if not fits or not 1 <= (limit or 1) <= 300 or not 0 <= (stop or 0) <= 86_400:
            told = f"a length from 1 m, a grade up to {100 * STEEPEST:.0f} %, a limit from 1 to 300 km/h"
            self._desk.said.emit("note", f"Piece {at + 1}: {told}.")
            return
        self.pieces[at] = replace(self.pieces[at], length_m=length, grade=grade, limit_kmh=limit, stop_s=stop)
        self._draw()

    def add(self) -> None:
        """One more piece at the end."""
        if not self.drawable or len(self.pieces) == MOST_PIECES:
            self._desk.said.emit("note", f"A drawn road has {MOST_PIECES} pieces at most.")
            return
        self.pieces.append(PIECE)
        self._build()

    def drop(self, at: int) -> None:
        """Leave a piece out."""
        if len(self.pieces) > 1:
            del self.pieces[at]
            self._build()

    def put(self, key: str) -> None:
        """A stop or a limit at the place in the field, on a point of its own."""
        units = self._desk.units
        try:
            at_m, value = units.back(self.at.read(), "km") * 1000, self.figures[key].read()
            road = with_point(self.road(), at_m, **{key: units.back(value, "km/h") if key == "limit_kmh" else value})
        except Misread as why:
            self._desk.said.emit("note", f"The road: {why}.")
            return
        except ValidationError:
            self._desk.said.emit("note", "A limit lies between 1 and 300 km/h, a stop between 0 s and a day.")
            return
        except ValueError as error:
            self._desk.said.emit("note", f"The road: {error}.")
            return
        self.pieces = pieces_of(road)
        self._build()

    def road(self) -> Route:
        """The road as drawn. Raises :class:`ValueError` for what is none."""
        return from_pieces(self.name.text().strip()[:150], self.pieces, self._start_m)

    def keep(self) -> None:
        """Keep it with the garage, under its name, and ride it."""
        if not self.name.text().strip():
            self._desk.said.emit("note", "Give the road a name.")
            return
        try:
            road = self.road()
        except ValueError as error:
            self._desk.said.emit("note", f"The road: {error}.")
            return
        self._of = (road, self._desk.units)
        self._desk.ask.keep_road(road)
        self._desk.said.emit("settled", f"Saved: {road.name}.")


def pieces_of(road: Route) -> list[RoadPiece]:
    """A road as pieces from point to point."""
    return [
        RoadPiece(
            other.at_m - one.at_m,
            (other.altitude_m - one.altitude_m) / (other.at_m - one.at_m),
            one.limit_kmh,
            one.stop_s,
            one.headwind_kmh,
        )
        for one, other in pairwise(road.points)
    ]
