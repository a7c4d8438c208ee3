"""Make a level feel like another: one of this bike, or of another bike in the garage."""

from __future__ import annotations

from typing import Protocol, get_args

import numpy as np
from PyQt6.QtWidgets import QSizePolicy

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.fields import Captioned
from crisp_hornet.bench.widgets.fold import Fold
from crisp_hornet.bench.widgets.text import button
from crisp_hornet.core.drive.pull import Conditions, pull_curve
from crisp_hornet.core.pack.cells import rested_or_typical_v
from crisp_hornet.core.rider.assist import Motive
from crisp_hornet.core.rider.legs import Rider
from crisp_hornet.core.rider.match import Feel, NoMatch, feel_of, level_like
from crisp_hornet.documents.assist import Level
from crisp_hornet.documents.saying import quantity, say
from crisp_hornet.documents.settings import LEVEL_KEYS
from crisp_hornet.documents.tune import Tune

THIS_BIKE = "this bike"
HALF_FULL = 0.5
SPEEDS = np.linspace(0.0, 60.0, 241)


class InHand(Protocol):
    """What the page has in hand: the rider it draws for, the levels, and where they stand."""

    rider: Rider

    def levels(self, tune: Tune) -> list[Level]: ...

    def level_path(self, at: int, key: str) -> str: ...


class MatchFold(Fold):
    """Choosers for which level, like which one of which bike, by what it feels; the act changes the draft, undoably."""

    def __init__(self, desk: Desk, column: InHand) -> None:
        super().__init__("MATCH A LEVEL", False)
        self._desk, self._column = desk, column
        self._bikes: dict[str, int] = {}
        self._model: Motive | None = None
        self.level, self.bike, self.theirs = (
            Chooser("level to match"),
            Chooser("bike it shall feel like"),
            Chooser("its level"),
        )
        self.feel = Chooser("what shall be the same")
        self.feel.addItems(get_args(Feel))
        self.rows.setSpacing(4)
        for caption, chooser in (
            ("level", self.level), ("shall feel like that of", self.bike), ("its level", self.theirs), ("the same", self.feel),
        ):  # fmt: skip
            chooser.be_narrow()
            chooser.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            self.rows.addWidget(Captioned(caption, chooser))
        self.rows.addWidget(button("Match it", self.match, "small", "Match the level"))
        self.bike.currentIndexChanged.connect(lambda _at: self._take_model())
        self.opened.connect(self._list_bikes)

    def refresh(self) -> None:
        """List the levels there are now; nothing while folded."""
        draft = self._desk.draft.tune
        if draft is None or not self.heading.isChecked():
            return
        self.level.offer([str(at + 1) for at in range(len(self._column.levels(draft)))])
        if self._model is None and self.bike.currentText() in ("", THIS_BIKE):
            self.theirs.offer([str(at + 1) for at in range(len(draft.assist.levels))])

    def _list_bikes(self, is_open: bool) -> None:
        """The garage is asked when the fold opens, not while a ruler is dragged."""
        if is_open:
            others = [kept for kept in self._desk.bikes() if kept.readable and not kept.archived]
            self._bikes = {kept.name: kept.id for kept in others if kept.id != self._desk.bike_id}
            self.bike.offer([THIS_BIKE, *self._bikes])
            self._take_model()

    def _take_model(self) -> None:
        """Read the bike that was chosen, once."""
        name, self._model = self.bike.currentText(), None
        if name in self._bikes and (kept := self._desk.kept_tune(self._bikes[name])) is not None:
            bike, tune = kept
            conditions = Conditions(rested_v=rested_or_typical_v(bike.battery, HALF_FULL))
            self._model = Motive.of(pull_curve(bike, tune, SPEEDS, conditions), tune)
        levels = self._model.assist.levels if self._model is not None else []
        self.theirs.offer([str(at + 1) for at in range(len(levels))])
        self.refresh()

    def _there(self) -> Motive | None:
        """The bike whose level is the model, with its draft; this one with the draft in hand."""
        draft, prediction = self._desk.draft.tune, self._desk.draft.prediction
        if self.bike.currentText() not in ("", THIS_BIKE):
            return self._model
        return Motive.of(prediction.curve, draft) if draft is not None and prediction is not None else None

    def match(self) -> None:
        """Set the level's strength so that it feels like the other one, or say why that cannot be."""
        desk, draft, prediction, there = self._desk, self._desk.draft.tune, self._desk.draft.prediction, self._there()
        at, model = self.level.currentIndex(), self.theirs.currentIndex()
        if draft is None or prediction is None or at < 0:
            return
        if there is None or model < 0:
            desk.said.emit("note", f"{self.bike.currentText()} has no tune: open it and draft one first.")
            return
        feel: Feel = get_args(Feel)[self.feel.currentIndex()]
        rider, levels = self._column.rider, self._column.levels(draft)
        wanted = feel_of(there, there.assist.levels[model], rider, feel)
        unit = "m/s²" if feel == "acceleration" else "W/W"
        try:
            found = level_like(Motive.of(prediction.curve, draft), levels[at], rider, feel, wanted)
        except NoMatch as none:
            told = say(
                "Level {at} cannot feel like that: it takes {wanted}, and it comes to {reaches} here.",
                at=at + 1, wanted=quantity(none.wanted, unit, ".2f"), reaches=quantity(none.reaches, unit, ".2f"),
            )  # fmt: skip
            desk.said.emit("note", told)
            return
        values: dict[str, float | None] = {
            self._column.level_path(at + 1, key): getattr(found, key) for key in LEVEL_KEYS if key != "speed_share"
        }
        desk.draft.change_many(values, f"level {at + 1} matched")
        desk.said.emit(
            "settled",
            say("Level {at} matched: {wanted}, as there.", at=at + 1, wanted=quantity(wanted, unit, ".2f")),
        )
