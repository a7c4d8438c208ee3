"""The bike from the side, to scale, computed from its figures."""

from __future__ import annotations

import math
from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from crisp_hornet.bench.charts.paint import centred_text, width_of
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.scale import across, down, painter_of, real
from crisp_hornet.bench.theme import QUIET_PX, TEXT_PX, Theme, font
from crisp_hornet.core.drive.motor import wheel_radius_m
from crisp_hornet.core.road.vehicle import centre_of_gravity, lift_force_n
from crisp_hornet.documents.bike import Bike
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.units import Units

GROUND_PX = 44.0
Place = Callable[[float, float], QPointF]  # metres from the rear axle and above ground, to pixels


class BikeDrawing(QWidget):
    """Wheels, wheelbase, centre of gravity and the load on each wheel. Front to the right."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme = theme
        self.bike: Bike | None = None
        self.units = Units()
        self._before: Bike | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return real(640, 300)

    def show_bike(self, bike: Bike, units: Units) -> None:
        """Draw another bike, or the same with other figures."""
        if self.bike is not None and bike != self.bike:  # a change is shown against what was; another bike is not
            self._before = self.bike if self.bike.name == bike.name else None
        self.bike, self.units = bike, units
        rear, front = wheel_loads(bike)
        loads = say(
            "rear wheel carries {rear}, front {front}",
            rear=quantity(rear, "kg", ".0f"),
            front=quantity(front, "kg", ".0f"),
        )
        wheelbase = quantity(bike.chassis.wheelbase_m, "m")
        words = say(
            "{name} from the side: wheelbase {wheelbase}, {loads}", name=bike.name, wheelbase=wheelbase, loads=loads
        )
        self.setAccessibleName(tr(units.text(words)))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.bike is None:
            return
        painter = painter_of(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bike, chassis = self.bike, self.bike.chassis
        radius = wheel_radius_m(bike)
        wide_m = chassis.wheelbase_m + 2 * radius
        high_m = max(1.35, *(mass.z_m + 0.2 for mass in chassis.masses or []), centre_of_gravity(bike)[1] + 0.3)
        scale = min((across(self) - 60) / wide_m, (down(self) - GROUND_PX - 16) / high_m)
        left = (across(self) - wide_m * scale) / 2 + radius * scale
        ground_y = down(self) - GROUND_PX

        def at(x_m: float, z_m: float) -> QPointF:
            return QPointF(left + x_m * scale, ground_y - z_m * scale)

        self._paint_ground(painter, at, scale)
        self._paint_frame(painter, at, radius)
        self._paint_wheels(painter, at, radius, scale)
        painter.setPen(QPen(self.theme.color("text"), 1.2, Qt.PenStyle.DashLine))
        from_rear_m, height_m = centre_of_gravity(bike)
        painter.drawLine(at(from_rear_m, height_m), at(from_rear_m, 0))
        self._paint_masses(painter, at)
        self._paint_balance(painter, at)

    def _paint_ground(self, painter: QPainter, at: Place, scale: float) -> None:
        assert self.bike is not None
        theme, chassis = self.theme, self.bike.chassis
        painter.setPen(QPen(theme.color("text"), 1.4))
        painter.drawLine(QPointF(20, at(0, 0).y()), QPointF(across(self) - 20, at(0, 0).y()))
        painter.setFont(font(QUIET_PX))
        painter.setPen(theme.color("quiet"))
        rear, front = at(0, 0), at(chassis.wheelbase_m, 0)
        y = rear.y() + 34
        painter.drawLine(QPointF(rear.x(), y - 5), QPointF(front.x(), y - 5))
        for end in (rear, front):
            painter.drawLine(QPointF(end.x(), y - 10), QPointF(end.x(), y))
        told = say(
            "wheelbase {base}, wheel diameter {wheel}",
            base=quantity(chassis.wheelbase_m, "m"),
            wheel=quantity(2000 * wheel_radius_m(self.bike), "mm", ".0f"),
        )
        self._centred(
            painter,
            QPointF((rear.x() + front.x()) / 2, y - 1),
            self.units.text(told),
            back=True,
        )

    def _paint_frame(self, painter: QPainter, at: Place, radius: float) -> None:
        """A frame that fits the figures: nothing of it is measured, so it stays faint."""
        base = self.bike.chassis.wheelbase_m  # type: ignore[union-attr]
        painter.setPen(QPen(self.theme.color("rule"), 7, cap=Qt.PenCapStyle.RoundCap, join=Qt.PenJoinStyle.RoundJoin))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        crank, seat, head = (0.46, 0.30), (0.26, 0.95), (base * 0.52, 0.92)
        tubes = [
            ((0, radius), crank),
            ((0, radius), (0.3, 0.75)),
            (crank, seat),
            (crank, head),
            ((0.31, 0.72), head),
            (head, (base, radius)),
            (head, (head[0] - 0.04, 1.08)),
            ((head[0] - 0.04, 1.08), (head[0] - 0.16, 1.1)),
        ]
        for start, end in tubes:
            painter.drawLine(at(*start), at(*end))

    def _paint_wheels(self, painter: QPainter, at: Place, radius: float, scale: float) -> None:
        bike = self.bike
        assert bike is not None
        theme = self.theme
        for x, driven in (
            (0.0, bike.chassis.driven_wheel == "rear"),
            (bike.chassis.wheelbase_m, bike.chassis.driven_wheel == "front"),
        ):
            hub = at(x, radius)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("text"), 4))
            painter.drawEllipse(hub, radius * scale - 2, radius * scale - 2)
            painter.setPen(QPen(theme.color("rule"), 1))
            for spoke in range(12):
                angle = math.radians(spoke * 30)
                painter.drawLine(hub, hub + QPointF(math.cos(angle), math.sin(angle)) * (radius * scale - 5))
            hub_radius = (0.13 if driven and bike.drivetrain.ratio == 1 else 0.05) * scale
            painter.setPen(QPen(theme.color("text"), 1.6))
            painter.setBrush(theme.color("quiet") if driven else theme.color("sheet"))
            painter.drawEllipse(hub, hub_radius, hub_radius)

    def _paint_masses(self, painter: QPainter, at: Place) -> None:
        """The masses the document places."""
        theme = self.theme
        for mass in (self.bike.chassis.masses if self.bike else None) or []:
            side = 0.06 * mass.kg ** (1 / 3)
            place = at(mass.x_m, mass.z_m)
            half = abs(at(side, 0).x() - at(0, 0).x())
            painter.setPen(QPen(theme.color("text"), 1.2))
            painter.setBrush(theme.color("sheet", 0.85))
            painter.drawRoundedRect(QRectF(place.x() - half, place.y() - half, 2 * half, 2 * half), 4, 4)
            painter.setFont(font(QUIET_PX))
            painter.setPen(theme.color("text"))
            self._centred(painter, place + QPointF(0, -2), mass.name)
            self._centred(painter, place + QPointF(0, 13), self.units.text(say("{kg}", kg=quantity(mass.kg, "kg"))))

    def _paint_balance(self, painter: QPainter, at: Place) -> None:
        bike = self.bike
        assert bike is not None
        theme, chassis = self.theme, bike.chassis
        from_rear_m, height_m = centre_of_gravity(bike)
        centre = at(from_rear_m, height_m)
        painter.setPen(QPen(theme.color("text"), 1.6))
        painter.setBrush(theme.color("sheet"))
        painter.drawEllipse(centre, 11, 11)
        for quarter in (0, 180):  # the usual sign for a centre of gravity: opposite quarters filled
            path = QPainterPath(centre)
            path.arcTo(QRectF(centre.x() - 11, centre.y() - 11, 22, 22), quarter, 90)
            path.closeSubpath()
            painter.fillPath(path, theme.color("text"))
        painter.setFont(font(TEXT_PX, QFont.Weight.Medium))
        painter.setPen(theme.color("text"))
        words = self.units.text(
            say(
                "{mass}, centre {height} high", mass=quantity(bike.mass_kg, "kg"), height=quantity(height_m, "m", ".2f")
            )
        )
        note = QPointF(across(self) - 236, 26)  # a quiet corner: whatever lies around the centre stays readable
        painter.drawText(note, tr(words))
        painter.setPen(QPen(theme.color("quiet"), 1))
        painter.drawPolyline(
            QPolygonF(
                [centre + QPointF(8, -8), QPointF(note.x() - 30, note.y() - 5), QPointF(note.x() - 6, note.y() - 5)]
            )
        )
        rear, front = wheel_loads(bike)
        painter.setFont(font(TEXT_PX, QFont.Weight.DemiBold))
        painter.setPen(theme.color("text"))
        for x, load in ((0.0, rear), (chassis.wheelbase_m, front)):
            foot = at(x, 0)
            was = self._was(load, _rear_load if x == 0.0 else _front_load, "kg")
            self._centred(
                painter,
                foot + QPointF(0, 18),
                self.units.text(say("{load}{was}", load=quantity(load, "kg", ".0f"), was=was)),
            )
        lift = lift_force_n(bike)
        if math.isfinite(lift):
            painter.setFont(font(QUIET_PX))
            painter.setPen(theme.color("quiet"))
            painter.drawText(
                note + QPointF(0, 18), tr(f"front wheel lifts at {lift:.0f} N{self._was(lift, lift_force_n, 'N')}")
            )

    def _was(self, now: float, figure: Callable[[Bike], float], unit: str) -> str:
        """``, was 111 kg`` where the last change moved a figure."""
        before = figure(self._before) if self._before is not None else now
        return f", was {before:.0f} {unit}" if round(before) != round(now) else ""

    def _centred(self, painter: QPainter, at: QPointF, text: str, back: bool = False) -> None:
        if back:
            wide = width_of(painter, text)
            painter.fillRect(QRectF(at.x() - wide / 2 - 6, at.y() - 14, wide + 12, 18), self.theme.color("ground"))
        centred_text(painter, at.x(), at.y(), text)


def _rear_load(bike: Bike) -> float:
    return wheel_loads(bike)[0]


def _front_load(bike: Bike) -> float:
    return wheel_loads(bike)[1]


def wheel_loads(bike: Bike) -> tuple[float, float]:
    """Mass (kg) on the rear and the front wheel, standing on the flat."""
    front = bike.mass_kg * centre_of_gravity(bike)[0] / bike.chassis.wheelbase_m
    return bike.mass_kg - front, front
