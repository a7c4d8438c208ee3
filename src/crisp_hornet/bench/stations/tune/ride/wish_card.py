"""A wish: a mark that says whether it is met, what is asked and reached, and fields for its figures when it is to be changed."""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QWidget

from crisp_hornet.bench.figures import Misread
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.marks import paint_severity
from crisp_hornet.bench.number_field import NumberField
from crisp_hornet.bench.scale import fix, painter_of
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, label
from crisp_hornet.core.goal.reached import Reached
from crisp_hornet.core.goal.words import KINDS, Figure, reached_of, title_of, wanted_of
from crisp_hornet.documents.goals import Goal, OnRoute
from crisp_hornet.documents.units import Units

SEVERITY = {"yes": "settled", "likely": "note", "no": "warn"}
MET = {"yes": "met", "likely": "likely met", "no": "missed"}


class MetMark(QWidget):
    """A check, a bar or a triangle; nothing while it is being worked out."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.theme, self.met = theme, ""
        fix(self, wide=22, high=22)

    def show_met(self, met: str) -> None:
        """Show another one."""
        self.met = met
        self.setAccessibleName(tr(MET.get(met, "being worked out")))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        if self.met in SEVERITY:
            painter = painter_of(self)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            paint_severity(painter, self.theme, SEVERITY[self.met], QPointF(10, 11), 7)


class WishCard(QFrame):
    """``changed`` carries the wish as it is asked now; ``dropped``: it is no longer asked."""

    changed = pyqtSignal(object)
    dropped = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, goal: Goal, theme: Theme, units: Units) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.goal, self.units = goal, units
        self.mark = MetMark(theme)
        self._title, self._wanted = (
            label(units.text(title_of(goal)), "strong", wrap=True),
            label(units.text(wanted_of(goal)), wrap=True),
        )
        self._reached = label("", "quiet", wrap=True)
        words = column_of(spacing=1)
        for line in (self._title, self._wanted, self._reached):
            words.addWidget(line)
        row = row_of(spacing=6)
        row.addWidget(self.mark)
        row.addLayout(words, 1)
        name = units.text(title_of(goal))
        self._open = button("Edit", self._unfold, "small", f"Edit the wish {name}")
        row.addWidget(self._open)
        self._fields: dict[str, NumberField] = {}
        self._inside = QWidget()
        grid = QGridLayout(self._inside)
        grid.setContentsMargins(0, 4, 0, 0)
        for at, one in enumerate(KINDS[goal.what].figures):
            made = self._fields[one.key] = NumberField(f"{name}: {one.name}", units.unit(one.unit), width=104)
            made.setText(self._shown(one))
            made.returnPressed.connect(self.take)
            grid.addWidget(label(one.name, "quiet"), at, 0)
            grid.addWidget(made, at, 1)
        acts = row_of(spacing=6)
        acts.addWidget(button("Ask for this", self.take, "small", f"Ask for this: {name}"))
        acts.addWidget(button("Drop it", self.dropped.emit, "small", f"Drop the wish {name}"))
        acts.addStretch(1)
        grid.addLayout(acts, len(self._fields), 0, 1, 2)
        self._inside.hide()
        column = column_of(self, margins=8, spacing=2)
        column.addLayout(row)
        column.addWidget(self._inside)

    @property
    def open(self) -> bool:
        """Whether its fields are shown."""
        return not self._inside.isHidden()

    def _unfold(self) -> None:
        self._inside.setVisible(not self.open)
        if self.open and self._fields:
            next(iter(self._fields.values())).setFocus()

    def _shown(self, one: Figure) -> str:
        value = getattr(self.goal, one.key)
        return "" if value is None else f"{self.units.value(value * one.scale, one.unit):.6g}"

    def show_reached(self, reached: Reached | None) -> None:
        """Show what the draft reaches; None while it is being worked out."""
        self.mark.show_met(reached.met if reached is not None else "")
        self._reached.setText(self.units.text(reached_of(reached)) if reached is not None else "…")

    def take(self) -> None:
        """Ask for the figures in the fields."""
        given: dict[str, Any] = {}
        for one in KINDS[self.goal.what].figures:
            made = self._fields[one.key]
            if one.optional and made.blank:
                given[one.key] = None
                continue
            try:
                value = self.units.back(made.read(), one.unit) / one.scale
            except Misread as why:
                made.refuse(str(why))
                return
            if not one.least <= value * one.scale <= one.most:
                made.refuse(f"between {one.least:g} and {one.most:g}, please")
                return
            given[one.key] = round(value) if one.key == "times" else round(value, 9)
        try:
            self.changed.emit(type(self.goal).model_validate(self.goal.model_dump() | given))
        except ValidationError as error:
            self.refused.emit(f"{title_of(self.goal)}: {error.errors()[0]['msg']}.")


def new_wish(what: str, road: str) -> Goal | None:
    """A wish of a kind to begin with; None of one for a road where there is none."""
    from pydantic import TypeAdapter

    begins = dict(KINDS[what].begins) | {"what": what}
    if what == "route":
        if not road:
            return None
        return OnRoute.model_validate(begins | {"route": road, "hold_kmh": 30.0})
    found: Goal = TypeAdapter(Goal).validate_python(begins)
    return found
