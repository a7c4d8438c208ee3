"""Whose assist levels are in hand: the tune's, or those a mode has of its own."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import button
from crisp_hornet.documents.assist import Level
from crisp_hornet.documents.settings import LEVEL_KEYS
from crisp_hornet.documents.tune import Tune

EVERY_MODE = "the tune"


class Whose(QWidget):
    """A chooser of the tune and its modes, and the act that gives a mode levels of its own or takes them away. ``changed``: other levels
    are in hand."""

    changed = pyqtSignal()

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.chooser = Chooser("whose levels")
        self.chooser.be_narrow()
        self.chooser.currentIndexChanged.connect(lambda _at: self.changed.emit())
        self.give = button("Give it its own levels", self._give, "small", "Give this mode levels of its own")
        self.take = button("Use the tune's levels", self._take, "small", "Let this mode use the tune's levels")
        column = column_of(self, margins=0, spacing=4)
        column.addWidget(Captioned("levels of", self.chooser))
        column.addWidget(self.give)
        column.addWidget(self.take)

    @property
    def mode(self) -> int:
        """The number of the chosen mode, from 1; 0 for the tune."""
        return max(self.chooser.currentIndex(), 0)

    @property
    def path(self) -> str:
        """Where the levels in hand stand: the chosen mode's own, else the tune's."""
        return f"modes.{self.mode}.levels" if self._own(self._desk.draft.tune) else "assist.levels"

    def levels(self, tune: Tune) -> list[Level]:
        """A tune's levels at that place; none where it has none."""
        if self.path == "assist.levels":
            return tune.assist.levels
        return (tune.modes[self.mode - 1].levels or []) if self.mode <= len(tune.modes) else []

    def choose(self, setting: str) -> None:
        """Take the levels in hand that a setting belongs to."""
        place = setting.split(".")[1]
        self.chooser.setCurrentIndex(int(place) if setting.startswith("modes.") else 0)

    def refresh(self) -> None:
        """List the modes there are; nothing is shown where there are none."""
        draft = self._desk.draft.tune
        names = [EVERY_MODE, *(mode.name for mode in draft.modes)] if draft is not None else [EVERY_MODE]
        self.chooser.offer(names, by_place=True)
        self.setVisible(len(names) > 1)
        own = self._own(draft)
        self.give.setVisible(self.mode > 0 and not own)
        self.take.setVisible(own)

    def _own(self, tune: Tune | None) -> bool:
        return tune is not None and 0 < self.mode <= len(tune.modes) and tune.modes[self.mode - 1].levels is not None

    def _give(self) -> None:
        """Begin with the tune's levels, as far as this mode lets them be chosen."""
        draft = self._desk.draft.tune
        if draft is None:
            return
        where = f"modes.{self.mode}.levels"
        values: dict[str, float | None] = {f"{where}.count": float(len(draft.assist.levels))}
        for at, level in enumerate(draft.assist.levels, start=1):
            values |= {f"{where}.{at}.{key}": getattr(level, key) for key in LEVEL_KEYS}
        self._desk.draft.change_many(values, f"levels of {self.chooser.currentText()}")

    def _take(self) -> None:
        self._desk.draft.change_many(
            {f"modes.{self.mode}.levels.count": 0.0}, f"levels of {self.chooser.currentText()}"
        )
