"""The side panel of Build: the bikes of the garage, and new ones."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.language import tr
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of, row_of
from crisp_hornet.bench.widgets.text import button, clear, label
from crisp_hornet.core.build.kinds import KINDS, bike_of_kind
from crisp_hornet.garage.glance import KeptBike


class GaragePanel(QWidget):
    """Switch, duplicate, archive, or start a bike of a kind."""

    def __init__(self, desk: Desk, to_start: Callable[[], object]) -> None:
        super().__init__()
        self._desk = desk
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("name of the new bike"))
        self._bikes = column_of(spacing=6)
        column = column_of(self, margins=(0, 0, 4, 0), spacing=8)
        column.addWidget(label("GARAGE", "caps"))
        column.addLayout(self._bikes)
        column.addSpacing(6)
        column.addWidget(label("NEW BIKE", "caps"))
        column.addWidget(
            label("Typical figures of its kind, all marked as assumed until you know better.", "quiet", wrap=True)
        )
        column.addWidget(Captioned("name", self.name))
        for kind in KINDS:
            column.addWidget(button(kind, partial(self.start, kind), "", f"New bike: {kind}"))
        column.addSpacing(6)
        column.addWidget(button("Show the start page", to_start, "small"))
        column.addStretch(1)
        desk.bike_changed.connect(self.show_bikes)
        self.show_bikes()

    def show_bikes(self) -> None:
        """List the bikes as they are kept."""
        clear(self._bikes)
        for kept in self._desk.bikes():
            if kept.id == self._desk.bike_id and not kept.archived:
                name = label(f"{kept.name}, open now", wrap=True)
                name.setStyleSheet("font-weight: 600;")
                self._bikes.addWidget(name)
                acts = row_of(spacing=16)
                acts.addWidget(button("Duplicate", self.duplicate, "small"))
                acts.addWidget(button("Archive", self._desk.archive_bike, "small"))
                acts.addStretch(1)
                self._bikes.addLayout(acts)
                self._say_who(kept)
            else:
                words = f"{kept.name} (archived)" if kept.archived else kept.name
                if not kept.readable:
                    self._bikes.addWidget(label(f"{kept.name}: unreadable", "quiet", wrap=True))
                    continue
                self._bikes.addWidget(
                    button(words, partial(self._desk.open_kept_bike, kept.id), "", f"Open {kept.name}")
                )
                self._say_who(kept)
                if self._desk.bike is not None and not kept.archived:
                    self._bikes.addLayout(self._parts(kept))

    def _say_who(self, kept: KeptBike) -> None:
        """Who has a bike open at another bench."""
        shared = self._desk.shared
        if shared is not None and (who := shared.of_bike(kept.id)):
            self._bikes.addWidget(label(f"open elsewhere: {who}", "quiet", wrap=True))

    def _parts(self, kept: KeptBike) -> QHBoxLayout:
        row = row_of(spacing=14)
        row.addWidget(label("copy its", "quiet"))
        for part, words in (("battery", "pack"), ("motor", "motor"), ("controller", "controller")):
            act = partial(self._desk.take_part, kept.id, part)
            row.addWidget(button(words, act, "small", f"Take the {words} of {kept.name}"))
        row.addStretch(1)
        return row

    def start(self, kind: str) -> None:
        """Make a bike of a kind the active one; one that is new and untouched already stays the one."""
        named, now = self.name.text().strip(), self._desk.bike
        if not named and now is not None and now == bike_of_kind(kind, now.name):
            self._desk.said.emit("note", f"{now.name} is such a bike, and new. Type another name for a second one.")
            return
        self._desk.open_bike(bike_of_kind(kind, self._free_name(named or "New bike")))
        self.name.clear()

    def duplicate(self) -> None:
        """A copy of the active bike, itself active then."""
        if self._desk.bike is not None:
            name = self._free_name(self._desk.bike.name)
            self._desk.open_bike(self._desk.bike.model_copy(update={"name": name}))

    def _free_name(self, wanted: str) -> str:
        return self._desk.free_name(wanted)
