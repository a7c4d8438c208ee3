"""On trial, or to be kept: the choice on Send."""

from __future__ import annotations

from PyQt6.QtWidgets import QButtonGroup, QVBoxLayout, QWidget

from crisp_hornet.bench.theme import Theme
from crisp_hornet.bench.widgets.choice import Choice
from crisp_hornet.bench.widgets.text import label
from crisp_hornet.documents.units import Units
from crisp_hornet.link.difference import Change
from crisp_hornet.link.plan import trial_refusal


class HowLong(QWidget):
    """Two choices, and why a trial is not admitted."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self.trial = Choice(theme, "Trial: it runs until power-off, then the earlier values are back")
        self.keep = Choice(theme, "Keep: it outlasts power-off")
        self.trial.setChecked(True)
        self._why_not = label("", "quiet", wrap=True)
        self._group = QButtonGroup(self)
        self._group.addButton(self.trial)
        self._group.addButton(self.keep)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(label("HOW LONG", "caps"))
        for one in (self.trial, self._why_not, self.keep):
            column.addWidget(one)

    def ask(self, changes: list[Change], units: Units) -> None:
        """Ask it for these changes; with none there is nothing to choose."""
        self.setVisible(bool(changes))
        refusal = trial_refusal(changes)
        self.trial.setEnabled(not refusal)
        self._why_not.setText(f"Not on trial: {units.text(refusal)}." if refusal else "")
        self._why_not.setVisible(bool(refusal))
        if refusal and changes:
            self.keep.setChecked(True)
