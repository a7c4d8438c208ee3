"""What is chosen before a send: what the draft is compared with, and whether it is to last."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtWidgets import QButtonGroup, QWidget

from crisp_hornet.bench.desk.desk import Desk
from crisp_hornet.bench.moments import time_words
from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Choice
from crisp_hornet.bench.widgets.chooser import Chooser
from crisp_hornet.bench.widgets.layouts import column_of
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.documents.tune import Tune
from crisp_hornet.documents.units import Units
from crisp_hornet.link.difference import Change
from crisp_hornet.link.plan import trial_refusal

CONTROLLER = "what the controller holds"


class Against(Chooser):
    """The controller first, then the tunes sent before, newest first."""

    def __init__(self, desk: Desk) -> None:
        super().__init__("compare the draft with")
        self._desk = desk
        self.setMinimumHeight(34)

    def refresh(self, wanted: bool) -> None:
        """Offer what there is to compare with; ``wanted`` tells whether this moment asks for it at all."""
        offered = [CONTROLLER, *(f"{tune.name}, sent {time_words(at)}" for at, tune in self._sent())]
        if [self.itemText(index) for index in range(self.count())] != offered:
            self.clear()
            self.addItems(offered)
        self.setVisible(wanted and len(offered) > 1)

    def earlier(self) -> Tune | None:
        """The tune chosen; None while it is the controller."""
        index = self.currentIndex()
        return None if index < 1 or self.isHidden() else self._sent()[index - 1][1]

    def _sent(self) -> list[tuple[datetime, Tune]]:
        return self._desk.held.sent()


class HowLong(QWidget):
    """Two choices, and why a trial is not admitted."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.trial = Choice(theme, "Trial: active until power-off, then the old values return")
        self.keep = Choice(theme, "Permanent: stays after power-off")
        self.trial.setChecked(True)
        self._why_not = label("", "quiet", wrap=True)
        self._group = QButtonGroup(self)
        self._group.addButton(self.trial)
        self._group.addButton(self.keep)
        column = column_of(self, margins=0)
        column.addWidget(label("TRIAL OR PERMANENT", "caps"))
        for one in (self.trial, self._why_not, self.keep):
            column.addWidget(one)

    def ask(self, changes: list[Change], units: Units, can_try: bool = True) -> None:
        """Ask it for these changes; with none there is nothing to choose. ``can_try``: the controller can run what it does not keep."""
        self.setVisible(bool(changes))
        refusal = trial_refusal(changes, can_try)
        self.trial.setEnabled(not refusal)
        self._why_not.setText(f"Not on trial: {units.text(refusal)}." if refusal else "")
        self._why_not.setVisible(bool(refusal))
        if refusal and changes:
            self.keep.setChecked(True)
